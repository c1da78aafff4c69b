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
    Medium,
    Offer,
    Pressure,
    Problem,
    Provides,
    Source,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.boundary import Pieces
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.projection import (
    divergence,
    level,
)
from underkettle.engine.operators.stencil import roll
from underkettle.phenomena.flow.newton import NewtonSystem
from underkettle.phenomena.flow.stepping import Stepping
from underkettle.phenomena.flow.stream import Push, Stream

Array = np.ndarray

FLOWS = ("flow_x", "flow_y", "through")
MASSES = ("mass_x", "mass_y", "mass_through")
NEWTON_TRIES = 6
FIRST_COURANT = 20.0  # the first pseudo step over the longest explicit one
ALLOWED_RISE = 3.0  # of the residual in one Newton step
SLOWEST = 1e-3  # of the speed that pressures could give; below it a stream is at rest
LOOSE = 0.1  # share of the largest flow that may be missing where continuity holds
EAGER = 0.5  # the pseudo step doubles while the residual only stays what it is
SLOWEST_GROWTH = 0.05  # the pseudo step grows at most twentyfold per step


class FlowSolver:
    """Solves for velocity (m/s) and pressure (Pa) on one mesh: a stream, and its steps in time."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.stream = Stream(problem)
        self.steps = Stepping(self.stream)

    @property
    def mesh(self) -> Mesh:
        return self.stream.mesh

    def start(self, state: State) -> None:
        self.stream.start(state)

    def ready(self, state: State) -> None:
        """Take over density and viscosity as they are at the start."""
        self.stream.ready(state)

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step."""
        self.stream.moved(state, geometry)

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return self.steps.limit(state, inputs)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.steps.advance(state, t0, t1, inputs)

    # ------------------------------------------------------------ steady

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep to the steady state: Newton's where the flow stands alone and the system is
        small enough to factor, else a first-order step of pseudo time.
        """
        state.numbers[self.problem.state_name("to")] = -1.0  # no step in time ends here
        pushed = self.stream.pushed(inputs)
        fed = any(inputs.each(Source, name) for name in self.problem.called("mass"))
        alone = not fed and inputs.get(Medium, FLUID) is None
        alone = alone and all(push.falls is None for push in pushed)
        self.stream.follow(state)
        given_up = self.problem.state_name("given_up")  # until the next stage or value
        here = 1.0 + state.stage + 1e-3 * state.series_index
        if alone and self.stream.factorable and state.numbers.get(given_up) != here:
            work = self._newton_sweep(state, inputs)
            if work is not None:
                return work
            state.numbers[given_up] = here
        return self._pseudo_sweep(state, inputs)

    def _newton_sweep(self, state: State, inputs: Inputs) -> Work | None:
        """One Newton step; the pseudo step grows as the residual falls and shrinks if it rises.
        None, and nothing changed, where no step helps.
        """
        u, v, p = (self.stream.array(state, n) for n in ("u", "v", "p"))
        self.stream.set_edges(state, state.time)
        self.stream.tilt(state, state.time)
        if self.stream.newton is None:
            self.stream.newton = NewtonSystem(self.stream.parts, self.mesh, self._convection_forces)
        pushed = self.stream.pushed(inputs)
        key, system = self.problem.state_name("pseudo_rate"), self.stream.newton
        first = 1.0 / (FIRST_COURANT * self.steps.limit(state, inputs)[0])
        rate = state.numbers.get(key) or first
        unbalanced = self._unbalanced(state, pushed)
        before = self._imbalance(unbalanced)
        right = np.zeros(self.stream.live.shape)
        largest = divergence(
            u,
            v,
            self.stream.parts[0].opening,
            self.stream.parts[1].opening,
            right,
            -1.0,
            self.stream.ny,
            self.stream.nx,
        )
        # until continuity holds, forces say little: the impulse that makes it hold is a force, too
        loose = float(np.abs(right).max()) > LOOSE * max(float(largest), self.stream.scale)
        for cell in system.pinned:
            right.ravel()[cell] = 0.0
        forces = system.gather(*unbalanced, right)
        kept = u.copy(), v.copy(), p.copy()
        turned, cut = self._leaving(u, v), 0
        for _ in range(NEWTON_TRIES):
            try:
                change = system.solve(system.jacobian(u, v, rate, self._stiff(u, v)), forces)
            except RuntimeError:  # singular
                return None
            system.scatter(change, u, v, p)
            after = self._imbalance(self._unbalanced(state, pushed))
            if loose or after <= ALLOWED_RISE * before or before == 0.0:
                break
            u[:], v[:], p[:] = kept
            rate, cut = max(8.0 * rate, first), cut + 1
        else:
            return None
        for pocket in self.stream.pockets:
            level(p, *pocket)
            self.mesh.grid.wrap(p)
        growth = 1.0 / EAGER if loose else (after / before if before > 0 else 0.0)
        state.numbers[key] = rate * float(np.clip(EAGER * growth, SLOWEST_GROWTH, 2.0))
        state.numbers[self.problem.state_name("dt")] = 0.0
        self.stream.book(state)
        self.stream.check(state)
        scale = self._span(u, v) / max(self._fastest(u, v), SLOWEST * self._driven(p))
        note = (
            "continuity does not hold yet"
            if loose
            else (
                "the stream has turned round at an outlet"
                if (turned != self._leaving(u, v)).any()
                else f"the pseudo step was cut back {cut} times"
                if cut
                else ""
            )
        )
        return Work(
            1,
            whole=True,
            residuals={"velocity": after * scale},
            before=before * scale,
            note=note,
            way="Newton's method",
        )

    def _leaving(self, u: Array, v: Array) -> Array:
        """Which outlet faces the stream leaves through."""
        return np.concatenate(
            [
                part.nodes.out_sign * velocity[part.nodes.out_row, part.nodes.out_column] > 0
                for part, velocity in zip(self.stream.parts, (u, v), strict=True)
            ]
        )

    def _convection_forces(self, u: Array, v: Array) -> tuple[Array, Array]:
        self.stream.carry(u, v)
        pu, pv = self.stream.parts
        return pu.mass * pu.carried, pv.mass * pv.carried

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
            forces.append(np.where(part.nodes.unknown, force, 0.0))
        return forces[0], forces[1]

    def _imbalance(self, forces: tuple[Array, Array]) -> float:
        """The largest acceleration (m/s2) that the forces still ask for."""
        worst = 0.0
        for force, part in zip(forces, self.stream.parts, strict=True):
            on = part.nodes.unknown
            worst = max(worst, float((np.abs(force[on]) / part.mass[on]).max(initial=0.0)))
        return worst

    def _fastest(self, u: Array, v: Array) -> float:
        return max(float(np.abs(u).max()), float(np.abs(v).max()), 1e-300)

    def _driven(self, p: Array) -> float:
        """The speed (m/s) that the pressures in the vessel could give."""
        lightest = float(self.stream.now_density[self.stream.live].min())
        return float(np.sqrt(np.ptp(p[self.stream.live]) / lightest))

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
        h = min(float(np.diff(self.mesh.grid.x).min()), float(np.diff(self.mesh.grid.y).min()))
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
        carrier = Carrier(volume, field("u"), field("v"), self.stream.fraction, fed=fed)
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
            else self.stream.array(state, "through") * self._density_at(whole.pieces)
        )
        for k, edge in enumerate(whole.edges):
            total = float(through[whole.pieces.of(k)].sum())
            if total != 0.0:
                budget.cross(edge, total * span)
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
        terms["residual"] = self._unbalanced(state)[0] / volume
        return {name: array[None] for name, array in terms.items()}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.stream.names[n]: (-1e6, 1e6) for n in ("u", "v")}
