"""A flame at equilibrium: what it asks, assumes, shows and offers."""

from __future__ import annotations

from collections.abc import Mapping
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
)
from underkettle.engine.contract.carried import taken_along
from underkettle.phenomena.flame.audit import RULES
from underkettle.phenomena.flame.papers import PAPERS
from underkettle.phenomena.flame.seen import LOST, NITRIC, SHARE, VARIANCE, carries, fields_of

_SHARE = Param(
    "value", "number", "formula", label="share that is fuel stream, by mass", live=True, law="old"
)
_UNMIXED = Param(
    "unmixed",
    "number",
    "formula",
    default="0",
    label="not mixed through, of the most there can be",
    why="a stream of one kind, or mixed through before it enters",
    least=0.0,
    most=1.0,
    live=True,
)
_BACK = Param(
    "value",
    "number",
    "formula",
    default="0",
    label="share of fuel in what comes back",
    why="what lies behind the outlet is taken to be air",
    live=True,
)


class Flame(Phenomenon):
    """Fuel and air that burn to equilibrium as they mix."""

    name = "flame"
    label = "Flame"
    summary = "share of fuel"
    about = "Fuel and air that burn as soon as they mix: how hot, how large, what leaves."
    does = "changes"
    equation = (
        r"\frac{\partial\rho Z}{\partial t}+\nabla\cdot(\rho\mathbf u Z)=\nabla\cdot(\rho D\nabla Z),"
        r"\quad\phi=\int_0^1\phi_{eq}(Z')\,\beta(Z';Z,\overline{Z''^2})\,dZ'"
    )
    source = (
        "mixture fraction with a presumed beta distribution (Jones & Whitelaw 1982); equilibrium by "
        "the smallest Gibbs energy (Gordon & McBride 1994), both from memory"
    )
    settings = (
        Param(
            "fuel",
            kind="gas",
            default="CH4",
            label="fuel",
            why="natural gas is mostly methane (common practice)",
        ),
        Param(
            "oxidiser",
            kind="gas",
            default="air",
            label="burns with",
            why="dry air",
        ),
        Param(
            "fuel_temperature",
            "temperature",
            default="298.15 K",
            above=0.0,
            label="fuel enters at",
            why="25 degC, at which flame temperatures are told in books",
        ),
        Param(
            "oxidiser_temperature",
            "temperature",
            default="298.15 K",
            above=0.0,
            label="air enters at",
            why="25 degC, at which flame temperatures are told in books",
        ),
        Param(
            "pressure",
            "pressure",
            default="1 atm",
            above=0.0,
            label="pressure of the gas",
            why="open to the air; what a stream loses on its way is small beside it",
            symbol="p_0",
        ),
        Param(
            "richest",
            label="nothing more reacts with less air, over what is needed, than",
            optional=True,
            above=0.0,
            most=1.0,
            why="all comes to equilibrium unless said; hydrocarbons do not where air is scarce",
        ),
        Param(
            "radiates",
            kind="flag",
            default=False,
            label="loses heat by radiation, as a thin gas",
            why="no heat is lost unless said, so that temperatures stand beside those of books",
        ),
        Param(
            "around",
            "temperature",
            default="298.15 K",
            above=0.0,
            label="radiates to what is at",
            why="cold walls, at 25 degC",
        ),
        Param(
            "nitric_oxide",
            kind="flag",
            default=False,
            label="makes NO by the thermal route",
            why="nobody has asked for it",
        ),
        Param(
            "diffusivity",
            "area per time",
            "formula",
            optional=True,
            least=0.0,
            law="old",
            label="diffusivity",
            why="everything spreads as heat does (Lewis number one), by conductivity and heat capacity "
            "of what burns",
            symbol="D",
        ),
        Param(
            "density",
            "density",
            optional=True,
            above=0.0,
            label="density of a stream that keeps it",
            why="that of what burns; a number counts where the stream is held at one density",
        ),
        Param(
            "mixing",
            default="2",
            above=0.0,
            label="how fast eddies mix fuel and air, by how fast they die away",
            why="usual for round jets and pipes (from memory)",
            symbol="C_d",
        ),
    )
    conditions = (
        Condition(
            "sealed",
            "edge",
            "sealed",
            label="sealed, no flux",
            tex=r"\rho D\,\partial Z/\partial n=0",
        ),
        *taken_along("Z", "fuel {value}", (_SHARE, _UNMIXED), _BACK),
        Condition(
            "start",
            "start",
            "fuel {value}",
            (_SHARE,),
            label="at the start",
            tex="Z(t{=}0)=<value>",
        ),
    )
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "convection", r"-\nabla\cdot(\rho\mathbf u Z)", "carried by the stream", "mass source"
        ),
        Term("diffusion", r"\nabla\cdot(\rho D\nabla Z)", "spread", "mass source"),
        Term("made", "0", "none is made: elements only change their partners", "mass source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Temperature, FLUID)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        shown = {
            VARIANCE: Field(
                "variance",
                r"\overline{Z''^2}",
                "number",
                arrays=(VARIANCE,),
                label="Variance of the share of fuel",
            ),
            LOST: Field(
                "heat_lost",
                "h_l",
                "specific energy",
                arrays=(LOST,),
                label="Heat lost",
            ),
            NITRIC: Field("NO", "Y_{NO}", "number", arrays=(NITRIC,), label="NO, by mass"),
        }
        own = [
            Field("fuel", "Z", "number", arrays=(SHARE,), label="Share that came with the fuel"),
            *(shown[name] for name in carries(settings)),
        ]
        return [*own, *fields_of(settings)]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        found = {"fuel": "mass flow"}
        if settings.get("radiates"):
            found["heat_lost"] = "power"
        if settings.get("nitric_oxide"):
            found["NO"] = "mass flow"
        return found

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 20, 3e-5 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("a stream enters here: say whether it is fuel (1), air (0) or both")
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            return Assumed("sealed", "walls let nothing through, heat neither")
        if on == "start":
            return Assumed("start", "all air at the start", {"value": "0"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.flame.solver import FlameSolver

        return FlameSolver(problem)
