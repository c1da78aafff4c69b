"""Percolation: a stream through porous matter alone, where neither inertia of its own nor shear
counts.
"""

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
    Missing,
    Need,
    Param,
    Phenomenon,
    Pressure,
    Problem,
    Provides,
    Resistance,
    Sheet,
    Solver,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.percolation.audit import RULES, SIZES
from underkettle.phenomena.percolation.papers import PAPERS

_SPEED = Param("speed", "speed", "formula", label="speed", live=True)
_VOLUME = Param("volume_flow", "volume flow", "formula", label="volume flow", live=True, above=0.0)
_MASS = Param("mass_flow", "mass flow", "formula", label="mass flow", live=True, above=0.0)
_PRESSURE = Param("pressure", "pressure", "formula", label="pressure", live=True)
_LEVEL = Param(
    "pressure",
    "pressure",
    "formula",
    default="0 Pa",
    label="pressure",
    why="pressures are measured from this level",
    live=True,
)
_FLOWS = {
    "speed": r"\mathbf u\cdot\mathbf n=<speed>",
    "volume_flow": r"\int\mathbf u\cdot\mathbf n\,dA=<volume_flow>",
    "mass_flow": r"\int\rho\,\mathbf u\cdot\mathbf n\,dA=<mass_flow>",
}


def _component(axis: int) -> Any:
    def derive(mesh: Mesh, state: State) -> np.ndarray:
        face = state.fields[f"percolation.{'uv'[axis]}"]
        middle = np.zeros(mesh.shape)
        if axis == 0:
            middle[:, :, :-1] = 0.5 * (face[:, :, :-1] + face[:, :, 1:])
        else:
            middle[:, :-1] = 0.5 * (face[:, :-1] + face[:, 1:])
        return np.where(mesh.live, middle, 0.0)

    return derive


def _speed(mesh: Mesh, state: State) -> np.ndarray:
    return np.hypot(*(_component(axis)(mesh, state) for axis in (0, 1)))


class Percolation(Phenomenon):
    """Darcy's law, with Forchheimer's part where matter has one, over all that porous matter fills."""

    name = "percolation"
    label = "Percolation"
    summary = "through porous matter only"
    about = "Which ways a liquid takes through beds, cakes and soils, and what pressure that needs."
    does = "moves"
    equation = (
        r"\nabla\cdot\mathbf u=0,\quad\left(\mu\mathbf K^{-1}+\rho\,\mathbf B\,|\mathbf u|\right)"
        r"\mathbf u=-\nabla p"
    )
    source = "Darcy 1856, Forchheimer 1901"
    settings = (
        Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
        Param(
            "viscosity",
            "viscosity",
            "formula",
            label="viscosity",
            above=0.0,
            law="old",
            symbol=r"\mu",
        ),
    )
    conditions = (
        Condition(
            "tight",
            "edge",
            "tight",
            label="tight, nothing passes",
            tex=r"\mathbf u\cdot\mathbf n=0",
        ),
        Condition(
            "inflow",
            "edge",
            "{speed|volume_flow|mass_flow} in",
            (_SPEED, _VOLUME, _MASS),
            label="flows in",
            through="in",
            one_of=SIZES,
            tex={name: f"-{tex}" for name, tex in _FLOWS.items()},
        ),
        Condition(
            "drawn off",
            "edge",
            "{speed|volume_flow|mass_flow} drawn off",
            (_SPEED, _VOLUME, _MASS),
            label="drawn off at a rate",
            through="out",
            one_of=SIZES,
            tex=_FLOWS,
        ),
        Condition(
            "fed",
            "edge",
            "fed at {pressure}",
            (_PRESSURE,),
            label="fed at a pressure",
            through="in",
            tex="p=<pressure>",
        ),
        Condition(
            "drains",
            "edge",
            "drains at {pressure}",
            (_LEVEL,),
            label="drains at a pressure",
            through="out",
            tex="p=<pressure>",
        ),
        Condition(
            "percolates",
            "zone",
            "percolates",
            label="percolates",
            tex=r"\nabla\cdot\mathbf u=0",
        ),
        Condition(
            "tight",
            "zone",
            "tight, cut out",
            label="tight, cut out",
            blocks=True,
            tex=r"\mathbf u=0",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Carrier, FLUID), Provides(Pressure)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Resistance, FLUID),
            Need(Sheet, FLUID, optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field("speed", "|u|", "speed", derive=_speed, label="Speed", chief=True),
            Field("pressure", "p", "pressure", arrays=("percolation.p",), label="Pressure"),
            *(
                Field(
                    f"velocity_{name}",
                    "uv"[axis],
                    "speed",
                    derive=_component(axis),
                    label=f"Velocity in {name}",
                    centred=True,
                    component=("velocity", axis),
                )
                for axis, name in enumerate("xy")
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"mass": "mass flow"}

    def steady_work(self, mesh: Mesh) -> tuple[int, float] | None:
        return 3, 2e-3 + 4e-6 * mesh.cells

    def stream(
        self, kind: str, values: Mapping[str, Any], area: float, settings: Mapping[str, Any]
    ) -> float | None:
        if kind not in ("inflow", "drawn off"):
            return None
        sign = 1.0 if kind == "inflow" else -1.0
        if "mass_flow" in values:
            return float(sign * values["mass_flow"] / settings["density"])
        return float(sign * values.get("volume_flow", values.get("speed", 0.0) * area))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            if place in facts.nozzles():
                return Missing("a nozzle lets something in or out: say which, and how much")
            return Assumed("tight", "nothing passes unless something else is said")
        if on == "zone":
            return Assumed(
                "percolates", "a stream seeps through unless the zone is said to be tight"
            )
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.percolation.solver import PercolationSolver

        return PercolationSolver(problem)
