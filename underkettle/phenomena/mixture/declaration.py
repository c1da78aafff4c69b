"""The stream's own composition: mass fractions of all but one component, which is the rest."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Another,
    Assumed,
    Brought,
    Carrier,
    Composition,
    Condition,
    Default,
    Facts,
    Field,
    Member,
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
    Temperature,
    Term,
    Turbulence,
    Warmth,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.matter.reaction import atoms_of
from underkettle.matter.thermo import substances
from underkettle.phenomena.mixture.audit import RULES
from underkettle.phenomena.mixture.gases import (
    HEAT,
    blend_of,
    made_of,
    made_of_it,
    molar_mass,
    own_heat,
    rest_name,
)
from underkettle.phenomena.mixture.papers import PAPERS, swells
from underkettle.phenomena.mixture.warm import CONDITIONS, KIND
from underkettle.quantities.words import headed

_SHARE = Param("value", "number", "formula", label="mass fraction", live=True, law="old")
_BACK = Param(
    "value",
    "number",
    "formula",
    default="0",
    label="in what comes back",
    why="what lies behind the outlet is taken to be all rest",
    live=True,
)


_OF_COMPONENTS = (
    Condition(
        "sealed",
        "edge",
        "sealed",
        label="sealed, no flux",
        tex=r"\rho D_i\,\partial Y_i/\partial n=0",
    ),
    Condition(
        "held value",
        "edge",
        "held at {value}",
        (_SHARE,),
        label="held at a fraction",
        tex="Y_i=<value>",
    ),
    Condition(
        "flux",
        "edge",
        "{flux} in",
        (
            Param(
                "flux",
                "mass flux",
                "formula",
                label="flux into the vessel",
                live=True,
                law="old",
            ),
        ),
        label="given flux",
        tex=r"\rho D_i\,\partial Y_i/\partial n=<flux>",
    ),
    Condition(
        "film",
        "edge",
        "{film} to {ambient}",
        (
            Param(
                "film",
                "mass flux",
                "formula",
                label="coefficient",
                live=True,
                least=0.0,
                law="old",
            ),
            Param(
                "ambient",
                "number",
                "formula",
                label="fraction it tends to",
                live=True,
                law="old",
            ),
        ),
        label="coefficient and fraction beyond",
        tex=r"\rho D_i\,\partial Y_i/\partial n=<film>\,(<ambient>-Y_i)",
    ),
    *taken_along("Y_i", "brings {value}", (_SHARE,), _BACK),
    Condition("inert", "zone", "nothing reacts", label="nothing reacts", tex="s_i=0"),
    Condition(
        "made",
        "zone",
        "{source} made, {loss} lost",
        (
            Param(
                "source",
                "mass source",
                "formula",
                default="0 kg/(m3 s)",
                label="made",
                law="old",
                why="nothing reacts unless said",
            ),
            Param(
                "loss",
                "mass source",
                "formula",
                default="0 kg/(m3 s)",
                law="old",
                least=0.0,
                label="lost per unit of fraction",
                why="nothing reacts unless said",
            ),
        ),
        label="made and used up",
        tex=r"s_i=<source>-<loss>\,Y_i",
    ),
    Condition(
        "start", "start", "{value}", (_SHARE,), label="at the start", tex="Y_i(t{=}0)=<value>"
    ),
)


def _atoms(name: str, gas: Any) -> Mapping[str, float] | None:
    """Of a component: those of what it is made of, or as its name reads."""
    moles = getattr(gas, "moles", None)
    if moles is None:
        return atoms_of(name)
    found: dict[str, float] = {}
    for substance, share in moles:
        for element, count in (atoms_of(substance) or {}).items():
            found[element] = found.get(element, 0.0) + share * count
    return found


def _of_heat(place: str, on: str, facts: Facts) -> Default:
    if on == "edge":
        passes = facts.through(place)
        if passes == "in":
            return Missing("the stream enters here: say how warm it is")
        if passes == "out":
            return Assumed("leaves warm", "the stream takes along what it holds")
        return Assumed("lagged", "walls lose nothing unless something else is said")
    if on == "zone":
        return Assumed("none made", "what reacts warms itself; no other heat is made unless said")
    if on == "start":
        return Assumed("warm at the start", "at 20 degC", {"value": "293.15 K"})
    return Absent()


class Mixture(Phenomenon):
    """Components of the stream by mass fraction; what is left is the rest."""

    name = "mixture"
    label = "Mixture"
    summary = "mass fraction"
    about = "What the fluid itself is made of, where its make-up changes density and warmth."
    equation = (
        r"\frac{\partial\rho Y_i}{\partial t}+\nabla\cdot(\rho\mathbf u Y_i)="
        r"\nabla\cdot(\rho D_i\nabla Y_i)+s_i,\quad Y_0=1-\sum Y_i"
    )
    source = "conservation of mass of each component, Fick's law in mass fractions"
    settings = (
        Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
        Param(
            "rest",
            kind="text",
            default="rest",
            label="name of the rest",
            why="what makes up the fractions to one",
        ),
        Param(
            "rest_gas",
            kind="gas",
            label="make-up of the rest",
            default="air",
            why="counts where all components tell what they are made of",
        ),
        Param(
            "rest_molar_mass",
            "molar mass",
            label="molar mass of the rest",
            optional=True,
            above=0.0,
            why="that of what it is made of unless given",
            symbol="M_0",
        ),
        Param(
            "rest_heat_capacity",
            "heat capacity",
            label="heat capacity of the rest",
            optional=True,
            above=0.0,
            why="that of what it is made of, where all components tell that; else heat's own counts",
            symbol="c_{p,0}",
        ),
        Param(
            "pressure",
            "pressure",
            label="pressure of the gas",
            default="1 atm",
            above=0.0,
            why="open to the air; what a stream loses on its way is small beside it",
            symbol="p_0",
        ),
        Param(
            "temperature",
            "temperature",
            "formula",
            label="temperature of the gas",
            default="293.15 K",
            above=0.0,
            law="old",
            why="20 degC, as long as no field of heat is named",
            symbol="T",
        ),
        Param(
            "own_heat",
            kind="flag",
            default=False,
            label="keeps account of its heat, formation included",
            why="heat, where it is solved for, keeps account of it",
        ),
        Param(
            "capacity_at",
            "temperature",
            label="heat capacities are those at",
            default="500 K",
            above=0.0,
            why="each gas holds heat by a number; air's moves by 2.5 % from 300 K to 500 K, by 11 % "
            "from there to 1000 K",
        ),
    )
    member_kinds = (
        MemberKind(
            "component",
            (
                Param(
                    "diffusivity",
                    "area per time",
                    "formula",
                    label="diffusivity",
                    least=0.0,
                    law="old",
                    symbol="D_i",
                ),
                Param(
                    "gas",
                    kind="gas",
                    label="made of",
                    optional=True,
                    why="moles of what it is made of; then the mixture's properties can be told",
                ),
                Param(
                    "molar_mass",
                    "molar mass",
                    label="molar mass",
                    optional=True,
                    above=0.0,
                    why="that of what it is made of unless given, else the rest's",
                    symbol="M_i",
                ),
                Param(
                    "heat_capacity",
                    "heat capacity",
                    label="heat capacity",
                    optional=True,
                    above=0.0,
                    why="that of what it is made of unless given, else the rest's",
                    symbol="c_{p,i}",
                ),
            ),
        ),
    )
    conditions = (*(replace(c, kinds=("component",)) for c in _OF_COMPONENTS), *CONDITIONS)
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "convection", r"-\nabla\cdot(\rho\mathbf u Y)", "carried by the stream", "mass source"
        ),
        Term("diffusion", r"\nabla\cdot(\rho D\nabla Y)", "spread, walls included", "mass source"),
        Term("made", "s", "made less used up", "mass source"),
    )

    def members(self, settings: Mapping[str, Any]) -> list[Member]:
        """Components, and the heat of all of them where the mixture keeps account of it."""
        found = super().members(settings)
        if own_heat(settings):
            found.append(Member(HEAT, "Heat", "temperature", KIND))
        return found

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        if own_heat(settings):
            return [Provides(Temperature, FLUID, member=HEAT), Provides(Composition, FLUID)]
        return [Provides(Warmth, FLUID), Provides(Composition, FLUID)]

    def matter(self, settings: Mapping[str, Any]) -> dict[str, Stuff]:
        """Components, and the rest, which what reacts may use up and make like any other."""
        gases = {name: m.get("gas") for name, m in settings.get("members", {}).items()}
        found = {
            name: Stuff(
                f"{self.name}.{name}",
                _atoms(name, gas),
                molar_mass(settings, name),
                made_of(gas),
            )
            for name, gas in gases.items()
        }
        rest, gas = rest_name(settings), settings.get("rest_gas")
        stuff = Stuff("", _atoms(rest, gas), molar_mass(settings), made_of(gas), follows=True)
        return {rest: stuff, **found}

    def brought(self, facts: Facts) -> Brought | None:
        """As streams bring it, mixed at the pressure that is told."""
        settings = facts.settings(self.name)
        blend = blend_of(settings)
        if not own_heat(settings) or blend is None:
            return None
        shares = [facts.entering(f"{self.name}.{name}") for name in settings["members"]]
        warm = facts.entering(f"{self.name}.{HEAT}")
        told = [share for share in shares if share is not None]
        if warm is None or len(told) < len(shares):
            return None
        parts = [np.array([part]) for part in (*told, 1.0 - sum(told))]
        held = blend.enthalpy(parts, np.array([warm]))[0]
        density = blend.density(parts, np.array([warm]), settings["pressure"])
        return Brought(
            float(density[0]), warm, lambda heat: float(blend.temperature(parts, held + heat)[0])
        )

    def another(self, substance: str, typed: Mapping[str, Any]) -> Another | None:
        """Of what there are data for; spreads as the first does."""
        first = next(iter(typed.get("members", {}).values()), None)
        if not isinstance(first, Mapping) or substance not in substances():
            return None
        values = {"gas": substance, "diffusivity": first.get("diffusivity")}
        return Another("members", values, {"kind": "carried in", "value": "0"})

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            *(
                Field(
                    name,
                    f"Y_{name}",
                    "number",
                    arrays=(f"mixture.{name}.share",),
                    label=headed(str(value.get("label") or name)),
                    chief=not own_heat(settings),
                )
                for name, value in settings.get("members", {}).items()
            ),
            *made_of_it(settings),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        found = dict.fromkeys(settings.get("members", {}), "mass flow")
        return {**found, HEAT: "power"} if own_heat(settings) else found

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        if own_heat(settings):  # all at once with what reacts
            return 15, (len(settings["members"]) + 1) * 7e-5 * mesh.cells
        return 15, 6e-6 * mesh.cells

    def step_work(self, mesh: Any, settings: Mapping[str, Any]) -> float:
        if not own_heat(settings):
            return 0.0
        return (len(settings["members"]) + 1) * (3.5e-3 + 2e-6 * mesh.cells)

    def presses(self, settings: Mapping[str, Any]) -> bool:
        return own_heat(settings)

    def quickens(self, facts: Facts) -> float:
        return swells(facts)

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return list(self.quantities(settings))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if member == HEAT:
            return _of_heat(place, on, facts)
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("the stream enters here: say how much of it this is, 0 included")
            if passes == "out":
                return Assumed("carried out", "the stream takes along what it holds")
            return Assumed("sealed", "walls let nothing through unless something else is said")
        if on == "zone":
            return Assumed("inert", "nothing is made or used up unless said")
        if on == "start":
            return Assumed("start", "all rest at the start", {"value": "0"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.mixture.solver import MixtureSolver

        return MixtureSolver(problem)
