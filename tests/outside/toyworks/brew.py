"""Reactions in one zone that warm it: members without columns, and values of every kind."""

import csv
import io

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    AuditRule,
    Field,
    Finding,
    MemberKind,
    Need,
    Pairing,
    Param,
    Phenomenon,
    Provides,
    Source,
    Temperature,
    Work,
    own_steps,
)
from underkettle.quantities.table import Table


def _cold(facts):
    settings = facts.settings("brew")
    if not any(r["heat"] for r in settings["reactions"].values()):
        yield Finding("doubt", "No reaction gives heat.", "Nothing will happen.", column="brew")


class Brew(Phenomenon):
    name = "brew"
    label = "Brew"
    summary = "toy reactions"
    about = "Toy reactions that give heat to whoever takes it."
    does = "changes"
    equation = r"q=\sum_i q_i\,a(T)\,s(t)"
    source = "made up for a test"
    settings = (
        Param("tank", kind="place", among="zone", label="where it brews"),
        Param("vigour", kind="table", over="temperature", label="vigour over temperature", least=0),
        Param("record", kind="file", optional=True, label="strength over time, as CSV in s"),
        Param("liquor", kind="material", optional=True, label="what it brews in"),
        Param("draught", kind="gas", optional=True, label="the air above"),
        Param("pace", "time", optional=True, above=0, label="its own longest step"),
        Param(
            "shares",
            kind="list",
            default="1, 0.5",
            least=0,
            label="shares of the dose",
            why="a large and a small one",
        ),
    )
    member_kinds = (
        MemberKind(
            "reaction",
            (Param("heat", "heat source", "formula", law="old", label="heat given off"),),
            key="reactions",
            column=False,
        ),
    )
    pairings = (
        Pairing(
            ("reaction", "reaction"),
            (
                Param(
                    "hinders", default=0.0, least=0, label="hinders", why="they ignore each other"
                ),
            ),
        ),
    )
    audit = (AuditRule("nothing brews", _cold),)

    def provides(self, settings):
        return [Provides(Source, "heat", (settings["tank"],))]

    def needs(self, settings):
        return [Need(Temperature, FLUID, at="old")]

    def fields(self, settings):
        return [Field("brewed", "Q", "kg m^-1 s^-2", arrays=("brew.given",))]

    def default(self, place, on, member, facts):
        return Absent()

    def build(self, problem):
        return _Solver(problem)


def _record(text):
    rows = [(float(t), float(v)) for t, v in csv.reader(io.StringIO(text))]
    return Table(*zip(*rows, strict=True))


class _Solver:
    def __init__(self, problem):
        self.problem, self.mesh = problem, problem.mesh
        self.settings = s = problem.settings()
        self.inside = self.mesh.zone_cells(s["tank"])[0]
        self.strength = _record(s["record"].text) if "record" in s else None
        self.names = [problem.state_name(n) for n in ("rate", "given")]
        self.share = sum(s["shares"]) / max(sum(p["hinders"] for p in s["pairs"].values()), 1.0)
        self.reads = frozenset().union(*(r["heat"].reads for r in s["reactions"].values()))

    def start(self, state):
        for name in self.names:
            state.fields[name] = np.zeros(self.mesh.shape)

    def limit(self, state, inputs):
        return np.inf, "it waits for nobody"

    def _rate(self, state, t, inputs):
        """W/m3 in every cell."""
        temperature = inputs.get(Temperature, FLUID).value[0]
        known = self.problem.known(state, self.reads) if self.reads else {}
        here = self.mesh.place(t)
        heat = sum(r["heat"].at(here, known) for r in self.settings["reactions"].values())
        strength = 1.0 if self.strength is None else self.strength.evaluate(t)
        found = self.share * strength * heat * self.settings["vigour"].evaluate(temperature)
        liquor = self.settings.get("liquor")
        if liquor is not None:  # thick liquor brews slowly
            found = (
                found * liquor.value("viscosity", 293.15) / liquor.value("viscosity", temperature)
            )
        return np.where(self.inside, found, 0.0)

    def advance(self, state, t0, t1, inputs):
        rate, given = (state.fields[n][0] for n in self.names)
        rate[:] = 0.0
        parts = own_steps(t0, t1, self.settings.get("pace", np.inf))
        for a, b in parts:
            rate += (b - a) / (t1 - t0) * self._rate(state, 0.5 * (a + b), inputs)
        given += (t1 - t0) * rate
        return Work(parts=len(parts))

    def relax(self, state, inputs):
        state.fields[self.names[0]][0] = self._rate(state, state.time, inputs)
        return Work()

    def offer(self, what, state):
        return Source(state.fields[self.names[0]] * self.mesh.volume)

    def balance(self, state, t0, t1):
        return {}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {}
