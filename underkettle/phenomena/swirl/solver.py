"""Swirl as a carried thing that counts by its lever; what it presses with goes to the stream."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import Force, Offer, Problem, Provides
from underkettle.engine.marching.state import State
from underkettle.engine.transport import Carried, TransportSolver


class SwirlSolver(TransportSolver):
    """Solves for the angular speed (1/s). Per density: rho r^2 is its capacity, mu r^2 spreads."""

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        self.density = float(s["density"])
        super().__init__(
            problem,
            [
                Carried(
                    "",
                    "angular_momentum",
                    "turning",
                    s["viscosity"],
                    s["viscosity"],
                    capacity=self.density,
                    unit="1/s",
                    amount="N m s",
                    lever=True,
                    called="turning",
                )
            ],
        )
        self.key = problem.state_name("turning")

    def offer(self, what: Provides, state: State) -> Offer:
        """Force per volume (N/m3) along x and on radial faces."""
        live, grid = self.mesh.there, self.mesh.grid
        turning = grid.wrapped(state.fields[self.key])
        before, there = np.roll(turning, 1, 1), np.roll(live, 1, 1)
        face = np.where(
            live & there,
            0.5 * (before + turning),
            np.where(live, turning, np.where(there, before, 0.0)),
        )
        return Force(
            np.zeros(self.mesh.shape), self.density * face**2 * grid.faces(1)[None, :, None]
        )
