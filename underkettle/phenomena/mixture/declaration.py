"""The stream's own composition: mass fractions of all but one component, which is the rest."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import numpy as np

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
    Provides,
    Solver,
    Term,
    Turbulence,
    Warmth,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh

ROUNDING = 1e-9

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


def _sums(facts: Facts) -> Iterator[Finding]:
    """Fractions brought, held or there at the start must leave room for the rest."""
    columns = facts.columns("mixture")
    places: list[tuple[str, str, Callable[[str, str], Mapping[str, Any]]]] = [
        (e, facts.edge_label(e), facts.values) for e in facts.edges()
    ]
    places += [(z, f"{facts.edge_label(z)} at the start", facts.start) for z in facts.zones()]
    for place, label, values in places:
        shares = {c: values(place, c).get("value") for c in columns}
        given = {c: v for c, v in shares.items() if v is not None}
        low = next((c for c, v in given.items() if v < -ROUNDING), None)
        if low is not None:
            yield Finding(
                "stops",
                f"{label} has a mass fraction below zero.",
                f"{low.partition('.')[2]} is {given[low]:g}.",
                place,
                low,
            )
        elif sum(given.values()) > 1 + ROUNDING:
            yield Finding(
                "stops",
                f"The composition of {label} does not sum to one.",
                f"The fractions given sum to {sum(given.values()):.4g}, which leaves "
                "less than nothing for the rest.",
                place,
                next(iter(given)),
            )


def _two_densities(facts: Facts) -> Iterator[Finding]:
    own, mine = facts.settings("mixture")["density"], facts.columns("mixture")[0]
    for column in facts.carriers():
        stream = facts.settings(column).get("density")
        if stream is None or facts.law(column, "density"):
            continue
        if abs(stream / own - 1) > 1e-6:
            yield Finding(
                "contradiction",
                "The stream has two densities.",
                f"The mixture reckons with {own:g} kg/m3 and {column} with {stream:g} kg/m3.",
                column=mine,
                cure=(("phenomena/mixture/density", f"{stream:g} kg/m3"),),
                cure_label=f"Take {stream:g} kg/m3",
            )


def _rest(names: list[str]) -> Any:
    def derive(mesh: Mesh, state: State) -> np.ndarray:
        shares = [state.fields[f"mixture.{n}.share"] for n in names]
        return np.asarray(1.0 - sum(shares))

    return derive


def _molar_mass(members: Mapping[str, Any], settings: Mapping[str, Any]) -> Any:
    def derive(mesh: Mesh, state: State) -> np.ndarray:
        shares = {n: state.fields[f"mixture.{n}.share"] for n in members}
        moles: Any = sum(y / members[n]["molar_mass"] for n, y in shares.items())
        rest = (1.0 - sum(shares.values())) / settings["rest_molar_mass"]
        return np.asarray(1.0 / (moles + rest))

    return derive


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
            "rest_molar_mass",
            "molar mass",
            label="molar mass of the rest",
            default="28.97 g/mol",
            above=0.0,
            why="dry air",
            symbol="M_0",
        ),
        Param(
            "rest_heat_capacity",
            "heat capacity",
            label="heat capacity of the rest",
            optional=True,
            above=0.0,
            why="heat's own value counts unless it is given",
            symbol="c_{p,0}",
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
                    "molar_mass",
                    "molar mass",
                    label="molar mass",
                    default="28.97 g/mol",
                    above=0.0,
                    why="that of dry air, so that it does not change the mixture's",
                    symbol="M_i",
                ),
                Param(
                    "heat_capacity",
                    "heat capacity",
                    label="heat capacity",
                    optional=True,
                    above=0.0,
                    why="that of the rest unless given",
                    symbol="c_{p,i}",
                ),
            ),
        ),
    )
    conditions = (
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
        Condition(
            "carried in",
            "edge",
            "brings {value}",
            (_SHARE,),
            label="carried in",
            carries="in",
            tex="Y_i=<value>",
        ),
        Condition(
            "carried out",
            "edge",
            "carried out",
            (_BACK,),
            label="carried out",
            carries="out",
            tex=r"\partial Y_i/\partial n=0",
        ),
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
    audit = (
        AuditRule("composition does not sum to one", _sums),
        AuditRule("two densities", _two_densities),
    )
    terms = (
        Term(
            "convection", r"-\nabla\cdot(\rho\mathbf u Y)", "carried by the stream", "mass source"
        ),
        Term("diffusion", r"\nabla\cdot(\rho D\nabla Y)", "spread, walls included", "mass source"),
        Term("made", "s", "made less used up", "mass source"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Warmth, FLUID)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, optional=True),
            Need(Turbulence, FLUID, optional=True),
            Need(Pores, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        members = settings.get("members", {})
        return [
            *(
                Field(
                    m.id,
                    f"Y_{m.id}",
                    "number",
                    arrays=(f"mixture.{m.id}.share",),
                    label=m.label[:1].upper() + m.label[1:],
                    chief=True,
                )
                for m in self.members(settings)
            ),
            Field(
                "rest",
                "Y_0",
                "number",
                derive=_rest(list(members)),
                label=str(settings.get("rest", "rest")).capitalize(),
            ),
            Field(
                "mean_molar_mass",
                "M",
                "molar mass",
                derive=_molar_mass(members, settings),
                label="Mean molar mass",
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {m.id: "mass flow" for m in self.members(settings)}

    def steady_work(self, mesh: Any) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return list(self.quantities(settings))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
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
