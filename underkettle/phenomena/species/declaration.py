"""The species phenomenon: any number of dilute ones, each with its own ledger column."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Another,
    Assumed,
    Carrier,
    Composition,
    Condition,
    Default,
    Facts,
    Field,
    MemberKind,
    Missing,
    Need,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Provides,
    Solver,
    Stuff,
    Term,
    Turbulence,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.matter.reaction import atoms_of
from underkettle.phenomena.species.audit import RULES
from underkettle.phenomena.species.papers import PAPERS
from underkettle.quantities.words import upper_first

_VALUE = Param("value", "concentration", "formula", label="concentration", live=True, law="old")
_BACK = Param(
    "value",
    "concentration",
    "formula",
    default="0 mol/m3",
    label="in what comes back",
    why="what lies behind the outlet is taken to be clean",
    live=True,
)


class Species(Phenomenon):
    """Carried, spread, made and used up, without acting back on the stream."""

    name = "species"
    label = "Species"
    summary = "dilute"
    about = "How dissolved matter is carried, spreads, reacts and is taken up by walls."
    equation = (
        r"\frac{\partial c}{\partial t}+\nabla\cdot(\mathbf u c)="
        r"\nabla\cdot(\mathbf D\nabla c)+s-kc"
    )
    source = "conservation of a dilute species with Fick's law"
    member_kinds = (
        MemberKind(
            "species",
            (
                Param(
                    "diffusivity",
                    "area per time",
                    "formula",
                    label="diffusivity",
                    least=0.0,
                    law="old",
                    symbol="D",
                ),
                Param(
                    "diffusivity_y",
                    "area per time",
                    "formula",
                    label="diffusivity in y",
                    optional=True,
                    least=0.0,
                    law="old",
                    why="the same in every direction unless given",
                    symbol="D_y",
                ),
                Param(
                    "formula",
                    kind="text",
                    label="formula",
                    optional=True,
                    why="as C10H16; its name, where that reads as one",
                ),
            ),
        ),
    )
    conditions = (
        Condition(
            "sealed", "edge", "sealed", label="sealed, no flux", tex=r"D\,\partial c/\partial n=0"
        ),
        Condition(
            "held value",
            "edge",
            "held at {value}",
            (_VALUE,),
            label="held at a value",
            tex="c=<value>",
        ),
        Condition(
            "flux",
            "edge",
            "{flux} in",
            (
                Param(
                    "flux",
                    "amount flux",
                    "formula",
                    label="flux into the vessel",
                    live=True,
                    law="old",
                ),
            ),
            label="given flux",
            tex=r"D\,\partial c/\partial n=<flux>",
        ),
        Condition(
            "reacting wall",
            "edge",
            "used up at {film}",
            (
                Param(
                    "film",
                    "speed",
                    "formula",
                    label="rate constant",
                    live=True,
                    least=0.0,
                    law="old",
                ),
                Param(
                    "ambient",
                    "concentration",
                    "formula",
                    default="0 mol/m3",
                    label="concentration it stops at",
                    why="the reaction runs to the end",
                ),
            ),
            label="first-order wall reaction",
            tex=r"D\,\partial c/\partial n=<film>\,(<ambient>-c)",
        ),
        *taken_along("c", "brings {value}", (_VALUE,), _BACK),
        Condition("inert", "zone", "nothing reacts", label="nothing reacts", tex="s=0,\\ k=0"),
        Condition(
            "made",
            "zone",
            "{source} made, {loss} lost",
            (
                Param(
                    "source",
                    "amount source",
                    "formula",
                    default="0 mol/(m3 s)",
                    label="made",
                    law="old",
                    why="nothing reacts unless said",
                ),
                Param(
                    "loss",
                    "rate",
                    "formula",
                    default="0 1/s",
                    label="first-order loss",
                    law="old",
                    why="nothing reacts unless said",
                    least=0.0,
                ),
            ),
            label="made and used up",
            tex=r"s=<source>,\ k=<loss>",
        ),
        Condition(
            "start", "start", "{value}", (_VALUE,), label="at the start", tex="c(t{=}0)=<value>"
        ),
    )
    audit = RULES
    papers = PAPERS
    terms = (
        Term("convection", r"-\nabla\cdot(\mathbf u c)", "carried by the stream", "amount source"),
        Term(
            "diffusion",
            r"\nabla\cdot(\mathbf D\nabla c)",
            "spread, walls included",
            "amount source",
        ),
        Term("made", r"s-kc", "made less used up", "amount source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Composition, FLUID)]

    def matter(self, settings: Mapping[str, Any]) -> dict[str, Stuff]:
        return {
            name: Stuff(f"{self.name}.{name}", atoms_of(str(member.get("formula") or name)))
            for name, member in settings.get("members", {}).items()
        }

    def another(self, substance: str, typed: Mapping[str, Any]) -> Another | None:
        """Spreads as the first does."""
        first = next(iter(typed.get("members", {}).values()), None)
        if not isinstance(first, Mapping):
            return None
        spreads = {n: v for n, v in first.items() if n.startswith("diffusivity")}
        return Another("members", spreads, {"kind": "carried in", "value": "0 mol/m3"})

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
                f"c_{m.id}",
                "concentration",
                arrays=(f"species.{m.id}.c",),
                label=upper_first(m.label),
                chief=True,
            )
            for m in self.members(settings)
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {m.id: "amount flow" for m in self.members(settings)}

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return list(self.quantities(settings))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("the stream enters here: say how much it brings, 0 mol/m3 included")
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            if passes == "?":
                return Assumed("sealed", "until the stream through it is known")
            return Assumed("sealed", "walls let nothing through unless something else is said")
        if on == "zone":
            return Assumed("inert", "nothing is made or used up unless said")
        if on == "start":
            return Assumed("start", "clean at the start", {"value": "0 mol/m3"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.species.solver import SpeciesSolver

        return SpeciesSolver(problem)
