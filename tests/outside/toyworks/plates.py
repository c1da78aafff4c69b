"""A potential without any flow, solved by its own Newton iteration for applied values."""

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import spsolve

from underkettle.engine.contract import (
    Absent,
    Assumed,
    AuditRule,
    Budget,
    Condition,
    Crossing,
    Field,
    Finding,
    Param,
    Phenomenon,
    Potential,
    Provides,
    StepFailed,
    Work,
)
from underkettle.engine.operators.diffusion import links, steady_matrix, wall_legs
from underkettle.engine.operators.stencil import roll

STEEP = 0.05  # V


def _floating(facts):
    if not any(facts.kind(e, "plates") in ("held", "reacts") for e in facts.edges()):
        yield Finding("stops", "The potential is fixed nowhere.", "Hold an edge.", column="plates")


class Plates(Phenomenon):
    name = label = "plates"
    summary = "a toy cell"
    about = "A toy cell: potential, current and what it costs."
    does = "charge"
    equation = r"\nabla\cdot(\sigma\nabla\varphi)=0"
    source = "Ohm's law; Butler-Volmer on reacting edges"
    settings = (Param("conducts", "conductivity", above=0.0),)
    conditions = (
        Condition("insulates", "edge", "insulates"),
        Condition("held", "edge", "held at {value}", (Param("value", "voltage", "formula"),)),
        Condition(
            "reacts",
            "edge",
            "reacts at {exchange}",
            (Param("exchange", "current density", "quantity", above=0.0),),
        ),
        Condition("joined", "between", "joined"),
        Condition("drops", "between", "drops {drop}", (Param("drop", "voltage", "formula"),)),
    )
    audit = (AuditRule("fixed nowhere", _floating),)

    def provides(self, settings):
        return [Provides(Potential, "plates")]

    def fields(self, settings):
        return [Field("potential", "phi", "voltage", arrays=("plates.phi",))]

    def quantities(self, settings):
        return {"charge": "current"}

    def default(self, place, on, member, facts):
        if on == "between":
            return Assumed("joined", "nothing stands between them")
        return Assumed("insulates", "no path unless said") if on == "edge" else Absent()

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh = problem, problem.mesh
        mesh = self.mesh
        self.live = mesh.live[0]
        self.edges = problem.edge_conditions()
        held = frozenset(k for k, e in enumerate(mesh.edges) if self.edges[e].kind == "held")
        sigma = problem.settings()["conducts"]
        self.link_x, self.link_y, self.legs = links(mesh, sigma, sigma, held)
        self.value = np.zeros(self.legs.row.size)
        for k in held:
            self.value[self.legs.edge == k] = self.edges[mesh.edges[k]].values["value"].at()
        walls, pieces = wall_legs(mesh), mesh.pieces
        self.cells, self.exchange = (walls.row, walls.column), np.zeros(pieces.j.size)
        for k, edge in enumerate(mesh.edges):
            if self.edges[edge].kind == "reacts":
                rows = pieces.of(k)
                self.exchange[rows] = self.edges[edge].values["exchange"] * pieces.area[rows]
        self.lifts = [np.zeros(self.live.shape) for _ in "xy"]  # V, what the potential rises by
        for place, given in problem.divide_conditions().items():
            if given.kind == "drops":
                faces = mesh.divide(place)
                drop = np.broadcast_to(given.values["drop"].at(faces.place()), faces.x.shape)
                for lift, more in zip(self.lifts, faces.spread(drop, self.live.shape), strict=True):
                    lift -= more
        self.key = problem.state_name("phi")
        self.budget = Budget("A")

    def start(self, state):
        state.fields[self.key] = np.zeros(self.mesh.shape)

    def limit(self, state, inputs):
        return np.inf, "nothing moves"

    def advance(self, state, t0, t1, inputs):
        return self.relax(state, inputs)

    def _draw(self, phi):
        return 2.0 * self.exchange * np.sinh(np.clip(phi[self.cells] / STEEP, -40, 40))

    def _current(self, phi):
        """What passes faces along x and y (A)."""
        return (
            self.link_x * (roll(phi, 1, 1) - phi + self.lifts[0]),
            self.link_y * (roll(phi, 1, 0) - phi + self.lifts[1]),
        )

    def _residual(self, phi):
        x, y = self._current(phi)
        out = x - roll(x, -1, 1) + y - roll(y, -1, 0)
        pull = self.legs.factor * (self.value - phi[self.legs.row, self.legs.column])
        np.add.at(out, (self.legs.row, self.legs.column), pull)
        np.subtract.at(out, self.cells, self._draw(phi))
        return out

    def relax(self, state, inputs):
        phi = state.fields[self.key][0]
        diagonal, zero = np.zeros(phi.shape), np.zeros(phi.shape)
        np.add.at(diagonal, (self.legs.row, self.legs.column), self.legs.factor)
        slope = 2.0 * self.exchange / STEEP * np.cosh(np.clip(phi[self.cells] / STEEP, -40, 40))
        np.add.at(diagonal, self.cells, slope)
        matrix = steady_matrix(self.mesh, self.link_x, self.link_y, diagonal, zero, zero)
        change = spsolve(sparse.csc_array(matrix), self._residual(phi)[self.live])
        if not np.isfinite(change).all():
            raise StepFailed("potential", "the whole vessel", "not a finite number")
        phi[self.live] += np.clip(change, -2 * STEEP, 2 * STEEP)
        self._book(phi)
        return Work(1, {"potential": float(np.abs(change).max())})

    def _book(self, phi):
        self.budget = Budget("A")
        pull = self.legs.factor * (phi[self.legs.row, self.legs.column] - self.value)
        count = len(self.mesh.edges)
        out = np.bincount(self.legs.edge, pull, count)
        out += np.bincount(self.mesh.pieces.edge, self._draw(phi), count)
        for k, edge in enumerate(self.mesh.edges):
            if out[k]:
                self.budget.cross(edge, float(out[k]))

    def crossing(self, quantity, state, inputs):
        phi = state.fields[self.key][0]
        gained = np.zeros(phi.shape)
        pull = self.legs.factor * (self.value - phi[self.legs.row, self.legs.column])
        np.add.at(gained, (self.legs.row, self.legs.column), pull)
        np.subtract.at(gained, self.cells, self._draw(phi))
        return Crossing(*self._current(phi), gained)

    def offer(self, what, state):
        return Potential(state.fields[self.key])

    def balance(self, state, t0, t1):
        return {"charge": self.budget}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {self.key: (-1e3, 1e3)}
