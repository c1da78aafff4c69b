"""Heat as one carried thing; its temperature is offered to whoever needs it."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import Offer, Problem, Provides, Temperature
from underkettle.engine.marching.state import State
from underkettle.engine.transport import Carried, Solid, TransportSolver
from underkettle.quantities import NOWHERE


class HeatSolver(TransportSolver):
    """Solves for temperature (K)."""

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        law, origin = s["heat_capacity"], s["reference"]
        there = float(np.asarray(law.at(NOWHERE, {"temperature": origin})))
        conductivity = s["conductivity"]
        solids = {
            zone: Solid(v["conductivity"], v["density"] * v["heat_capacity"])
            for zone, given in problem.zone_conditions().items()
            for v in (given.values,)
            if given.kind == "solid"
        }
        super().__init__(
            problem,
            [
                Carried(
                    "",
                    "heat",
                    "temperature",
                    conductivity,
                    conductivity,
                    capacity=s["density"] * there,
                    origin=origin,
                    holds=law if law.reads else None,
                    unit="K",
                    amount="J",
                    density=s["density"],
                    solids=solids,
                    called="temperature",
                    in_pores="heat",
                    by_warmth=True,
                )
            ],
        )
        self.key = problem.state_name("temperature")

    def offer(self, what: Provides, state: State) -> Offer:
        return Temperature(self.mesh.grid.wrapped(state.fields[self.key]))
