"""Grid lines: fixed ones where walls stand, graded ones between them."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

Array = np.ndarray

# Index 0 is a ghost, 1..n are cells (faces 1..n+1), n+1 and n+2 are ghosts.
GHOSTS = 3


@dataclass(frozen=True)
class Refinement:
    """Cells of `size` (m) between `low` and `high` (m), growing outwards by `growth` per cell."""

    low: float
    high: float
    size: float
    growth: float


def graded_nodes(
    low: float, high: float, fixed: Sequence[float], size: float, finer: Sequence[Refinement] = ()
) -> Array:
    """Grid lines from `low` to `high` (m), exactly through `fixed`, spaced about `size`.

    Between two fixed lines the number of cells is the integral of 1/spacing, rounded, and the
    lines divide that integral evenly, so neighbouring cells differ by no more than the growth
    asked for. Fixed lines closer together than a thousandth of `size` are taken as one.
    """
    stops = [low]
    for value in sorted(fixed):
        if value - stops[-1] > 1e-3 * size and high - value > 1e-3 * size:
            stops.append(value)
    stops.append(high)
    nodes = [np.array([low])]
    for a, b in itertools.pairwise(stops):
        s = np.linspace(a, b, 513)
        wanted = np.full(s.size, size)
        for r in finer:
            away = np.maximum(np.maximum(r.low - s, s - r.high), 0.0)
            wanted = np.minimum(wanted, r.size + (r.growth - 1.0) * away)
        rate = 1.0 / wanted
        count = np.concatenate([[0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(s))])
        n = max(1, round(count[-1]))
        inner = np.interp(np.arange(1, n) * count[-1] / n, count, s)
        nodes.append(inner)
        nodes.append(np.array([b]))
    return np.concatenate(nodes)


@dataclass(frozen=True)
class Grid:
    """A rectilinear grid: node positions (m) along x and y, and the depth (m) of the plane.

    A round one is turned about y = 0: x runs along the axis, y is the radius, and areas and volumes
    are those of the full turn.

    Arrays on it have shape (1, ny + 3, nx + 3), x contiguous. Cell (j, i) has 1 <= i <= nx,
    1 <= j <= ny; its west face and its south face carry the same index. Where it repeats along an
    axis, ghosts hold what lies at the other end (see `wrap`).
    """

    x: Array
    y: Array
    depth: float
    round: bool = False
    repeats: tuple[bool, bool] = (False, False)

    def around(self, y: Array | float) -> Array:
        """How far (m) the vessel reaches out of the plane at y: its depth, or the circumference."""
        at = np.asarray(y, float)
        return 2 * np.pi * np.abs(at) if self.round else np.full(at.shape, self.depth)

    def swept(self, y: Array | float) -> Array:
        """Area (m2) between y = 0 and y, taken all the way round: the integral of `around`."""
        at = np.asarray(y, float)
        return np.pi * at * at if self.round else self.depth * at

    @property
    def strip(self) -> Array:
        """Full area (m2) of each row's faces across x, padded."""
        return self.widths(1) * self.around(self.centres(1))

    @property
    def nx(self) -> int:
        return self.x.size - 1

    @property
    def ny(self) -> int:
        return self.y.size - 1

    @property
    def shape(self) -> tuple[int, int, int]:
        return (1, self.ny + GHOSTS, self.nx + GHOSTS)

    @property
    def count(self) -> int:
        return self.nx * self.ny

    def widths(self, axis: int) -> Array:
        """Cell widths (m), padded: ghosts mirror the outermost cells. axis 0 is x, 1 is y."""
        return self._lines[axis][0]

    def centres(self, axis: int) -> Array:
        """Cell centres (m), padded in the same way."""
        return self._lines[axis][1]

    def faces(self, axis: int) -> Array:
        """Positions (m) of faces, padded so that faces()[i] is the low face of cell i."""
        return self._lines[axis][2]

    @cached_property
    def finest(self) -> float:
        """The narrowest width of a cell along either axis (m)."""
        return float(min(np.diff(self.x).min(), np.diff(self.y).min()))

    @cached_property
    def _lines(self) -> tuple[tuple[Array, Array, Array], ...]:
        """Widths, centres and faces along x and y; not to be written to."""
        return _padded(self.x, self.repeats[0]), _padded(self.y, self.repeats[1])

    def spot(self, j: int, i: int) -> str:
        """Where a cell (padded indices) lies, in words."""
        x, y = self.centres(0), self.centres(1)
        return f"x {x[min(i, x.size - 1)]:.4g} m, y {y[min(j, y.size - 1)]:.4g} m"

    def wrap(self, values: Array) -> Array:
        """Fill ghosts (in place) with what lies at the other end, where the grid repeats."""
        for axis, count in ((0, self.nx), (1, self.ny)):
            if self.repeats[axis]:
                line = values if axis == 0 else values.swapaxes(-1, -2)
                line[..., 0] = line[..., count]
                line[..., count + 1] = line[..., 1]
                line[..., count + 2] = line[..., min(2, count)]
        return values

    def wrapped(self, values: Array) -> Array:
        """The same on a copy."""
        return self.wrap(values.copy()) if any(self.repeats) else values


def _padded(nodes: Array, repeats: bool) -> tuple[Array, Array, Array]:
    h = np.diff(nodes)
    before, after, beyond = (
        (h[-1], h[0], h[min(1, h.size - 1)]) if repeats else (h[0], h[-1], h[-1])
    )
    widths = np.concatenate([[before], h, [after, beyond]])
    faces = np.concatenate([[nodes[0] - before], nodes, [nodes[-1] + after]])
    centres = np.concatenate(
        [[faces[0] + 0.5 * before], 0.5 * (nodes[1:] + nodes[:-1]), faces[-2:] + 0.5 * widths[-2:]]
    )
    lines = widths, centres, faces
    for line in lines:
        line.flags.writeable = False
    return lines
