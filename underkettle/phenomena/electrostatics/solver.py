"""Potential of charges that rest: one even system of cells and of conductors that float."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    AtWalls,
    Budget,
    Crossing,
    Given,
    Inputs,
    Offer,
    Potential,
    Problem,
    Provides,
    Retold,
    StepFailed,
    Work,
)
from underkettle.engine.contract.laws import Number, Times, where_it_begins
from underkettle.engine.contract.streams import given_to
from underkettle.engine.linear.tied import Tied, factor_even
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.operators.diffusion import neighbours, steady_matrix
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.seen import flows, lost
from underkettle.engine.transport.unknown import Carried, Solid, Unknown
from underkettle.quantities.constants import VACUUM

Array = np.ndarray

CELLS = "potential", "field_x", "field_y", "energy"
WORDS = "electric flux"
MOST = 1e12  # V


class _Told(Retold):
    """The problem, in the words of what is carried."""

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        found = {}
        for edge, given in self._problem.edge_conditions(member).items():
            values: dict[str, Any] = {}
            if given.kind == "held":
                values = {"value": given.values["value"]}
            elif given.kind == "floats":
                values = {"value": Number(0.0)}  # solved for
            elif given.kind == "charged":
                values = {"flux": given.values["surface"]}
            found[edge] = Given(given.kind, values)
        return found

    def zone_conditions(self, member: str = "") -> Mapping[str, Given]:
        return {
            zone: Given(g.kind, {"source": g.values["density"]} if g.has("density") else {})
            for zone, g in self._problem.zone_conditions(member).items()
        }


class ElectrostaticSolver:
    """Solves for potentials (V) of cells and of conductors that float."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        mesh, law = problem.mesh, Times(problem.settings()["permittivity"], VACUUM)
        solids = {
            zone: Solid(Times(given.values["permittivity"], VACUUM), 1.0)
            for zone, given in problem.zone_conditions().items()
            if given.has("permittivity")
        }
        what = Carried(
            "",
            WORDS,
            "potential",
            law,
            law,
            unit="V",
            amount="C",
            solids=solids,
            called="electric_potential",
        )
        self.unknown = Unknown(_Told(problem), what)
        self.edges = problem.edge_conditions()
        self.floating = [
            k
            for k, edge in enumerate(mesh.edges)
            if self.edges[edge].kind == "floats" and (self.legs.edge == k).any()
        ]
        self.charges = [self.edges[mesh.edges[k]].values["charge"] for k in self.floating]
        live = mesh.live[0]
        self.index = np.full(live.shape, -1)
        self.index[live] = mesh.number[live]
        self.size = mesh.cells + len(self.floating)
        self.cell, self.far = (
            self.index[self.legs.row, self.legs.column],
            np.full(self.legs.row.size, -1),
        )
        for n, k in enumerate(self.floating):
            self.far[self.legs.edge == k] = mesh.cells + n
        self.reads = self.unknown.reads.union(*(c.reads for c in self.charges))
        self.carried = [0.0] * len(self.floating)  # C that conductors hold that float
        self.lu: Callable[[Array], Array] | None = None

    @property
    def legs(self) -> Any:
        return self.unknown.legs

    def _of(self, state: State, name: str) -> Array:
        found = state.fields[self.problem.state_name(name)]
        return found[0] if found.ndim == 3 else found

    def start(self, state: State) -> None:
        for name in CELLS:
            state.fields[self.problem.state_name(name)] = np.zeros(self.mesh.shape)
        count = len(self.mesh.edges)
        state.fields[self.problem.state_name("joined")] = np.full(count, np.nan)

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from potentials on another grid."""
        name, live = self.problem.state_name("potential"), self.mesh.live[0]
        if name in kept.fields:
            values = handed_over(kept.fields[name][0], mesh, self.mesh)
            state.fields[name][0][live] = values[live]

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "the field follows at once"

    # ------------------------------------------------------------ solving

    def _set(self, state: State, inputs: Inputs) -> None:
        known = self.problem.known(state, self.reads) if self.reads else {}
        self.unknown.set_values(state, known)
        self.unknown.receive(given_to(self.problem, inputs, "electric_flux"))
        self.carried = self._carried(state)

    def relax(self, state: State, inputs: Inputs) -> Work:
        return self._settle(state, state, inputs)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self._settle(state, replace(state, time=t1), inputs)

    def _settle(self, state: State, then: State, inputs: Inputs) -> Work:
        """Find potentials; then : the state with the time at which laws and edges count."""
        self._set(then, inputs)
        u, live = self.unknown, self.mesh.live[0]
        none = np.zeros(live.shape)
        if self.lu is None or not u.spread_steady or u.grip.any():
            tied = Tied(self.size)
            spread = steady_matrix(self.mesh, u.link_x, u.link_y, u.grip, none, none).tocoo()
            tied.put(spread.row, spread.col, spread.data)
            tied.tie(self.cell, self.far, u.factor)
            try:
                self.lu = factor_even(tied.matrix()).solve
            except RuntimeError as failure:
                raise StepFailed(
                    "electric potential", "the whole vessel", "nothing fixes it: hold an edge"
                ) from failure
        right = np.zeros(self.size)
        right[: self.mesh.cells] = u.all_given()[live]
        right[self.mesh.cells :] = self.carried
        x = self.lu(right)
        if not np.isfinite(x).all():
            raise StepFailed("electric potential", "the whole vessel", "not a finite number")
        potential = self._of(state, "potential")
        moved = float(np.abs(x[: self.mesh.cells] - potential[live]).max(initial=0.0))
        potential[live] = x[: self.mesh.cells]
        self.mesh.grid.wrap(potential)
        self._tell(state, x)
        return Work(
            1, {"potential": moved / (1e-30 + float(np.abs(x).max(initial=0.0)))}, whole=True
        )

    def _carried(self, state: State) -> list[float]:
        """C that conductors hold that float."""
        known = self.problem.known(state, self.reads) if self.reads else {}
        return [
            where_it_begins(law, self.mesh, k, state.time, known)
            for k, law in zip(self.floating, self.charges, strict=True)
        ]

    # ------------------------------------------------------------ what is seen of it

    def _legs(self, state: State) -> Array:
        """C/m2 times m2 that leaves through each leg into the vessel."""
        u, here = self.unknown, self._of(state, "potential")[self.legs.row, self.legs.column]
        beyond = u.held.copy()
        for k, charge in zip(self.floating, self.carried, strict=True):
            mine = self.legs.edge == k
            total = charge + (u.factor * here)[mine].sum()
            beyond[mine] = total / u.factor[mine].sum()
        return np.asarray(u.factor * (beyond - here))

    def _tell(self, state: State, x: Array) -> None:
        mesh, u, potential = self.mesh, self.unknown, self._of(state, "potential")
        legs = self._legs(state)
        joined = self._of(state, "joined")
        joined[:] = np.nan
        for k, edge in enumerate(mesh.edges):
            mine = self.legs.edge == k
            if self.edges[edge].kind == "held" and mine.any():
                joined[k] = float(np.average(u.held[mine], weights=self.legs.area[mine]))
        for n, k in enumerate(self.floating):
            joined[k] = float(x[mesh.cells + n])
        for name, flux, along in zip(
            ("field_x", "field_y"), flows(mesh, u, potential, legs), u.along, strict=True
        ):
            self._of(state, name)[:] = np.divide(
                flux, along, out=np.zeros(flux.shape), where=mesh.live[0]
            )
        energy = 0.5 * lost(mesh, u, potential, legs)
        self._of(state, "energy")[:] = np.divide(
            energy, mesh.volume[0], out=np.zeros(energy.shape), where=mesh.live[0]
        )

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        return Potential(state.fields[self.problem.state_name("potential")])

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        span = t1 - t0 if t1 > t0 else 1.0
        budget = Budget("C s" if t1 > t0 else "C", label="Electric flux")
        u = self.unknown
        inward = u.by_edge(self._legs(state), u.flux)
        now = {e: -float(i) for e, i in zip(self.mesh.edges, inward, strict=True) if i}
        for edge, outward in now.items():
            budget.cross(edge, span * outward)
        if t1 > t0:
            budget.leaves = now
        budget.made = span * float(u.source[self.mesh.live[0]].sum())
        for giver, amount in u.gave(self._of(state, "potential")).items():
            budget.give(giver, span * amount)
        return {"electric_flux": budget}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """C/m3 in each cell."""
        self._set(state, inputs)
        u, volume = self.unknown, np.where(self.mesh.live[0], self.mesh.volume[0], 1.0)
        potential = self._of(state, "potential")
        ends = u.with_walls(neighbours(potential, u.link_x, u.link_y), self._legs(state))
        held = u.source + u.gift - u.grip * potential
        found = {"divergence": ends, "held_charge": held, "residual": ends + held}
        return {n: np.where(self.mesh.live[0], a / volume, 0.0)[None] for n, a in found.items()}

    def at_walls(self, quantity: str, state: State, inputs: Inputs) -> AtWalls:
        """Through conductors and charged walls: what charge lies on them."""
        self._set(state, inputs)
        return self.unknown.at_walls(self._of(state, "potential"), self._legs(state))

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """C through faces, and what cells get from conductors and charges."""
        self._set(state, inputs)
        u, potential = self.unknown, self._of(state, "potential")
        gained = u.with_walls(u.source + u.gift - u.grip * potential, self._legs(state))
        return Crossing(
            u.link_x * (roll(potential, 1, 1) - potential),
            u.link_y * (roll(potential, 1, 0) - potential),
            np.where(self.mesh.live[0], gained, 0.0),
        )

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.problem.state_name("potential"): (-MOST, MOST)}
