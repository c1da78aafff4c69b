"""Mean age: what flows grows older by a second each second, is carried and spread."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Carrier,
    Condition,
    Default,
    Estimate,
    Facts,
    Field,
    Finding,
    Need,
    Paper,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Solver,
    Term,
    Turbulence,
)
from underkettle.paper.flow import passing_time

_NEW = Param(
    "value",
    "time",
    "formula",
    default="0 s",
    label="age it brings",
    why="age counts from where it enters",
    live=True,
)


def _still(facts: Facts) -> Iterator[Finding]:
    if not facts.carried():
        yield Finding(
            "doubt",
            "Nothing flows, so everything is as old as the run.",
            "Age needs a stream that renews what is in the vessel; none is switched on.",
            column="age",
        )


def _no_way_out(facts: Facts) -> Iterator[Finding]:
    if "steady" not in facts.modes("age") or not facts.carried():
        return
    unsaid = [e for e in facts.edges() if facts.state(e, "age") == "missing"]
    leaves = any(facts.kind(e, "age") == "carried out" for e in facts.edges())
    if not unsaid and not leaves:
        yield Finding(
            "stops",
            "Age can settle nowhere.",
            "A mean age at rest needs an edge through which the stream leaves.",
            column="age",
        )


def _never_renewed(facts: Facts) -> Iterator[Finding]:
    if "steady" in facts.modes("age") and facts.settings("age")["diffusivity"] <= 0:
        yield Finding(
            "doubt",
            "Without spreading, what turns in an eddy is never renewed.",
            "Its age then is whatever the grid's own errors make of it.",
            column="age",
            cure=(("phenomena/age/diffusivity", "1e-9 m2/s"),),
            cure_label="Spread as small molecules do (common practice)",
        )


def _mean(facts: Facts, readout: Any) -> Estimate | None:
    """What leaves, on average over all that leaves: volume over flow, whatever the stream does."""
    if readout.kind != "mean" or readout.field != "age" or facts.inflow() <= 0:
        return None
    if facts.through(readout.place or "") != "out":
        return None
    alone = [e for e in facts.edges() if facts.through(e) == "out"] == [readout.place]
    flows = getattr(readout, "weight", "") == "flow"
    return Estimate(
        passing_time(facts.pore_volume(), facts.inflow()),
        alone and flows and "steady" in facts.modes("age"),
        "exact at rest for the mean by flow over the only outlet, nothing old entering",
    )


class Age(Phenomenon):
    """The mean age of what flows: dead corners show without a run of tracer."""

    name = "age"
    label = "Mean age"
    summary = "since it entered"
    about = "How long what is in each place has been in the vessel; dead corners and short cuts."
    does = "carries"
    equation = (
        r"\varepsilon\frac{\partial a}{\partial t}+\nabla\cdot(\mathbf u a)="
        r"\nabla\cdot(\mathbf D\nabla a)+\varepsilon"
    )
    source = "Danckwerts 1958; Liu & Tilton 2010, AIChE J. 56 (from memory)"
    settings = (
        Param(
            "diffusivity",
            "area per time",
            "formula",
            label="diffusivity",
            default="1e-9 m2/s",
            why="of small molecules in liquids (common practice); it renews what turns in eddies",
            least=0.0,
            law="old",
            symbol="D",
        ),
    )
    conditions = (
        Condition("sealed", "edge", "sealed", label="sealed", tex=r"D\,\partial a/\partial n=0"),
        Condition(
            "carried in",
            "edge",
            "enters at {value}",
            (_NEW,),
            label="enters",
            carries="in",
            tex="a=<value>",
        ),
        Condition(
            "carried out",
            "edge",
            "leaves as old as it is",
            (_NEW,),
            label="leaves",
            carries="out",
            tex=r"\partial a/\partial n=0",
        ),
        Condition(
            "ages",
            "zone",
            "ages",
            (
                Param(
                    "source",
                    "number",
                    "formula",
                    default="1",
                    label="seconds per second",
                    why="time passes alike everywhere; 0 counts only what is elsewhere",
                    least=0.0,
                ),
            ),
            label="grows older",
            tex=r"s=<source>",
        ),
        Condition(
            "start", "start", "{value}", (_NEW,), label="at the start", tex="a(t{=}0)=<value>"
        ),
    )
    audit = (
        AuditRule("nothing flows", _still),
        AuditRule("no way out", _no_way_out),
        AuditRule("never renewed", _never_renewed),
    )
    papers = (
        Paper(
            "Volume over flow",
            r"\bar a=\varepsilon V/Q",
            "balance of age (Danckwerts 1958)",
            "at rest, the mean by flow over the only outlet",
            "time",
            _mean,
        ),
    )
    terms = (
        Term("convection", r"-\nabla\cdot(\mathbf u a)", "carried by the stream", "number"),
        Term("diffusion", r"\nabla\cdot(\mathbf D\nabla a)", "spread", "number"),
        Term("made", r"\varepsilon", "grown older", "number"),
    )

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [Field("age", "a", "time", arrays=("age.a",), label="Mean age", chief=True)]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"age": "volume"}

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Assumed("carried in", "age counts from where it enters", {"value": "0 s"})
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            return Assumed("sealed", "nothing passes walls")
        if on == "zone":
            return Assumed("ages", "time passes alike everywhere", {"source": "1"})
        if on == "start":
            return Assumed("start", "new at the start", {"value": "0 s"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.engine.transport import Carried, TransportSolver

        spread = problem.settings()["diffusivity"]
        return TransportSolver(
            problem,
            [
                Carried(
                    "",
                    "age",
                    "a",
                    spread,
                    spread,
                    unit="s",
                    amount="m3 s",
                    called="age",
                    in_pores="dissolved",
                )
            ],
        )
