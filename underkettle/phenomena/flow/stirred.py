"""Bringing a stream to rest that eddies stir: one step of Newton's method at a time, eddies as they
are, each velocity held to what it was by a share of all that holds it.

The share falls with the square of the imbalance where turns with the eddies help, and is large for
a while where they have long not (a cycle). What is judged is the imbalance at the start of a sweep,
with eddies and walls as the stream before made them: the root of the mean square of accelerations,
over the fastest speed and the time it takes to pass.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Inputs, Work
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.marching.state import State
from underkettle.engine.operators.projection import level

Array = np.ndarray

COLD, HANDED = 0.1, 0.02  # the first share: from nothing, and from a coarser grid or another run
LEFT, MOST = 0.1, 15  # of the imbalance that one solve leaves, and the directions it may take
EAGER, POWER, FASTEST, SLOWEST = 0.8, 2.0, 0.5, 4.0  # how the share follows the imbalance
LEAST, LARGEST = 1e-5, 0.25
BETTER, PATIENCE = 0.9, 10  # of the best imbalance that counts as progress; sweeps without it
KEPT, KEPT_MORE, FORGOT = 0.01, 4.0, 0.8  # the least share then, and how it falls again
RISE, TRIES, SHORTER, CAREFUL = 1.5, 8, 0.35, 0.1
CLOSES = 1e-5  # share of what does not close yet that may be left in what carries others


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
        stream, system = solver.stream, solver.system
        name = solver.problem.state_name
        self._put(state, to=-1.0)  # no step in time ends here
        solver._read(state, inputs)
        stream.tilt(state, state.time)
        u, v, p = (stream.array(state, n) for n in "uvp")
        handed = state.numbers.pop(name("handed"), 0.0)
        here = 1.0 + state.stage + 1e-3 * state.series_index  # until the next stage or value
        fresh = self._get(state, "stirred", 0.0) != here
        solver._hold_back(u, v)
        if fresh:
            for _ in range(2):
                system.project(u, v, solver._missing(u, v)[0], 1e-3)
            self._put(state, share=HANDED if handed else COLD, least=LEAST, before=0.0)
            self._put(state, lowest=np.inf, since=0.0, stirred=here)
        pushed = stream.pushed(inputs)
        work = Work(whole=True, way="Newton's method, eddies in turn")
        forces, missing, size = self._left(state, pushed)
        now, loose = self._residual(forces, u, v), solver.loose
        share = self._next(state, now, loose)
        kept = u.copy(), v.copy(), p.copy()
        turned = solver._leaving(u, v)
        part, cut = 1.0, 0
        change = self._solve(state, pushed, share, forces, missing, work)
        while True:
            for field, more in zip((u, v, p), system.fields, strict=True):
                field += part * more
                stream.mesh.grid.wrap(field)
            after = self._left(state, pushed)[2]
            if loose or (np.isfinite(after) and after <= RISE * size):
                break
            for field, old in zip((u, v, p), kept, strict=True):
                field[:] = old
            cut += 1
            if cut > TRIES:
                break
            if cut <= 2:
                part *= SHORTER
                system.scatter(change, system.fields)
                continue
            part, share = 1.0, max(8 * share, CAREFUL)
            change = self._solve(state, pushed, share, forces, missing, work)
        for pocket in stream.pockets:
            level(p, *pocket)
        self._put(state, share=share, dt=0.0)
        closing = u.copy(), v.copy()
        system.project(*closing, solver._missing(u, v)[0], CLOSES)
        stream.book(state, closing)
        solver.closes = True
        stream.check(state)
        work.residuals = {"velocity": now}
        if loose:
            work.note = "continuity does not hold yet"
        elif (turned != solver._leaving(u, v)).any():
            work.note = "the stream has turned round at an outlet"
        elif cut:
            work.note = f"the step was cut back {cut} times"
        else:
            work.note = "eddies have grown or decayed"
        return work

    def _left(self, state: State, pushed: tuple) -> tuple[tuple[Array, Array], Array, float]:
        """Forces that nothing balances (N), inflow that cells lack, and the size of the former."""
        solver = self.solver
        u, v = solver._velocities(state)
        forces = solver._unbalanced(state, pushed)
        missing, solver.loose = solver._missing(u, v)
        total = sum(
            float((force[n] ** 2 / part.mass[n]).sum())
            for force, part in zip(forces, solver.stream.parts, strict=True)
            for n in (part.nodes.unknown,)
        )
        return forces, missing, float(np.sqrt(total))

    def _residual(self, forces: tuple[Array, Array], u: Array, v: Array) -> float:
        solver = self.solver
        square, mass = 0.0, 0.0
        for force, part in zip(forces, solver.stream.parts, strict=True):
            on = part.nodes.unknown
            square += float((force[on] ** 2 / part.mass[on]).sum())
            mass += float(part.mass[on].sum())
        fastest = solver._fastest(u, v)
        return float(np.sqrt(square / mass)) * solver._passing_time(fastest) / fastest

    def _next(self, state: State, now: float, loose: bool) -> float:
        """The share of this sweep, from what the last turn has made of the imbalance."""
        share, least = self._get(state, "share", COLD), self._get(state, "least", LEAST)
        before, lowest = self._get(state, "before", 0.0), self._get(state, "lowest", np.inf)
        since = self._get(state, "since", 0.0)
        if before > 0:
            if not loose:
                share *= float(np.clip(EAGER * (now / before) ** POWER, FASTEST, SLOWEST))
            share = min(max(share, least), LARGEST)
            if now < BETTER * lowest:
                lowest, since, least = now, 0.0, max(LEAST, FORGOT * least)
            else:
                since += 1.0
            if since >= PATIENCE:
                least, share, since, lowest = max(KEPT_MORE * least, KEPT), LARGEST, 0.0, now
        self._put(state, before=now, lowest=lowest, since=since, least=least)
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
        """About the change that takes the imbalance away; into the system's fields, too."""
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
        system.scatter(found.solution, system.fields)
        return found.solution
