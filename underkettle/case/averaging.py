"""Means and deviations of formulas that run along with the steps of a run.

They are gathered in the State, so that a checkpoint goes on with them. Between the ends of a step a
formula is taken to go straight; deviations are gathered from the first value, which keeps what is
nearly steady exact.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh

Array = np.ndarray
Derive = Callable[[Mesh, State], Array]

PARTS = ("first", "last", "sum", "square")


def _key(name: str, part: str) -> str:
    return f"averages.{name}.{part}"


def so_far(name: str, tells: str) -> Derive:
    """The mean or deviation that has been gathered, NaN where nothing has."""

    def derive(mesh: Mesh, state: State) -> Array:
        time = state.numbers.get(_key(name, "time"), 0.0)
        if time <= 0:
            return np.full(mesh.shape, np.nan)
        mean = state.fields[_key(name, "sum")] / time
        if tells == "mean":
            return np.asarray(state.fields[_key(name, "first")] + mean)
        square = state.fields[_key(name, "square")] / time - mean**2
        return np.asarray(np.sqrt(np.maximum(square, 0.0)))

    return derive


class Gathered:
    """One formula, gathered from a time (s) on."""

    def __init__(self, name: str, since: float, now: Derive) -> None:
        self.name, self.since, self.now = name, since, now

    def start(self, state: State, mesh: Mesh) -> None:
        """Room for it, where there is none yet."""
        for part in PARTS:
            state.fields.setdefault(_key(self.name, part), np.zeros(mesh.shape))
        state.numbers.setdefault(_key(self.name, "time"), 0.0)

    def after(self, state: State, mesh: Mesh, dt: float) -> None:
        """Take a step of `dt` (s) along that ended now."""
        share = min(dt, state.time - self.since)
        if share <= 1e-12 * dt:
            return
        first, last, total, square = (state.fields[_key(self.name, p)] for p in PARTS)
        values = np.where(mesh.live, self.now(mesh, state), 0.0)
        if not state.numbers[_key(self.name, "time")]:
            first[:] = last[:] = values
        here, before = values - first, last - first
        total += 0.5 * share * (here + before)
        square += share / 3.0 * (here**2 + here * before + before**2)
        last[:] = values
        state.numbers[_key(self.name, "time")] += share
