"""The heat phenomenon: temperature in the stream and at its walls."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Carrier,
    Condition,
    Default,
    Facts,
    Field,
    Missing,
    Need,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Provides,
    Solver,
    Temperature,
    Term,
    Turbulence,
    Warmth,
)
from underkettle.engine.contract.carried import HEAT_MADE, WARMED
from underkettle.phenomena.heat.audit import RULES
from underkettle.phenomena.heat.papers import PAPERS


class Heat(Phenomenon):
    """Enthalpy of a stream and of solids in it: carried, conducted, made, lost at walls."""

    name = "heat"
    label = "Heat"
    summary = "temperature"
    about = "How warm it gets where, and what heat passes walls and openings."
    equation = (
        r"\rho c_p\left(\frac{\partial T}{\partial t}+\nabla\cdot(\mathbf u T)\right)="
        r"\nabla\cdot(\lambda\nabla T)+q"
    )
    source = "conservation of enthalpy with Fourier's law, constant properties"
    settings = (
        Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
        Param(
            "heat_capacity",
            "heat capacity",
            "formula",
            label="heat capacity",
            above=0.0,
            law="old",
            over="temperature",
            symbol="c_p",
        ),
        Param(
            "conductivity",
            "heat conductivity",
            "formula",
            label="conductivity",
            least=0.0,
            law="old",
            symbol=r"\lambda",
        ),
        Param(
            "reference",
            "temperature",
            default="293.15 K",
            label="enthalpy counts from",
            why="only differences of enthalpy matter; 20 degC keeps the numbers small",
            symbol="T_0",
        ),
    )
    conditions = (
        *WARMED,
        Condition(
            "solid",
            "zone",
            "solid, {conductivity}",
            (
                Param(
                    "conductivity",
                    "heat conductivity",
                    "formula",
                    label="conductivity",
                    above=0.0,
                    law="old",
                ),
                Param("density", "density", label="density", above=0.0),
                Param("heat_capacity", "heat capacity", label="heat capacity", above=0.0),
                replace(HEAT_MADE, default="0 W/m3", why="nothing is made in it unless said"),
            ),
            label="a solid of its own",
            tex=r"\mathbf u=0,\ \lambda=<conductivity>,\ \rho=<density>,"
            r"\ c_p=<heat_capacity>",
        ),
        Condition(
            "joined",
            "between",
            "no gap",
            label="joined without a gap",
            tex=r"[T]=0",
        ),
        Condition(
            "contact",
            "between",
            "contact of {film}",
            (
                Param(
                    "film",
                    "heat transfer coefficient",
                    "formula",
                    label="coefficient of the contact",
                    live=True,
                    above=0.0,
                    law="old",
                ),
            ),
            label="contact with a gap",
            tex=r"\lambda\,\partial T/\partial n=<film>\,[T]",
        ),
    )
    in_solids = True
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "convection",
            r"-\rho c_p\nabla\cdot(\mathbf u T)",
            "carried by the stream",
            "heat source",
        ),
        Term(
            "diffusion", r"\nabla\cdot(\lambda\nabla T)", "conducted, walls included", "heat source"
        ),
        Term("made", "q", "made", "heat source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Temperature, FLUID)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Warmth, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "temperature",
                "T",
                "temperature",
                arrays=("heat.temperature",),
                label="Temperature",
                chief=True,
            )
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"heat": "power"}

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return ["heat"]

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("the stream enters here: say how warm it is")
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            return Assumed("lagged", "walls lose nothing unless something else is said")
        if on == "zone":
            if facts.blocked(place):
                return Missing("it is solid: say how well it conducts and how much heat it holds")
            return Assumed("nothing made", "no heat is made unless said")
        if on == "between":
            return Assumed("joined", "zones touch without a gap unless said")
        if on == "start":
            return Assumed("start", "at 20 degC", {"value": "293.15 K"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.heat.solver import HeatSolver

        return HeatSolver(problem)
