"""Two liquids: owns a fraction, sets density and viscosity, adds a force, limits the step."""

import numpy as np

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
    Force,
    Medium,
    Need,
    Param,
    Phenomenon,
    Provides,
    Work,
)
from underkettle.engine.operators.convection import carry_scalar, courant_rate
from underkettle.engine.operators.stencil import cell_weights

LIMIT = 0.2


def _alike(facts):
    settings = facts.settings("liquids")
    if settings["heavy"] == settings["light"]:
        yield Finding(
            "doubt", "Both liquids weigh the same.", "Nothing will part them.", column="liquids"
        )


class Liquids(Phenomenon):
    name = label = "liquids"
    summary = "a toy mixture"
    about = "Two toy liquids that share a stream."
    does = "phases"
    equation = r"\partial_t f + \nabla\cdot(\mathbf u f) = 0"
    source = "conservation of volume"
    settings = (
        Param("heavy", "density", above=0.0),
        Param("light", "density", above=0.0),
        Param("thick", "viscosity", above=0.0),
        Param("gravity", "acceleration", default="-9.81 m/s2", why="on the ground"),
    )
    conditions = (
        Condition("closed", "edge", "closed"),
        Condition("start", "start", "{share} heavy", (Param("share", "number", "formula"),)),
    )
    audit = (AuditRule("both alike", _alike),)

    def provides(self, settings):
        return [Provides(Medium, FLUID), Provides(Force)]

    def needs(self, settings):
        return [Need(Carrier, FLUID, at="old")]

    def fields(self, settings):
        return [Field("heavy", "f", "number", arrays=("liquids.f",))]

    def quantities(self, settings):
        return {"heavy": "volume flow"}

    def default(self, place, on, member, facts):
        if on == "edge":
            return Assumed("closed", "nothing passes a toy's edge")
        if on == "start":
            return Assumed("start", "all light unless said", {"share": "0"})
        return Absent()

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh = problem, problem.mesh
        self.settings = problem.settings()
        self.key = problem.state_name("f")
        grid = self.mesh.grid
        self.wx, self.wy = cell_weights(grid, 0), cell_weights(grid, 1)
        self.scratch = [np.zeros(grid.nx + 3) for _ in range(3)]
        self.budget = Budget("m3")

    def start(self, state):
        field = np.zeros(self.mesh.shape)
        for zone, given in self.problem.start_conditions().items():
            inside = self.mesh.zone_cells(zone)
            value = np.broadcast_to(given.values["share"].at(self.mesh.place()), field.shape)
            field[inside] = value[inside]
        state.fields[self.key] = field

    def limit(self, state, inputs):
        carrier = inputs.get(Carrier, FLUID)
        rate = courant_rate(carrier.volume.x[0], carrier.volume.y[0], self.mesh.volume[0])
        return (LIMIT / rate if rate > 0 else 0.01), f"interface Courant number {LIMIT}"

    def advance(self, state, t0, t1, inputs):
        f, carrier, mesh = state.fields[self.key][0], inputs.get(Carrier, FLUID), self.mesh
        out = np.zeros(f.shape)
        carry_scalar(
            f,
            carrier.volume.x[0],
            carrier.volume.y[0],
            out,
            self.wx,
            self.wy,
            *self.scratch,
            *mesh.grid.repeats,
            mesh.grid.ny,
            mesh.grid.nx,
        )
        volume, live = mesh.volume[0], mesh.live[0]
        before = float((f * volume).sum())
        f[live] -= (t1 - t0) * out[live] / volume[live]
        now = float((f * volume).sum())
        self.budget = Budget("m3", stored=now - before, held=now, began=before)
        return Work(1)

    def relax(self, state, inputs):
        return Work(0)

    def offer(self, what, state):
        f, s = state.fields[self.key], self.settings
        density = s["light"] + f * (s["heavy"] - s["light"])
        if what.kind is Medium:
            return Medium(density, np.full(f.shape, s["thick"]))
        force = np.zeros(f.shape)
        face = 0.5 * (density[0, 1:] + density[0, :-1])
        force[0, 1:] = (face - s["light"]) * s["gravity"]
        return Force(np.zeros(f.shape), force)

    def balance(self, state, t0, t1):
        return {"heavy": self.budget}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {self.key: (-0.05, 1.05)}
