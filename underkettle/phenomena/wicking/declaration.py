"""Wicking: pores that draw a liquid in by themselves, from dry to full."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Condition,
    Default,
    Facts,
    Field,
    Missing,
    Need,
    Param,
    Phenomenon,
    Pressure,
    Problem,
    Provides,
    Resistance,
    Solver,
)
from underkettle.engine.contract.streams import (
    DRAWN_OFF,
    LIQUID,
    given_stream,
    inflow,
    stream_fields,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.wicking.audit import RULES
from underkettle.phenomena.wicking.papers import PAPERS

Array = np.ndarray

_SWELLING = Param(
    "swelling",
    label="pores widen when full by",
    default=0.0,
    least=0.0,
    why="most felts and sands keep their size; paper and pulp do not",
)
_RESIDUAL = Param(
    "residual",
    label="share of pores that never empties",
    default=0.0,
    least=0.0,
    most=0.99,
    why="nothing is held back for good unless said",
)
_DRAWN = Param(
    "drawn",
    "pressure",
    "formula",
    label="pressure that draws air in",
    above=0.0,
)
_LEVEL = Param(
    "pressure",
    "pressure",
    "formula",
    default="0 Pa",
    label="pressure",
    why="liquid at rest at the pressure of the air",
    live=True,
)


def _since(mesh: Mesh, state: State) -> Array:
    since = state.fields["wicking.since"]
    return np.where(since >= 0, since, np.nan)


def _wet_for(mesh: Mesh, state: State) -> Array:
    since = state.fields["wicking.since"]
    return np.where(since >= 0, state.time - since, 0.0)


class Wicking(Phenomenon):
    """Richards' equation, from the sharp front of a dry wick to the smooth laws of soils."""

    name = "wicking"
    label = "Wicking"
    summary = "drawn into pores"
    about = "How far and how fast wicks, felts, papers and soils draw a liquid in, and how much."
    does = "moves"
    equation = (
        r"\frac{\partial(\varepsilon w)}{\partial t}=\nabla\cdot\left[\frac{\mathbf K\,k(w)}{\mu}"
        r"\left(\nabla p-\rho\mathbf g\right)\right],\quad w=w(p)"
    )
    source = "Richards 1931, Physics 1; a sharp front: Green & Ampt 1911, Washburn 1921"
    settings = (
        *LIQUID,
        Param(
            "surface_tension",
            "surface tension",
            label="surface tension",
            default="72.8 mN/m",
            above=0.0,
            why="water in air at 20 degC (from memory)",
            symbol=r"\sigma",
        ),
        Param(
            "contact_angle",
            "angle",
            label="contact angle",
            default="0 deg",
            least=0.0,
            why="the liquid spreads on what it wets",
            symbol=r"\theta",
        ),
        Param(
            "gravity_x",
            "acceleration",
            label="gravity along x",
            default="0 m/s2",
            why="x lies level on most sheets",
        ),
        Param(
            "gravity_y",
            "acceleration",
            label="gravity along y",
            default="-9.81 m/s2",
            why="y points up on most sheets",
        ),
    )
    conditions = (
        Condition(
            "sealed",
            "edge",
            "sealed",
            label="sealed, nothing passes",
            tex=r"\mathbf u\cdot\mathbf n=0",
        ),
        Condition(
            "wetted",
            "edge",
            "touches liquid at {pressure}",
            (_LEVEL,),
            label="touches liquid",
            through="in",
            tex="p=<pressure>",
        ),
        Condition(
            "drips",
            "edge",
            "drips at {pressure}",
            (_LEVEL,),
            label="lets go of what is pushed out",
            through="out",
            tex=r"\mathbf u\cdot\mathbf n\ge0,\ p\le<pressure>",
        ),
        inflow(),
        DRAWN_OFF,
        Condition(
            "wet front",
            "zone",
            "draws with {draws|pore}",
            (
                Param("draws", "pressure", "formula", label="capillary pressure"),
                Param("pore", "length", "formula", label="pore size", above=0.0),
                Param(
                    "power",
                    label="exponent of how easily liquid moves where not full",
                    default=3.0,
                    least=1.0,
                    why="of packed grains (common practice); it counts only where a full spot drains",
                ),
                _SWELLING,
            ),
            label="draws a wet front",
            one_of=("draws", "pore"),
            tex={
                "draws": r"w=1\ \text{where}\ p>-p_c,\ p_c=<draws>",
                "pore": r"w=1\ \text{where}\ p>-p_c,\ p_c=\frac{4\sigma\cos\theta}{<pore>}",
            },
        ),
        Condition(
            "curved",
            "zone",
            "air enters about {drawn}, exponent {shape}",
            (
                _DRAWN,
                Param("shape", label="exponent", above=1.0),
                _RESIDUAL,
                _SWELLING,
            ),
            label="empties along a curve",
            tex=r"w_e=\left[1+(-p/<drawn>)^n\right]^{-m},\ n=<shape>,\ m=1-\tfrac1n",
        ),
        Condition(
            "power law",
            "zone",
            "air enters at {drawn}, exponent {shape}",
            (
                _DRAWN,
                Param("shape", label="exponent", above=0.0),
                _RESIDUAL,
                _SWELLING,
            ),
            label="empties by a power law",
            tex=r"w_e=(-p/<drawn>)^{-\lambda},\ \lambda=<shape>,\ k=w_e^{3+2/\lambda}",
        ),
        Condition(
            "exponential",
            "zone",
            "empties over {drawn}",
            (
                _DRAWN,
                Param(
                    "power",
                    label="exponent of how easily liquid moves",
                    default=1.0,
                    least=1.0,
                    why="Gardner's own choice makes it as easy as pores are full",
                ),
                _RESIDUAL,
                _SWELLING,
            ),
            label="empties exponentially",
            tex=r"w_e=e^{p/<drawn>},\ k=w_e^{<power>}",
        ),
        Condition(
            "cut out",
            "zone",
            "takes up nothing, cut out",
            label="takes up nothing, cut out",
            blocks=True,
            tex=r"\mathbf u=0",
        ),
        Condition(
            "start",
            "start",
            "{wetness} full",
            (
                Param(
                    "wetness",
                    "number",
                    "formula",
                    default="0",
                    label="share of pores that is full",
                    why="a wick begins dry",
                    least=0.0,
                    most=1.0,
                ),
            ),
            label="at the start",
            tex=r"w(t{=}0)=<wetness>",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Pressure)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [Need(Resistance, FLUID), *self.gets(self.quantities(settings))]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        speeds = [replace(f, chief=False) for f in stream_fields("wicking")]
        return [
            Field("wetness", "w", "number", arrays=("wicking.wet",), label="Wetness", chief=True),
            Field("wet_since", "t_w", "time", derive=_since, label="Wet since"),
            Field("wet_for", "a_w", "time", derive=_wet_for, label="Wet for"),
            Field(
                "taken_up",
                "m",
                "density",
                arrays=("wicking.taken",),
                label="Taken up, per volume",
            ),
            *speeds,
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"mass": "mass flow"}

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        """A few steps for every cell that a front passes."""
        passed = max(facts.size()) / facts.cell_size()
        return int(4 * passed), 0.01 + 7e-6 * facts.mesh.cells

    def stream(
        self, kind: str, values: Mapping[str, Any], area: float, settings: Mapping[str, Any]
    ) -> float | None:
        return given_stream(kind, values, area, settings["density"])

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            if place in facts.nozzles():
                return Missing("a nozzle touches liquid, or lets it go: say which")
            return Assumed("sealed", "nothing passes unless something else is said")
        if on == "zone":
            return Missing("what drinks has pores: say how they draw, or cut it out")
        if on == "start":
            return Assumed("start", "a wick begins dry", {"wetness": "0"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.wicking.solver import WickingSolver

        return WickingSolver(problem)
