"""Faces where two conductors meet, one on either side, and a surface stands between them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.phenomena.charge.conductors import Conductor

Array = np.ndarray


class Meeting:
    """The faces of one surface; current counts from the first conductor to the second.

    first, second : (row, column) of the cells on either side. axis, row, column : of the face; sign :
    +1 where its axis leads from the first to the second. area (m2). x, y (m) : its middle. place :
    which of `places` it belongs to. half : half widths (m) of the cells on either side.
    """

    def __init__(
        self, mesh: Mesh, places: Iterable[str], out_of: Conductor | None, into: Conductor
    ) -> None:
        self.mesh, self.out_of, self.into, self.places = mesh, out_of, into, tuple(places)
        found = [part for k in range(len(self.places)) for part in self._faces(k)]
        each = list(zip(*found, strict=True)) or [[np.zeros(0)]] * 10
        whole = [np.concatenate(parts) for parts in each]
        self.axis, self.row, self.column, *cells, self.place = (a.astype(int) for a in whole[:8])
        self.first, self.second = (cells[0], cells[1]), (cells[2], cells[3])
        self.sign, self.area = whole[8:]
        grid = mesh.grid
        across_x = self.axis == 0
        self.x = np.where(across_x, grid.faces(0)[self.column], grid.centres(0)[self.column])
        self.y = np.where(across_x, grid.centres(1)[self.row], grid.faces(1)[self.row])
        self.half = [
            0.5 * np.where(across_x, grid.widths(0)[column], grid.widths(1)[row])
            for row, column in (self.first, self.second)
        ]

    def _faces(self, k: int) -> Iterable[tuple[Array, ...]]:
        """Those of a place: axis, row, column, cells of both sides, place, sign, area."""
        if self.out_of is None:
            return
        grid, faces = self.mesh.grid, self.mesh.divide(self.places[k])
        j, i = faces.before
        # where the grid repeats, what lies before its first cells are its last
        behind = np.where(j < 1, j + grid.ny, j), np.where(i < 1, i + grid.nx, i)
        ahead = faces.row, faces.column
        for first, second, sign in ((behind, ahead, 1.0), (ahead, behind, -1.0)):
            mine = np.flatnonzero(self.out_of.there[first] & self.into.there[second])
            yield tuple(
                a[mine]
                for a in (
                    faces.axis,
                    *ahead,
                    *first,
                    *second,
                    np.full(faces.axis.size, k),
                    np.full(faces.axis.size, sign),
                    faces.area,
                )
            )

    def sides(self) -> Iterable[tuple[Conductor, tuple[Array, Array], Array, float]]:
        """Either conductor, its cells, their half widths (m), and whether current leads into it."""
        if self.out_of is not None:
            yield self.out_of, self.first, self.half[0], -1.0
        yield self.into, self.second, self.half[1], 1.0

    def eases(self) -> tuple[Array, ...]:
        """S of the half cells on either side."""
        return tuple(
            self.area
            / half
            * np.where(self.axis == 0, c.unknown.along[0][at], c.unknown.along[1][at])
            for c, at, half, _ in self.sides()
        )

    def ease(self) -> Array:
        """S of both half cells, in a row."""
        if not self.area.size:
            return np.zeros(0)
        one, other = self.eases()
        return np.asarray(one * other / np.maximum(one + other, 1e-300))

    def lost(self, current: Array) -> Array:
        """W in every cell that a current (A) loses on its way to the faces."""
        found = np.zeros(self.mesh.shape[1:])
        if self.area.size:
            for (_, at, _, _), ease in zip(self.sides(), self.eases(), strict=True):
                np.add.at(found, at, current**2 / np.maximum(ease, 1e-300))
        return found

    def gains(self, c: Conductor, current: Array) -> Array:
        """A that cells of a conductor get."""
        found = np.zeros(self.mesh.shape[1:])
        for own, at, _, way in self.sides():
            if own is c:
                np.add.at(found, at, way * current)
        return found

    def flows(self, c: Conductor, current: Array) -> tuple[Array, Array]:
        """A m in cells of a conductor along x and y: what passes faces by how far they lie away."""
        found = np.zeros((2, *self.mesh.shape[1:]))
        for own, at, half, _ in self.sides():
            if own is c:
                for axis in (0, 1):
                    mine = self.axis == axis
                    moment = self.sign * current * half
                    np.add.at(found[axis], (at[0][mine], at[1][mine]), moment[mine])
        return found[0], found[1]

    def through(self, current: Array) -> tuple[Array, Array]:
        """A along the axes through x faces and y faces, (ny + 3, nx + 3)."""
        found = np.zeros((2, *self.mesh.shape[1:]))
        np.add.at(found, (self.axis, self.row, self.column), self.sign * current)
        return found[0], found[1]

    def beyond(self, c: Conductor, current: Array) -> Array:
        """A that cells on the other side of a conductor's faces have to give back for what passes
        these.
        """
        found = np.zeros(self.mesh.shape[1:])
        for own, at, _, way in self.sides():
            if own is not c:
                np.add.at(found, at, way * current)
        return found
