"""Bringing a stream to rest that eddies stir: one step of Newton's method at a time, eddies as they
are, each velocity held to what it was by a share of all that holds it.

The share falls with the square of the imbalance where turns with the eddies help, or where the
imbalance only creeps down, and is large for a while where turns have long not helped (a cycle).
What is judged is the imbalance at the start of a sweep, with eddies and walls as the stream before
made them: the root of the mean square of accelerations, over the fastest speed and the time it takes
to pass.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Inputs, Work
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.marching.state import State
from underkettle.engine.marching.together import RISE, SHORTENED, SHORTER, TRIES

Array = np.ndarray

COLD, HANDED = 0.1, 0.02  # the first share: from nothing, and from a coarser grid or another run
LEFT, MOST = 0.1, 15  # of the imbalance that one solve leaves, and the directions it may take
EAGER, POWER, FASTEST, SLOWEST = 0.8, 2.0, 0.5, 4.0  # how the share follows the imbalance
LEAST, LARGEST = 1e-5, 0.25
BETTER, PATIENCE = 0.9, 10  # of the best imbalance that counts as progress; sweeps without it
CREEPS = 4  # falls in a row after solves that came to an end: the share makes them small
KEPT, KEPT_MORE, FORGOT = 0.01, 4.0, 0.8  # the least share then, and how it falls again
CAREFUL, CARE = 8.0, 0.1  # times the share where shorter steps do not help, and at least


class Stirred:
    """Sweeps of one stream. All that it remembers lies in the state. solver : that of the stream."""

    def __init__(self, solver: Any) -> None:
        self.solver = solver
        self.room: Gmres | None = None

    def _get(self, state: State, name: str, otherwise: float) -> float:
        return state.numbers.get(self.solver.problem.state_name(name), otherwise)

    def _put(self, state: State, **values: float) -> None:
        for name, value in values.items():
            state.numbers[self.solver.problem.state_name(name)] = value

    def sweep(self, state: State, inputs: Inputs) -> Work:
        """One step, and how far from rest the stream was before it."""
        solver = self.solver
        if fresh := self._get(state, "stirred", 0.0) != state.leg:
            share = HANDED if self._get(state, "handed", 0.0) else COLD
            self._put(state, share=share, least=LEAST, before=0.0, fell=0.0)
            self._put(state, lowest=np.inf, since=0.0, stirred=state.leg)
        solver.approach(state, inputs, fresh)
        u, v = solver._velocities(state)
        pushed = solver.stream.pushed(inputs)
        work = Work(whole=True, way="Newton's method, eddies in turn")
        forces, missing, size = self._left(state, pushed)
        now, loose = self._residual(forces, u, v), solver.loose
        share = self._next(state, now, loose)
        fields = u, v, solver.stream.array(state, "p")
        kept = [field.copy() for field in fields]
        part, cut = 1.0, 0
        change = self._solve(state, pushed, share, forces, missing, work)
        while True:
            solver.change(state, change, part)
            after = self._left(state, pushed)[2]
            if loose or (np.isfinite(after) and after <= RISE * size):
                break
            for field, old in zip(fields, kept, strict=True):
                field[:] = old
            cut += 1
            if cut > TRIES:
                break
            if cut <= SHORTENED:
                part *= SHORTER
                continue
            part, share = 1.0, max(CAREFUL * share, CARE)
            change = self._solve(state, pushed, share, forces, missing, work)
        self._put(state, share=share, taken=float(work.iterations))
        work.residuals = {"velocity": now}
        work.note = solver.arrived(state, inputs)
        if not work.note:
            again = f"the step was cut back {cut} times"
            work.note = again if cut else "eddies have grown or decayed"
        return work

    def _left(self, state: State, pushed: tuple) -> tuple[tuple[Array, Array], Array, float]:
        """Forces that nothing balances (N), inflow that cells lack, and the size of the former."""
        solver = self.solver
        u, v = solver._velocities(state)
        forces = solver._unbalanced(state, pushed)
        missing, solver.loose = solver._missing(u, v)
        return forces, missing, float(np.sqrt(self._squared(forces)))

    def _squared(self, forces: tuple[Array, Array]) -> float:
        """Forces squared over what they push, summed (N2/kg)."""
        total = 0.0
        for force, part in zip(forces, self.solver.stream.parts, strict=True):
            on = part.nodes.unknown
            total += float((force[on] ** 2 / part.mass[on]).sum())
        return total

    def _residual(self, forces: tuple[Array, Array], u: Array, v: Array) -> float:
        solver = self.solver
        mass = sum(float(p.mass[p.nodes.unknown].sum()) for p in solver.stream.parts)
        square = self._squared(forces)
        fastest = solver._fastest(u, v)
        return float(np.sqrt(square / mass)) * solver._passing_time(fastest) / fastest

    def _next(self, state: State, now: float, loose: bool) -> float:
        """The share of this sweep, from what the last turn has made of the imbalance."""
        share, least = self._get(state, "share", COLD), self._get(state, "least", LEAST)
        before, lowest = self._get(state, "before", 0.0), self._get(state, "lowest", np.inf)
        since, fell = self._get(state, "since", 0.0), self._get(state, "fell", 0.0)
        if before > 0:
            if not loose:
                share *= float(np.clip(EAGER * (now / before) ** POWER, FASTEST, SLOWEST))
            share = min(max(share, least), LARGEST)
            easy = self._get(state, "taken", 0.0) < MOST
            fell = fell + 1.0 if now < before and easy else 0.0
            if now < BETTER * lowest:
                lowest, since, least = now, 0.0, max(LEAST, FORGOT * least)
            elif fell >= CREEPS:
                least = max(LEAST, FORGOT * least)
            else:
                since += 1.0
            if since >= PATIENCE:
                least, share, since, lowest = max(KEPT_MORE * least, KEPT), LARGEST, 0.0, now
        self._put(state, before=now, lowest=lowest, since=since, least=least, fell=fell)
        return share

    def _solve(
        self,
        state: State,
        pushed: tuple,
        share: float,
        forces: tuple[Array, Array],
        missing: Array,
        work: Work,
    ) -> Array:
        """About the change that takes the imbalance away."""
        solver, system = self.solver, self.solver.system
        u, v = solver._velocities(state)
        system.linearise(u, v, 0.0, solver._held(u, v, pushed), share=share)
        fastest = solver._fastest(u, v)
        span = solver._passing_time(fastest)
        system.weigh(span, fastest, solver._holding(span))
        right = system.gather(*forces, missing) * system.weights
        if self.room is None or self.room.basis.shape[1] != right.size:
            self.room = Gmres(right.size, MOST)
        found = self.room.solve(system.applied, system.preconditioned, right, LEFT)
        work.iterations += found.iterations
        return found.solution
