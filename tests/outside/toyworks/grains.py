"""Phases with a law between them, a colour that lives in one, and media that differ by zone."""

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Carrier,
    Condition,
    Field,
    Finding,
    Flows,
    Medium,
    MemberKind,
    Need,
    Pairing,
    Param,
    Phenomenon,
    Provides,
    Work,
)
from underkettle.engine.transport import Carried, TransportSolver


class _Rests:
    """Nothing evolves and nothing is booked."""

    def start(self, state):
        """It has no arrays."""

    def limit(self, state, inputs):
        return np.inf, "it rests"

    def advance(self, state, t0, t1, inputs):
        return self.relax(state, inputs)

    def relax(self, state, inputs):
        return Work()

    def balance(self, state, t0, t1):
        return {}

    def terms(self, state, inputs, member=""):
        return {}

    def limits(self):
        return {}


def _stuck(facts):
    settings = facts.settings("grains")
    if not any(pair["drag"] for pair in settings["pairs"].values()):
        yield Finding("doubt", "No grain goes along.", "Every drag is nothing.", column="grains")


class Grains(Phenomenon):
    """Phases that creep along with the stream, each as much as the law between the two says."""

    name = label = "grains"
    summary = "toy phases"
    about = "Toy grains beside their fluid."
    does = "phases"
    equation = r"\mathbf u_g = \textstyle\sum_l k_{lg}\,\mathbf u"
    source = "a share of the stream, by pairs"
    member_kinds = (
        MemberKind("liquid", key="liquids", column=False),
        MemberKind("grain", key="members", column=False),
    )
    pairings = (Pairing(("liquid", "grain"), (Param("drag", default=0.5, why="half of it"),)),)
    audit = (AuditRule("no grain goes along", _stuck),)

    def provides(self, settings):
        return [Provides(Carrier, grain) for grain in settings["members"]]

    def needs(self, settings):
        return [Need(Carrier, FLUID)]

    def fields(self, settings):
        return []

    def default(self, place, on, member, facts):
        return Absent()

    def build(self, problem):
        return _GrainSolver(problem)


class _GrainSolver(_Rests):
    def __init__(self, problem):
        self.mesh, self.settings = problem.mesh, problem.settings()
        self.pieces = problem.whole.pieces.j.size
        self.names = [problem.state_name(n) for n in ("x", "y", "through")]

    def start(self, state):
        for name in self.names:
            through = name.endswith("through")
            state.fields[name] = np.zeros(self.pieces if through else self.mesh.shape)

    def relax(self, state, inputs):
        for name, flow in zip(self.names, inputs.get(Carrier, FLUID).volume, strict=True):
            state.fields[name] = flow.copy()
        return Work()

    def offer(self, what, state):
        share = sum(p["drag"] for n, p in self.settings["pairs"].items() if n.endswith(what.of))
        volume = Flows(*(share * state.fields[n] for n in self.names))
        zero = np.zeros(self.mesh.shape)
        return Carrier(volume, zero, zero, zero)


def _colourless(facts):
    kinds = {facts.kind(e, "tint") for e in facts.edges()}
    starts = [facts.start(z, "tint").get("value", 0.0) for z in facts.zones()]
    if "in" not in kinds and not any(starts):
        yield Finding("doubt", "There is no colour.", "None enters, none is there.", column="tint")


class Tint(Phenomenon):
    """A colour that clings to one phase."""

    name = label = "tint"
    summary = "a toy colour"
    about = "A toy colour that lives in one phase."
    equation = r"\partial_t c + \nabla\cdot(\mathbf u_g c) = 0"
    source = "conservation of a scalar"
    settings = (Param("of", kind="text", default="sand", why="it is what is dyed"),)
    conditions = (
        Condition("sealed", "edge", "sealed"),
        Condition("in", "edge", "{value} in", (Param("value", "number", "formula"),), carries="in"),
        Condition("out", "edge", "out", carries="out"),
        Condition("start", "start", "{value}", (Param("value", "number", "formula"),)),
    )
    audit = (AuditRule("no colour", _colourless),)

    def needs(self, settings):
        return [Need(Carrier, settings["of"]), *self.gets(["tint"])]

    def fields(self, settings):
        return [Field("tint", "c", "number", arrays=("tint.c",))]

    def quantities(self, settings):
        return {"tint": "volume flow"}

    def default(self, place, on, member, facts):
        if on == "start":
            return Assumed("start", "bare", {"value": "0"})
        if on == "edge":
            return Assumed("out" if facts.through(place) == "out" else "sealed", "nothing said")
        return Absent()

    def build(self, problem):
        given = Carried(
            "", "tint", "c", 0.0, 0.0, unit="", amount="m3", phase=problem.settings()["of"]
        )
        return TransportSolver(problem, [given])


class Coat(Phenomenon):
    """A medium of one viscosity, in one zone or everywhere."""

    name = label = "coat"
    summary = "a toy medium"
    about = "A toy medium for one zone."
    does = "phases"
    equation = r"\mu = \mu_0"
    source = "it is given"
    settings = (
        Param("zone", kind="place", among="zone", optional=True, label="where it is"),
        Param("viscosity", "viscosity", above=0.0),
    )

    def provides(self, settings):
        zone = settings.get("zone")
        return [Provides(Medium, FLUID, zone and (zone,))]

    def fields(self, settings):
        return []

    def default(self, place, on, member, facts):
        return Absent()

    def build(self, problem):
        return _CoatSolver(problem)


class Paste(Coat):
    """Another one."""

    name = label = "paste"
    about = "A toy medium for another zone."
    does = "phases"


class _CoatSolver(_Rests):
    def __init__(self, problem):
        self.mesh, self.viscosity = problem.mesh, problem.settings()["viscosity"]

    def offer(self, what, state):
        one = np.ones(self.mesh.shape)
        return Medium(1000.0 * one, self.viscosity * one)
