"""Species as carried things, and how much there is of them."""

from __future__ import annotations

from functools import partial

import numpy as np

from underkettle.engine.contract import Composition, Offer, Problem, Provides
from underkettle.engine.marching.state import State
from underkettle.engine.transport import Carried, TransportSolver


class SpeciesSolver(TransportSolver):
    """Solves for concentrations (mol/m3)."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(
            problem,
            [
                Carried(
                    name,
                    name.replace("_", " "),
                    f"{name}.c",
                    s["diffusivity"],
                    s.get("diffusivity_y", s["diffusivity"]),
                    called=name,
                    in_pores="dissolved",
                )
                for name, s in problem.settings()["members"].items()
            ],
        )

    def offer(self, what: Provides, state: State) -> Offer:
        amounts = np.stack([self.carrying.of(state, member) for member in self.members])
        names = tuple(member.what.name for member in self.members)
        return Composition(
            names,
            amounts,
            np.ones(amounts.shape),
            (1.0,) * len(names),
            films=partial(self.films, self.members, state),
        )
