"""Steps in time: incremental projection, second order, whatever the density does."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import Inputs, StepFailed, Work
from underkettle.engine.contract.streams import mass_given
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.marching.state import State
from underkettle.engine.mesh.nearest import nearest
from underkettle.engine.operators.convection import courant_rate
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.pockets import refuse_trapped
from underkettle.engine.operators.projection import (
    correct_x,
    correct_y,
    divergence,
    extrapolate,
    level,
    momentum_right,
    raise_pressure,
)
from underkettle.engine.threads import beside
from underkettle.phenomena.flow.newton import NewtonSystem
from underkettle.phenomena.flow.stream import Push, Stream

Array = np.ndarray

COURANT = 0.45
MOST_ITERATIONS = 200
SHORT = 10.0  # times what is asked for, by which a solve that gave up may miss it
VISCOUS_AIM = 1e-3  # of the change in one step
MOST_TURNS, MOST_DIRECTIONS = 12, 60  # where matter is turned: of Newton's method, of a solve
TURNED_AIM, TURNED_CHANGE = 1e-6, 1e-8  # what is left of speeds, and of what was missing


class Stepping:
    """Takes a stream through time. relaxing : on the way to rest, where a pressure that is not
    solved to its aim only slows the way down; `short` : whether the last one was not.
    """

    def __init__(self, stream: Stream) -> None:
        self.stream = stream
        self.relaxing = self.short = False
        self.room: Gmres | None = None
        self._system: NewtonSystem | None = None

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        if not self.stream.offered:
            self.stream.meet(inputs, state)  # as one that has gone on from here would have
        return self.longest(state)

    def longest(self, state: State) -> tuple[float, str]:
        """The longest step (s) of the stream as it is, and the reason."""
        rate = courant_rate(
            self.stream.array(state, "flow_x"), self.stream.array(state, "flow_y"), self.stream.half
        )
        if self.stream.given_rate < 0 or not self.stream.timeless:
            self.stream.given_rate = self._inflow_rate(state.time + state.dt)
        fastest = max(rate, self.stream.given_rate)
        if fastest <= 0.0:
            h = self.stream.mesh.grid.finest
            quickest = float(
                (self.stream.now_viscosity / self.stream.now_density)[self.stream.live].max()
            )
            return h * h / quickest, "the time shear takes to cross a cell"
        return COURANT / fastest, f"Courant number {COURANT}"

    def _inflow_rate(self, t: float) -> float:
        """The largest given speed over the width of its cell (1/s), inlets and moving walls."""
        worst = 0.0
        grid = self.stream.mesh.grid
        h = grid.finest
        for edge, given in self.stream.conditions.items():
            for name in ("x_speed", "y_speed"):
                if given.has(name):
                    pieces = self.stream.mesh.pieces
                    rows = pieces.of(self.stream.mesh.edge_index(edge))
                    speed = given.values[name].at(pieces.place(t)[rows])
                    worst = max(worst, float(np.abs(speed).max()) / h)
        for part in self.stream.parts:
            n = part.nodes
            if n.in_row.size:
                across = grid.widths(0)[n.in_column] if n.axis == 0 else grid.widths(1)[n.in_row]
                speed = np.abs(self.stream.inflow_speed(n.in_piece, t))
                worst = max(worst, float((speed / across).max()))
        return worst

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        key = self.stream.problem.state_name("dt")
        before = state.numbers[key]
        self.stream.follow(state)
        self._set_aside(state, t0, t1)
        work = self.step(
            state,
            t0,
            t1 - t0,
            before,
            inputs,
            self.stream.aim_step,
            lambda: self.stream.plain if self.stream.passed is None else self.stream.still,
            t1 - t0,
        )
        state.numbers[key] = t1 - t0
        state.numbers[self.stream.problem.state_name("moved")] = (
            t1 - t0 if self.stream.motion else 0.0
        )
        if self.stream.offered:
            held = self.stream.problem.state_name("held")
            now = float(
                (self.stream.now_density * self.stream.mesh.volume[0])[self.stream.live].sum()
            )
            begun = now + (t1 - t0) * self.stream.gone()
            state.numbers[f"{held}_before"] = state.numbers.get(held, begun)
            state.numbers[held] = now
        return work

    def _apart(self, state: State, dt: float) -> float:
        """From the last velocities to those of this step (s), where parts move: what they displace
        makes both means over their steps.
        """
        return 0.5 * (dt + state.numbers.get(self.stream.problem.state_name("moved"), 0.0))

    def _set_aside(self, state: State, t0: float, t1: float) -> None:
        """Keep the flows at the start of the step: what is carried sees both its ends, once they
        close; at the very start they need not.
        """
        for name in ("flow_x", "flow_y", "through"):
            self.stream.array(state, f"{name}_before")[:] = self.stream.array(state, name)
        closes = state.numbers.get(self.stream.problem.state_name("to")) is not None
        closes = closes and self.stream.motion is None  # what passed then passed other openings
        state.numbers[self.stream.problem.state_name("from")] = t0 if closes else -1.0
        state.numbers[self.stream.problem.state_name("to")] = t1

    def feed(self, inputs: Inputs) -> None:
        """Take over the mass that others give to cells. Raises StepFailed."""
        self.stream.givers = {
            giver: self._where_it_can_leave(mass)
            for giver, mass in mass_given(self.stream.problem, inputs, self.stream.live).items()
        }
        if not self.stream.givers:
            return
        mass = np.asarray(sum(self.stream.givers.values()))
        self.stream.fed = mass if self.stream.swells else mass / self.stream.now_density
        refuse_trapped(self.stream.pockets, self.stream.givers)

    def _where_it_can_leave(self, given: Array) -> Array:
        """The same, where slivers that have no way out hand theirs to the nearest cell that has."""
        ways = self.stream.ways()
        shut = self.stream.live & (ways <= 0)
        if given[shut].any():
            near = tuple(along[shut] for along in nearest(ways > 0))
            np.add.at(given, near, given[shut])
            given[shut] = 0.0
        return given

    def step(
        self,
        state: State,
        t0: float,
        dt: float,
        before: float,
        inputs: Inputs,
        aim: float,
        rotate: Callable[[], Array],
        swelling_over: float = 0.0,
    ) -> Work:
        """rotate : the pressure (Pa) that undoes a net outflow of 1 m3/s of each cell, in the medium as
        it is by then. swelling_over : the time (s) within which density goes from what it was; 0 if
        it rests.
        """
        t1 = t0 + dt
        self.stream.meet(inputs, state)
        self.feed(inputs)
        self.stream.set_edges(state, t1)
        self.stream.tilt(state, t1)
        # mass that fluids pass faces with belongs to one step, and so does momentum with it
        w = dt / before if before > 0 and self.stream.passed is None else 0.0
        if self.stream.motion is not None:
            w, dt = 0.0, self._apart(state, dt)
        b0 = (1 + w) / dt if w else 1 / dt
        b1 = w * w / (1 + w) / dt if w else 0.0
        lead = (1 + 2 * w) / (1 + w) if w else 1.0
        e0, e1 = (1 + w, w) if w else (1.0, 0.0)
        self.stream.carry(
            self.stream.array(state, "u"), self.stream.array(state, "v"), self.stream.booked(state)
        )
        for part in self.stream.parts:
            if part.cautious is not None:
                part.carried *= part.cautious
        others = self.stream.pushed(inputs)
        pushed = self._held_back(state, others, e0, e1)
        self.stream.hold(lead / dt, [push.falls for push in pushed])
        own = self.stream.own_forces(state)
        solve = partial(
            self._solve_component,
            state,
            weights=(b0, b1, e0, e1),
            rate=lead / dt,
            t=t1,
            pushed=pushed,
            own=own,
        )
        beside(self.stream.mesh.cells, partial(solve, "u", axis=0), partial(solve, "v", axis=1))
        self._guess(state, bool(w))
        iterations, left = self._project(state, lead / dt, aim, rotate(), swelling_over)
        if self.stream.matter is not None and self.stream.matter.drag.turned:
            iterations += self._agree(state, lead / dt, t1, others, aim, swelling_over)
        self.stream.book(state)
        if not np.isfinite(left):  # it has seen every velocity
            self.stream.check(state)
        return Work(iterations, {"continuity": left})

    def _held_back(
        self, state: State, pushed: tuple[Push, Push], e0: float, e1: float
    ) -> tuple[Push, Push]:
        """What pushes, and porous matter that holds back at the speeds of the step's end."""
        matter = self.stream.matter
        if matter is None:
            return pushed
        now, before = (
            tuple(self.stream.array(state, f"{n}{when}") for n in "uv") for when in ("", "_before")
        )
        matter.drag.look(now[0], now[1], (before[0], before[1]), (e0, e1))
        x, y = (
            push.plus(force if matter.drag.turned else None, falls)
            for push, force, falls in zip(pushed, matter.drag.push, matter.drag.falls, strict=True)
        )
        return x, y

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
        part = self.stream.parts[axis]
        velocity, old = self.stream.array(state, name), self.stream.array(state, f"{name}_before")
        self.stream.gradient(state, part, axis, t)
        extra = part.pull
        if own is not None:
            extra = np.add(extra, own[axis], out=own[axis])
        force, linear = pushed[axis].force, pushed[axis].falls
        if force is not None:
            extra = extra + force
        led = part.following(velocity)
        if led is not None:
            extra = extra + led
        ny, nx = part.nodes.extent
        carried_before = self.stream.array(state, f"carried_{name}")
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
        self.stream.mesh.grid.wrap(velocity)

    def _project(
        self, state: State, rate: float, aim: float, rotate: Array, swelling_over: float
    ) -> tuple[int, float]:
        u, v = self.stream.array(state, "u"), self.stream.array(state, "v")
        p, q = self.stream.array(state, "p"), self.stream.array(state, "q")
        pu, pv = self.stream.parts
        assert self.stream.pressure is not None
        largest = divergence(
            u, v, pu.opening, pv.opening, self.stream.right, -rate, self.stream.ny, self.stream.nx
        )
        # what an opening within the grid brings is no loss of the closed cell beyond it
        self.stream.right[self.stream.closed] = 0.0
        growing = self.stream.growing(state, swelling_over)
        if growing is not None:
            self.stream.right -= rate * growing
        if self.stream.givers:
            self.stream.right += rate * self.stream.fed
        for pocket in self.stream.pockets:
            level(self.stream.right, *pocket)
        scale = max(self.stream.scale, float(largest), 1e-300)
        floor = 1e-13 * rate * scale
        iterations, norm = self.stream.pressure.solve(
            self.stream.right, q, relative=aim, absolute=floor, most=MOST_ITERATIONS
        )
        short = iterations >= MOST_ITERATIONS and norm > SHORT * max(
            aim * float(np.linalg.norm(self.stream.right)), floor
        )
        if short and not self.relaxing:
            raise StepFailed(
                "pressure",
                "the whole vessel",
                f"after {iterations} iterations mass "
                f"is missing by {norm / rate / scale:.2g} of what flows",
            )
        self.short = short
        grid = self.stream.mesh.grid
        first_x, first_y = (1 if again else 2 for again in grid.repeats)
        correct_x(u, q, pu.moves, 1.0 / rate, first_x, self.stream.ny, self.stream.nx)
        correct_y(v, q, pv.moves, 1.0 / rate, first_y, self.stream.ny, self.stream.nx)
        for part, velocity in ((pu, u), (pv, v)):
            n = part.nodes
            inside = q[n.behind_outlets]
            velocity[n.out_row, n.out_column] += (
                n.out_sign * inside * part.moves[n.out_row, n.out_column] / rate
            )
        raise_pressure(p, q, self.stream.right, rotate, 1.0 / rate, self.stream.ny, self.stream.nx)
        for pocket in self.stream.pockets:
            level(p, *pocket)
            level(q, *pocket)
        for field in (u, v, p, q):
            grid.wrap(field)
        return iterations, norm / rate / scale

    def _agree(
        self,
        state: State,
        rate: float,
        t: float,
        others: tuple[Push, Push],
        aim: float,
        swelling_over: float,
    ) -> int:
        """Solve for velocities and pressure together, where matter turned against the grid makes each
        component feel what pressure does to the other: a projection does not see that. Raises
        StepFailed.
        """
        stream = self.stream
        matter, system = stream.matter, self.system
        assert matter is not None
        u, v, p = (stream.array(state, n) for n in ("u", "v", "p"))
        given = [
            part.right + part.gradient - push
            for part, push in zip(stream.parts, matter.drag.push, strict=True)
        ]
        falls = [0.0 if push.falls is None else push.falls for push in others]
        first, iterations = 0.0, 0
        growing = stream.growing(state, swelling_over)
        for _ in range(MOST_TURNS):
            drag, forces = matter.drag.forces(u, v), []
            for axis, (part, now) in enumerate(zip(stream.parts, (u, v), strict=True)):
                stream.gradient(state, part, axis, t)
                holds = rate * part.mass + part.held + falls[axis]
                flows = neighbours(now, part.link_x, part.link_y)
                force = given[axis] - part.gradient - holds * now + flows - drag[axis]
                forces.append(np.where(part.nodes.unknown, force, 0.0))
            missing = stream.missing(u, v, growing)[0]
            own = matter.drag.freeze(u, v)
            x, y = (own[axis] + falls[axis] for axis in (0, 1))
            system.linearise(u, v, rate, (x, y), carries=False)
            holds_all = [
                part.mass + held / rate
                for part, held in zip(stream.parts, matter.drag.falls, strict=True)
            ]
            fastest = max(float(np.abs(u).max()), float(np.abs(v).max()), 1e-300)
            system.weigh(1.0 / rate, fastest, holds_all)
            right = system.gather(*forces, missing) * system.weights
            size = float(np.linalg.norm(right))
            first = first or size
            if size <= max(TURNED_AIM, TURNED_CHANGE * first):
                break
            found = self._room(right.size).solve(
                system.applied, system.preconditioned, right, TURNED_AIM
            )
            iterations += found.iterations
            system.scatter(found.solution, system.fields)
            for field, more in zip((u, v, p), system.fields, strict=True):
                field += more
                stream.mesh.grid.wrap(field)
            for pocket in stream.pockets:
                level(p, *pocket)
        else:
            raise StepFailed("velocity", "porous matter", "turned axes do not agree in a step")
        system.project(u, v, missing, aim)
        return iterations

    @property
    def system(self) -> NewtonSystem:
        if self._system is None or self._system.parts is not self.stream.parts:
            self._system = NewtonSystem(self.stream)
        return self._system

    def _room(self, size: int) -> Gmres:
        if self.room is None or self.room.basis.shape[1] != size:
            self.room = Gmres(size, MOST_DIRECTIONS)
        return self.room

    def _guess(self, state: State, marching: bool) -> None:
        """Start the correction where the last two point to; a quarter fewer iterations."""
        q, before = self.stream.array(state, "q"), self.stream.array(state, "q_before")
        if marching:
            extrapolate(q, before)
        else:
            before[:] = q
