"""Turbulence: what it asks, assumes, shows and offers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Carrier,
    Condition,
    Default,
    Facts,
    Field,
    Need,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Resistance,
    Shear,
    Solver,
    Turbulence,
)
from underkettle.engine.contract.streams import TURBULENT_PROFILE
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.turbulence.audit import MODELS, RULES, mixing_time, opening_diameter
from underkettle.phenomena.turbulence.papers import PAPERS

USUAL, AMBIENT = 0.05, 0.01  # intensities of what comes from a duct, and of what lies still
AMBIENT_RATIO = 10.0
_INTENSITY = Param(
    "intensity",
    "number",
    "formula",
    default=f"{USUAL}",
    label="intensity",
    why="5 % of the mean speed is usual in ducts (common practice)",
    above=0.0,
    live=True,
)
_SIZES = (
    Param("length", "length", "formula", label="size of its eddies", above=0.0, live=True),
    Param(
        "diameter",
        "length",
        "formula",
        label="hydraulic diameter of the duct it comes from",
        above=0.0,
        live=True,
    ),
    Param(
        "ratio",
        "number",
        "formula",
        label="eddy viscosity over that of the fluid",
        above=0.0,
        live=True,
    ),
)
_ONE = ("length", "diameter", "ratio")


def _reach(mesh: Mesh, state: State) -> Any:
    """y+ of the middle of the first cell, the mean over each wall."""
    reached, pieces = state.fields["turbulence.reach"][0], mesh.pieces
    at_pieces = reached[pieces.j, pieces.i]
    found = np.full(len(mesh.edges), np.nan)
    for k in range(found.size):
        rows = pieces.of(k)
        if rows.size and at_pieces[rows].any():
            found[k] = float(np.average(at_pieces[rows], weights=pieces.area[rows]))
    return found


class Turbulent(Phenomenon):
    """Energy of eddies and how fast they turn over, by two equations."""

    name = "turbulence"
    label = "Turbulence"
    summary = "two equations"
    about = "Eddies too fast to be followed: how much they mix and drag, on the whole."
    does = "moves"
    equation = (
        r"\rho\frac{Dk}{Dt}=P-\beta^*\rho\omega k+\nabla\cdot(\mu+\sigma_k\mu_t)\nabla k,"
        r"\quad\rho\frac{D\omega}{Dt}=\alpha\rho\frac{P}{\mu_t}-\beta\rho\omega^2"
        r"+\nabla\cdot(\mu+\sigma_\omega\mu_t)\nabla\omega+\dots"
    )
    source = (
        "shear-stress transport, Menter, Kuntz & Langtry 2003; k-epsilon, Launder & Spalding 1974, and "
        "realizable, Shih, Liou, Shabbir, Yang & Zhu 1995, both written for omega (from memory)"
    )
    settings = (
        Param(
            "model",
            kind="choice",
            choices=MODELS,
            default=MODELS[0],
            label="model",
            why="it tells better than k-epsilon where a stream leaves a wall, and holds from the wall "
            "on; round jets are what realizable k-epsilon tells best",
        ),
        Param(
            "change",
            label="eddies may lag by",
            default="0.02",
            why="far less than their model is off by, and steps in which they hardly change cost half "
            "as much; 0: worked out in every step",
            least=0.0,
            most=0.1,
        ),
        Param(
            "first_cell",
            label="y+ wanted of the first cell at walls",
            optional=True,
            above=0.0,
            why="1 resolves walls, 30 to 100 leaves them to their law; the audit tells what fits",
        ),
    )
    conditions = (
        Condition(
            "wall", "edge", "smooth", label="smooth wall", tex=r"k_s=0,\ \partial k/\partial n=0"
        ),
        Condition(
            "rough wall",
            "edge",
            "grains of {grain}",
            (Param("grain", "length", label="height of its grains", above=0.0),),
            label="rough wall",
            tex=r"k_s=<grain>,\ \partial k/\partial n=0",
        ),
        Condition(
            "untouched",
            "edge",
            "passes none",
            label="passes and makes none",
            tex=r"\partial k/\partial n=\partial\omega/\partial n=0",
        ),
        Condition(
            "brought in",
            "edge",
            "{intensity} of the speed, {length|diameter|ratio}",
            (_INTENSITY, *_SIZES),
            label="comes in with the stream",
            carries="in",
            one_of=_ONE,
            tex={
                "length": r"k=\tfrac32(<intensity>\,u)^2,\ \ell=<length>",
                "diameter": r"k=\tfrac32(<intensity>\,u)^2,\ \ell=0.07\cdot<diameter>",
                "ratio": r"k=\tfrac32(<intensity>\,u)^2,\ \mu_t/\mu=<ratio>",
            },
        ),
        Condition(
            "developed",
            "edge",
            "as in a long duct so wide",
            label="comes from a long duct as wide as the opening",
            carries="in",
            tex=r"k,\ \omega:\ \text{developed},\ Re=u D_h/\nu",
        ),
        Condition(
            "carried out",
            "edge",
            "leaves; comes back at {intensity}, {length|diameter|ratio}",
            (_INTENSITY, *_SIZES),
            label="leaves with the stream",
            carries="out",
            one_of=_ONE,
            tex=r"\partial k/\partial n=\partial\omega/\partial n=0",
        ),
        Condition(
            "as it enters",
            "start",
            "as it enters",
            label="as it enters, on average",
            tex=r"k,\omega(t{=}0)=\bar k,\bar\omega",
        ),
        Condition(
            "given",
            "start",
            "{energy}, {ratio} times as viscous",
            (
                Param("energy", "specific energy", "formula", label="energy", above=0.0),
                Param(
                    "ratio",
                    "number",
                    label="eddy viscosity over that of the fluid",
                    default="10",
                    why="eddies that have long been left alone (common practice)",
                    above=0.0,
                ),
            ),
            label="given at the start",
            tex=r"k(t{=}0)=<energy>,\ \mu_t/\mu=<ratio>",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Turbulence, FLUID)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID),
            Need(Shear, FLUID, optional=True),
            Need(Resistance, FLUID, optional=True),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "turbulent_energy",
                "k",
                "specific energy",
                arrays=("turbulence.energy",),
                label="Turbulent energy",
                chief=True,
            ),
            Field(
                "turbulent_rate",
                "omega",
                "rate",
                arrays=("turbulence.rate",),
                label="Turbulent rate",
            ),
            Field(
                "eddy_viscosity",
                "mu_t",
                "viscosity",
                arrays=("turbulence.viscosity",),
                label="Eddy viscosity",
            ),
            Field(
                "friction_speed",
                "u_tau",
                "speed",
                arrays=("turbulence.friction",),
                label="Friction speed of walls",
            ),
            Field(
                "wall_scale",
                "u_*",
                "speed",
                arrays=("turbulence.scale",),
                label="Scale of eddies beside walls",
            ),
            Field(
                "y_plus",
                "y+",
                "number",
                where="edge",
                kept=False,
                label="Reach of the first cell",
                derive=_reach,
            ),
        ]

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if facts.profile(place) == TURBULENT_PROFILE:
                return Assumed("developed", "its stream comes from a long turbulent duct")
            if passes == "in":
                wide = opening_diameter(facts, place)
                return Assumed(
                    "brought in",
                    "as from a duct as wide as the opening, at 5 % of its speed (common practice)",
                    {"intensity": f"{USUAL}", "diameter": f"{wide!r} m"},
                )
            if passes == "out":
                return Assumed(
                    "carried out",
                    "what comes back is hardly stirred",
                    {"intensity": f"{AMBIENT}", "ratio": f"{AMBIENT_RATIO}"},
                )
            if facts.slips(place):
                return Assumed("untouched", "nothing drags here that could stir")
            return Assumed("wall", "smooth unless something else is said")
        if on == "start":
            return Assumed("as it enters", "stirred as what enters is, on average")
        return Absent()

    def mixes(self, facts: Facts) -> float | None:
        return mixing_time(facts)

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 40, 4e-3 + 5e-5 * mesh.cells

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.turbulence.solver import TurbulenceSolver

        return TurbulenceSolver(problem)
