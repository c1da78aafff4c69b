"""Radiation: heat that goes straight from place to place, through what absorbs it."""

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
    Need,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Solver,
    Source,
    Temperature,
    Term,
)
from underkettle.phenomena.radiation.audit import RULES
from underkettle.phenomena.radiation.papers import PAPERS, held

COOL = "293.15 K"


class Radiation(Phenomenon):
    """What is sent out where it is warm and taken up elsewhere, by the first moments of intensity."""

    name = "radiation"
    label = "Radiation"
    summary = "radiated heat"
    about = "Heat that hot gas and walls send each other, and how much cooler a flame is for it."
    does = "carries"
    equation = (
        r"\nabla\cdot\Big(\frac{1}{3\kappa}\nabla G\Big)=\kappa\,(G-4\sigma T^4),"
        r"\quad q=\kappa\,(G-4\sigma T^4)"
    )
    source = (
        "first two moments of intensity (P1; Marshak 1947 at walls), grey; gases by Smith, Shen & "
        "Friedman 1982"
    )
    settings = (
        Param(
            "absorption",
            "area per volume",
            "formula",
            label="absorbed by soot, dust and the like",
            default="0 1/m",
            why="nothing but the water and carbon dioxide of the gas, where they are followed",
            least=0.0,
            law="old",
            symbol=r"\kappa",
        ),
        Param(
            "path",
            "length",
            label="mean path through the gas",
            optional=True,
            above=0.0,
            why="3.6 times volume over walls (Hottel, from memory)",
            symbol="s",
        ),
    )
    conditions = (
        Condition(
            "sends back",
            "edge",
            "sends back",
            label="sends all back, as mirrors and lagged walls do",
            tex=r"\partial G/\partial n=0",
        ),
        Condition(
            "wall",
            "edge",
            "at {temperature}, emissivity {emissivity}",
            (
                Param(
                    "temperature",
                    "temperature",
                    "formula",
                    label="temperature",
                    live=True,
                    law="old",
                    above=0.0,
                ),
                Param(
                    "emissivity",
                    "number",
                    "formula",
                    label="emissivity",
                    default="0.8",
                    why="of oxidised steel and of brick (common practice)",
                    live=True,
                    law="old",
                    above=0.0,
                    most=1.0,
                ),
            ),
            label="a wall that takes and sends",
            tex=r"-\frac{1}{3\kappa}\frac{\partial G}{\partial n}="
            r"\frac{<emissivity>}{2(2-<emissivity>)}(G-4\sigma <temperature>^4)",
        ),
        Condition(
            "opens",
            "edge",
            "opens to {temperature}",
            (
                Param(
                    "temperature",
                    "temperature",
                    "formula",
                    default=COOL,
                    label="temperature of what lies beyond",
                    why="nothing warm lies beyond",
                    live=True,
                    law="old",
                    above=0.0,
                ),
            ),
            label="opens to what is black",
            tex=r"-\frac{1}{3\kappa}\frac{\partial G}{\partial n}="
            r"\tfrac12(G-4\sigma <temperature>^4)",
        ),
    )
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "diffusion",
            r"\nabla\cdot(\tfrac{1}{3\kappa}\nabla G)",
            "from other places, walls included",
            "heat source",
        ),
        Term("made", r"\kappa(4\sigma T^4-G)", "sent out less what is taken up", "heat source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Source, "heat")]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Temperature, FLUID, at="old"),
            Need(Composition, FLUID, at="old", optional=True),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "incident",
                "G",
                "heat flux",
                arrays=("radiation.incident",),
                label="Radiation from all sides",
                chief=True,
            ),
            Field(
                "absorption",
                r"\kappa",
                "area per volume",
                arrays=("radiation.absorbs",),
                label="Absorption coefficient",
            ),
            Field(
                "radiates",
                "-q",
                "heat source",
                arrays=("radiation.loses",),
                label="Radiated away",
                centred=True,
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"radiation": "power"}

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return ["radiation"]

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def step_work(self, mesh: Any, settings: Mapping[str, Any]) -> float:
        return 1e-3 + 3e-6 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on != "edge":
            return Absent()
        warm, passes = held(place, facts), facts.through(place)
        if passes == "in" and warm is not None:
            why = "what comes is as warm before it enters, and black (common practice)"
            return Assumed("opens", why, {"temperature": f"{warm:.6g} K"})
        if passes:
            return Assumed("sends back", "what lies beyond is as warm as what is here")
        if warm is not None and not facts.on_axis(place):
            why = "as warm as heat has the wall; oxidised steel, brick (common practice)"
            return Assumed("wall", why, {"temperature": f"{warm:.6g} K", "emissivity": "0.8"})
        return Assumed("sends back", "a lagged wall gets as warm as to send back what reaches it")

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.radiation.solver import RadiationSolver

        return RadiationSolver(problem)
