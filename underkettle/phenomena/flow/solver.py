"""Flow at low Mach number: incremental projection, second order in time, on a cut staggered grid.

Where density is one number, or another phenomenon's, volume is what must close; where it is a law
of what is solved, mass is, and the density at both ends of a step enters its continuity.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Budget, Inputs, Problem, StepFailed, Work
from underkettle.engine.linear import Multigrid
from underkettle.engine.marching.state import State
from underkettle.engine.operators.convection import (
    carry_u,
    carry_u_out,
    carry_v,
    carry_v_out,
    courant_rate,
)
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.projection import (
    correct_x,
    correct_y,
    divergence,
    extrapolate,
    level,
    momentum_right,
    pressure_force_x,
    pressure_force_y,
    raise_pressure,
)
from underkettle.engine.operators.velocity import EdgeRole, velocity_nodes
from underkettle.phenomena.flow.declaration import MEDIUM, follows
from underkettle.phenomena.flow.inflow import inflow_speed
from underkettle.phenomena.flow.momentum import Component, turned_stress
from underkettle.phenomena.flow.newton import NewtonSystem, factorable

Array = np.ndarray

ROLES = {"wall": "wall", "moving wall": "wall", "slip wall": "slip", "symmetry": "slip",
         "inflow": "in", "drawn off": "in", "outflow": "out", "open edge": "out",
         "total pressure": "out"}
COURANT = 0.45
NEWTON_TRIES = 6
FIRST_COURANT = 20.0  # the first pseudo step over the longest explicit one
ALLOWED_RISE = 3.0  # of the residual in one Newton step
SLOWEST = 1e-3  # of the speed that pressures could give; below it a stream is at rest
LOOSE = 0.1  # share of the largest flow that may be missing where continuity holds
EAGER = 0.5  # the pseudo step doubles while the residual only stays what it is
SLOWEST_GROWTH = 0.05  # the pseudo step grows at most twentyfold per step
VISCOUS_AIM = 1e-3  # of the change in one step
STRONGEST = 100.0  # bound on how much more strongly a cut cell's pressure is corrected
ARRAYS = ("u", "v", "p", "u_before", "v_before", "carried_u", "carried_v", "q", "q_before",
          "flow_x", "flow_y")
SWELLING = ("density_before", "mass_x", "mass_y")


class FlowSolver:
    """Solves for velocity (m/s) and pressure (Pa) on one mesh."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        grid = self.mesh.grid
        self.ny, self.nx = grid.ny, grid.nx
        self.conditions = dict(problem.edge_conditions())
        settings = problem.settings()
        self.laws = {name: settings[name] for name in MEDIUM}
        self.reads = frozenset().union(*(law.reads for law in self.laws.values()))
        self.follows = [name for name in MEDIUM if follows(self.laws[name])]
        self.swells = "density" in self.follows
        self.aim_step = float(settings["pressure_aim"])
        roles = {edge: EdgeRole(ROLES[given.kind]) for edge, given in self.conditions.items()}
        self.parts = [Component(self.mesh, velocity_nodes(self.mesh, axis, roles))
                      for axis in (0, 1)]
        self.live = self.mesh.live[0]
        shape = self.live.shape
        self.right = np.zeros(shape)
        self.face_x, self.face_y = np.zeros(shape), np.zeros(shape)
        self.ax, self.ay, self.d = np.zeros(shape), np.zeros(shape), np.zeros(shape)
        self.full = self.mesh.full_volume[0]
        self.half = np.maximum(self.mesh.volume[0], 0.5 * self.full)
        self.timeless = all(getattr(value, "steady", True) for given in self.conditions.values()
                            for value in given.values.values())
        self._edges_set, self._given_rate = False, -1.0
        self.in_whole = self.mesh.matching(problem.whole)
        self.pressure: Multigrid | None = None
        self.newton: NewtonSystem | None = None
        self.factorable = factorable(self.mesh)
        # laws are followed from the first step on; until then anything will do
        first = [np.full(shape, 1.0 if name in self.follows else self.laws[name].at())
                 for name in MEDIUM]
        self._set_medium(first[0], first[1])
        self.label = self.mesh.pocket[0]
        self.pockets = self._closed_pockets()
        arrays = (*ARRAYS, "through", *self.follows,
                  *((*SWELLING, "mass_through") if self.swells else ()))
        self.names = {array: problem.state_name(array) for array in arrays}
        self._scale = 0.0

    # ------------------------------------------------------------ set-up

    def _set_medium(self, density: Array, viscosity: Array, pressure_too: bool = True) -> None:
        self._edges_set = False
        for part in self.parts:
            part.set_medium(density, viscosity, self.swells)
        self.now_density, self.now_viscosity = density, viscosity
        if pressure_too:
            self._set_pressure()
        self._rotate = self._pressure_answer()
        if self.newton is not None:
            self.newton.refresh()

    def _set_pressure(self) -> None:
        """The pressure operator. Where mass is what must close, density drops out of it."""
        u, v = self.parts
        for part, a in ((u, self.ax), (v, self.ay)):
            on = part.nodes.inner > 0
            a[:] = np.where(on, part.opening * part.mobility, 0.0)
        self.d[:] = 0.0
        for part, a in ((u, self.ax), (v, self.ay)):
            n = part.nodes
            last = self.nx + 1 if n.axis == 0 else self.ny + 1
            for j, i, sign in zip(n.out_row, n.out_column, n.out_sign, strict=True):
                factor = part.opening[j, i] * part.mobility[j, i]
                if (i if n.axis == 0 else j) in (1, last):
                    a[j, i] = factor  # the ghost behind the rim holds zero
                else:
                    back = 1 if sign > 0 else 0
                    self.d[j - back * n.axis, i - back * (1 - n.axis)] += factor
        if self.pressure is None:
            self.pressure = Multigrid(self.ax, self.ay, self.d)
        else:
            self.pressure.set_up()

    def _follow(self, state: State) -> None:
        """Take over density and viscosity as they are now, where laws say."""
        if not self.follows:
            return
        known = self.problem.known(state, self.reads)
        x, y = self.mesh.cell_centres()
        for name in self.follows:
            kept = self._array(state, name)
            value = self.laws[name].at(x=x[0], y=y[0], t=state.time, known=known)
            if name == "density":
                self._array(state, "density_before")[:] = kept if self._began(state) else value
            kept[:] = value
            if not (np.isfinite(kept).all() and (kept > 0).all()):
                j, i = np.argwhere(~(kept > 0) | ~np.isfinite(kept))[0]
                raise StepFailed(name, self._place(j, i), f"the law gives {kept[j, i]:.4g}")
        values = [self._array(state, name) if name in self.follows
                  else np.full(self.live.shape, self.laws[name].at()) for name in MEDIUM]
        self._set_medium(values[0], values[1], pressure_too=False)

    def _began(self, state: State) -> bool:
        """Whether the density at the start has been taken over; from now on it has."""
        key = self.problem.state_name("followed")
        began = key in state.numbers
        state.numbers[key] = 1.0
        return began

    def _place(self, j: int, i: int) -> str:
        x = self.mesh.grid.centres(0)[min(i, self.nx + 2)]
        y = self.mesh.grid.centres(1)[min(j, self.ny + 2)]
        return f"x {x:.4g} m, y {y:.4g} m"

    def _stress(self, state: State) -> tuple[Array, Array] | None:
        """Forces (N) of shear that vary with viscosity; None where it is one number."""
        if "viscosity" not in self.follows:
            return None
        swell: Array | float = 0.0
        if self.swells:
            swell = np.zeros(self.live.shape)
            u, v = self.parts
            divergence(self._array(state, "u"), self._array(state, "v"), u.nodes.area,
                       v.nodes.area, swell, 1.0, self.ny, self.nx)
            swell = np.where(self.live, swell / self.full, 0.0)
        force = turned_stress(self._array(state, "u"), self._array(state, "v"),
                              self.now_viscosity, self.mesh.grid, swell)
        return (force[0] * self.parts[0].nodes.volume, force[1] * self.parts[1].nodes.volume)

    def _pressure_answer(self) -> Array:
        """Pressure (Pa) that undoes a net outflow of 1 m3/s of a cell when shear rules.

        In an uncut cell it is viscosity over volume. A cut cell answers more weakly to its own
        pressure, in proportion to open area squared over what holds its velocities; without
        this share a steady creeping flow takes ten times as many sweeps.
        """
        answer = np.zeros(self.live.shape)
        for part in self.parts:
            n = part.nodes
            turn = 1 - n.axis
            hold = (part.held + part.link_x + np.roll(part.link_x, -1, 1)
                    + part.link_y + np.roll(part.link_y, -1, 0))
            share = np.where(n.active & (hold > 0), n.area * n.side / np.where(hold > 0, hold, 1),
                             0.0)
            answer += share + np.roll(share, -1, turn)
        plain = self.now_viscosity / self.full
        if self.swells:
            plain = plain / self.now_density
        self._plain = plain
        weak = np.divide(1.0, answer * plain, out=np.ones(answer.shape),
                         where=self.live & (answer > 0))
        typical = float(np.median(weak[self.live]))
        return plain * np.clip(weak / typical, 1.0, STRONGEST)

    def _closed_pockets(self) -> list[int]:
        """Labels of the pockets whose pressure level no edge fixes."""
        label = self.label
        fixed = set()
        for part in self.parts:
            n = part.nodes
            back = (n.out_sign > 0).astype(int)
            j, i = n.out_row - back * n.axis, n.out_column - back * (1 - n.axis)
            fixed.update(np.unique(label[j, i]).tolist())
        return [k for k in range(1, int(label.max()) + 1) if k not in fixed]

    def start(self, state: State) -> None:
        shape, pieces = self.mesh.shape, self.problem.whole.pieces.j.size
        for own in self.names:
            passing = own in ("through", "mass_through")
            state.fields[self.names[own]] = np.zeros(pieces if passing else shape)
        for own in self.follows:
            state.fields[self.names[own]][:] = 1.0
        starts = self.problem.start_conditions()
        x, y = self.mesh.cell_centres()
        for zone, given in starts.items():
            inside = self.mesh.zone_cells(zone)[0]
            for speed, part in (("x_speed", self.parts[0]), ("y_speed", self.parts[1])):
                if given.has(speed):
                    array = self._array(state, "u" if part.nodes.axis == 0 else "v")
                    value = np.broadcast_to(given.values[speed].at(x=x, y=y, t=state.time),
                                            shape)[0]
                    array[inside & part.nodes.active] = value[inside & part.nodes.active]
        state.numbers[self.problem.state_name("dt")] = 0.0
        self._edges_set = False
        self._set_edges(state, state.time)
        self._book(state)

    def _array(self, state: State, name: str) -> Array:
        array = state.fields[self.names[name]]
        return array[0] if array.ndim == 3 else array

    # ------------------------------------------------------------ edges

    def _set_edges(self, state: State, t: float) -> None:
        """Write the given inflow velocities of time t and the walls' pull."""
        if self._edges_set and self.timeless:
            return
        self._edges_set = True
        total = 0.0
        for part, name in zip(self.parts, ("u", "v"), strict=True):
            velocity = self._array(state, name)
            n = part.nodes
            if n.in_row.size:
                inward = self._inflow_speed(n.in_piece, t)
                velocity[n.in_row, n.in_column] = -n.in_sign * inward
                total += float(np.abs(inward * part.opening[n.in_row, n.in_column]).sum())
            part.set_walls(self.conditions, velocity, t)
        self._scale = total

    def _inflow_speed(self, piece: Array, t: float) -> Array:
        """Speed into the vessel (m/s) at boundary pieces."""
        pieces = self.mesh.pieces
        speed = np.zeros(piece.size)
        for edge in np.unique(pieces.edge[piece]):
            name = self.mesh.edges[edge]
            rows = pieces.of(int(edge))
            mine = pieces.edge[piece] == edge
            area = pieces.area[rows]
            density = self.now_density[pieces.j[rows], pieces.i[rows]]
            speed[mine] = inflow_speed(
                self.conditions[name], pieces, rows, piece[mine], self.mesh.grid.round,
                float((density * area).sum() / area.sum()), t)
        return speed

    def _outside_pressure(self, part: Component, velocity: Array, t: float) -> Array:
        """Pressure (Pa) behind every outlet face; what enters from still surroundings has paid
        for its speed.
        """
        pieces, n = self.mesh.pieces, part.nodes
        values = np.zeros(n.out_row.size)
        for k, piece in enumerate(n.out_piece):
            given = self.conditions[self.mesh.edges[pieces.edge[piece]]]
            values[k] = float(np.asarray(
                given.values["pressure"].at(x=pieces.x[piece], y=pieces.y[piece], t=t)))
        return values - 0.5 * self._entering(part, velocity)[0]

    def _entering(self, part: Component, velocity: Array) -> tuple[Array, Array]:
        """Density x speed squared (Pa) of what enters from still surroundings through each outlet
        face, and what that adds to the face's stiffness (N s/m); 0 elsewhere.
        """
        n, pieces = part.nodes, self.mesh.pieces
        at = n.out_row, n.out_column
        still = np.array([self.conditions[self.mesh.edges[e]].kind == "total pressure"
                          for e in pieces.edge[n.out_piece]], bool)
        inward = np.where(still, np.maximum(-n.out_sign * velocity[at], 0.0), 0.0)
        back = (n.out_sign > 0).astype(np.int64)
        density = self.now_density[n.out_row - back * n.axis, n.out_column - back * (1 - n.axis)]
        return density * inward**2, density * inward * n.side[at]

    # ------------------------------------------------------------ steps

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        if self.swells and self.problem.state_name("followed") not in state.numbers:
            self._follow(state)
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
                    speed = given.values[name].at(x=pieces.x[rows], y=pieces.y[rows], t=t)
                    worst = max(worst, float(np.abs(speed).max()) / h)
        for part in self.parts:
            n = part.nodes
            if n.in_row.size:
                across = (grid.widths(0)[n.in_column] if n.axis == 0
                          else grid.widths(1)[n.in_row])
                speed = np.abs(self._inflow_speed(n.in_piece, t))
                worst = max(worst, float((speed / across).max()))
        return worst

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        key = self.problem.state_name("dt")
        before = state.numbers[key]
        self._follow(state)
        work = self._step(state, t0, t1 - t0, before, inputs, self.aim_step, self._plain,
                          t1 - t0)
        state.numbers[key] = t1 - t0
        return work

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep to the steady state: Newton's where the flow stands alone and the system is
        small enough to factor, else a first-order step of pseudo time.
        """
        alone = all(inputs.get(c) is None for c in ("medium", "source:momentum"))
        self._follow(state)
        given_up = self.problem.state_name("given_up")  # until the next stage or value
        here = 1.0 + state.stage + 1e-3 * state.series_index
        if alone and self.factorable and state.numbers.get(given_up) != here:
            work = self._newton_sweep(state, inputs)
            if work is not None:
                return work
            state.numbers[given_up] = here
        return self._pseudo_sweep(state, inputs)

    def _newton_sweep(self, state: State, inputs: Inputs) -> Work | None:
        """One Newton step; the pseudo step grows as the residual falls and shrinks if it rises.
        None, and nothing changed, where no step helps.
        """
        u, v, p = (self._array(state, n) for n in ("u", "v", "p"))
        self._set_edges(state, state.time)
        if self.newton is None:
            self.newton = NewtonSystem(self.parts, self.live, self._convection_forces)
        force = inputs.get("force")
        key, system = self.problem.state_name("pseudo_rate"), self.newton
        first = 1.0 / (FIRST_COURANT * self.limit(state, inputs)[0])
        rate = state.numbers.get(key) or first
        unbalanced = self._unbalanced(state, force)
        before = self._imbalance(unbalanced)
        right = np.zeros(self.live.shape)
        largest = divergence(u, v, self.parts[0].opening, self.parts[1].opening, right, -1.0,
                             self.ny, self.nx)
        # until continuity holds, forces say little: the impulse that makes it hold is a force, too
        loose = float(np.abs(right).max()) > LOOSE * max(float(largest), self._scale)
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
            after = self._imbalance(self._unbalanced(state, force))
            if loose or after <= ALLOWED_RISE * before or before == 0.0:
                break
            u[:], v[:], p[:] = kept
            rate, cut = max(8.0 * rate, first), cut + 1
        else:
            return None
        for pocket in self.pockets:
            level(p, self.label, pocket)
        growth = 1.0 / EAGER if loose else (after / before if before > 0 else 0.0)
        state.numbers[key] = rate * float(np.clip(EAGER * growth, SLOWEST_GROWTH, 2.0))
        state.numbers[self.problem.state_name("dt")] = 0.0
        self._book(state)
        self._check(state)
        scale = self._span(u, v) / max(self._fastest(u, v), SLOWEST * self._driven(p))
        note = "continuity does not hold yet" if loose else (
            "the stream has turned round at an outlet" if (turned != self._leaving(u, v)).any() else
            f"the pseudo step was cut back {cut} times" if cut else "")
        return Work(1, whole=True, residuals={"velocity": after * scale}, before=before * scale,
                    note=note)

    def _leaving(self, u: Array, v: Array) -> Array:
        """Which outlet faces the stream leaves through."""
        return np.concatenate([
            part.nodes.out_sign * velocity[part.nodes.out_row, part.nodes.out_column] > 0
            for part, velocity in zip(self.parts, (u, v), strict=True)])

    def _convection_forces(self, u: Array, v: Array) -> tuple[Array, Array]:
        self._carry(u, v)
        pu, pv = self.parts
        return pu.mass * pu.carried, pv.mass * pv.carried

    def _stiff(self, u: Array, v: Array) -> tuple[Array, Array]:
        """What entering against still surroundings adds to both diagonals (N s/m)."""
        stiff = np.zeros(u.shape), np.zeros(v.shape)
        for part, velocity, more in zip(self.parts, (u, v), stiff, strict=True):
            more[part.nodes.out_row, part.nodes.out_column] = self._entering(part, velocity)[1]
        return stiff

    def _unbalanced(self, state: State, given: Any = None) -> tuple[Array, Array]:
        """Force (N) on every velocity of both components that nothing balances yet.

        given : force per volume (N/m3) of others along x and y.
        """
        stress = self._stress(state)
        velocities = self._array(state, "u"), self._array(state, "v")
        self._carry(*velocities)
        forces = []
        for axis, (part, now) in enumerate(zip(self.parts, velocities, strict=True)):
            self._gradient(state, part, axis, state.time)
            force = (part.pull - part.mass * part.carried - part.gradient - part.held * now
                     + neighbours(now, part.link_x, part.link_y))
            if given is not None:
                force += part.nodes.volume * given[axis][0]
            if stress is not None:
                force += stress[axis]
            forces.append(np.where(part.nodes.active, force, 0.0))
        return forces[0], forces[1]

    def _imbalance(self, forces: tuple[Array, Array]) -> float:
        """The largest acceleration (m/s2) that the forces still ask for."""
        worst = 0.0
        for force, part in zip(forces, self.parts, strict=True):
            on = part.nodes.active
            worst = max(worst, float((np.abs(force[on]) / part.mass[on]).max(initial=0.0)))
        return worst

    def _fastest(self, u: Array, v: Array) -> float:
        return max(float(np.abs(u).max()), float(np.abs(v).max()), 1e-300)

    def _driven(self, p: Array) -> float:
        """The speed (m/s) that the pressures in the vessel could give."""
        lightest = float(self.now_density[self.live].min())
        return float(np.sqrt(np.ptp(p[self.live]) / lightest))

    def _span(self, u: Array, v: Array) -> float:
        """The time (s) within which a velocity that matters would show."""
        return min(self._passing_time(self._fastest(u, v)), self._shear_time())

    def _pseudo_sweep(self, state: State, inputs: Inputs) -> Work:
        dt = self._pseudo_step(state, inputs)
        old = [self._array(state, n).copy() for n in ("u", "v")]
        work = self._step(state, state.time, dt, 0.0, inputs, max(self.aim_step, 1e-6),
                          self._rotate)
        state.numbers[self.problem.state_name("dt")] = 0.0
        u, v = self._array(state, "u"), self._array(state, "v")
        change = max(float(np.abs(u - old[0]).max()), float(np.abs(v - old[1]).max()))
        work.residuals["velocity"] = change / self._fastest(u, v) * self._span(u, v) / dt
        return work

    def _pseudo_step(self, state: State, inputs: Inputs) -> float:
        dt, _ = self.limit(state, inputs)
        h = min(float(np.diff(self.mesh.grid.x).min()), float(np.diff(self.mesh.grid.y).min()))
        share = h / self._shorter_side()
        return min(1.5 * dt, max(0.05, 4 * share * share) * self._shear_time())

    def _shorter_side(self) -> float:
        grid = self.mesh.grid
        return min(float(grid.x[-1] - grid.x[0]), float(grid.y[-1] - grid.y[0]))

    def _shear_time(self) -> float:
        """How long shear takes to cross the vessel's shorter side (s)."""
        part = self.parts[0]
        density = float(part.mass.sum()) / max(float(part.nodes.volume.sum()), 1e-300)
        return self._shorter_side() ** 2 * density / float(self.now_viscosity.max())

    def _passing_time(self, fastest: float) -> float:
        """A time scale of the vessel (s): its size over its fastest stream."""
        grid = self.mesh.grid
        return float(np.hypot(grid.x[-1] - grid.x[0], grid.y[-1] - grid.y[0])) / fastest

    def _step(self, state: State, t0: float, dt: float, before: float, inputs: Inputs,
              aim: float, rotate: Array, swelling_over: float = 0.0) -> Work:
        """swelling_over : the time (s) within which density goes from what it was; 0 if it rests.
        """
        t1 = t0 + dt
        medium = inputs.get("medium")
        if medium is not None:
            self._set_medium(medium["density"][0], medium["viscosity"][0])
        self._set_edges(state, t1)
        w = dt / before if before > 0 else 0.0
        b0 = (1 + w) / dt if w else 1 / dt
        b1 = w * w / (1 + w) / dt if w else 0.0
        lead = (1 + 2 * w) / (1 + w) if w else 1.0
        e0, e1 = (1 + w, w) if w else (1.0, 0.0)
        self._carry(self._array(state, "u"), self._array(state, "v"))
        force = inputs.get("force")
        drag = inputs.get("source:momentum")
        stress = self._stress(state)
        for part, now, before_name, carried, axis in (
            (self.parts[0], "u", "u_before", "carried_u", 0),
            (self.parts[1], "v", "v_before", "carried_v", 1),
        ):
            self._solve_component(state, part, now, before_name, carried,
                                  (b0, b1, e0, e1), lead / dt, t1, force, drag, stress, axis)
        self._guess(state, bool(w))
        iterations, left = self._project(state, lead / dt, aim, rotate, swelling_over)
        self._book(state)
        if not np.isfinite(left):  # it has seen every velocity
            self._check(state)
        return Work(iterations, {"continuity": left})

    def _carry(self, u: Array, v: Array) -> None:
        """Accelerations (m/s2) by convection into both parts' `carried`."""
        pu, pv = self.parts
        np.multiply(u, pu.opening, out=self.face_x)
        np.multiply(v, pv.opening, out=self.face_y)
        u[0], u[self.ny + 1] = -u[1], -u[self.ny]  # what the limiter sees beyond a rim
        v[:, 0], v[:, self.nx + 1] = -v[:, 1], -v[:, self.nx]
        args = (self.ny, self.nx)
        nu, nv = pu.nodes, pv.nodes
        carry_u(u, self.face_x, self.face_y, pu.carried, pu.lightness, pu.along_weights,
                pu.across_weights, *pu.scratch, *args)
        carry_v(v, self.face_x, self.face_y, pv.carried, pv.lightness, pv.across_weights,
                pv.along_weights, *pv.scratch, *args)
        u[0], u[self.ny + 1] = 0.0, 0.0
        v[:, 0], v[:, self.nx + 1] = 0.0, 0.0
        carry_u_out(u, self.face_x, self.face_y, pu.carried, pu.lightness, nu.out_row,
                    nu.out_column, nu.out_sign)
        carry_v_out(v, self.face_x, self.face_y, pv.carried, pv.lightness, nv.out_row,
                    nv.out_column, nv.out_sign)
        if self.swells:  # a uniform velocity carries nothing, whatever flows out on balance
            net = (np.roll(self.face_x, -1, 1) - self.face_x
                   + np.roll(self.face_y, -1, 0) - self.face_y)
            net[~self.live] = 0.0
            pu.carried -= u * 0.5 * (net + np.roll(net, 1, 1)) * pu.lightness
            pv.carried -= v * 0.5 * (net + np.roll(net, 1, 0)) * pv.lightness

    def _gradient(self, state: State, part: Component, axis: int, t: float) -> None:
        """Pressure force (N) on every active velocity, edges included."""
        p = self._array(state, "p")
        n = part.nodes
        if axis == 0:
            pressure_force_x(p, n.side, part.gradient, self.ny, self.nx)
        else:
            pressure_force_y(p, n.side, part.gradient, self.ny, self.nx)
        if n.out_row.size:
            back = (n.out_sign > 0).astype(np.int64)
            inside = p[n.out_row - back * axis, n.out_column - back * (1 - axis)]
            outside = self._outside_pressure(part, self._array(state, "uv"[axis]), t)
            part.gradient[n.out_row, n.out_column] = (
                n.side[n.out_row, n.out_column] * n.out_sign * (outside - inside)
            )

    def _solve_component(self, state: State, part: Component, now: str, before: str, carried: str,
                         weights: tuple[float, float, float, float], rate: float, t: float,
                         force: Any, drag: Any, stress: Any, axis: int) -> None:
        velocity, old = self._array(state, now), self._array(state, before)
        self._gradient(state, part, axis, t)
        extra = part.pull
        linear = None
        if force is not None:
            extra = extra + part.nodes.volume * force[axis][0]
        if stress is not None:
            extra = extra + stress[axis]
        if drag is not None:
            extra = extra + np.where(part.nodes.active, drag[axis][0], 0.0)
            linear = np.where(part.nodes.active, drag[2 + axis][0], 0.0)
        ny, nx = part.nodes.extent
        momentum_right(velocity, old, part.carried, self._array(state, carried), part.mass,
                       part.gradient, extra, part.right, *weights, ny, nx)
        old[:] = velocity
        part.set_rate(rate, linear)
        keep = velocity[part.nodes.in_row, part.nodes.in_column].copy()
        part.implicit.solve(part.right, velocity, VISCOUS_AIM)
        velocity[part.nodes.in_row, part.nodes.in_column] = keep

    def _project(self, state: State, rate: float, aim: float, rotate: Array,
                 swelling_over: float) -> tuple[int, float]:
        u, v = self._array(state, "u"), self._array(state, "v")
        p, q = self._array(state, "p"), self._array(state, "q")
        pu, pv = self.parts
        assert self.pressure is not None
        largest = divergence(u, v, pu.opening, pv.opening, self.right, -rate, self.ny, self.nx)
        if self.swells and swelling_over > 0:
            change = self._array(state, "density") - self._array(state, "density_before")
            self.right -= np.where(self.live, change * self.mesh.volume[0], 0.0) * (
                rate / swelling_over)
        for pocket in self.pockets:
            level(self.right, self.label, pocket)
        scale = max(self._scale, float(largest), 1e-300)
        floor = 1e-13 * rate * scale
        iterations, norm = self.pressure.solve(self.right, q, relative=aim, absolute=floor)
        correct_x(u, q, pu.mobility, 1.0 / rate, self.ny, self.nx)
        correct_y(v, q, pv.mobility, 1.0 / rate, self.ny, self.nx)
        for part, velocity in ((pu, u), (pv, v)):
            n = part.nodes
            back = (n.out_sign > 0).astype(np.int64)
            inside = q[n.out_row - back * n.axis, n.out_column - back * (1 - n.axis)]
            velocity[n.out_row, n.out_column] += (
                n.out_sign * inside * part.mobility[n.out_row, n.out_column] / rate)
        raise_pressure(p, q, self.right, rotate, 1.0 / rate, self.ny, self.nx)
        for pocket in self.pockets:
            level(p, self.label, pocket)
            level(q, self.label, pocket)
        return iterations, norm / rate / scale

    def _guess(self, state: State, marching: bool) -> None:
        """Start the correction where the last two point to; a quarter fewer iterations."""
        q, before = self._array(state, "q"), self._array(state, "q_before")
        if marching:
            extrapolate(q, before)
        else:
            before[:] = q

    def _book(self, state: State) -> None:
        """Store the conservative flows the other phenomena are carried by."""
        pieces = self.mesh.pieces
        through = self._array(state, "through")
        through[:] = 0.0
        if self.swells:
            self._array(state, "mass_through")[:] = 0.0
        for part, name, axis in zip(self.parts, ("u", "v"), "xy", strict=True):
            n, velocity = part.nodes, self._array(state, name)
            np.multiply(velocity, n.inner, out=self._array(state, f"flow_{axis}"))
            if self.swells:
                self._array(state, f"mass_{axis}")[:] = np.where(
                    n.inner > 0, velocity * part.opening, 0.0)
            for row, column, piece, sign in (
                (n.in_row, n.in_column, n.in_piece, n.in_sign),
                (n.out_row, n.out_column, n.out_piece, n.out_sign),
            ):
                passing = sign * velocity[row, column]
                through[self.in_whole[piece]] = passing * pieces.area[piece]
                if self.swells:
                    self._array(state, "mass_through")[self.in_whole[piece]] = (
                        passing * part.opening[row, column])

    def _check(self, state: State) -> None:
        for name, words in (("u", "x velocity"), ("v", "y velocity"), ("p", "pressure")):
            array = self._array(state, name)
            if not np.isfinite(array.sum()):
                j, i = np.argwhere(~np.isfinite(array))[0]
                raise StepFailed(words, self._place(j, i), "not a finite number")

    # ------------------------------------------------------------ answers

    def offer(self, capability: str, state: State) -> Any:
        if capability.startswith("carrier"):
            offer = {n: state.fields[self.names[n]] for n in ("flow_x", "flow_y", "through", "u",
                                                              "v")}
            offer["fraction"] = self.mesh.volume / np.maximum(self.mesh.full_volume, 1e-300)
            if self.swells:
                offer.update({n: state.fields[self.names[n]] for n in
                              ("mass_x", "mass_y", "mass_through")})
                offer["density_before"] = self._array(state, "density_before")
            return offer
        if capability == "pressure":
            return state.fields[self.names["p"]]
        raise LookupError(capability)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        span = t1 - t0 if t1 > t0 else 1.0
        unit = "kg" if t1 > t0 else "kg/s"
        budget = Budget(unit, label="Mass")
        whole = self.problem.whole
        through = (self._array(state, "mass_through") if self.swells else
                   self._array(state, "through") * float(self.laws["density"].at()))
        for k, edge in enumerate(whole.edges):
            total = float(through[whole.pieces.of(k)].sum())
            if total != 0.0:
                budget.through(edge, total * span)
        if self.swells and t1 > t0:
            change = self._array(state, "density") - self._array(state, "density_before")
            budget.stored = float((change * self.mesh.volume[0])[self.live].sum())
            budget.held = float((self._array(state, "density") * self.mesh.volume[0])[
                self.live].sum())
        return {"mass": budget}

    def terms(self, state: State, inputs: Inputs) -> dict[str, Array]:
        """Force per volume (N/m3) along x on x faces: inertia is what the others leave."""
        u = self._array(state, "u")
        self._carry(u, self._array(state, "v"))
        part = self.parts[0]
        self._gradient(state, part, 0, state.time)
        n = part.nodes
        volume = np.where(n.active, n.volume, 1.0)
        held = neighbours(u, part.link_x, part.link_y) + part.pull - part.held * u
        on = n.active
        stress = self._stress(state)
        if stress is not None:
            held = held + stress[0]
        terms = {
            "convection": np.where(on, -part.mass * part.carried / volume, 0.0),
            "pressure": np.where(on, -part.gradient / volume, 0.0),
            "viscosity": np.where(on, held / volume, 0.0),
        }
        terms["residual"] = self._unbalanced(state)[0] / volume
        return {name: array[None] for name, array in terms.items()}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.names[n]: (-1e6, 1e6) for n in ("u", "v")}
