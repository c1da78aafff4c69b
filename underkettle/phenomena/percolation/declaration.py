"""Percolation: a stream through porous matter alone, where neither inertia of its own nor shear
counts.
"""

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
    Pressure,
    Problem,
    Provides,
    Resistance,
    Sheet,
    Solver,
)
from underkettle.engine.contract.streams import (
    DRAWN_OFF,
    LEVEL,
    LIQUID,
    given_stream,
    inflow,
    stream_fields,
)
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.percolation.audit import RULES
from underkettle.phenomena.percolation.papers import PAPERS

_PRESSURE = Param("pressure", "pressure", "formula", label="pressure", live=True)


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
    settings = LIQUID
    conditions = (
        Condition(
            "tight",
            "edge",
            "tight",
            label="tight, nothing passes",
            tex=r"\mathbf u\cdot\mathbf n=0",
        ),
        inflow(),
        DRAWN_OFF,
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
            (LEVEL,),
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
        return stream_fields("percolation")

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"mass": "mass flow"}

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 3, 2e-3 + 4e-6 * mesh.cells

    def stream(
        self, kind: str, values: Mapping[str, Any], area: float, settings: Mapping[str, Any]
    ) -> float | None:
        return given_stream(kind, values, area, settings["density"])

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
