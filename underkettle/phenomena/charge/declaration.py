"""Charge: conductors with a potential each, and surfaces where current passes between them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Absent,
    Applied,
    Assumed,
    Condition,
    Default,
    Facts,
    Field,
    MemberKind,
    Missing,
    Need,
    Param,
    Phenomenon,
    Potential,
    Problem,
    Provides,
    Solver,
    Source,
    Term,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.charge.audit import RULES
from underkettle.phenomena.charge.naming import (
    BUTLER,
    CHARGES,
    KINETICS,
    ME,
    ROWS,
    conductors,
    passages,
)
from underkettle.phenomena.charge.papers import PAPERS
from underkettle.phenomena.charge.sweeping import swept

CONDUCTOR, PASSAGE = "conductor", "passage"
LEAST = 100.0  # steps of a stage in time that nothing limits
_POTENTIAL = Param("value", "voltage", "formula", label="potential", live=True, law="old")
_CURRENT = Param(
    "current", "current", "formula", label="current into the vessel", live=True, law="old"
)

_OF_CONDUCTORS = (
    Condition(
        "insulated",
        "edge",
        "no current passes",
        label="insulated",
        tex=r"\kappa\,\partial\varphi/\partial n=0",
    ),
    Condition(
        "held",
        "edge",
        "held at {value}",
        (_POTENTIAL,),
        label="held at a potential",
        tex=r"\varphi=<value>",
    ),
    Condition(
        "swept",
        "edge",
        "swept from {low} to {high} and back at {rate}",
        (
            Param("low", "voltage", label="low end"),
            Param("high", "voltage", label="high end"),
            Param("rate", "voltage per time", label="rate", above=0.0),
            Param(
                "begins",
                "voltage",
                label="begins at",
                optional=True,
                why="the low end, going up",
            ),
        ),
        label="swept up and down",
        applies=Applied("voltage", swept),
        tex=r"\varphi=<low>\ldots<high>,\ |\dot\varphi|=<rate>",
    ),
    Condition(
        "carries",
        "edge",
        "carries {current} in",
        (_CURRENT,),
        label="carries a current in all, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=<current>,\ \varphi=\varphi_e",
    ),
    Condition(
        "cycled",
        "edge",
        "{current} in up to {high}, out down to {low}",
        (
            replace(_CURRENT, label="current, in and out", above=0.0),
            Param("low", "voltage", label="down to"),
            Param("high", "voltage", label="up to"),
        ),
        label="cycled at a current, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=\pm<current>,\ "
        r"<low>\le\varphi_e\le<high>",
    ),
    Condition(
        "through a load",
        "edge",
        "{load} before {value}",
        (
            Param(
                "load",
                "electric resistance",
                "formula",
                label="resistance of the load",
                live=True,
                above=0.0,
                law="old",
            ),
            replace(
                _POTENTIAL,
                label="potential beyond it",
                default="0 V",
                why="the load is joined to what is held at 0 V",
            ),
        ),
        label="through a load, at one potential",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=(<value>-\varphi_e)/<load>",
    ),
    Condition(
        "floats",
        "edge",
        "floats at one potential",
        label="floats: one potential, no current in all",
        tex=r"\textstyle\int\kappa\,\partial\varphi/\partial n\,dA=0,\ \varphi=\varphi_e",
    ),
    Condition(
        "current density",
        "edge",
        "{flux} in",
        (
            Param(
                "flux",
                "current density",
                "formula",
                label="current density into the vessel",
                live=True,
                law="old",
            ),
        ),
        label="given current density",
        tex=r"\kappa\,\partial\varphi/\partial n=<flux>",
    ),
    Condition(
        "through a resistance",
        "edge",
        "{resistance} before {value}",
        (
            Param(
                "resistance",
                "area resistance",
                "formula",
                label="resistance times area",
                live=True,
                above=0.0,
                law="old",
            ),
            _POTENTIAL,
        ),
        label="held behind a resistance",
        tex=r"\kappa\,\partial\varphi/\partial n=(<value>-\varphi)/<resistance>",
    ),
    Condition("conducts", "zone", "conducts", label="conducts", tex=r"\kappa"),
    Condition(
        "conducts otherwise",
        "zone",
        "conducts {along}",
        (
            Param(
                "along",
                "conductivity",
                "formula",
                label="conductivity",
                above=0.0,
                law="old",
            ),
            Param(
                "across",
                "conductivity",
                "formula",
                label="conductivity in y",
                optional=True,
                above=0.0,
                law="old",
                why="the same in every direction unless given",
            ),
        ),
        label="conducts otherwise here",
        tex=r"\kappa=<along>",
    ),
    Condition("not here", "zone", "not here", label="is not here", tex=r"\kappa=0"),
    Condition("joined", "between", "joined", label="joined without a gap", tex=r"[\varphi]=0"),
    Condition(
        "contact",
        "between",
        "contact of {resistance}",
        (
            Param(
                "resistance",
                "area resistance",
                "formula",
                label="resistance times area",
                live=True,
                above=0.0,
                law="old",
            ),
        ),
        label="contact with a resistance",
        tex=r"\kappa\,\partial\varphi/\partial n=[\varphi]/<resistance>",
    ),
)
_OF_PASSAGES = (
    Condition("none", "edge", "nothing passes", label="not on this wall", tex="i=0"),
    Condition(
        "on the wall",
        "edge",
        "on the wall, {share} times",
        (
            Param(
                "share",
                "number",
                "formula",
                default="1",
                label="surface, over the wall's own, times",
                why="a smooth wall",
                above=0.0,
            ),
        ),
        label="on the wall, between its potential and what conducts before it",
        tex=r"-\kappa\,\partial\varphi/\partial n=-<share>\,i(\varphi_e-\varphi)",
    ),
    Condition("nowhere", "zone", "not here", label="not here", tex="i=0"),
    Condition(
        "in pores",
        "zone",
        "on {area} of surface",
        (
            Param(
                "area",
                "area per volume",
                "formula",
                label="surface in a volume of the zone",
                above=0.0,
            ),
        ),
        label="on the surface of pores",
        tex=r"a=<area>",
    ),
    Condition(
        "start",
        "start",
        "{value} across",
        (Param("value", "voltage", "formula", label="voltage across it"),),
        label="at the start",
        tex=r"\varphi_1-\varphi_2\,(t{=}0)=<value>",
    ),
)


class Charge(Phenomenon):
    """Where current goes, what potential drives it, what passes and charges surfaces on its way."""

    name = ME
    label = "Charge"
    summary = "potential and current"
    about = "What potential drives which current through conductors, and across their surfaces."
    does = "charge"
    equation = (
        r"\nabla\cdot(\kappa_1\nabla\varphi_1)=a\,i,\quad"
        r"\nabla\cdot(\kappa_2\nabla\varphi_2)=-a\,i,\quad "
        r"i=i(\eta)+C\,\frac{\partial(\varphi_1-\varphi_2)}{\partial t},\quad"
        r"\eta=\varphi_1-\varphi_2-E"
    )
    source = "conservation of charge with Ohm's law; Butler 1924, Erdey-Gruz & Volmer 1930"
    settings = (
        Param(
            "accuracy",
            "voltage",
            default="1 mV",
            label="charging followed to",
            above=0.0,
            why="its own steps then leave some 50 uV of a jump of 1 V, measured on a charging plate",
        ),
        Param(
            "warms",
            kind="flag",
            default=False,
            label="its heat warms what it passes",
            why="temperatures count only where heat is solved for",
        ),
        Param(
            "swings",
            kind="place",
            among="edge",
            label="a small swing comes from",
            optional=True,
            why="nothing swings unless said",
        ),
        Param(
            "frequency",
            "rate",
            label="frequency of the swing",
            optional=True,
            above=0.0,
            why="nothing swings unless said",
            symbol="f",
        ),
    )
    member_kinds = (
        MemberKind(
            CONDUCTOR,
            (
                Param(
                    "conductivity",
                    "conductivity",
                    "formula",
                    label="conductivity",
                    above=0.0,
                    law="old",
                    symbol=r"\kappa",
                ),
                Param(
                    "conductivity_y",
                    "conductivity",
                    "formula",
                    label="conductivity in y",
                    optional=True,
                    above=0.0,
                    law="old",
                    why="the same in every direction unless given",
                    symbol=r"\kappa_y",
                ),
            ),
        ),
        MemberKind(
            PASSAGE,
            (
                Param(
                    "law",
                    kind="choice",
                    choices=KINETICS,
                    label="what passes it",
                    default=CHARGES,
                    why="a surface that nothing reacts on is charged only",
                ),
                Param(
                    "out_of",
                    kind="text",
                    label="from",
                    optional=True,
                    why="the first conductor; on walls, what lies beyond them",
                ),
                Param(
                    "into",
                    kind="text",
                    label="into",
                    optional=True,
                    why="the last conductor",
                ),
                Param(
                    "capacity",
                    "capacitance per area",
                    default="0 F/m2",
                    label="capacity of the double layer",
                    why="nothing is stored unless said",
                    least=0.0,
                    symbol="C",
                ),
                Param(
                    "balanced",
                    "voltage",
                    "formula",
                    default="0 V",
                    label="voltage of balance",
                    why="only differences count where nothing is made of them",
                    law="old",
                    live=True,
                    symbol="E",
                ),
                Param(
                    "exchange",
                    "current density",
                    "formula",
                    label="exchange current density",
                    optional=True,
                    why="asked where it follows Butler and Volmer",
                    above=0.0,
                    law="old",
                    symbol="i_0",
                ),
                Param(
                    "anodic",
                    default="0.5",
                    label="transfer coefficient, anodic",
                    why="one electron, as easily one way as the other (common practice)",
                    above=0.0,
                    symbol=r"\alpha_a",
                ),
                Param(
                    "cathodic",
                    default="0.5",
                    label="transfer coefficient, cathodic",
                    why="one electron, as easily one way as the other (common practice)",
                    above=0.0,
                    symbol=r"\alpha_c",
                ),
                Param(
                    "temperature",
                    "temperature",
                    "formula",
                    default="298.15 K",
                    label="temperature",
                    why="25 degC, where data are told at",
                    above=0.0,
                    law="old",
                    symbol="T",
                ),
                Param(
                    "resistance",
                    "area resistance",
                    "formula",
                    label="resistance times area",
                    optional=True,
                    why="asked where it passes current as a resistance does",
                    above=0.0,
                    law="old",
                    symbol="R",
                ),
            ),
            key="passages",
            least=0,
        ),
    )
    conditions = tuple(
        replace(c, kinds=(kind,))
        for kind, many in ((CONDUCTOR, _OF_CONDUCTORS), (PASSAGE, _OF_PASSAGES))
        for c in many
    )
    in_solids = True
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "conduction",
            r"\nabla\cdot(\kappa\nabla\varphi)",
            "conducted, walls included",
            "current source",
            (CONDUCTOR,),
        ),
        Term(
            "passed",
            r"\pm a\,i",
            "passed to and from other conductors",
            "current source",
            (CONDUCTOR,),
        ),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        found = [Provides(Potential, name) for name in conductors(settings)]
        return [*found, Provides(Source, "heat")] if settings.get("warms") else found

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return self.gets(self.quantities(settings))

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        found = []
        for k, m in enumerate(m for m in self.members(settings) if m.kind == CONDUCTOR):
            found.append(
                Field(
                    f"{m.id}_potential",
                    rf"\varphi_{{{m.id}}}",
                    "voltage",
                    arrays=(f"{ME}.{m.id}.potential",),
                    label=f"Potential of {m.label}",
                    chief=k == 0,
                    member=m.id,
                    derive=partial(_where_it_is, m.id, "potential"),
                    partly=True,
                )
            )
            found += [
                Field(
                    f"{m.id}_current_{axis}",
                    f"i_{axis}",
                    "current density",
                    arrays=(f"{ME}.{m.id}.current_{axis}",),
                    label=f"Current in {m.label}, {axis}",
                    centred=True,
                    component=(f"{m.id}_current", k),
                )
                for k, axis in enumerate("xy")
            ]
            found.append(
                Field(
                    f"{m.id}_terminal",
                    rf"\varphi_{{{m.id},e}}",
                    "voltage",
                    where="edge",
                    label=f"Potential {m.label} is joined to",
                    derive=partial(_of_edges, m.id),
                )
            )
        for m in (m for m in self.members(settings) if m.kind == PASSAGE):
            found += [
                Field(
                    f"{m.id}_passes",
                    f"a\\,i_{{{m.id}}}",
                    "current source",
                    arrays=(f"{ME}.{m.id}.passes",),
                    derive=partial(_where_it_is, m.id, "passes"),
                    partly=True,
                    label=f"Passed by {m.label}",
                    centred=True,
                ),
                Field(
                    f"{m.id}_across",
                    rf"\Delta\varphi_{{{m.id}}}",
                    "voltage",
                    arrays=(f"{ME}.{m.id}.across",),
                    derive=partial(_where_it_is, m.id, "across"),
                    partly=True,
                    label=f"Voltage across {m.label}",
                    member=m.id,
                ),
            ]
        if settings.get("swings"):
            found += [
                Field(
                    f"impedance_{part}",
                    rf"\mathrm{{{sign}}}\,Z",
                    "electric resistance",
                    where="edge",
                    label=f"Impedance, {part} part",
                    derive=partial(_swinging, part),
                )
                for part, sign in (("real", "Re"), ("imaginary", "Im"))
            ]
        found.append(
            Field(
                "current_heat",
                "q",
                "heat source",
                arrays=(f"{ME}.heat",),
                label="Heat made by current",
            )
        )
        return found

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return dict.fromkeys(conductors(settings), "current")

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return list(conductors(settings))

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        many = len(conductors(settings))
        return 3, (2 + 4 * len(passages(settings))) * 4e-6 * (many * mesh.cells) ** 1.1

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        """As many steps as sweeps are told in, and what surfaces take in steps of their own."""
        settings, until = facts.settings(ME), facts.until(ME) or 0.0
        halves = [
            (float(v["high"]) - float(v["low"])) / float(v["rate"])
            for name in conductors(settings)
            for edge in facts.edges()
            if facts.kind(edge, f"{ME}.{name}") == "swept"
            for v in (facts.values(edge, f"{ME}.{name}"),)
        ]
        own = passages(settings).values()
        steps = max([until / half * ROWS for half in halves if half > 0], default=LEAST)
        unknowns = len(conductors(settings)) * facts.mesh.cells
        if not any(float(p.get("capacity") or 0.0) > 0 for p in own):
            return int(steps), 3e-3 + 8e-6 * unknowns
        again = 6.0 if any(p.get("law") == BUTLER for p in own) else 1.0
        return int(steps), 6e-3 + again * 8e-6 * unknowns

    def step_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> float:
        return 2e-3 + 1e-5 * len(conductors(settings)) * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        settings = facts.settings(ME)
        if member in passages(settings):
            if on == "edge":
                closed = not facts.on_axis(place)
                return Assumed("none", "a wall passes nothing unless said") if closed else Absent()
            if on == "zone":
                return Assumed("nowhere", "pores must be told of")
            if on == "start":
                return Assumed("start", "uncharged at the start", {"value": "0 V"})
            return Absent()
        if on == "edge":
            return Assumed("insulated", "no current passes where nothing is joined")
        if on == "zone":
            if facts.blocked(place):
                return Missing("it is solid: say whether it conducts")
            return Assumed("conducts", "it fills the vessel unless said")
        if on == "between":
            return Assumed("joined", "zones touch without a gap unless said")
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.charge.solver import ChargeSolver

        return ChargeSolver(problem)


def _where_it_is(member: str, array: str, mesh: Mesh, state: State) -> np.ndarray:
    """What is told of a conductor or a surface, where it is at all."""
    there = state.fields[f"{ME}.{member}.there"] > 0
    return np.where(there, state.fields[f"{ME}.{member}.{array}"], np.nan)


def _swinging(part: str, mesh: Mesh, state: State) -> np.ndarray:
    """Ohm, of the edge that a small swing comes from."""
    return np.asarray(state.fields[f"{ME}.z_{part}"])


def _of_edges(member: str, mesh: Mesh, state: State) -> np.ndarray:
    """V, that edges are joined to; nowhere where they are not."""
    return np.asarray(state.fields[f"{ME}.{member}.terminals"])
