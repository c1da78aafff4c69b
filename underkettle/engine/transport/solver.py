"""What a stream carries and diffusion spreads: species, heat, and whatever else follows that law.

    capacity (dc/dt + div(u c)) = div(spread grad c) + source - loss c

A phenomenon names what is `Carried`; conditions are told by the values they have: `value` on an
edge that holds one, `flux`, `film` with `ambient`, `value` on an edge a stream passes, `source` and
`loss` in zones. Everything is divided by the capacity here and multiplied back in the budgets.

Transient: convection by two explicit stages (bounded while the Courant number holds), diffusion
and decay implicit, in an order that alternates from step to step. Steady: first-order upwinding is
solved exactly and the limited correction is put on the right side until it no longer changes, so
that every iterate is conservative to round-off.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.sparse.linalg import splu

from underkettle.engine.contract import Budget, Given, Inputs, Problem, StepFailed, Work
from underkettle.engine.linear import Helmholtz
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.convection import carry_scalar, courant_rate
from underkettle.engine.operators.diffusion import (
    links,
    neighbours,
    spread_right,
    spread_update,
    steady_matrix,
    total,
    wall_legs,
)
from underkettle.engine.operators.small_cells import SmallCells
from underkettle.engine.operators.stencil import cell_weights

Array = np.ndarray

COURANT = 0.45
DIFFUSION_NUMBER = 2.0
RELAXED = 0.7  # share of the new limited correction taken per sweep
IMPLICIT_AIM = 1e-9
MILD_AIM = 1e-6  # enough while the update that follows cannot amplify what is left
BOUND_SLACK = 1e-5


@dataclass(frozen=True)
class Carried:
    """One thing that is carried. c is its value, in `unit`.

    spread, across : conductivity along x and y (amount/(s m) per unit of c). capacity : amount/m3
    per unit of c. amount : unit of its amount; budgets count it from `origin`.
    """

    name: str
    words: str
    array: str
    spread: float
    across: float
    capacity: float = 1.0
    origin: float = 0.0
    unit: str = "mol/m3"
    amount: str = "mol"


class _Member:
    """One carried thing: its coefficients and what its edges do."""

    def __init__(self, solver: TransportSolver, what: Carried) -> None:
        self.what, self.name = what, what.name
        mesh = solver.mesh
        self.diffusivity, self.across = what.spread / what.capacity, what.across / what.capacity
        self.edges = dict(solver.problem.edge_conditions(what.name))
        self.zones = dict(solver.problem.zone_conditions(what.name))
        held = frozenset(k for k, e in enumerate(mesh.edges) if _holds(self.edges[e]))
        self.link_x, self.link_y, self.legs = links(mesh, self.diffusivity, self.across, held)
        self.implicit = Helmholtz(self.link_x, self.link_y)
        self.held = np.zeros(self.legs.row.size)
        self.bare = self.legs.factor.copy()  # without any film
        self.flux = np.zeros(mesh.pieces.j.size)  # into the vessel, per s and capacity
        self.arriving = np.zeros(mesh.pieces.j.size)  # value of what a stream brings in
        self.wall = np.zeros(solver.shape)
        np.add.at(self.wall, (self.legs.row, self.legs.column), self.legs.factor)
        self.decay, self.source = np.zeros(solver.shape), np.zeros(solver.shape)
        self.factor: Any = None
        self.factored: tuple[Array, ...] = ()
        self.stiffness, self.rate, self.set = 0.0, -1.0, False
        self.given = np.zeros(solver.shape)
        self.holding = self.wall.copy()
        values = [v for g in (*self.edges.values(), *self.zones.values())
                  for v in g.values.values()]
        self.steady = all(v.steady for v in values)

    def set_values(self, solver: TransportSolver, t: float) -> None:
        """Evaluate every given value at time t (s)."""
        if self.set and self.steady:
            return
        mesh, capacity = solver.mesh, self.what.capacity
        pieces = mesh.pieces
        for k, edge in enumerate(mesh.edges):
            given, rows = self.edges[edge], pieces.of(k)
            x, y = pieces.x[rows], pieces.y[rows]
            if given.has("flux"):
                self.flux[rows] = pieces.area[rows] * _on(given, "flux", x, y, t) / capacity
            if _holds(given):
                mine = self.legs.edge == k
                at = self.legs.x[mine], self.legs.y[mine], t
                self.held[mine] = _on(given, "ambient" if given.has("film") else "value", *at)
                if given.has("film"):
                    film = _on(given, "film", *at) / capacity * self.legs.area[mine]
                    bare = self.bare[mine]
                    self.legs.factor[mine] = bare * film / np.maximum(bare + film, 1e-300)
            elif given.has("value"):
                self.arriving[rows] = _on(given, "value", x, y, t)
        x, y = mesh.cell_centres()
        for zone, given in self.zones.items():
            inside = mesh.zone_cells(zone)[0]
            for name, array in (("loss", self.decay), ("source", self.source)):
                if given.has(name):
                    value = np.broadcast_to(given.values[name].at(x=x, y=y, t=t), mesh.shape)[0]
                    array[inside] = value[inside] * mesh.volume[0][inside] / capacity
        self.wall[:] = 0.0
        np.add.at(self.wall, (self.legs.row, self.legs.column), self.legs.factor)
        self.given = self.known(solver)
        self.holding = self.wall + self.decay
        links = (self.link_x[1:-1, 1:-1] + self.link_x[1:-1, 2:] + self.link_y[1:-1, 1:-1]
                 + self.link_y[2:, 1:-1] + self.holding[1:-1, 1:-1])
        self.stiffness = float((links * solver.inverse[1:-1, 1:-1]).max())
        self.rate, self.set = -1.0, True

    def known(self, solver: TransportSolver) -> Array:
        """What sources, fluxes and held walls give to each cell per s, walls' pull included."""
        made = self.source.copy()
        np.add.at(made, (self.legs.row, self.legs.column), self.legs.factor * self.held)
        np.add.at(made, (solver.legs.row, solver.legs.column), self.flux)
        return made

    def leaving(self, c: Array, mesh: Mesh) -> Array:
        """Diffusion and given fluxes out of the vessel through every edge, per s and capacity."""
        pull = self.legs.factor * (self.held - c[self.legs.row, self.legs.column])
        count = len(mesh.edges)
        return -(np.bincount(self.legs.edge, pull, count)
                 + np.bincount(mesh.pieces.edge, self.flux, count))


def _holds(given: Given) -> bool:
    """Whether an edge ties the value next to it, directly or through a film."""
    return given.has("film") or (given.has("value") and not given.through)


def _on(given: Given, name: str, x: Array, y: Array, t: float) -> Array:
    return np.broadcast_to(given.values[name].at(x=x, y=y, t=t), x.shape)


class TransportSolver:
    """Solves for the value of everything carried."""

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        self.problem, self.mesh = problem, problem.mesh
        grid = self.mesh.grid
        self.ny, self.nx = grid.ny, grid.nx
        self.live, self.volume = self.mesh.live[0], self.mesh.volume[0]
        self.shape = self.live.shape
        self.legs = wall_legs(self.mesh)
        self.small = SmallCells(self.mesh)
        self.wx, self.wy = cell_weights(grid, 0), cell_weights(grid, 1)
        self.flat = np.zeros(self.wx.shape), np.zeros(self.wy.shape)
        self.scratch = tuple(np.zeros(self.nx + 3) for _ in range(3))
        self.out, self.stage, self.right = (np.zeros(self.shape) for _ in range(3))
        self.inverse = np.divide(1.0, self.volume, out=np.zeros(self.shape), where=self.live)
        self.carried_volume = np.where(self.small.is_small, 0.0, self.volume)
        self.large_piece = self.carried_volume[self.mesh.pieces.j, self.mesh.pieces.i] > 0
        self.active_volume = np.where(self.live, self.volume, 0.0)
        self.half_live = np.where(self.live, 0.5, 0.0)
        self.members = [_Member(self, what) for what in carried]
        self.fill = self._fill_list()
        self.budgets: dict[str, Budget] = {}
        self.bounds = {m.name: self._bounds(m) for m in self.members}

    def _fill_list(self) -> tuple[Array, Array]:
        """Dead cells next to live ones, and the live neighbour whose value the limiter sees."""
        dead, source = [], []
        width = self.shape[1]
        for axis, step in ((0, 1), (0, -1), (1, 1), (1, -1)):
            near = np.roll(self.live, step, axis=axis) & ~self.live
            rows, columns = np.nonzero(near)
            dead.append(rows * width + columns)
            source.append((rows - step * (axis == 0)) * width + columns - step * (axis == 1))
        return np.concatenate(dead), np.concatenate(source)

    def _bounds(self, member: _Member) -> tuple[float, float]:
        """Bounds that hold as long as nothing is made inside and no flux is given."""
        named = [*member.edges.values(), *member.zones.values()]
        if any(g.has(name) for g in named for name in ("flux", "source", "film")):
            return -np.inf, np.inf
        x, y = self.mesh.cell_centres()
        values = [np.zeros(1)]
        for given in (*member.edges.values(),
                      *self.problem.start_conditions(member.name).values()):
            if given.has("value"):
                if not given.values["value"].steady:
                    return -np.inf, np.inf
                values.append(np.ravel(given.values["value"].at(x=x, y=y)))
        low = min(float(v.min()) for v in values)
        high = max(float(v.max()) for v in values)
        slack = BOUND_SLACK * max(high - low, 1e-30)
        return low - slack, high + slack

    def _name(self, member: _Member, array: str = "c") -> str:
        own = member.what.array
        return self.problem.state_name(own if array == "c" else f"{own}_{array}")

    def _of(self, state: State, member: _Member, array: str = "c") -> Array:
        return state.fields[self._name(member, array)][0]

    def start(self, state: State) -> None:
        x, y = self.mesh.cell_centres()
        for member in self.members:
            field = np.zeros(self.mesh.shape)
            for zone, given in self.problem.start_conditions(member.name).items():
                inside = self.mesh.zone_cells(zone)
                if given.has("value"):
                    value = np.broadcast_to(
                        given.values["value"].at(x=x, y=y, t=state.time), field.shape)
                    field[inside] = value[inside]
            state.fields[self._name(member)] = field
            state.fields[self._name(member, "limited")] = np.zeros(self.mesh.shape)

    # ------------------------------------------------------------ transient

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        carrier = inputs.get("carrier:fluid")
        if carrier is not None:
            rate = self._rate(carrier)
            if rate > 0:
                return COURANT / rate, f"Courant number {COURANT} of what the stream carries"
        grid = self.mesh.grid
        h = min(float(np.diff(grid.x).min()), float(np.diff(grid.y).min()))
        fastest = max(max(m.diffusivity, m.across) for m in self.members)
        if fastest <= 0:
            return np.inf, "nothing moves"
        return DIFFUSION_NUMBER * h * h / fastest, f"diffusion number {DIFFUSION_NUMBER:g}"

    def _rate(self, carrier: dict[str, Array]) -> float:
        inner = courant_rate(carrier["flow_x"][0], carrier["flow_y"][0], self.carried_volume)
        pieces = self.mesh.pieces
        outlet = np.maximum(carrier["through"], 0.0) * self.inverse[pieces.j, pieces.i]
        return inner + float(outlet.max(initial=0.0, where=self.large_piece))

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        carrier = inputs.get("carrier:fluid")
        work = Work()
        self.budgets = {}
        for member in self.members:
            c = self._of(state, member)
            member.set_values(self, t1)
            budget = Budget(member.what.amount, label=member.what.words)
            before = float(total(c, self.volume))
            steps = [lambda m=member, c=c, b=budget: self._spread(m, c, t1 - t0, b)]
            if carrier is not None:
                steps.append(lambda m=member, c=c, b=budget: self._carry(m, c, carrier, t1 - t0, b))
            if state.step % 2:
                steps.reverse()
            for step in steps:
                work.iterations += step() or 0
            now = float(total(c, self.volume))
            budget.stored = member.what.capacity * (now - before)
            empty = member.what.origin * float(self.volume.sum())
            budget.held = member.what.capacity * max(abs(before - empty), abs(now - empty))
            self.budgets[member.what.words] = budget
            self._check(member, c)
        return work

    def _fluxes(self, c: Array, carrier: dict[str, Array], member: _Member, limited: bool,
                dt: float = 0.0) -> Array:
        """Net outflow (mol/s) of every cell into self.out; returns that through each piece.

        With a step dt, small cells are carried implicitly over it.
        """
        flat = c.ravel()
        flat[self.fill[0]] = flat[self.fill[1]]
        wx, wy = (self.wx, self.wy) if limited else self.flat
        flow_x, flow_y, through = carrier["flow_x"][0], carrier["flow_y"][0], carrier["through"]
        kernel_x, kernel_y = self.small.mask(flow_x, flow_y) if dt else (flow_x, flow_y)
        carry_scalar(c, kernel_x, kernel_y, self.out, wx, wy, *self.scratch,
                     self.ny, self.nx)
        pieces = self.mesh.pieces
        value = np.where(through >= 0, c[pieces.j, pieces.i], member.arriving)
        edge = through * value
        np.add.at(self.out, (pieces.j, pieces.i), edge)
        if dt:
            self.small.carry(c, flow_x, flow_y, through, member.arriving, self.out, edge, dt)
        return edge

    def _carry(self, member: _Member, c: Array, carrier: dict[str, Array], dt: float,
               budget: Budget) -> int:
        first = self._fluxes(c, carrier, member, True, dt)
        self._apply(c, self.stage, dt)
        second = self._fluxes(self.stage, carrier, member, True, dt)
        self._apply(self.stage, self.stage, dt)
        c += self.stage
        c *= self.half_live
        self._book(member, budget, 0.5 * (first + second), np.zeros(len(self.mesh.edges)), dt,
                   carrier["through"])
        return 0

    def _apply(self, c: Array, target: Array, dt: float) -> None:
        self.out *= -dt
        self.out *= self.inverse
        np.add(c, self.out, out=target)

    def _by_edge(self, through: Array) -> Array:
        """Sum of a per-piece amount over each edge."""
        return np.bincount(self.mesh.pieces.edge, through, len(self.mesh.edges))

    def _book(self, member: _Member, budget: Budget, carried: Array, other: Array, span: float,
              through: Array | None = None) -> None:
        """Book what leaves: carried through each piece and otherwise through each edge, per s."""
        if through is not None:
            carried = carried - member.what.origin * through
        totals = span * member.what.capacity * (self._by_edge(carried) + other)
        for k, edge in enumerate(self.mesh.edges):
            if totals[k] != 0.0:
                budget.through(edge, float(totals[k]))

    def _spread(self, member: _Member, c: Array, dt: float, budget: Budget) -> int:
        """Diffusion, walls, sources and decay over dt, implicit enough to stay bounded."""
        stiff = dt * member.stiffness
        if stiff == 0.0 and not member.given.any():
            return 0
        theta = max(0.5, 1.0 - 1.0 / stiff) if stiff > 0 else 0.5
        rate = 1.0 / (theta * dt)
        if rate != member.rate:
            np.multiply(self.volume, rate, out=member.implicit.d)
            member.implicit.d *= self.live
            member.implicit.d += member.holding
            member.implicit.changed()
            member.rate = rate
        operator = (member.link_x, member.link_y, member.holding, member.given)
        spread_right(c, *operator, self.active_volume, rate, theta, self.right, self.ny, self.nx)
        mixed = self.stage
        mixed[:] = c
        iterations = member.implicit.solve(self.right, mixed,
                                           MILD_AIM if stiff < 1.0 else IMPLICIT_AIM)
        mixed *= theta
        mixed += (1.0 - theta) * c
        spread_update(mixed, c, *operator, dt * self.inverse, self.out, self.ny, self.nx)
        c[:] = self.out
        self._book(member, budget, np.zeros(self.mesh.pieces.j.size),
                   member.leaving(mixed, self.mesh), dt)
        budget.made += dt * member.what.capacity * float(
            member.source.sum() - total(member.decay, mixed))
        return iterations

    def _check(self, member: _Member, c: Array) -> None:
        low, high = self.bounds[member.name]
        if low <= float(c.min()) and float(c.max()) <= high:
            return
        bad = self.live & ~((c >= low) & (c <= high) & np.isfinite(c))
        if bad.any():
            j, i = np.argwhere(bad)[0]
            raise StepFailed(member.what.words,
                             f"x {self.mesh.grid.centres(0)[i]:.4g} m, "
                             f"y {self.mesh.grid.centres(1)[j]:.4g} m",
                             f"{c[j, i]:.4g} {member.what.unit} lies outside {low:.4g} to "
                             f"{high:.4g}")

    # ------------------------------------------------------------ steady

    def relax(self, state: State, inputs: Inputs) -> Work:
        carrier = inputs.get("carrier:fluid") or self._still()
        self.budgets = {}
        work = Work()
        for member in self.members:
            c, limited = self._of(state, member), self._of(state, member, "limited")
            member.set_values(self, state.time)
            old = c.copy()
            self._factor(member, carrier)
            fresh = self._limited_part(member, c, carrier)
            if not limited.any():
                limited[:] = fresh
            else:
                limited += RELAXED * (fresh - limited)
            known = member.given.copy()
            arriving = np.maximum(-carrier["through"], 0.0) * member.arriving
            np.add.at(known, (self.legs.row, self.legs.column), arriving)
            c[self.live] = member.factor.solve((known - limited)[self.live])
            c[~self.live] = 0.0
            span = max(float(np.ptp(c[self.live])), 1e-300)
            work.residuals[member.what.words] = float(np.abs(c - old)[self.live].max()) / span
            work.iterations += 1
            self._steady_budget(member, c, carrier)
            low, high = np.nanmin(c), np.nanmax(c)
            if not np.isfinite(low + high):
                raise StepFailed(member.what.words, "the whole vessel", "not a finite number")
        return work

    def _still(self) -> dict[str, Array]:
        zero = np.zeros(self.mesh.shape)
        return {"flow_x": zero, "flow_y": zero, "through": np.zeros(self.mesh.pieces.j.size)}

    def _factor(self, member: _Member, carrier: dict[str, Array]) -> None:
        inputs = (carrier["flow_x"], carrier["flow_y"], carrier["through"], member.decay)
        if member.factored and all(
            np.array_equal(a, b) for a, b in zip(inputs, member.factored, strict=True)
        ):
            return
        diagonal = member.wall + member.decay
        np.add.at(diagonal, (self.legs.row, self.legs.column),
                  np.maximum(carrier["through"], 0.0))
        matrix = steady_matrix(self.live, member.link_x, member.link_y, diagonal,
                               carrier["flow_x"][0], carrier["flow_y"][0])
        try:
            member.factor = splu(matrix, permc_spec="COLAMD")
        except RuntimeError as error:
            raise StepFailed(member.what.words, "the whole vessel",
                             "what enters has no way out, so no steady state exists") from error
        member.factored = tuple(a.copy() for a in inputs)

    def _limited_part(self, member: _Member, c: Array, carrier: dict[str, Array]) -> Array:
        self._fluxes(c, carrier, member, True)
        limited = self.out.copy()
        self._fluxes(c, carrier, member, False)
        limited -= self.out
        c[~self.live] = 0.0
        return limited

    def _steady_budget(self, member: _Member, c: Array, carrier: dict[str, Array]) -> None:
        budget = Budget(member.what.amount, label=member.what.words).per(1.0)
        cell = (self.legs.row, self.legs.column)
        through = carrier["through"]
        carried = np.where(through >= 0, through * c[cell], through * member.arriving)
        self._book(member, budget, carried, member.leaving(c, self.mesh), 1.0, through)
        budget.made = member.what.capacity * float((member.source - member.decay * c)[
            self.live].sum())
        self.budgets[member.what.words] = budget

    # ------------------------------------------------------------ answers

    def offer(self, capability: str, state: State) -> Any:
        raise LookupError(capability)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {m.what.name or m.what.words: self.budgets[m.what.words] for m in self.members
                if m.what.words in self.budgets}

    def terms(self, state: State, inputs: Inputs) -> dict[str, Array]:
        """Amount gained per m3 and s by each cell of the first member, term by term."""
        carrier = inputs.get("carrier:fluid") or self._still()
        member = self.members[0]
        c = self._of(state, member).copy()
        self._fluxes(c, carrier, member, True)
        c[~self.live] = 0.0
        convection = -self.out * self.inverse
        walls = member.known(self) - member.source - member.wall * c
        diffusion = (neighbours(c, member.link_x, member.link_y) + walls) * self.inverse
        made = (member.source - member.decay * c) * self.inverse
        terms = {"convection": convection, "diffusion": diffusion, "made": made}
        matrix = steady_matrix(self.live, member.link_x, member.link_y,
                               member.wall + member.decay, np.zeros(self.shape),
                               np.zeros(self.shape))
        known = member.known(self)
        residual = np.zeros(self.shape)
        residual[self.live] = (known - self.out)[self.live] - matrix @ c[self.live]
        terms["residual"] = residual * self.inverse
        scale = member.what.capacity
        return {name: np.where(self.live, scale * a, 0.0)[None] for name, a in terms.items()}

    def wall_flux(self, quantity: str, state: State) -> tuple[Array, Array, Array, Array]:
        """Through walls that hold a value, have a film or a given flux."""
        member = next(m for m in self.members if (m.name or m.what.words) == quantity)
        member.set_values(self, state.time)
        legs, pieces, scale = member.legs, self.mesh.pieces, member.what.capacity
        pull = legs.factor * (member.held - self._of(state, member)[legs.row, legs.column])
        given = np.flatnonzero(member.flux)
        return (np.concatenate([legs.x, pieces.x[given]]),
                np.concatenate([legs.y, pieces.y[given]]),
                np.concatenate([legs.edge, pieces.edge[given]]),
                scale * np.concatenate([pull / legs.area,
                                        member.flux[given] / pieces.area[given]]))

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self._name(m): self.bounds[m.name] for m in self.members}
