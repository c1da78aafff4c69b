"""Swirl as a carried thing that counts by its lever; what it presses with goes to the stream."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Force,
    Offer,
    Problem,
    Provides,
    Shear,
)
from underkettle.engine.marching.state import State
from underkettle.engine.operators.diffusion import slopes
from underkettle.engine.transport import Carried, TransportSolver

Array = np.ndarray


class SwirlSolver(TransportSolver):
    """Solves for the angular speed (1/s). Per density: rho r^2 is its capacity, mu r^2 spreads. Where
    density is a law, the stream's mass carries it.
    """

    guessed = False

    def __init__(self, problem: Problem) -> None:
        s = problem.settings()
        self.law = s["density"]
        self.follows = bool(self.law.reads)
        self.density = 1.0 if self.follows else float(np.asarray(self.law.at()))
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
                    density=self.density if self.follows else 0.0,
                    lever=True,
                    called="turning",
                )
            ],
        )
        self.key = problem.state_name("turning")

    def _shear(self, turning: Array) -> Array:
        """r squared times the squares of how the angular speed changes along x and r (1/s2)."""
        grid, live = self.mesh.grid, self.carrying.live
        found = np.zeros(turning.shape)
        for before, after in slopes(turning, grid, live):
            beside = (before != 0.0).astype(int) + (after != 0.0)
            found += ((before + after) / np.maximum(beside, 1)) ** 2
        return np.where(live, found * grid.centres(1)[:, None] ** 2, 0.0)

    def _dense(self, state: State) -> Any:
        """kg/m3 of every cell, where it follows what is solved."""
        known = self.problem.known(state, self.law.reads, "new")
        return self.law.at(self.mesh.place(state.time), known)

    def offer(self, what: Provides, state: State) -> Offer:
        """Force per volume (N/m3) along x and on radial faces; or what shear swirl adds."""
        if what.kind is Shear:
            return Shear(self._shear(self.mesh.grid.wrapped(state.fields[self.key])[0])[None])
        live, grid = self.mesh.there, self.mesh.grid
        turning = grid.wrapped(state.fields[self.key])
        if self.follows:  # what counts on a face is the mean of what presses on either side
            turning = turning * np.sqrt(np.where(live[0], self._dense(state), 0.0))
        before, there = np.roll(turning, 1, 1), np.roll(live, 1, 1)
        face = np.where(
            live & there,
            0.5 * (before + turning),
            np.where(live, turning, np.where(there, before, 0.0)),
        )
        push = self.density * face**2 * grid.faces(1)[None, :, None]
        return Force(np.zeros(self.mesh.shape), push)
