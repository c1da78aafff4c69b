"""A scalar with edge conditions of its own and a setting per zone."""

import numpy as np
from scipy.sparse.linalg import spsolve

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Budget,
    Carrier,
    Condition,
    Field,
    Finding,
    Need,
    Param,
    Phenomenon,
    Term,
    Work,
)
from underkettle.engine.operators.convection import carry_scalar
from underkettle.engine.operators.diffusion import links, neighbours, steady_matrix, wall_legs
from underkettle.engine.operators.stencil import cell_weights


def _no_loss(facts):
    kinds = {facts.kind(e, "warmth") for e in facts.edges()}
    if kinds <= {"lagged", "passes"}:
        yield Finding(
            "doubt", "Warmth has nowhere to go.", "Every edge is lagged.", column="warmth"
        )


class Warmth(Phenomenon):
    name = label = "warmth"
    summary = "a toy scalar"
    about = "A toy warmth of its own."
    equation = r"\partial_t w + \nabla\cdot(\mathbf u w) = \nabla\cdot(a\nabla w) + g"
    source = "conservation of a scalar"
    settings = (Param("spread", "area per time", above=0.0),)
    conditions = (
        Condition("lagged", "edge", "lagged"),
        Condition("passes", "edge", "passes", through=""),
        Condition(
            "cooled",
            "edge",
            "cooled by {film} to {around}",
            (
                Param("film", "speed", "formula"),
                Param("around", "temperature", "formula", default="290 K", why="a mild day"),
            ),
        ),
        Condition(
            "glow",
            "zone",
            "glows {glow}",
            (Param("glow", "kg^0 K s^-1", "formula", default="0 K/s", why="cold unless said"),),
        ),
        Condition("start", "start", "{value}", (Param("value", "temperature", "formula"),)),
    )
    audit = (AuditRule("nowhere to go", _no_loss),)
    terms = (
        Term("carried", "-u w", "carried"),
        Term("spread", "a w''", "spread"),
        Term("walls", "h", "through walls"),
        Term("glow", "g", "made"),
    )

    def needs(self, settings):
        return [Need(Carrier, FLUID, optional=True)]

    def fields(self, settings):
        return [Field("warmth", "w", "temperature", arrays=("warmth.w",))]

    def quantities(self, settings):
        return {"warmth": "m^3 K s^-1"}

    def default(self, place, on, member, facts):
        if on == "edge":
            if facts.through(place):
                return Assumed("passes", "a stream takes its warmth along")
            return Assumed("lagged", "no loss unless said")
        if on == "zone":
            return Assumed("glow", "cold unless said")
        if on == "start":
            return Assumed("start", "a mild day", {"value": "290 K"})
        return Absent()

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh = problem, problem.mesh
        mesh = self.mesh
        self.live, self.volume = mesh.live[0], mesh.volume[0]
        spread = problem.settings()["spread"]
        self.link_x, self.link_y, _ = links(mesh, spread, spread)
        self.legs = wall_legs(mesh)
        self.edges = problem.edge_conditions()
        self.wx, self.wy = cell_weights(mesh.grid, 0), cell_weights(mesh.grid, 1)
        pieces = mesh.pieces
        self.film, self.around = np.zeros(pieces.j.size), np.zeros(pieces.j.size)
        for k, edge in enumerate(mesh.edges):
            given = self.edges[edge]
            if given.kind == "cooled":
                self.film[pieces.of(k)] = given.values["film"].at() * pieces.area[pieces.of(k)]
                self.around[pieces.of(k)] = given.values["around"].at()
        self.glow = np.zeros(self.live.shape)
        for zone, given in problem.zone_conditions().items():
            inside = mesh.zone_cells(zone)[0]
            self.glow[inside] = given.values["glow"].at() * self.volume[inside]
        self.wall, self.known = np.zeros(self.live.shape), self.glow.copy()
        cell = (self.legs.row, self.legs.column)
        np.add.at(self.wall, cell, self.film)
        np.add.at(self.known, cell, self.film * self.around)
        self.key = problem.state_name("w")
        self.budget = Budget("m3 K")

    def start(self, state):
        field = np.zeros(self.mesh.shape)
        for zone, given in self.problem.start_conditions().items():
            inside = self.mesh.zone_cells(zone)
            value = np.broadcast_to(given.values["value"].at(self.mesh.place()), field.shape)
            field[inside] = value[inside]
        state.fields[self.key] = field

    def _flows(self, inputs):
        carrier = inputs.get(Carrier, FLUID)
        zero = np.zeros(self.live.shape)
        if carrier is None:
            return zero, zero, np.zeros(self.mesh.pieces.j.size)
        return carrier.volume.x[0], carrier.volume.y[0], carrier.volume.through

    def limit(self, state, inputs):
        return 0.5, "a toy's patience"

    def _matrix(self, flow_x, flow_y, through, rate):
        diagonal = self.wall + rate * self.volume
        np.add.at(diagonal, (self.mesh.pieces.j, self.mesh.pieces.i), np.maximum(through, 0.0))
        return steady_matrix(self.mesh, self.link_x, self.link_y, diagonal, flow_x, flow_y)

    def _solve(self, state, inputs, rate, span):
        w = state.fields[self.key][0]
        flow_x, flow_y, through = self._flows(inputs)
        arriving = np.maximum(-through, 0.0) * 290.0
        known = self.known + rate * self.volume * w
        np.add.at(known, (self.mesh.pieces.j, self.mesh.pieces.i), arriving)
        before = float((w * self.volume)[self.live].sum())
        old = w.copy()
        w[self.live] = spsolve(self._matrix(flow_x, flow_y, through, rate), known[self.live])
        self._book(w, through, span)
        if rate:
            self.budget.stored = float((w * self.volume)[self.live].sum()) - before
        return float(np.abs(w - old)[self.live].max())

    def _book(self, w, through, span):
        self.budget = Budget("m3 K", held=float((w * self.volume)[self.live].sum()))
        pieces = self.mesh.pieces
        at = w[self.legs.row, self.legs.column]
        out = np.where(through >= 0, through * w[pieces.j, pieces.i], through * 290.0)
        out = out + self.film * (at - self.around)
        for k, edge in enumerate(self.mesh.edges):
            self.budget.cross(edge, span * float(out[pieces.of(k)].sum()))
        self.budget.made = span * float(self.glow.sum())

    def advance(self, state, t0, t1, inputs):
        self._solve(state, inputs, 1.0 / (t1 - t0), t1 - t0)
        return Work(1)

    def relax(self, state, inputs):
        return Work(1, {"warmth": self._solve(state, inputs, 0.0, 1.0)})

    def offer(self, what, state):
        raise LookupError(what.says)

    def balance(self, state, t0, t1):
        return {"warmth": self.budget}

    def terms(self, state, inputs, member=""):
        w = state.fields[self.key][0]
        flow_x, flow_y, through = self._flows(inputs)
        out, scratch = np.zeros(w.shape), [np.zeros(w.shape[1]) for _ in range(3)]
        flat = (np.zeros(self.wx.shape), np.zeros(self.wy.shape))
        carry_scalar(
            w,
            flow_x,
            flow_y,
            out,
            *flat,
            *scratch,
            *self.mesh.grid.repeats,
            self.mesh.grid.ny,
            self.mesh.grid.nx,
        )
        pieces = self.mesh.pieces
        edge = np.where(through >= 0, through * w[pieces.j, pieces.i], through * 290.0)
        np.add.at(out, (pieces.j, pieces.i), edge)
        arriving = np.zeros(w.shape)
        np.add.at(arriving, (pieces.j, pieces.i), np.maximum(-through, 0.0) * 290.0)
        on = self.live
        residual = np.zeros(w.shape)
        residual[on] = (self.known + arriving)[on] - (
            self._matrix(flow_x, flow_y, through, 0.0) @ w[on]
        )
        terms = {
            "carried": -out,
            "spread": neighbours(w, self.link_x, self.link_y),
            "walls": self.known - self.glow - self.wall * w,
            "glow": self.glow,
            "residual": residual,
        }
        return {n: np.where(on, a, 0.0)[None] for n, a in terms.items()}

    def limits(self):
        return {self.key: (0.0, 5000.0)}
