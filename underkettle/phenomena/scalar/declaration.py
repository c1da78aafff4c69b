"""A transport equation whose every coefficient is the modeller's."""

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
    Facts,
    Field,
    Finding,
    MemberKind,
    Missing,
    Need,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Solver,
    Term,
    Turbulence,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.quantities.words import headed, upper_first

_VALUE = Param("value", "number", "formula", label="value", live=True, law="old")
_BACK = Param(
    "value",
    "number",
    "formula",
    default="0",
    label="of what comes back",
    why="what lies behind the outlet is taken to hold none",
    live=True,
)


def _nothing_happens(facts: Facts) -> Iterator[Finding]:
    for column in facts.columns("scalar"):
        member = facts.settings("scalar")["members"][column.partition(".")[2]]
        made = any(facts.kind(z, column) == "made" for z in facts.zones())
        if member["spread"] == 0 and (member["carried"] == 0 or not facts.carried()) and not made:
            yield Finding(
                "doubt",
                f"{headed(column.partition('.')[2])} goes nowhere.",
                "It neither spreads nor is carried, and nothing makes it.",
                column=column,
            )


class Scalar(Phenomenon):
    """Any number of unknowns without a unit, each with its own storage, carriage and spreading."""

    name = "scalar"
    label = "Own scalars"
    summary = "own coefficients"
    about = "Anything of your own that is carried and spreads, by coefficients that you type."
    equation = (
        r"a\frac{\partial c}{\partial t}+b\,\nabla\cdot(\mathbf u c)="
        r"\nabla\cdot(\Gamma\nabla c)+s-kc"
    )
    source = "the general transport equation"
    member_kinds = (
        MemberKind(
            "scalar",
            (
                Param(
                    "storage",
                    label="storage a",
                    default="1",
                    above=0.0,
                    why="a plain concentration stores itself",
                    symbol="a",
                ),
                Param(
                    "carried",
                    label="share carried b",
                    default="1",
                    least=0.0,
                    why="it goes with the stream",
                    symbol="b",
                ),
                Param(
                    "spread",
                    "area per time",
                    "formula",
                    label="spreading",
                    least=0.0,
                    law="old",
                    symbol=r"\Gamma",
                ),
                Param(
                    "spread_y",
                    "area per time",
                    "formula",
                    label="spreading in y",
                    optional=True,
                    least=0.0,
                    law="old",
                    why="the same in every direction unless given",
                    symbol=r"\Gamma_y",
                ),
            ),
        ),
    )
    conditions = (
        Condition(
            "sealed", "edge", "sealed", label="no flux", tex=r"\Gamma\,\partial c/\partial n=0"
        ),
        Condition(
            "held value",
            "edge",
            "held at {value}",
            (_VALUE,),
            label="held at a value",
            tex=r"c=<value>",
        ),
        Condition(
            "flux",
            "edge",
            "{flux} in",
            (
                Param(
                    "flux", "speed", "formula", label="flux into the vessel", live=True, law="old"
                ),
            ),
            label="given flux",
            tex=r"\Gamma\,\partial c/\partial n=<flux>",
        ),
        Condition(
            "film",
            "edge",
            "{film} to {ambient}",
            (
                Param(
                    "film", "speed", "formula", label="coefficient", live=True, least=0.0, law="old"
                ),
                Param("ambient", "number", "formula", label="surroundings", live=True, law="old"),
            ),
            label="coefficient and surroundings",
            tex=r"\Gamma\,\partial c/\partial n=<film>\,(<ambient>-c)",
        ),
        *taken_along("c", "brings {value}", (_VALUE,), _BACK),
        Condition("inert", "zone", "nothing made", label="nothing made", tex="s=0,\\ k=0"),
        Condition(
            "made",
            "zone",
            "{source} made, {loss} lost",
            (
                Param(
                    "source",
                    "rate",
                    "formula",
                    default="0 1/s",
                    label="made",
                    law="old",
                    why="nothing is made unless said",
                ),
                Param(
                    "loss",
                    "rate",
                    "formula",
                    default="0 1/s",
                    label="first-order loss",
                    law="old",
                    why="nothing is lost unless said",
                    least=0.0,
                ),
            ),
            label="made and used up",
            tex=r"s=<source>,\ k=<loss>",
        ),
        Condition(
            "start", "start", "{value}", (_VALUE,), label="at the start", tex=r"c(t{=}0)=<value>"
        ),
    )
    audit = (AuditRule("goes nowhere", _nothing_happens),)
    terms = (
        Term("convection", r"-b\,\nabla\cdot(\mathbf u c)", "carried by the stream", "rate"),
        Term("diffusion", r"\nabla\cdot(\Gamma\nabla c)", "spread, walls included", "rate"),
        Term("made", r"s-kc", "made less used up", "rate"),
    )

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                m.id,
                m.id,
                "number",
                arrays=(f"scalar.{m.id}.c",),
                label=upper_first(m.label),
                chief=True,
            )
            for m in self.members(settings)
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {m.id: "volume flow" for m in self.members(settings)}

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return list(self.quantities(settings))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("the stream enters here: say how much it brings, 0 included")
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            return Assumed("sealed", "walls let nothing through unless something else is said")
        if on == "zone":
            return Assumed("inert", "nothing is made or used up unless said")
        if on == "start":
            return Assumed("start", "none at the start", {"value": "0"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.engine.transport import Carried, TransportSolver

        return TransportSolver(
            problem,
            [
                Carried(
                    name,
                    name.replace("_", " "),
                    f"{name}.c",
                    s["spread"],
                    s.get("spread_y", s["spread"]),
                    capacity=s["storage"],
                    unit="",
                    amount="m3",
                    carry=s["carried"] / s["storage"],
                    called=name,
                    in_pores="dissolved",
                )
                for name, s in problem.settings()["members"].items()
            ],
        )
