"""A part of the vessel that slides back and forth, whatever flows past it."""

import numpy as np

from underkettle.engine.contract import (
    Absent,
    AuditRule,
    Entry,
    Field,
    Finding,
    Listing,
    Param,
    Phenomenon,
    Shift,
    Work,
)
from underkettle.quantities import Place

BIT = 1e-6  # s, over which a speed is told


def _rests(facts):
    if facts.until("gate") is None:
        yield Finding(
            "doubt",
            f"{facts.settings('gate')['part']} never moves.",
            "No stage takes it through time.",
            column="gate",
        )


class Gate(Phenomenon):
    name = label = "gate"
    summary = "a toy slide"
    about = "A toy slide that opens and shuts a way."
    does = "moves"
    equation = r"\mathbf x_p = \mathbf s(t)"
    source = "it is driven"
    settings = (
        Param("part", kind="text", label="part that slides"),
        Param("along_x", "length", "formula", default="0 mm", why="it keeps its place unless said"),
        Param("along_y", "length", "formula", default="0 mm", why="it keeps its place unless said"),
    )
    audit = (AuditRule("never moves", _rests),)

    def moves(self, settings):
        return [settings["part"]]

    def fields(self, settings):
        return [Field("opened", "o", "number", derive=lambda mesh, state: mesh.live.astype(float))]

    def listings(self, settings):
        at = [Entry(n, "length", unit="mm") for n in "xy"]
        return [Listing("path", "gate.path", (*at, Entry("line")), label="Path", line="line")]

    def default(self, place, on, member, facts):
        return Absent()

    def build(self, problem):
        return _Solver(problem)


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh, self.settings = problem, problem.mesh, problem.settings()
        self.key = problem.state_name("path")

    def shifts(self, state, t):
        def along(name, at):
            return float(self.settings[name].at(Place(t=at)))

        x, y = (along(n, t) for n in ("along_x", "along_y"))
        u, v = ((along(n, t + BIT) - along(n, t - BIT)) / (2 * BIT) for n in ("along_x", "along_y"))
        return {self.settings["part"]: Shift(x, y, u, v)}

    def moved(self, state, geometry):
        self.mesh = geometry.mesh

    def start(self, state):
        state.tables[self.key] = np.zeros((0, 3))

    def limit(self, state, inputs):
        return float("inf"), "it is driven"

    def advance(self, state, t0, t1, inputs):
        shift = self.shifts(state, t1)[self.settings["part"]]
        here = [[shift.x, shift.y, 0.0]]
        state.tables[self.key] = np.concatenate([state.tables[self.key], here])
        return Work()

    def relax(self, state, inputs):
        return Work()

    def balance(self, state, t0, t1):
        return {}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {}
