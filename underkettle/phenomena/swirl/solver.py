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
from underkettle.engine.operators.stencil import roll
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
        for axis, centres in ((1, grid.centres(0)[None, :]), (0, grid.centres(1)[:, None])):
            where = centres * np.ones(turning.shape)
            slopes = []
            for step in (1, -1):
                near = roll(live, step, axis) & live
                apart = np.where(near, where - roll(where, step, axis), 1.0)
                slopes.append(np.where(near, (turning - roll(turning, step, axis)) / apart, 0.0))
            beside = np.sum([s != 0.0 for s in slopes], axis=0)
            found += (np.sum(slopes, axis=0) / np.maximum(beside, 1)) ** 2
        return np.where(live, found * grid.centres(1)[:, None] ** 2, 0.0)

    def _dense(self, state: State) -> Any:
        """kg/m3, of every cell where it follows what is solved."""
        if not self.follows:
            return self.density
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
        none = np.zeros(self.mesh.shape)
        own = 1.0 if self.follows else self.density
        return Force(none, own * face**2 * grid.faces(1)[None, :, None])
