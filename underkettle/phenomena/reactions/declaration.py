"""Reactions: written as people write them, each with its law, active where the case says."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Composition,
    Condition,
    Default,
    Facts,
    Field,
    MemberKind,
    Need,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Provides,
    Solver,
    Source,
    Temperature,
    Turbulence,
)
from underkettle.phenomena.reactions.audit import RULES
from underkettle.phenomena.reactions.known import known_sets
from underkettle.phenomena.reactions.mechanism import by_area, gives_heat, names_in, unfollowed
from underkettle.phenomena.reactions.papers import PAPERS
from underkettle.phenomena.reactions.places import ON_WALL

SWEEPS = 80  # in which what reacts and warms itself comes to rest, lighting included
_SHARE = Param(
    "share",
    "number",
    "formula",
    default="1",
    label="as fast as told, times",
    why="it runs as its law says",
    least=0.0,
    live=True,
)


class Reactions(Phenomenon):
    """What changes into what, how fast, and what heat that gives off."""

    name = "reactions"
    label = "Reactions"
    summary = "what changes into what"
    about = "How fast what is carried changes into something else, where, and with what heat."
    does = "changes"
    equation = (
        r"r_j=A_j T^{n_j}e^{-E_j/RT}\Big(\prod_i c_i^{a_{ij}}-\tfrac1{K_j}\prod_i c_i^{b_{ij}}\Big),"
        r"\quad s_i=\sum_j\nu_{ij}r_j,\quad q=\sum_j q_j r_j"
    )
    source = "mass action with orders of its own; reverse rates from Gibbs energies"
    settings = (
        Param(
            "temperature",
            "temperature",
            label="temperature",
            optional=True,
            why="that of the stream where heat is solved for",
            symbol="T",
        ),
        Param(
            "unfollowed",
            kind="text",
            optional=True,
            label="take part unfollowed",
            why="names of what there is plenty of, or nobody asks for: the rest of a mixture, a "
            "solid; their order counts for nothing",
        ),
    )
    member_kinds = (
        MemberKind(
            "reaction",
            (
                Param("written", kind="text", label="written as"),
                Param(
                    "constant",
                    kind="text",
                    label="rate constant",
                    symbol="A",
                ),
                Param(
                    "exponent",
                    default="0",
                    label="exponent of temperature",
                    why="the constant is one unless a law says more",
                    symbol="n",
                ),
                Param(
                    "activation",
                    "molar energy",
                    default="0 J/mol",
                    label="activation energy",
                    why="as fast at any temperature unless said",
                    symbol="E",
                ),
                Param(
                    "orders",
                    kind="text",
                    optional=True,
                    label="orders",
                    why="the amounts on the left unless given, as CH4 0.2, O2 1.3",
                ),
                Param(
                    "counts",
                    kind="text",
                    optional=True,
                    label="among M, some count",
                    why="each molecule that helps counts once unless told, as H2 2.5, H2O 12",
                ),
                Param(
                    "few_constant",
                    kind="text",
                    optional=True,
                    label="rate constant where M is scarce",
                    why="one law however many help; with it the other holds where they are plenty",
                    symbol="A_0",
                ),
                Param(
                    "few_exponent",
                    default="0",
                    label="exponent where M is scarce",
                    why="the constant is one unless a law says more",
                    symbol="n_0",
                ),
                Param(
                    "few_activation",
                    "molar energy",
                    default="0 J/mol",
                    label="activation energy where M is scarce",
                    why="as fast at any temperature unless said",
                    symbol="E_0",
                ),
                Param(
                    "broadening",
                    kind="text",
                    optional=True,
                    label="broadening between",
                    why="none unless told, as 0.5, or 0.73 94 K 1756 K 5182 K (Gilbert, Luther & Troe "
                    "1983)",
                ),
                Param(
                    "reverses",
                    kind="flag",
                    default=False,
                    label="runs back, too",
                    why="one way unless said; how fast it runs back follows from Gibbs energies",
                ),
                Param(
                    "heat",
                    "molar energy",
                    optional=True,
                    label="heat given off",
                    why="from enthalpies of formation where those of all are known, else none",
                    symbol="q",
                ),
                Param(
                    "mixing",
                    "number",
                    optional=True,
                    label="no faster than eddies mix, times",
                    why="as fast as its law, however slowly eddies mix what takes part; 4 is usual "
                    "(Magnussen & Hjertager 1976, from memory)",
                    symbol="A_m",
                    above=0.0,
                    live=True,
                ),
                Param(
                    "coldest",
                    "temperature",
                    optional=True,
                    label="holds from",
                    why="no end unless its source tells one",
                ),
                Param(
                    "hottest",
                    "temperature",
                    optional=True,
                    label="holds up to",
                    why="no end unless its source tells one",
                ),
                Param(
                    "source",
                    kind="text",
                    optional=True,
                    label="where its numbers come from",
                    why="nobody has said",
                ),
            ),
            key="reactions",
            known=known_sets,
        ),
    )
    conditions = (
        Condition("rests", "zone", "does not run", label="does not run", tex="r=0"),
        Condition(
            "runs",
            "zone",
            "runs, {share} times",
            (_SHARE,),
            label="runs in the open",
            tex=r"r\times<share>",
        ),
        Condition("inert", "edge", "inert", label="an inert wall", tex="r=0"),
        Condition(
            ON_WALL,
            "edge",
            "runs, {share} times",
            (
                Param(
                    "share",
                    "number",
                    "formula",
                    default="1",
                    label="surface, over the wall's own, times",
                    why="a smooth wall",
                    least=0.0,
                    live=True,
                ),
            ),
            label="runs on the wall",
            tex=r"-D_i\partial c_i/\partial n=-\nu_i\,r\times<share>",
        ),
        Condition(
            "on a surface",
            "zone",
            "runs on {area} of surface, {share} times",
            (
                Param(
                    "area",
                    "area per volume",
                    "formula",
                    label="area in a volume of the zone",
                    above=0.0,
                ),
                _SHARE,
            ),
            label="runs on a surface",
            tex=r"r\,<area>\times<share>",
        ),
        Condition(
            "in grains",
            "zone",
            "runs in grains of {grain}, {filled} of the zone",
            (
                Param("grain", "length", label="diameter of grains", above=0.0),
                Param("inside", "area per time", label="diffusivity inside them", above=0.0),
                Param(
                    "filled",
                    default="0.6",
                    label="share of the zone that is grain",
                    above=0.0,
                    most=1.0,
                    why="of balls as they fall (common practice)",
                ),
                _SHARE,
            ),
            label="runs in grains",
            tex=r"\eta(\phi)\,r\,<filled>\times<share>",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        found = [Provides(Source, name) for name in names_in(settings)]
        if gives_heat(settings):
            found.append(Provides(Source, "heat"))
        return found

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Composition, FLUID, at="old"),
            Need(Temperature, FLUID, at="old", optional=True),
            Need(Pores, FLUID, optional=True),
            Need(Turbulence, FLUID, at="old", optional=True),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            *(
                Field(
                    f"{m.id}_rate",
                    f"r_{m.id}",
                    "amount source",
                    arrays=(f"reactions.{m.id}.rate",),
                    label=f"Rate of {m.label}",
                    chief=k == 0,
                )
                for k, m in enumerate(self.members(settings))
            ),
            Field(
                "heat_of_reaction",
                "q",
                "heat source",
                arrays=("reactions.warms",),
                label="Heat of reaction",
                centred=True,
            ),
        ]

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return SWEEPS, 4e-5 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        settings = facts.settings(self.name)
        surface = by_area(settings[self.name].get(member, {}), unfollowed(settings))
        if on == "edge" and surface and not facts.through(place) and not facts.on_axis(place):
            return Assumed("inert", "a wall does nothing unless said")
        if on != "zone":
            return Absent()
        if facts.blocked(place):
            return Assumed("rests", "no stream passes it")
        if surface:
            return Assumed("rests", "its constant is one of a surface: say where that is")
        return Assumed("runs", "reactions run wherever the stream is, unless said", {"share": "1"})

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.reactions.solver import ReactionSolver

        return ReactionSolver(problem)
