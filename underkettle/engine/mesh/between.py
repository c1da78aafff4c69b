"""What lies on one grid, on another one of the same or a like vessel."""

from __future__ import annotations

import numpy as np

from underkettle.engine.mesh.grid import Grid
from underkettle.engine.mesh.mesh import Mesh

Array = np.ndarray


def _shares(known: Array, wanted: Array) -> tuple[Array, Array]:
    """The known line before each wanted one, and how far on to the next; held beyond the ends."""
    k = np.clip(np.searchsorted(known, wanted) - 1, 0, max(known.size - 2, 0))
    if known.size < 2:
        return k, np.zeros(wanted.size)
    return k, np.clip((wanted - known[k]) / (known[k + 1] - known[k]), 0.0, 1.0)


def _between(values: Array, x: Array, y: Array, to_x: Array, to_y: Array) -> Array:
    """Bilinear, from lines x, y to other lines."""
    i, s = _shares(x, to_x)
    j, t = _shares(y, to_y)
    i2, j2 = np.minimum(i + 1, x.size - 1), np.minimum(j + 1, y.size - 1)
    rows = values[:, i] * (1 - s) + values[:, i2] * s
    return np.asarray(rows[j] * (1 - t)[:, None] + rows[j2] * t[:, None])


def _lines(grid: Grid, axis: int | None) -> tuple[Array, Array]:
    """Where values lie: at cells (None), or on faces across an axis."""
    x, y = grid.centres(0)[1 : grid.nx + 1], grid.centres(1)[1 : grid.ny + 1]
    return (grid.x if axis == 0 else x), (grid.y if axis == 1 else y)


def handed_over(values: Array, here: Mesh, there: Mesh, axis: int | None = None) -> Array:
    """Values (ny + 3, nx + 3) on the mesh `here` as they are on `there`: of cells, closed ones
    holding what the nearest open one does, or (axis 0, 1) on faces across an axis.
    """
    if axis is None:
        values = here.filled(values)
    x, y = _lines(here.grid, axis)
    to_x, to_y = _lines(there.grid, axis)
    found = np.zeros(there.shape[1:])
    found[1 : to_y.size + 1, 1 : to_x.size + 1] = _between(
        values[1 : y.size + 1, 1 : x.size + 1], x, y, to_x, to_y
    )
    return there.grid.wrap(found)
