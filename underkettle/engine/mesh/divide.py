"""Places inside that have two sides: thin screens, and where two open zones meet."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.engine.mesh.grid import Grid
from underkettle.quantities import Place

Array = np.ndarray
GROUP = 4.0  # cells that pieces of a line take together, before what they stand for is looked at
Row = tuple[Array, Array, Array, Array, Array]  # axis, row, column, sign, straight


@dataclass(frozen=True)
class Divide:
    """Faces of the grid that stand between two sides, a row each.

    axis : 0 for a face across x, 1 for one across y; row, column : padded indices of the face, which
    are those of the cell behind it. sign : +1 where the axis leads from the first side to the
    second, -1 where it leads back. area : open area (m2). x, y : middle (m). straight : share of the
    axis in the direction that leads straight across, 1 where it runs along the grid.
    """

    axis: Array
    row: Array
    column: Array
    sign: Array
    area: Array
    x: Array
    y: Array
    straight: Array

    @property
    def true_area(self) -> Array:
        """What of a slanted sheet's own area (m2) each face stands for."""
        return self.area * self.straight

    @property
    def before(self) -> tuple[Array, Array]:
        """Row and column of the cell before each face; of a ghost where the grid repeats."""
        return self.row - self.axis, self.column - (1 - self.axis)

    def place(self, t: float = 0.0) -> Place:
        """The middle of every face, at a time (s)."""
        return Place(x=self.x, y=self.y, t=t)

    def along(self, axis: int) -> Array:
        """Row numbers of the faces across one axis."""
        return np.flatnonzero(self.axis == axis)

    def passing(self, x: Array, y: Array) -> Array:
        """What passes each face from the first side to the second, of what passes all faces along
        the axes; x, y : (ny + 3, nx + 3).
        """
        at = self.row, self.column
        return np.where(self.axis == 0, x[at], y[at]) * self.sign

    def spread(self, values: Array, shape: tuple[int, ...]) -> tuple[Array, Array]:
        """One number per face, each from the first side to the second, as (ny + 3, nx + 3) arrays
        on x faces and on y faces, positive along the axes; 0 elsewhere.
        """
        found = np.zeros(shape), np.zeros(shape)
        for axis, array in enumerate(found):
            mine = self.along(axis)
            array[self.row[mine], self.column[mine]] = (self.sign * values)[mine]
        return found


def screen_faces(grid: Grid, openings: tuple[Array, Array], points: Array) -> Divide:
    """Open faces between cells on either side of a line through points (n, 2), m.

    The first side is the one that x comes from, or y where the line runs along x. A line that runs
    along neither is followed in steps, whose areas along x and y are those of the line.
    openings : open area (m2) of x faces and y faces, (ny + 3, nx + 3).
    """
    points = np.asarray(points, float)
    chord = points[-1] - points[0]
    side = 1.0 if chord[1] > 0 or (chord[1] == 0 and chord[0] < 0) else -1.0
    rows: list[Row] = []
    long = GROUP * max(float(grid.widths(axis).max()) for axis in (0, 1))
    left = float(np.hypot(*np.diff(points, axis=0).T).sum())
    groups: list[Array] = []
    exact, length = [0.0], 0.0  # areas of the line's own, of each group of pieces; of the last, m
    for a, b in itertools.pairwise(points):
        if length >= long and left >= long:
            exact.append(0.0)
            length = 0.0
        found = _piece_faces(grid, a, b, side)
        rows += found
        groups += [np.full(row[0].size, len(exact) - 1) for row in found]
        piece = float(np.hypot(*(b - a)))
        length, left = length + piece, left - piece
        exact[-1] += piece * float(grid.around(np.array([0.5 * (a[1] + b[1])]))[0])
    if not rows:
        return _divide(grid, openings, rows)
    faces = [np.concatenate(part) for part in zip(*rows, strict=True)]
    passes = _once(faces)
    axis, row, column, sign, lean = (part[passes] for part in faces)
    group = np.concatenate(groups)[passes]
    wide = np.where(axis == 0, grid.widths(1)[row], grid.widths(0)[column])
    level = np.where(axis == 0, grid.centres(1)[row], grid.faces(1)[row])
    covered = np.bincount(group, wide * grid.around(level) * lean, len(exact))
    # what faces stand for is the line's own area, wherever it ends or bends within a cell
    share = np.divide(exact, covered, out=np.ones(len(exact)), where=covered > 0)
    return _divide(grid, openings, [(axis, row, column, sign, lean * share[group])])


def _piece_faces(grid: Grid, a: Array, b: Array, side: float) -> list[Row]:
    """Faces that the line from a to b passes."""
    step, rows = b - a, []
    normal = side * step[1], -side * step[0]
    length = float(np.hypot(*step))
    for axis in (0, 1):
        other = 1 - axis
        if step[other] == 0.0:
            continue
        across, along = grid.centres(other), grid.centres(axis)
        low, high = sorted((a[other], b[other]))
        m = np.arange(1, across.size - 2)
        m = m[(across[m] >= low) & (across[m] < high)]
        at = a[axis] + (across[m] - a[other]) / step[other] * step[axis]
        k = np.searchsorted(along[: along.size - 2], at, side="left")
        inner = (k >= 2) & (k <= along.size - 3)
        m, k = m[inner], k[inner]
        row, column = (m, k) if axis == 0 else (k, m)
        sign, lean = np.sign(normal[axis]), abs(normal[axis]) / length
        whole = (np.full(m.size, v) for v in (sign, lean))
        rows.append((np.full(m.size, axis), row, column, *whole))
    return rows


def _once(faces: list[Array]) -> Array:
    """Which of them a line passes on the whole: to and fro, as at the top of a bow, it does not."""
    keys, number = np.unique(np.stack(faces[:3]), axis=1, return_inverse=True)
    return np.asarray(np.bincount(number.ravel(), faces[3], keys.shape[1])[number.ravel()] != 0)


def zone_faces(
    grid: Grid, openings: tuple[Array, Array], there: Array, zone: Array, sides: tuple[int, int]
) -> Divide:
    """Open faces where cells of two zones meet, from the first to the second.

    there : cells that take part, and ghosts that stand for some; zone : number of each cell's.
    """
    rows = []
    for axis in (0, 1):
        behind = np.roll(zone, 1, axis=1 - axis)
        both = there & np.roll(there, 1, axis=1 - axis)
        rim = 1 if grid.repeats[axis] else 2  # the low rim stands for the high one
        last = grid.nx if axis == 0 else grid.ny
        inner = np.zeros(zone.shape, bool)
        if axis == 0:
            inner[1 : grid.ny + 1, rim : last + 1] = True
        else:
            inner[rim : last + 1, 1 : grid.nx + 1] = True
        for first, second, sign in ((*sides, 1.0), (*sides[::-1], -1.0)):
            j, i = np.nonzero(inner & both & (behind == first) & (zone == second))
            rows.append((np.full(j.size, axis), j, i, np.full(j.size, sign), np.ones(j.size)))
    return _divide(grid, openings, rows)


def _divide(
    grid: Grid,
    openings: tuple[Array, Array],
    rows: list[Row],
) -> Divide:
    """Those of the faces that are open, in the order of their places."""
    parts: list[Sequence[Array]] = list(zip(*rows, strict=True)) or [[np.zeros(0)]] * 5
    axis, row, column = (np.concatenate(p).astype(np.int64) for p in parts[:3])
    sign, straight = np.concatenate(parts[3]), np.concatenate(parts[4])
    area = np.where(axis == 0, openings[0][row, column], openings[1][row, column])
    x = np.where(axis == 0, grid.faces(0)[column], grid.centres(0)[column])
    y = np.where(axis == 0, grid.centres(1)[row], grid.faces(1)[row])
    kept = np.flatnonzero(area > 0)
    kept = kept[np.lexsort((x[kept], y[kept]))]
    return Divide(*(a[kept] for a in (axis, row, column, sign, area, x, y, straight)))
