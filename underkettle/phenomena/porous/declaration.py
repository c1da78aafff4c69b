"""Porous matter: what stands in a stream's way, zone by zone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Condition,
    Default,
    Facts,
    Field,
    Param,
    Phenomenon,
    Pores,
    Problem,
    Provides,
    Resistance,
    Solver,
)
from underkettle.engine.contract.streams import MEASURED
from underkettle.phenomena.porous.audit import RULES
from underkettle.phenomena.porous.papers import PAPERS

_OPEN = Param("porosity", "number", "formula", label="porosity", above=0.0, most=1.0)
_SHEAR = Param(
    "shear",
    label="viscosity that shear feels inside, over the stream's",
    default=1.0,
    why="Brinkman's own choice (1949); some take one over the porosity",
    above=0.0,
)
_SPREADING = (
    Param(
        "tortuosity",
        label="tortuosity",
        optional=True,
        least=1.0,
        why="one over the root of the porosity (Bruggeman 1935) unless given",
    ),
    Param(
        "spread_along",
        "length",
        label="spreading along the stream",
        optional=True,
        least=0.0,
        why="half a grain where it is of grains (common practice), else none",
    ),
    Param(
        "spread_across",
        "length",
        label="spreading across the stream",
        optional=True,
        least=0.0,
        why="an eleventh of a grain where it is of grains (common practice), else none",
    ),
)
_WARMTH = (
    Param(
        "solid_heat",
        "heat capacity",
        label="heat capacity of the solid",
        optional=True,
        above=0.0,
        why="asked for where heat is carried",
    ),
    Param(
        "solid_density",
        "density",
        label="density of the solid",
        optional=True,
        above=0.0,
        why="asked for where heat is carried",
    ),
    Param(
        "solid_conductivity",
        "heat conductivity",
        label="conductivity of the solid",
        optional=True,
        least=0.0,
        why="asked for where heat is carried",
    ),
)
_REST = (_SHEAR, *_SPREADING, *_WARMTH)
_HOLDS = r"\mathbf K=<permeability>"


class Porous(Phenomenon):
    """Beds, cloths, foams and cakes: what holds a stream back and spreads what it carries."""

    name = "porous"
    label = "Porous matter"
    summary = "holds the stream back"
    about = (
        "Beds, mats, foams and cakes in a stream's way, what they hold back and how they spread."
    )
    does = "moves"
    equation = (
        r"\mathbf R\,\mathbf u=\left(\mu\mathbf K^{-1}+\rho\,\mathbf B\,|\mathbf u|\right)\mathbf u,"
        r"\quad\mathbf D_e=\frac{\varepsilon D}{\tau}+|\mathbf u|\left(\alpha_t\mathbf I"
        r"+(\alpha_l-\alpha_t)\,\mathbf e\mathbf e^T\right)"
    )
    source = "Darcy 1856, Forchheimer 1901; velocities averaged over pores and matter"
    conditions = (
        Condition("open", "zone", "open", label="nothing stands in it", tex=r"\mathbf R=0"),
        Condition(
            "grains",
            "zone",
            "grains of {grain}, {porosity} open",
            (Param("grain", "length", "formula", label="grain size", above=0.0), _OPEN, *_REST),
            label="packed grains",
            tex=r"\mathbf K^{-1}=\frac{150(1-\varepsilon)^2}{\varepsilon^3 d^2},"
            r"\ \mathbf B=\frac{1.75(1-\varepsilon)}{\varepsilon^3 d},"
            r"\ d=<grain>,\ \varepsilon=<porosity>",
        ),
        Condition(
            "fibres",
            "zone",
            "fibres of {thread}, {porosity} open",
            (
                Param("thread", "length", "formula", label="fibre diameter", above=0.0),
                _OPEN,
                *_REST,
            ),
            label="mat of fibres",
            tex=r"\mathbf K=\frac{d^2}{64\,a^{3/2}(1+56a^3)},\ a=1-\varepsilon,"
            r"\ d=<thread>,\ \varepsilon=<porosity>",
        ),
        Condition(
            "permeable",
            "zone",
            "{permeability}, {porosity} open",
            (
                Param("permeability", "area", "formula", label="permeability", above=0.0),
                Param(
                    "across",
                    "area",
                    "formula",
                    label="permeability across",
                    optional=True,
                    above=0.0,
                    why="the same in every direction unless given",
                ),
                Param(
                    "turned",
                    "angle",
                    "formula",
                    label="turned from x by",
                    default="0 deg",
                    why="the first direction lies along x",
                ),
                Param(
                    "inertia",
                    "1/m",
                    "formula",
                    label="inertial resistance",
                    default="0 1/m",
                    least=0.0,
                    why="counts only where grains or threads are met quickly",
                ),
                Param(
                    "inertia_across",
                    "1/m",
                    "formula",
                    label="inertial resistance across",
                    optional=True,
                    least=0.0,
                    why="the same in every direction unless given",
                ),
                _OPEN,
                *_REST,
            ),
            label="permeability known",
            tex=_HOLDS + r",\ \mathbf B=<inertia>,\ \varepsilon=<porosity>",
        ),
        Condition(
            "meshes",
            "zone",
            "meshes of {thread} every {pitch}, {spacing} apart",
            (
                Param("thread", "length", label="thread", above=0.0),
                Param("pitch", "length", label="from thread to thread", above=0.0),
                Param("spacing", "length", label="from mesh to mesh", above=0.0),
                _OPEN,
                *_REST,
            ),
            label="stack of woven meshes",
            tex=r"\Delta p=\frac{6}{n}\frac{1-b}{b^2}Re_d^{-1/3}\tfrac{\rho u^2}{2},"
            r"\ d=<thread>,\ s=<pitch>,\ n=<spacing>",
        ),
        Condition(
            "measured drop",
            "zone",
            "as measured over {thickness}, {porosity} open",
            (
                MEASURED[0],
                Param("thickness", "length", label="measured over", above=0.0),
                *MEASURED[1:],
                _OPEN,
                *_REST,
            ),
            label="drop was measured",
            tex=r"\Delta p=(\mu/K+\rho B u)\,u\,<thickness>,\ \varepsilon=<porosity>",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Resistance, FLUID), Provides(Pores, FLUID)]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "porosity",
                "eps",
                "number",
                arrays=("porous.porosity",),
                label="Porosity",
            ),
            Field(
                "permeability",
                "K",
                "area",
                arrays=("porous.permeability",),
                label="Permeability along",
            ),
        ]

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on != "zone" or facts.blocked(place):
            return Absent()
        return Assumed("open", "nothing stands in the stream's way unless said")

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.porous.solver import PorousSolver

        return PorousSolver(problem)
