"""Parts of a vessel that move, and what that asks of solvers.

The march asks those that move parts where they will be at the end of a step, lays the vessel out
anew, and hands everyone the geometry before anybody advances. The grid stays.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol, runtime_checkable

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.nearest import nearest

Array = np.ndarray


@dataclass(frozen=True)
class Shift:
    """How far a part has got from where it is drawn (m), and how fast it moves (m/s)."""

    x: float = 0.0
    y: float = 0.0
    u: float = 0.0
    v: float = 0.0


@dataclass(frozen=True)
class Geometry:
    """The vessel at the end of a step, as one solver lives in it.

    mesh, before : what it lives on then, and when the step began; they share their grid.
    speeds : of the edges that move, along x and y (m/s).
    """

    mesh: Mesh
    before: Mesh
    speeds: Mapping[str, tuple[float, float]]

    @cached_property
    def fresh(self) -> Array:
        """Cells that were closed when the step began, (ny + 3, nx + 3)."""
        return self.mesh.there[0] & ~self.before.there[0]

    @cached_property
    def gone(self) -> tuple[Array, Array]:
        """Cells that have closed, as flat indices, and the nearest that was open and still is, which
        takes over what each of them held.
        """
        stays = self.mesh.live[0] & self.before.live[0]
        gone = self.before.live[0] & ~self.mesh.live[0]
        if not gone.any():
            return np.zeros(0, np.int64), np.zeros(0, np.int64)
        near = tuple(along[gone] for along in nearest(stays))
        return np.flatnonzero(gone), np.ravel_multi_index(near, gone.shape)

    @cached_property
    def held(self) -> Array:
        """Volume (m3) that each cell held when the step began, with that of those that have closed."""
        return self.hand_on(self.before.volume[0].copy())

    @cached_property
    def growth(self) -> Array:
        """How much larger each cell gets in the step (m3)."""
        return np.where(self.mesh.live[0], self.mesh.volume[0] - self.held, 0.0)

    def hand_on(self, amounts: Array) -> Array:
        """Give (in place) what closed cells held to those that take it over."""
        gone, taker = self.gone
        flat = amounts.reshape(-1)
        np.add.at(flat, taker, flat[gone])
        flat[gone] = 0.0
        return self.mesh.grid.wrap(amounts)

    def carried_over(self, values: Array) -> Array:
        """Fill (in place) cells that have opened with what the nearest old one holds."""
        if self.fresh.any():
            j, i = self.before.nearest
            values[self.fresh] = values[j[self.fresh], i[self.fresh]]
        return values


@runtime_checkable
class MovesParts(Protocol):
    """A solver whose phenomenon moves parts of the vessel (`Phenomenon.moves`)."""

    def shifts(self, state: State, t: float) -> Mapping[str, Shift]:
        """Where they are at a time not before the state's (s)."""


@runtime_checkable
class FollowsParts(Protocol):
    """A solver that goes on when parts of the vessel move."""

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over the geometry at the end of the step, and what it makes of the state."""
