"""Percolation: pressures and speeds as porous matter and edges ask for now; it stores nothing."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Carrier,
    Crossing,
    Flows,
    Inputs,
    Offer,
    Pressure,
    Problem,
    Provides,
    Resistance,
    Sheet,
    StepFailed,
    Work,
)
from underkettle.engine.contract.streams import cross_edges, mass_given
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.operators.inflow import entering, held_pressures
from underkettle.engine.operators.pockets import refuse_trapped
from underkettle.engine.operators.velocity import EdgeRole
from underkettle.phenomena.percolation.seeping import Seeping

Array = np.ndarray

ROLES = {"tight": "slip", "inflow": "in", "drawn off": "in", "fed": "out", "drains": "out"}
FLOWS = ("flow_x", "flow_y", "through")
CELLS = ("u", "v", "p", "flow_x", "flow_y", "flow_x_before", "flow_y_before")
PIECES = ("through", "through_before")


class PercolationSolver:
    """Solves for pressure (Pa) and speeds over pores and matter (m/s)."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        settings = problem.settings()
        self.density, self.viscosity = float(settings["density"]), settings["viscosity"]
        self.conditions = dict(problem.edge_conditions())
        roles = {edge: EdgeRole(ROLES[given.kind]) for edge, given in self.conditions.items()}
        self.seeping = Seeping(self.mesh, roles)
        self.names = {n: problem.state_name(n) for n in (*CELLS, *PIECES)}
        self.in_whole = self.mesh.matching(problem.whole)
        self.givers: dict[str, Array] = {}
        self.offered: Resistance | None = None
        self.sheet: Sheet | None = None

    def array(self, state: State, name: str) -> Array:
        array = state.fields[self.names[name]]
        return array[0] if array.ndim == 3 else array

    def start(self, state: State) -> None:
        for name in CELLS:
            state.fields[self.names[name]] = np.zeros(self.mesh.shape)
        for name in PIECES:
            state.fields[self.names[name]] = np.zeros(self.problem.whole.pieces.j.size)

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from pressures on another grid."""
        p = self.array(state, "p")
        p[self.seeping.live] = handed_over(kept.fields[self.names["p"]][0], mesh, self.mesh)[
            self.seeping.live
        ]

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "it follows at once"

    # ------------------------------------------------------------ solving

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        for name in FLOWS:
            self.array(state, f"{name}_before")[:] = self.array(state, name)
        begun = state.numbers.get(self.problem.state_name("to"))
        state.numbers[self.problem.state_name("from")] = -1.0 if begun is None else t0
        state.numbers[self.problem.state_name("to")] = t1
        return self._follow(state, t1, inputs)

    def relax(self, state: State, inputs: Inputs) -> Work:
        state.numbers.pop(self.problem.state_name("to"), None)  # no step in time ends here
        return self._follow(state, state.time, inputs)

    def _follow(self, state: State, t: float, inputs: Inputs) -> Work:
        """Bring speeds and pressures to what edges and matter ask for at a time (s)."""
        u, v, p = (self.array(state, n) for n in ("u", "v", "p"))
        self._take_over(state, t, inputs)
        weighs = np.full(self.seeping.shape, self.density)
        for axis, velocity in enumerate((u, v)):
            n = self.seeping.nodes[axis]
            if n.in_row.size:
                velocity[n.in_row, n.in_column] = -n.in_sign * entering(
                    self.mesh, self.conditions, n.in_piece, weighs, t
                )
        x, y = (
            held_pressures(self.mesh, self.conditions, n.out_piece, t) for n in self.seeping.nodes
        )
        fed = None
        if self.givers:
            fed = np.asarray(sum(self.givers.values())) / self.density
            refuse_trapped(self.seeping.pockets, self.givers)
        off = self.seeping.settle(u, v, p, (x, y), fed)
        self._book(state, u, v)
        work = Work(self.seeping.iterations, {"percolation": off}, whole=True)
        work.way = "one solve of all"
        return work

    def _take_over(self, state: State, t: float, inputs: Inputs) -> None:
        offered = inputs.get(Resistance, FLUID)
        if offered is None:
            raise StepFailed("percolation", "the whole vessel", "no porous matter stands there")
        known = self.problem.known(state, self.viscosity.reads) if self.viscosity.reads else {}
        sheet = inputs.get(Sheet, FLUID)
        same = self.offered is not None and self.offered.is_same(offered)
        if sheet is not None:
            same = same and self.sheet is not None and self.sheet.is_same(sheet)
        if not (same and self.viscosity.steady):
            viscosity = np.broadcast_to(
                self.viscosity.at(self.mesh.place(t), known), self.seeping.shape
            )
            self.seeping.fill(offered, sheet, viscosity, self.density)
            self.sheet = None if sheet is None else sheet.set_aside()
            self.offered = offered if offered.steady else offered.set_aside()
        self.givers = mass_given(self.problem, inputs, self.seeping.live)

    def _book(self, state: State, u: Array, v: Array) -> None:
        """Store what passes faces and pieces (m3/s)."""
        pieces, through = self.mesh.pieces, self.array(state, "through")
        through[:] = 0.0
        for n, velocity, axis in zip(self.seeping.nodes, (u, v), "xy", strict=True):
            np.multiply(velocity, n.inner, out=self.array(state, f"flow_{axis}"))
            for _, piece, outward in n.passing(velocity):
                through[self.in_whole[piece]] = outward * pieces.area[piece]

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        def field(name: str) -> Array:
            return state.fields[self.names[name]]

        if what.kind is Pressure:
            return Pressure(field("p"))
        fed = np.asarray(sum(self.givers.values()))[None] if self.givers else None
        begun, ended = (state.numbers.get(self.problem.state_name(n)) for n in ("from", "to"))
        return Carrier(
            Flows(*(field(n) for n in FLOWS)),
            field("u"),
            field("v"),
            self.mesh.volume / np.maximum(self.mesh.full_volume, 1e-300),
            before=Flows(*(field(f"{n}_before") for n in FLOWS)),
            span=None if begun is None or ended is None else (begun, ended),
            fed=fed,
        )

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        span = t1 - t0 if t1 > t0 else 1.0
        budget = Budget("kg" if t1 > t0 else "kg/s", label="Mass")
        through = self.array(state, "through")
        cross_edges(budget, self.problem.whole, span * self.density * through)
        for giver, mass in self.givers.items():
            budget.give(giver, span * float(mass.sum()))
        return {"mass": budget}

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """Mass through faces (kg/s), and what openings and others give."""
        pieces = self.problem.whole.pieces
        x, y, through = (self.density * self.array(state, n) for n in FLOWS)
        gained = np.zeros(x.shape)
        np.add.at(gained, (pieces.j, pieces.i), -through)
        for mass in self.givers.values():
            gained += mass
        return Crossing(x, y, gained)

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.names["p"]: (-1e12, 1e12)}
