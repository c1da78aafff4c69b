"""How full cells are at the start, of a region where a function of place is positive."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from underkettle.engine.interface.cuts import ROOM, Cuts
from underkettle.engine.interface.planes import parts
from underkettle.engine.interface.polygons import shares_of_parts
from underkettle.engine.mesh import Grid

Array = np.ndarray

FINE = 16  # parts of a cell along either axis
EVEN = 64  # parts of a cell that a formula of shares changes in
ROWS = 2000  # of those at a time
NEAR = 1.5  # cells' diagonals from where it changes sign, beyond which a cell is full or empty


def shares(grid: Grid, inside: Callable[[Array, Array], Array], cuts: Cuts | None = None) -> Array:
    """The share of every cell, (ny + 3, nx + 3), where `inside` (of x and y, in m) is positive; of what
    is open where walls cut it. Cells that its sign changes in are cut into parts, each by its value and
    its slope.
    """
    x, y = (grid.centres(axis) for axis in (0, 1))
    hx, hy = (grid.widths(axis) for axis in (0, 1))
    wide, high = np.meshgrid(hx, hy)
    at_x, at_y = np.meshgrid(x, y)
    middle = _values(inside, at_x, at_y)
    slope = np.hypot(*_slopes(inside, at_x, at_y, wide, high))
    found = np.where(middle > 0.0, 1.0, 0.0)
    near = np.abs(middle) <= NEAR * slope * np.hypot(wide, high)
    # a function that is flat in the middle may still change nearby
    for dx, dy in ((-1, -1), (-1, 1), (1, -1), (1, 1)):
        corner = _values(inside, at_x + 0.5 * dx * wide, at_y + 0.5 * dy * high)
        near |= (corner > 0.0) != (middle > 0.0)
    j, i = np.nonzero(near)
    part = (np.arange(FINE) + 0.5) / FINE - 0.5
    fine_x = x[i][:, None, None] + part[None, None, :] * hx[i][:, None, None] + 0.0 * part[:, None]
    fine_y = y[j][:, None, None] + part[None, :, None] * hy[j][:, None, None] + 0.0 * part
    value = _values(inside, fine_x, fine_y)
    px, py = hx[i][:, None, None] / FINE, hy[j][:, None, None] / FINE
    along_x, along_y = _slopes(inside, fine_x, fine_y, px, py)
    rises_x, rises_y = along_x * px, along_y * py
    found[j, i] = _shares(value, rises_x, rises_y).mean(axis=(1, 2))
    if cuts is not None and len(cuts):
        rooms = np.zeros((2, ROOM)), np.zeros((2, ROOM))
        for n, (row, column) in enumerate(zip(j, i, strict=True)):
            k = cuts.row_of(int(row), int(column))
            if k >= 0:
                shape = cuts.x[k], cuts.y[k], int(cuts.count[k])
                found[row, column] = shares_of_parts(
                    *shape, FINE, value[n], rises_x[n], rises_y[n], *rooms
                )
    found[found < 1e-9] = 0.0
    found[found > 1.0 - 1e-9] = 1.0
    return found


def means(grid: Grid, value: Callable[[Array, Array], Array], cuts: Cuts | None = None) -> Array:
    """The mean of `value` (of x and y, in m) over every cell, (ny + 3, nx + 3), and over what is open
    where walls cut it: by its middle where it is the same there as on the corners and the sides, by
    EVEN x EVEN parts elsewhere, so that an edge of a fill that runs along the grid is met to half a
    part.
    """
    hx, hy = (grid.widths(axis) for axis in (0, 1))
    at_x, at_y = np.meshgrid(grid.centres(0), grid.centres(1))
    found = _values(value, at_x, at_y).copy()
    near = np.zeros(found.shape, bool)
    for dx in (-0.5, 0.0, 0.5):
        for dy in (-0.5, 0.0, 0.5):
            near |= _values(value, at_x + dx * hx, at_y + dy * hy[:, None]) != found
    j, i = np.nonzero(near)
    part = (np.arange(EVEN) + 0.5) / EVEN - 0.5
    for begin in range(0, j.size, ROWS):
        rows, columns = j[begin : begin + ROWS, None, None], i[begin : begin + ROWS, None, None]
        fine_x = at_x[rows, columns] + part * hx[columns]
        fine_y = at_y[rows, columns] + part[:, None] * hy[rows]
        fine_x, fine_y = np.broadcast_arrays(fine_x, fine_y)
        values = _values(value, fine_x, fine_y)
        found[rows[:, 0, 0], columns[:, 0, 0]] = values.mean(axis=(1, 2))
        if cuts is not None and len(cuts):
            for n, (row, column) in enumerate(zip(rows.ravel(), columns.ravel(), strict=True)):
                k = cuts.row_of(int(row), int(column))
                if k >= 0:
                    many = int(cuts.count[k])
                    open_ = _inside(part + 0.5, cuts.x[k, :many], cuts.y[k, :many])
                    if open_.any():
                        found[row, column] = values[n][open_].mean()
    return found


def _inside(at: Array, x: Array, y: Array) -> Array:
    """Which of the parts with middles `at` along both axes, (rows, columns), lie within a polygon."""
    found = np.zeros((at.size, at.size), bool)
    for x0, y0, x1, y1 in zip(x, y, np.roll(x, -1), np.roll(y, -1), strict=True):
        if y0 == y1:
            continue
        between = (at >= min(y0, y1)) & (at < max(y0, y1))
        crossed = x0 + (at - y0) / (y1 - y0) * (x1 - x0)
        found ^= between[:, None] & (at[None, :] < crossed[:, None])
    return found


def _values(inside: Callable[[Array, Array], Array], x: Array, y: Array) -> Array:
    return np.broadcast_to(np.asarray(inside(x, y), float), x.shape)


def _slopes(
    inside: Callable[[Array, Array], Array], x: Array, y: Array, wide: Array, high: Array
) -> tuple[Array, Array]:
    """How it rises along x and y (per m), by differences over a tenth of what is told."""
    dx, dy = 0.05 * wide, 0.05 * high
    along_x = (_values(inside, x + dx, y) - _values(inside, x - dx, y)) / (2.0 * dx)
    along_y = (_values(inside, x, y + dy) - _values(inside, x, y - dy)) / (2.0 * dy)
    return along_x, along_y


def _shares(value: Array, rises_x: Array, rises_y: Array) -> Array:
    """The share of cells in which a plane is positive. value : in the middle; rises : over a cell."""
    out = np.zeros(value.size)
    parts(*(np.ascontiguousarray(a).ravel() for a in (value, rises_x, rises_y)), out)
    return out.reshape(value.shape)
