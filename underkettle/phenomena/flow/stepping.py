"""Steps in time: incremental projection, second order, whatever the density does."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from scipy.ndimage import distance_transform_edt

from underkettle.engine.contract import FLUID, Inputs, Medium, Source, StepFailed, Work
from underkettle.engine.marching.state import State
from underkettle.engine.operators.convection import courant_rate
from underkettle.engine.operators.projection import (
    correct_x,
    correct_y,
    divergence,
    extrapolate,
    level,
    momentum_right,
    raise_pressure,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.threads import beside
from underkettle.phenomena.flow.stream import Push, Stream

Array = np.ndarray

COURANT = 0.45
MOST_ITERATIONS = 200
SHORT = 10.0  # times what is asked for, by which a solve that gave up may miss it
VISCOUS_AIM = 1e-3  # of the change in one step


class Stepping(Stream):
    """A stream that goes through time. relaxing : on the way to rest, where a pressure that is not
    solved to its aim only slows the way down; `short` : whether the last one was not.
    """

    relaxing = False
    short = False

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        rate = courant_rate(self._array(state, "flow_x"), self._array(state, "flow_y"), self.half)
        if self._given_rate < 0 or not self.timeless:
            self._given_rate = self._inflow_rate(state.time + state.dt)
        fastest = max(rate, self._given_rate)
        if fastest <= 0.0:
            h = min(float(np.diff(self.mesh.grid.x).min()), float(np.diff(self.mesh.grid.y).min()))
            quickest = float((self.now_viscosity / self.now_density)[self.live].max())
            return h * h / quickest, "the time shear takes to cross a cell"
        return COURANT / fastest, f"Courant number {COURANT}"

    def _inflow_rate(self, t: float) -> float:
        """The largest given speed over the width of its cell (1/s), inlets and moving walls."""
        worst = 0.0
        grid = self.mesh.grid
        h = min(float(np.diff(grid.x).min()), float(np.diff(grid.y).min()))
        for edge, given in self.conditions.items():
            for name in ("x_speed", "y_speed"):
                if given.has(name):
                    pieces = self.mesh.pieces
                    rows = pieces.of(self.mesh.edge_index(edge))
                    speed = given.values[name].at(pieces.place(t)[rows])
                    worst = max(worst, float(np.abs(speed).max()) / h)
        for part in self.parts:
            n = part.nodes
            if n.in_row.size:
                across = grid.widths(0)[n.in_column] if n.axis == 0 else grid.widths(1)[n.in_row]
                speed = np.abs(self._inflow_speed(n.in_piece, t))
                worst = max(worst, float((speed / across).max()))
        return worst

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        key = self.problem.state_name("dt")
        before = state.numbers[key]
        self._follow(state)
        self._set_aside(state, t0, t1)
        work = self._step(state, t0, t1 - t0, before, inputs, self.aim_step, self._plain, t1 - t0)
        state.numbers[key] = t1 - t0
        state.numbers[self.problem.state_name("moved")] = t1 - t0 if self.motion else 0.0
        if self.offered:
            held = self.problem.state_name("held")
            now = float((self.now_density * self.mesh.volume[0])[self.live].sum())
            state.numbers[f"{held}_before"] = state.numbers.get(held, now)
            state.numbers[held] = now
        return work

    def _apart(self, state: State, dt: float) -> float:
        """From the last velocities to those of this step (s), where parts move: what they displace
        makes both means over their steps.
        """
        return 0.5 * (dt + state.numbers.get(self.problem.state_name("moved"), 0.0))

    def _set_aside(self, state: State, t0: float, t1: float) -> None:
        """Keep the flows at the start of the step: what is carried sees both its ends, once they
        close; at the very start they need not.
        """
        for name in ("flow_x", "flow_y", "through"):
            self._array(state, f"{name}_before")[:] = self._array(state, name)
        closes = state.numbers.get(self.problem.state_name("to")) is not None
        closes = closes and self.motion is None  # what passed then passed other openings
        state.numbers[self.problem.state_name("from")] = t0 if closes else -1.0
        state.numbers[self.problem.state_name("to")] = t1

    def _feed(self, inputs: Inputs) -> None:
        """Take over the mass that others give to cells. Raises StepFailed."""
        self.givers = {
            giver: self._where_it_can_leave(np.where(self.live, source.value[0], 0.0))
            for name in self.problem.called("mass")
            for giver, source in inputs.each(Source, name).items()
        }
        if not self.givers:
            return
        mass = np.asarray(sum(self.givers.values()))
        self.fed = mass if self.swells else mass / self.now_density
        for inside, _ in self.pockets:
            given = float((mass * inside).sum())
            if abs(given) > 1e-9 * float(np.abs(mass).sum()):
                raise StepFailed(
                    "mass",
                    "a closed part of the vessel",
                    f"{', '.join(self.givers)} give {given:.3g} kg/s where nothing can leave",
                )

    def _where_it_can_leave(self, given: Array) -> Array:
        """The same, where slivers that have no way out hand theirs to the nearest cell that has."""
        ways = self.ax + roll(self.ax, -1, 1) + self.ay + roll(self.ay, -1, 0) + self.d
        shut = self.live & (ways <= 0)
        if given[shut].any():
            near = distance_transform_edt(ways <= 0, return_distances=False, return_indices=True)[
                :, shut
            ]
            np.add.at(given, tuple(near), given[shut])
            given[shut] = 0.0
        return given

    def _step(
        self,
        state: State,
        t0: float,
        dt: float,
        before: float,
        inputs: Inputs,
        aim: float,
        rotate: Array,
        swelling_over: float = 0.0,
    ) -> Work:
        """swelling_over : the time (s) within which density goes from what it was; 0 if it rests."""
        t1 = t0 + dt
        medium = inputs.get(Medium, FLUID)
        if medium is not None:
            self._take_over(medium)
        self._feed(inputs)
        self._set_edges(state, t1)
        self._tilt(state, t1)
        w = dt / before if before > 0 else 0.0
        if self.motion is not None:
            w, dt = 0.0, self._apart(state, dt)
        b0 = (1 + w) / dt if w else 1 / dt
        b1 = w * w / (1 + w) / dt if w else 0.0
        lead = (1 + 2 * w) / (1 + w) if w else 1.0
        e0, e1 = (1 + w, w) if w else (1.0, 0.0)
        self._carry(self._array(state, "u"), self._array(state, "v"), self._booked(state))
        pushed = self._pushed(inputs)
        own = self._own_forces(state)
        solve = partial(
            self._solve_component,
            state,
            weights=(b0, b1, e0, e1),
            rate=lead / dt,
            t=t1,
            pushed=pushed,
            own=own,
        )
        beside(self.mesh.cells, partial(solve, "u", axis=0), partial(solve, "v", axis=1))
        self._guess(state, bool(w))
        iterations, left = self._project(state, lead / dt, aim, rotate, swelling_over)
        self._book(state)
        if not np.isfinite(left):  # it has seen every velocity
            self._check(state)
        return Work(iterations, {"continuity": left})

    def _solve_component(
        self,
        state: State,
        name: str,
        weights: tuple[float, float, float, float],
        rate: float,
        t: float,
        pushed: tuple[Push, Push],
        own: Any,
        axis: int,
    ) -> None:
        part = self.parts[axis]
        velocity, old = self._array(state, name), self._array(state, f"{name}_before")
        self._gradient(state, part, axis, t)
        extra = part.pull
        linear = None
        force = pushed[axis].force
        if force is not None:
            extra = extra + force
            linear = pushed[axis].falls
        if own is not None:
            extra = extra + own[axis]
        ny, nx = part.nodes.extent
        carried_before = self._array(state, f"carried_{name}")
        momentum_right(
            velocity,
            old,
            part.carried,
            carried_before,
            part.mass,
            part.gradient,
            extra,
            part.right,
            *weights,
            ny,
            nx,
        )
        old[:] = velocity
        part.set_rate(rate, linear)
        keep = velocity[part.nodes.in_row, part.nodes.in_column].copy()
        part.implicit.solve(part.right, velocity, VISCOUS_AIM)
        velocity[part.nodes.in_row, part.nodes.in_column] = keep
        self.mesh.grid.wrap(velocity)

    def _project(
        self, state: State, rate: float, aim: float, rotate: Array, swelling_over: float
    ) -> tuple[int, float]:
        u, v = self._array(state, "u"), self._array(state, "v")
        p, q = self._array(state, "p"), self._array(state, "q")
        pu, pv = self.parts
        assert self.pressure is not None
        largest = divergence(u, v, pu.opening, pv.opening, self.right, -rate, self.ny, self.nx)
        growing = self._growing(state, swelling_over)
        if growing is not None:
            self.right -= rate * growing
        if self.givers:
            self.right += rate * self.fed
        for pocket in self.pockets:
            level(self.right, *pocket)
        scale = max(self._scale, float(largest), 1e-300)
        floor = 1e-13 * rate * scale
        iterations, norm = self.pressure.solve(
            self.right, q, relative=aim, absolute=floor, most=MOST_ITERATIONS
        )
        short = iterations >= MOST_ITERATIONS and norm > SHORT * max(
            aim * float(np.linalg.norm(self.right)), floor
        )
        if short and not self.relaxing:
            raise StepFailed(
                "pressure",
                "the whole vessel",
                f"after {iterations} iterations mass "
                f"is missing by {norm / rate / scale:.2g} of what flows",
            )
        self.short = short
        grid = self.mesh.grid
        first_x, first_y = (1 if again else 2 for again in grid.repeats)
        correct_x(u, q, pu.mobility, 1.0 / rate, first_x, self.ny, self.nx)
        correct_y(v, q, pv.mobility, 1.0 / rate, first_y, self.ny, self.nx)
        for part, velocity in ((pu, u), (pv, v)):
            n = part.nodes
            back = (n.out_sign > 0).astype(np.int64)
            inside = q[n.out_row - back * n.axis, n.out_column - back * (1 - n.axis)]
            velocity[n.out_row, n.out_column] += (
                n.out_sign * inside * part.mobility[n.out_row, n.out_column] / rate
            )
        raise_pressure(p, q, self.right, rotate, 1.0 / rate, self.ny, self.nx)
        for pocket in self.pockets:
            level(p, *pocket)
            level(q, *pocket)
        for field in (u, v, p, q):
            grid.wrap(field)
        return iterations, norm / rate / scale

    def _guess(self, state: State, marching: bool) -> None:
        """Start the correction where the last two point to; a quarter fewer iterations."""
        q, before = self._array(state, "q"), self._array(state, "q_before")
        if marching:
            extrapolate(q, before)
        else:
            before[:] = q
