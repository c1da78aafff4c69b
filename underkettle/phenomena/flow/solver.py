"""Flow at low Mach number: incremental projection, second order in time, on a cut staggered grid.

Where density is one number, or another phenomenon's, volume is what must close; where it is a law
of what is solved, mass is, and the density at both ends of a step enters its continuity.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Carrier,
    Crossing,
    Flows,
    Geometry,
    Inputs,
    Offer,
    Pressure,
    Problem,
    Provides,
    Turbulence,
    Work,
)
from underkettle.engine.contract.streams import cross_edges
from underkettle.engine.marching.state import State
from underkettle.engine.marching.together import AIM, NEAR, Pace, Together
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.mesh.boundary import Pieces
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.projection import (
    level,
)
from underkettle.engine.operators.stencil import roll
from underkettle.phenomena.flow.newton import NewtonSystem
from underkettle.phenomena.flow.stepping import Stepping
from underkettle.phenomena.flow.stirred import Stirred
from underkettle.phenomena.flow.stream import Push, Stream

Array = np.ndarray

HARDLY = 1e-3  # of a cell, that a velocity passes in a step where it hardly counts
FLOWS = ("flow_x", "flow_y", "through")
MASSES = ("mass_x", "mass_y", "mass_through")
FIRST_COURANT = 20.0  # the first pseudo step over the longest explicit one
SLOWEST = 1e-3  # of the speed that pressures could give; below it a stream is at rest
LOOSE = 0.1  # share of the largest flow that may be missing where continuity holds
CLOSES = 1e-5  # share of what does not close yet that may be left in what carries others


class FlowSolver:
    """Solves for velocity (m/s) and pressure (Pa) on one mesh: a stream, and its steps in time."""

    couples = True

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.stream = Stream(problem)
        self.steps = Stepping(self.stream)
        self.residual, self.loose, self.scale, self.speed = 0.0, False, 1.0, 1.0
        self.holds: list[Array] = []  # see `_holding`
        self.closes = True  # whether what carries others does
        self.alone: Together | None = None
        self.stirred = Stirred(self)

    @property
    def mesh(self) -> Mesh:
        return self.stream.mesh

    def start(self, state: State) -> None:
        self.stream.start(state)

    def ready(self, state: State, inputs: Inputs) -> None:
        """Take over density and viscosity as they are at the start."""
        self.stream.ready(state)

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from a stream on another grid; what carries others closes."""
        stream = self.stream
        for own, axis in (("u", 0), ("v", 1), ("p", None)):
            values = kept.fields[stream.names[own]][0]
            here = stream.live if axis is None else stream.parts[axis].nodes.unknown
            array = stream.array(state, own)
            array[here] = handed_over(values, mesh, self.mesh, axis)[here]
            self.mesh.grid.wrap(array)
        stream.edges_set = False
        stream.set_edges(state, state.time)
        u, v = self._velocities(state)
        for aim in (1e-3, CLOSES):
            self.system.project(u, v, self._missing(u, v)[0], aim)
        stream.book(state)
        state.numbers[self.problem.state_name("pseudo_rate")] = NEAR * self.slow(state)
        state.numbers[self.problem.state_name("handed")] = 1.0

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step."""
        self.stream.moved(state, geometry)

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return self.steps.limit(state, inputs)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.steps.advance(state, t0, t1, inputs)

    # ------------------------------------------------------------ steady

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep to the steady state: Newton's, or where that does not help, a first-order step
        of pseudo time.
        """
        key, near, given_up = (
            self.problem.state_name(n) for n in ("pseudo_rate", "left_over", "given_up")
        )
        if self.stream.eddies is not None or inputs.get(Turbulence, FLUID) is not None:
            return self.stirred.sweep(state, inputs)
        if state.numbers.get(given_up) != state.leg:
            pace = Pace(state.numbers.get(key, 0.0), state.numbers.get(near, AIM))
            if self.alone is None or self.alone.state is not state:
                name = self.problem.state_name("").rstrip(".")
                self.alone = Together(state, {name: self}, lambda name: inputs)
            self.alone.inputs = lambda name: inputs
            work = self.alone.step(pace)
            if work is not None:
                state.numbers[key], state.numbers[near] = pace.rate, pace.aim
                work.residuals = {"velocity": self.residual}
                return work
            if not self.stream.swells:
                state.numbers[given_up] = state.leg
            state.numbers[key] = 0.0  # a density that has changed much: Newton's method begins anew
        state.numbers[self.problem.state_name("to")] = -1.0  # no step in time ends here
        return self._pseudo_sweep(state, inputs)

    @property
    def system(self) -> NewtonSystem:
        return self.steps.system

    def _read(self, state: State, inputs: Inputs) -> None:
        """Take over what others offer, and edges."""
        self.stream.meet(inputs, state)
        self.stream.follow(state)
        self.steps.feed(inputs)
        self.stream.set_edges(state, state.time)

    def approach(self, state: State, inputs: Inputs, fresh: bool) -> None:
        state.numbers[self.problem.state_name("to")] = -1.0  # no step in time ends here
        self._read(state, inputs)
        self.stream.tilt(state, state.time)
        u, v = self._velocities(state)
        handed = state.numbers.pop(self.problem.state_name("handed"), 0.0)
        if handed and self.stream.matter is not None and self.stream.matter.sheet is not None:
            self.stream.array(state, "p")[:] = 0.0  # what it jumps by lies elsewhere on this grid
            state.numbers.pop(self.problem.state_name("pseudo_rate"), None)
        self._hold_back(u, v)
        for _ in range(2 if fresh else 0):
            self.system.project(u, v, self._missing(u, v)[0], 1e-3)
        self.stream.book(state)
        self.closes = False
        self.turned = self._leaving(u, v)

    def _velocities(self, state: State) -> tuple[Array, Array]:
        return self.stream.array(state, "u"), self.stream.array(state, "v")

    def first_rate(self, state: State) -> float:
        return 1.0 / (FIRST_COURANT * self.steps.longest(state)[0])

    def slow(self, state: State) -> float:
        return 1.0 / self._span(*self._velocities(state))

    def linearise(self, state: State, inputs: Inputs, rate: float) -> None:
        self._read(state, inputs)
        u, v = self._velocities(state)
        self.system.linearise(u, v, rate, self._held(u, v, self.stream.pushed(inputs)))
        p = self.stream.array(state, "p")
        still = max(self._fastest(u, v), SLOWEST * self._driven(p))
        self.holds = self._holding(self._span(u, v))
        self.scale = self._span(u, v) / still
        # from rest, what the forces would make of it counts
        pushed = self._imbalance(self._unbalanced(state, self.stream.pushed(inputs)))
        grid = self.mesh.grid
        across = float(np.hypot(grid.x[-1] - grid.x[0], grid.y[-1] - grid.y[0]))
        self.speed = max(
            still,
            SLOWEST * float(np.sqrt(pushed * across)),
            across / max(self._shear_time(), 1e-300),
        )
        self.system.weigh(self._span(u, v), self.speed, self.holds)

    def imbalance(self, state: State, inputs: Inputs) -> Array:
        self._read(state, inputs)
        u, v = self._velocities(state)
        forces = self._unbalanced(state, self.stream.pushed(inputs))
        missing, self.loose = self._missing(u, v)
        self.residual = self._imbalance(forces) * self.scale
        return self.system.gather(*forces, missing) * self.system.weights

    def apply(self, change: Array) -> Array:
        return self.system.applied(change)

    def precondition(self, left: Array) -> Array:
        return self.system.preconditioned(left)

    def change(self, state: State, by: Array, part: float) -> None:
        stream = self.stream
        self.system.scatter(by, self.system.fields)
        for name, more in zip(("u", "v", "p"), self.system.fields, strict=True):
            array = stream.array(state, name)
            array += part * more
        for pocket in stream.pockets:
            level(stream.array(state, "p"), *pocket)
        for name in ("u", "v", "p"):
            self.mesh.grid.wrap(stream.array(state, name))
        stream.book(state)
        self.closes = False

    def reach(self, by: Array) -> float:
        return float(np.abs(by[: self.system.ends[1]]).max(initial=0.0)) / self.speed

    def arrived(self, state: State, inputs: Inputs) -> str:
        """What carries others is made to close, a share of what does not yet at a time."""
        u, v = self._velocities(state)
        state.numbers[self.problem.state_name("dt")] = 0.0
        closing = u.copy(), v.copy()
        self.system.project(*closing, self._missing(u, v)[0], CLOSES)
        self.stream.book(state, closing)
        self.closes = True
        self.stream.check(state)
        if self.loose:
            return "continuity does not hold yet"
        if (self.turned != self._leaving(u, v)).any():
            return "the stream has turned round at an outlet"
        return ""

    def conclude(self, state: State, inputs: Inputs) -> None:
        """What carries others closes since the last step."""

    def _missing(self, u: Array, v: Array) -> tuple[Array, bool]:
        """Inflow that cells lack, of what must close, and whether it is more than a share of what
        flows: until continuity holds, forces say little, since the impulse that makes it hold is
        a force, too.
        """
        stream = self.stream
        missing, largest = stream.missing(u, v)
        worst = float(np.abs(missing).max())
        return missing, worst > LOOSE * max(largest, stream.scale)

    def _held(self, u: Array, v: Array, pushed: tuple[Push, Push]) -> tuple[Array, Array]:
        """What holds each velocity beside viscosity (N s/m)."""
        x, y = self._stiff(u, v)
        for held, push in zip((x, y), pushed, strict=True):
            if push.falls is not None:
                held += push.falls
        if self.stream.matter is not None:
            own = self.stream.matter.drag.freeze(u, v)
            x, y = x + own[0], y + own[1]
        return x, y

    def _holding(self, span: float) -> list[Array]:
        """What holds each velocity over a time (s), as mass (kg): its own, and what matter takes from
        it meanwhile.
        """
        matter, parts = self.stream.matter, self.stream.parts
        if matter is None:
            return [part.mass for part in parts]
        return [
            part.mass + span * held for part, held in zip(parts, matter.drag.falls, strict=True)
        ]

    def _hold_back(self, u: Array, v: Array) -> None:
        """Let missing flow seek its way round what porous matter holds back."""
        matter = self.stream.matter
        if matter is not None:
            matter.drag.look(u, v)
            self.stream.hold(1.0 / self._span(u, v), matter.drag.falls)

    def _leaving(self, u: Array, v: Array) -> Array:
        """Which outlet faces the stream leaves through."""
        return np.concatenate(
            [
                part.nodes.out_sign * velocity[part.nodes.out_row, part.nodes.out_column] > 0
                for part, velocity in zip(self.stream.parts, (u, v), strict=True)
            ]
        )

    def _stiff(self, u: Array, v: Array) -> tuple[Array, Array]:
        """What entering against still surroundings adds to both diagonals (N s/m)."""
        stiff = np.zeros(u.shape), np.zeros(v.shape)
        for part, velocity, more in zip(self.stream.parts, (u, v), stiff, strict=True):
            more[part.nodes.out_row, part.nodes.out_column] = self.stream.entering(part, velocity)[
                1
            ]
        return stiff

    def _unbalanced(
        self, state: State, pushed: tuple[Push, Push] = (Push(), Push())
    ) -> tuple[Array, Array]:
        """Force (N) on every velocity of both components that nothing balances yet.

        pushed : by what others offer.
        """
        own = self.stream.own_forces(state)
        velocities = self.stream.array(state, "u"), self.stream.array(state, "v")
        matter = self.stream.matter
        held_back = None if matter is None else matter.drag.forces(*velocities)
        self.stream.carry(*velocities)
        forces = []
        for axis, (part, now) in enumerate(zip(self.stream.parts, velocities, strict=True)):
            self.stream.gradient(state, part, axis, state.time)
            force = (
                part.pull
                - part.mass * part.carried
                - part.gradient
                - part.held * now
                + neighbours(now, part.link_x, part.link_y)
            )
            if pushed[axis].force is not None:
                force += pushed[axis].force
            falls = pushed[axis].falls
            if falls is not None:
                force -= falls * now
            if own is not None:
                force += own[axis]
            if held_back is not None:
                force -= held_back[axis]
            forces.append(np.where(part.nodes.unknown, force, 0.0))
        return forces[0], forces[1]

    def _imbalance(self, forces: tuple[Array, Array]) -> float:
        """The largest acceleration (m/s2) that the forces still ask for."""
        worst = 0.0
        for force, part, held in zip(forces, self.stream.parts, self.holds, strict=True):
            on = part.nodes.unknown
            worst = max(worst, float((np.abs(force[on]) / held[on]).max(initial=0.0)))
        return worst

    def _fastest(self, u: Array, v: Array) -> float:
        return max(float(np.abs(u).max()), float(np.abs(v).max()), 1e-300)

    def _driven(self, p: Array) -> float:
        """The speed (m/s) that the pressures in the vessel could give."""
        lightest = float(self.stream.now_density[self.stream.live].min())
        pushes = np.ptp(p[self.stream.live])
        matter, speed = self.stream.matter, float(np.sqrt(pushes / lightest))
        if matter is None:
            return speed
        least = min(
            float((held[on] / part.nodes.volume[on]).min(initial=np.inf))
            for held, part in zip(matter.drag.falls, self.stream.parts, strict=True)
            for on in (part.nodes.unknown,)
        )
        return min(speed, pushes / (least * self._shorter_side())) if least > 0 else speed

    def _span(self, u: Array, v: Array) -> float:
        """The time (s) within which a velocity that matters would show."""
        return min(self._passing_time(self._fastest(u, v)), self._shear_time())

    def _pseudo_sweep(self, state: State, inputs: Inputs) -> Work:
        dt = self._pseudo_step(state, inputs)
        old = [self.stream.array(state, n).copy() for n in ("u", "v")]
        self.steps.relaxing = True
        work = self.steps.step(
            state,
            state.time,
            dt,
            0.0,
            inputs,
            max(self.stream.aim_step, 1e-6),
            self.stream.pressure_answer,
        )
        self.steps.relaxing = False
        work.way = "pseudo time"
        if self.steps.short:
            work.note = "the pressure solve stopped at its limit"
        state.numbers[self.problem.state_name("dt")] = 0.0
        u, v = self.stream.array(state, "u"), self.stream.array(state, "v")
        change = max(float(np.abs(u - old[0]).max()), float(np.abs(v - old[1]).max()))
        work.residuals["velocity"] = change / self._fastest(u, v) * self._span(u, v) / dt
        return work

    def _pseudo_step(self, state: State, inputs: Inputs) -> float:
        dt, _ = self.steps.limit(state, inputs)
        h = self.mesh.grid.finest
        share = h / self._shorter_side()
        return min(1.5 * dt, max(0.05, 4 * share * share) * self._shear_time())

    def _shorter_side(self) -> float:
        grid = self.mesh.grid
        return min(float(grid.x[-1] - grid.x[0]), float(grid.y[-1] - grid.y[0]))

    def _shear_time(self) -> float:
        """How long shear takes to cross the vessel's shorter side (s)."""
        part = self.stream.parts[0]
        density = float(part.mass.sum()) / max(float(part.nodes.volume.sum()), 1e-300)
        return self._shorter_side() ** 2 * density / float(self.stream.now_viscosity.max())

    def _passing_time(self, fastest: float) -> float:
        """A time scale of the vessel (s): its size over its fastest stream."""
        grid = self.mesh.grid
        return float(np.hypot(grid.x[-1] - grid.x[0], grid.y[-1] - grid.y[0])) / fastest

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        def field(name: str) -> Array:
            return state.fields[self.stream.names[name]]

        if what.kind is Pressure:
            return Pressure(field("p"))
        volume = Flows(*(field(n) for n in FLOWS))
        fed = np.asarray(sum(self.stream.givers.values()))[None] if self.stream.givers else None
        unclosed = None if self.closes else -self._missing(*self._velocities(state))[0][None]
        density, viscosity = self.stream.medium
        carrier = Carrier(
            volume,
            field("u"),
            field("v"),
            self.stream.fraction,
            fed=fed,
            unclosed=unclosed,
            density=density[None],
            viscosity=viscosity[None],
            walls=self.stream.wall_speeds(state.time),
            damped=state.numbers.get(self.problem.state_name("share"), 0.0),
        )
        if self.stream.swells:
            return replace(
                carrier,
                mass=Flows(*(field(n) for n in MASSES)),
                density_before=field("density_before"),
            )
        begun, ended = (state.numbers.get(self.problem.state_name(n)) for n in ("from", "to"))
        return replace(
            carrier,
            before=Flows(*(field(f"{n}_before") for n in FLOWS)),
            span=None if begun is None or ended is None else (begun, ended),
        )

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        span = t1 - t0 if t1 > t0 else 1.0
        unit = "kg" if t1 > t0 else "kg/s"
        budget = Budget(unit, label="Mass")
        whole = self.problem.whole
        through = (
            self.stream.array(state, "mass_through")
            if self.stream.swells
            else self.stream.passed.through
            if self.stream.passed is not None
            else self.stream.array(state, "through") * self._density_at(whole.pieces)
        )
        cross_edges(budget, whole, span * through)
        for giver, mass in self.stream.givers.items():
            budget.give(giver, span * float(mass.sum()))
        growing = self.stream.growing(state, t1 - t0)
        if growing is not None:
            density = 1.0 if self.stream.swells else self.stream.now_density
            budget.stored = float((density * growing)[self.stream.live].sum()) * (t1 - t0)
            budget.held = float(
                (self.stream.now_density * self.mesh.volume[0])[self.stream.live].sum()
            )
            budget.began = budget.held - budget.stored
        if self.stream.offered and t1 > t0:
            held = self.problem.state_name("held")
            budget.held = state.numbers[held]
            budget.began = state.numbers[f"{held}_before"]
            budget.stored = budget.held - budget.began
        return {"mass": budget}

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """Mass through faces (kg/s) and what openings give."""
        pieces = self.problem.whole.pieces
        x, y, through = (
            self.stream.array(state, n).copy()
            for n in (
                ("mass_x", "mass_y", "mass_through")
                if self.stream.swells
                else ("flow_x", "flow_y", "through")
            )
        )
        if not self.stream.swells:
            density = self.stream.now_density
            x *= np.where(x > 0, roll(density, 1, 1), density)
            y *= np.where(y > 0, roll(density, 1, 0), density)
            through *= self._density_at(pieces)
        self.steps.feed(inputs)
        gained = np.zeros(x.shape)
        np.add.at(gained, (pieces.j, pieces.i), -through)
        for mass in self.stream.givers.values():
            gained += mass
        return Crossing(x, y, gained)

    def _density_at(self, pieces: Pieces) -> Array:
        """Density (kg/m3) of the cells next to pieces of the outline."""
        return np.asarray(self.stream.now_density[pieces.j, pieces.i])

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """Force per volume (N/m3) along x on x faces: inertia is what the others leave."""
        u = self.stream.array(state, "u")
        self.stream.meet(inputs, state)
        if self.stream.follows:
            self.stream.set_medium(*self.stream.medium_of(state), pressure_too=False)
        self.stream.edges_set = False
        self.stream.set_edges(state, state.time)
        self.stream.carry(u, self.stream.array(state, "v"))
        part = self.stream.parts[0]
        self.stream.gradient(state, part, 0, state.time)
        n = part.nodes
        volume = np.where(n.unknown, n.volume, 1.0)
        held = neighbours(u, part.link_x, part.link_y) + part.pull - part.held * u
        on = n.unknown
        stress, weight = self.stream.stress(state), self.stream.weight(state)
        if stress is not None:
            held = held + stress[0]
        terms = {
            "convection": np.where(on, -part.mass * part.carried / volume, 0.0),
            "pressure": np.where(on, -part.gradient / volume, 0.0),
            "viscosity": np.where(on, held / volume, 0.0),
            "weight": np.where(on, (0.0 if weight is None else weight[0]) / volume, 0.0),
        }
        matter = self.stream.matter
        drag = 0.0 if matter is None else matter.drag.forces(u, self.stream.array(state, "v"))[0]
        terms["matter"] = np.where(on, -drag / volume, 0.0)
        terms["residual"] = self._unbalanced(state)[0] / volume
        return {name: array[None] for name, array in terms.items()}

    @property
    def vectors(self) -> tuple[tuple[str, ...], ...]:
        """Arrays that are parts of one vector."""
        return (tuple(self.stream.names[n] for n in ("u", "v")),)

    def faint(self, dt: float) -> dict[str, float]:
        """Velocities (m/s) that move hardly anything in a step (s), by array."""
        slow = HARDLY * self.mesh.grid.finest / dt
        return {self.stream.names[n]: slow for n in ("u", "v")}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.stream.names[n]: (-1e6, 1e6) for n in ("u", "v")}
