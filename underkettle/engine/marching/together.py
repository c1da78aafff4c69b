"""Phenomena that act on each other brought to rest together: Newton's method over all unknowns.

What each does to itself it knows exactly; what others do to it is differenced along the direction
asked for. Each preconditions itself, the first one first, and those after it see what it does to
them. A mass term keeps early steps short; it fades as the imbalance falls (Mulder & van Leer 1985).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.engine.contract import Binds, Bound, Couples, Inputs, Solver, Work
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.marching.state import State

Array = np.ndarray

MOST = 80  # directions of one solve
AIM, FINEST = 0.1, 1e-3  # of the imbalance that one solve leaves: at first, and once steps hold
STUCK = 0.999  # of the imbalance that is left of it: the step has led nowhere
TIGHTER, TIGHTEST = 0.1, 1e-10  # what the next solve leaves then, of what the one before left
TRIES = 8  # steps that are tried from one place
SHORTENED, SHORTER = 2, 0.35  # one that does not help is shortened twice, then made with care
CAREFUL, CARE = 8.0, 0.3  # times the mass term then, and at least of that over what matters
LOST = 0.99  # of the imbalance that a solve leaves: it has found nothing
RISE = 1.5  # of the imbalance in one step that is allowed
EAGER = 0.5  # the mass term halves while the imbalance only stays what it is
FASTEST, SLOWEST = 0.05, 4.0  # bounds on how it changes in one step
LEAST = 1e-6  # of the mass term over the time that matters
NEAR = 3e-3  # of the mass term over the time that matters, where the state is nearly at rest
BETTER = 0.9  # of the least imbalance that counts as progress
ROSE, PATIENCE = 1.02, 3  # growth that counts as a rise; rises since then
HOLDS = 2.0  # times what passes cells
KEPT, KEPT_MORE, FORGOT = 0.02, 4.0, 0.8  # the mass term then, and how it falls again
NUDGE = 1e-6  # of what unknowns are like, where others are differenced


@dataclass
class Pace:
    """The mass term (1/s), 0 before the first step, and what the next solve may leave; the least
    imbalance so far, how often it has risen since, and the mass term (1/s) that is kept for it.
    """

    rate: float = 0.0
    aim: float = AIM
    best: float = np.inf
    since: int = 0
    least: float = 0.0

    def judge(self, size: float, growth: float, quick: float) -> None:
        """Hold values back for a while where steps go round in a circle: the imbalance has risen time
        and again since it was least. quick : what passes cells (1/s).
        """
        if size < BETTER * self.best:
            self.best, self.since = size, 0
        if growth <= ROSE:
            self.least *= FORGOT
            return
        self.since += 1
        if self.since >= PATIENCE:
            self.least = min(max(KEPT_MORE * self.least, KEPT * quick), quick)
            self.best, self.since = size, 0


class Together:
    """One Newton iteration of several solvers on one state.

    solving : in the order in which they precondition. passing : those that solve for nothing
    themselves, whose state follows the others'. inputs : what a phenomenon is offered now.
    """

    def __init__(
        self,
        state: State,
        solving: Mapping[str, Couples],
        inputs: Callable[[str], Inputs],
        passing: Mapping[str, Solver] | None = None,
    ) -> None:
        self.state, self.solving, self.passing = state, dict(solving), dict(passing or {})
        self.inputs = inputs
        self.own = tuple(f"{name}." for name in (*self.solving, *self.passing))
        # one alone, told exactly what others tie in it
        self.exact = len(self.solving) == 1 and all(
            isinstance(s, Binds) for s in self.passing.values()
        )
        self.kept: dict[str, Array] = {}
        self.room: Gmres | None = None

    def solves(self, solving: Mapping[str, Couples]) -> bool:
        """Whether it is made for these solvers."""
        return list(self.solving.values()) == list(solving.values())

    # ------------------------------------------------------------ state

    def _keep(self) -> None:
        for name, array in self.state.fields.items():
            if name.startswith(self.own):
                if name in self.kept and self.kept[name].shape == array.shape:
                    self.kept[name][:] = array
                else:
                    self.kept[name] = array.copy()
        self.numbers = dict(self.state.numbers)

    def restore(self, own: str = "") -> None:
        """Put back what was kept; of one alone, where its arrays begin with `own`."""
        for name, array in self.kept.items():
            if name.startswith(own):
                self.state.fields[name][:] = array
        self.state.numbers.update(self.numbers)

    def _pass_on(self) -> None:
        for name, solver in self.passing.items():
            solver.relax(self.state, self.inputs(name))

    def _tie(self) -> None:
        """Let those solved for know how what only passes on ties them, or that nothing is told."""
        told = None
        for name, solver in self.passing.items():
            if self.exact and isinstance(solver, Binds):
                told = solver.ties(self.state, self.inputs(name))
        for one in self.solving.values():
            if isinstance(one, Bound):
                one.bind(told)

    def _imbalances(self) -> list[Array]:
        self._pass_on()
        return [s.imbalance(self.state, self.inputs(n)) for n, s in self.solving.items()]

    def _change(self, changes: Sequence[Array], part: float, but: int = -1) -> None:
        for k, (solver, change) in enumerate(zip(self.solving.values(), changes, strict=True)):
            if k != but:
                solver.change(self.state, change, part)

    # ------------------------------------------------------------ the linear system

    def _split(self, vector: Array) -> list[Array]:
        return np.split(vector, self.ends[:-1])

    def _nudge(self, changes: Sequence[Array], but: int) -> float:
        worst = 0.0
        for k, (solver, change) in enumerate(zip(self.solving.values(), changes, strict=True)):
            if k != but:
                worst = max(worst, solver.reach(change))
        return NUDGE / worst if worst > 0 else 0.0

    def _from_others(self, k: int, changes: Sequence[Array]) -> Array | float:
        """What the imbalance of one falls by where the others change; and where it does itself, as far
        as that comes back to it by those that pass on.
        """
        but = -1 if self.passing else k
        nudge = self._nudge(changes, but)
        if not nudge:
            return 0.0
        self._change(changes, nudge, but=but)
        self._pass_on()
        name = list(self.solving)[k]
        if self.passing:
            self.restore(f"{name}.")
        now = self.solving[name].imbalance(self.state, self.inputs(name))
        self.restore()
        return (self.base[k] - now) / nudge

    def _apply(self, vector: Array) -> Array:
        changes = self._split(vector)
        own = [s.apply(c) for s, c in zip(self.solving.values(), changes, strict=True)]
        if len(own) > 1 or (self.passing and not self.exact):
            for k in range(len(own)):
                own[k] = own[k] + self._from_others(k, changes)
        return np.concatenate(own)

    def _precondition(self, vector: Array) -> Array:
        right, found = self._split(vector), [np.zeros(0)] * len(self.solving)
        solvers = list(self.solving.values())
        for k, solver in enumerate(solvers):
            left = right[k]
            if k:
                so_far = [*found[:k], *(np.zeros_like(r) for r in right[k:])]
                left = left - self._from_others(k, so_far)
            found[k] = solver.precondition(left)
        return np.concatenate(found)

    # ------------------------------------------------------------ one step

    def near(self) -> float:
        """The mass term (1/s) to begin with where the state is nearly at rest."""
        return NEAR * max(s.slow(self.state) for s in self.solving.values())

    def step(self, pace: Pace, tells: bool = True) -> Work | None:
        """Change the state by one Newton step, and the pace for the next; None, and nothing changed,
        where no step helps. tells : at once, rather than after several, see `tell`.
        """
        state, solvers = self.state, self.solving
        self._pass_on()
        for name, solver in solvers.items():
            solver.approach(state, self.inputs(name), fresh=not pace.rate)
        self._keep()
        self._tie()
        slow = max(s.slow(state) for s in solvers.values())
        rate = pace.rate or max(s.first_rate(state) for s in solvers.values())
        work, part, change = Work(whole=True, way="Newton's method"), 1.0, None
        cut, size, left, loose, judged = 0, 0.0, 0.0, False, True
        after: list[Array] = []  # of a state that is at rest already
        for _ in range(TRIES):
            if change is None:
                self._pass_on()
                for name, solver in solvers.items():
                    solver.linearise(state, self.inputs(name), rate)
                self.base = self._imbalances()
                self.ends = np.cumsum([b.size for b in self.base])
                loose = any(s.loose for s in solvers.values())
                size = _size(self.base)
                if not cut:
                    work.before = max(s.residual for s in solvers.values())
                if size == 0.0:
                    break
                change, left = self._solve(work, pace.aim)
            lost = left > LOST  # nothing is found where so little holds what grows by itself
            if not lost:
                self._change(change, part)
                after = self._imbalances()
                # the first step from rest finds out what the unknowns are like
                begun = bool(pace.rate) or (slow == 0.0 and pace.best < np.inf)
                judged = not loose and begun
                if np.isfinite(_size(after)) and (not judged or _size(after) <= RISE * size):
                    break
                self.restore()
            cut += 1
            if cut <= SHORTENED and not lost:
                part *= SHORTER
            else:
                part, change, rate = 1.0, None, max(CAREFUL * rate, CARE * (slow or self._quick()))
        else:
            return None
        growth = 1.0 / EAGER if not judged else (_size(after) / size / part if size > 0 else 0.0)
        # as near as the step itself will come (Eisenstat & Walker 1996)
        aim = float(np.clip(0.5 * growth**1.5, FINEST, AIM))
        # a step that is told exactly and leads nowhere was not solved for well enough: what spreads
        # fast is most of what was out of balance, and what is to change may be the least of it
        stuck = self.passing and self.exact and judged and STUCK < growth < 2.0 - STUCK
        pace.aim = max(TIGHTEST, TIGHTER * pace.aim) if stuck else aim
        if slow == 0.0:  # a stream's own pace sees to it elsewhere
            pace.judge(_size(after), growth if judged else 0.0, self._quick())
        pace.rate = max(
            rate * float(np.clip(EAGER * growth, FASTEST, SLOWEST)), LEAST * slow, pace.least
        )
        if tells:
            work.note = self.tell()
        work.residuals = {name: solver.residual for name, solver in solvers.items()}
        if cut and not work.note:
            work.note = f"the pseudo step was cut back {cut} times"
        return work

    def tell(self) -> str:
        """Let all take over where they have come to; what they note of it."""
        notes = [s.arrived(self.state, self.inputs(name)) for name, s in self.solving.items()]
        return next(filter(None, notes), "")

    def _quick(self) -> float:
        """How fast what is carried passes cells (1/s)."""
        return max(float(getattr(s, "quick", 0.0)) for s in self.solving.values())

    def held(self, rate: float) -> float:
        """A mass term (1/s) that grows no larger than holds values whatever streams do."""
        return min(rate, HOLDS * self._quick())

    def _solve(self, work: Work, aim: float) -> tuple[list[Array], float]:
        right = np.concatenate(self.base)
        if self.room is None or self.room.basis.shape[1] != right.size:
            self.room = Gmres(right.size, MOST)
        found = self.room.solve(self._apply, self._precondition, right, aim)
        work.iterations += found.iterations
        return self._split(found.solution), found.left


def _size(parts: Sequence[Array]) -> float:
    return float(np.sqrt(sum(float(p @ p) for p in parts)))
