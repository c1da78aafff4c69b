"""Charge: conductors with a potential each, and surfaces where current passes between them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Composition,
    Default,
    Facts,
    Field,
    Member,
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
    FULL,
    KINETICS,
    ME,
    ROWS,
    TAKES,
    WAYS,
    between,
    cells,
    conductors,
    forms,
    passages,
    swept,
)
from underkettle.phenomena.charge.papers import PAPERS
from underkettle.phenomena.charge.places import (
    CELL,
    CELLS,
    CONDITIONS,
    CONDUCTOR,
    PASSAGE,
    TEMPERATURE,
)
from underkettle.phenomena.charge.plates import connections

LEAST = 100.0  # steps of a stage in time that nothing limits


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
            "way",
            kind="choice",
            choices=WAYS,
            default=FULL,
            label="potentials are solved for",
            why="nothing is left out",
            live=True,
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
                TEMPERATURE,
                *(
                    param
                    for form, words, sign in (
                        ("reduced", "what current that leaves it uses up", "R"),
                        ("oxidised", "what it makes of that", "O"),
                    )
                    for param in (
                        Param(
                            form,
                            kind="text",
                            label=words,
                            optional=True,
                            why="there is enough of it everywhere unless a substance is named",
                        ),
                        Param(
                            f"{form}_at",
                            "concentration",
                            label=f"{words}: as much as the exchange current was told at",
                            default="1 mol/m3",
                            why="what a current of one mole in a cubic metre is told for",
                            above=0.0,
                            symbol=f"c_{{{sign}}}^0",
                        ),
                    )
                ),
                Param(
                    TAKES,
                    kind="text",
                    label="salt that its charge takes out of the liquid",
                    optional=True,
                    why="the liquid keeps its salt unless one is named",
                ),
                Param(
                    "electrons",
                    default="1",
                    label="electrons that pass with each",
                    why="one unless said",
                    above=0.0,
                    symbol="n",
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
        MemberKind(CELL, CELLS, key="cells", least=0),
    )
    conditions = CONDITIONS
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
        found += [Provides(Source, name) for name in forms(settings)]
        return [*found, Provides(Source, "heat")] if settings.get("warms") else found

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        matter = [Need(Composition, FLUID, optional=True)] if forms(settings) else []
        return [*matter, *self.gets(self.quantities(settings))]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        found, members = [], self.members(settings)
        for k, m in enumerate(m for m in members if m.kind == CONDUCTOR):
            about = f"Potential of {m.label}"
            found.append(
                _field(m, "potential", rf"\varphi_{{{m.id}}}", "voltage", about, chief=k == 0)
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
        for m in (m for m in members if m.kind != CONDUCTOR):
            passes = replace(
                _field(m, "passes", f"a\\,i_{{{m.id}}}", "current source", f"Passed by {m.label}"),
                centred=True,
                member="",
            )
            sign, about = rf"\Delta\varphi_{{{m.id}}}", f"Voltage across {m.label}"
            found += [passes, _field(m, "across", sign, "voltage", about)]
            sign = f"i_{{{m.id}}}"
            about = f"Current {'drawn from' if m.kind == CELL else 'across'} {m.label}"
            found.append(replace(_field(m, "density", sign, "current density", about), member=""))
            if m.kind == CELL:
                level = _field(m, "level", f"s_{{{m.id}}}", "number", f"Charge level of {m.label}")
                found.append(level)
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
        return 3, (2 + 4 * len(between(settings))) * 4e-6 * (many * mesh.cells) ** 1.1

    def review(self, facts: Facts) -> Iterable[str]:
        return connections(facts)

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        """As many steps as sweeps are told in, and what surfaces take in steps of their own."""
        settings, until = facts.settings(ME), facts.until(ME) or 0.0
        halves = [sweep.half for *_, sweep in swept(facts)]
        if cells(settings):
            return int(2.5 * LEAST), 1e-2 + 2e-5 * len(conductors(settings)) * facts.mesh.cells
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
        if member in between(settings):
            if on == "edge" and member in cells(settings):
                return Absent()
            if on == "edge":
                closed = not facts.on_axis(place)
                return Assumed("none", "a wall passes nothing unless said") if closed else Absent()
            if on == "zone":
                return Assumed("nowhere", "pores must be told of")
            if on == "between" and member in passages(settings):
                return Assumed("apart", "nothing passes where zones meet unless said")
            if on == "start" and member in cells(settings):
                return Assumed("charged", "half full unless said", {"value": "0.5"})
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


def _field(
    m: Member, array: str, symbol: str, dimension: str, label: str, chief: bool = False
) -> Field:
    """What an array of a member holds, where the member is."""
    return Field(
        f"{m.id}_{array}",
        symbol,
        dimension,
        arrays=(f"{ME}.{m.id}.{array}",),
        label=label,
        chief=chief,
        member=m.id,
        derive=partial(_where_it_is, m.id, array),
        partly=True,
    )


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
