"""What lies beside walls: which cells, how far off, and where the stream is looked at there.

The speed along a wall is looked at about one and a half cells from it along its normal (on walls
along the grid in the middle of the second cell), between the velocities nearest to that place. What
the law says of it is weighted in the same way, so that no interpolation bends it, and small cut
cells do not make it noisy: nothing is read in them.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.wall_distance import from_walls
from underkettle.engine.operators.velocity import middle_open
from underkettle.engine.operators.wall_law import friction_speeds

Array = np.ndarray

AWAY = (1.5, 1.0, 0.5)  # cells from a wall, the first of which has a stream to look at
ENOUGH = 0.5  # share of the weights that lies in the open
LEAST = 0.25  # of the spacing across a wall: the middle of a cell is taken to be no nearer
NEAREST = 0.05  # of the spacing: nothing is taken to be nearer to a wall
STRAIGHT = 1e-6


class Beside:
    """Walls of one mesh. Rows are those of `piece`, numbers of its pieces.

    y : distance of every cell (m), infinite without walls; near : row of the nearest one.
    first : cells that lie nearer than the place that is looked at; fixed : up to that place.
    """

    def __init__(self, mesh: Mesh, walls: Array, grain: Array) -> None:
        self.mesh, self.piece, self.grain = mesh, walls, grain[walls]
        self.cells = mesh.pieces.j[walls], mesh.pieces.i[walls]
        pieces, grid = mesh.pieces, mesh.grid
        self.live = mesh.live[0]
        shape = self.live.shape
        self.y, self.near = np.ones(shape), np.zeros(shape, np.int64)
        self.first, self.fixed = np.zeros(shape, bool), np.zeros(shape, bool)
        self.count = walls.size
        self.normal = pieces.nx[walls], pieces.ny[walls]
        self.tangent = -self.normal[1], self.normal[0]
        self.across = self.looked = np.zeros(walls.size)
        self.spots = _Spots.none(walls.size)
        if not walls.size:
            self.y[:] = np.inf
            return
        at = np.nonzero(self.live)
        x, y = grid.centres(0)[at[1]], grid.centres(1)[at[0]]
        away, which = from_walls(mesh, walls, x, y)
        row = np.zeros(pieces.j.size, np.int64)
        row[walls] = np.arange(walls.size)
        self.y[at] = away
        self.near[at] = row[which]
        self._look()
        self.y[at] = np.maximum(self.y[at], LEAST * self.across[self.near[at]])
        self.first = self.live & (self.y < self.looked[self.near] * (1 - STRAIGHT))
        self.fixed = self.live & (self.y <= self.looked[self.near] * (1 + STRAIGHT))

    def _look(self) -> None:
        """Where the stream is looked at, and what lies around that place."""
        mesh, pieces, grid, walls = self.mesh, self.mesh.pieces, self.mesh.grid, self.piece
        nx, ny = self.normal
        hx, hy = grid.widths(0), grid.widths(1)
        j, i = pieces.j[walls], pieces.i[walls]
        self.across = across = np.abs(nx) * hx[i] + np.abs(ny) * hy[j]
        # beside a wall along the grid: the middle of the second cell
        j2 = np.clip(j - np.round(ny).astype(np.int64), 1, grid.ny)
        i2 = np.clip(i - np.round(nx).astype(np.int64), 1, grid.nx)
        flat = np.abs(nx) > 0.5
        first, second = np.where(flat, hx[i], hy[j]), np.where(flat, hx[i2], hy[j2])
        plain = (pieces.axis[walls] >= 0) & self.live[j2, i2]
        open_ = [middle_open(mesh, axis) for axis in (0, 1)]
        found, left = _Spots.none(walls.size), np.ones(walls.size, bool)
        self.looked = np.zeros(walls.size)
        for cells in AWAY:
            mine = plain & (cells == AWAY[0])
            away = np.where(mine, first + 0.5 * second, cells * across)
            spots = self._around(open_, away)
            take = left & (spots.enough | (cells == AWAY[-1]))
            found.take(spots, take)
            self.looked[take] = away[take]
            left &= ~take
        self.spots = found

    def _around(self, open_: list[Array], away: Array) -> _Spots:
        """What lies around places so far (m) from each wall."""
        grid, pieces, walls = self.mesh.grid, self.mesh.pieces, self.piece
        nx, ny = self.normal
        x, y = pieces.x[walls] - away * nx, pieces.y[walls] - away * ny
        spots, enough = _Spots.none(walls.size), np.zeros(walls.size)
        for axis in (0, 1):
            lines_x = grid.faces(0) if axis == 0 else grid.centres(0)
            lines_y = grid.centres(1) if axis == 0 else grid.faces(1)
            numbers, weights, px, py = _four(lines_x, lines_y, x, y)
            weights, there = _shared(weights, open_[axis].ravel()[numbers], ENOUGH)
            along, mine = self.tangent[axis], slice(4 * axis, 4 * axis + 4)
            off = (pieces.x[walls][:, None] - px) * nx[:, None]
            off += (pieces.y[walls][:, None] - py) * ny[:, None]
            spots.at[:, mine] = numbers
            spots.along[:, mine] = weights * along[:, None]
            spots.share[:, mine] = weights * along[:, None] ** 2
            spots.distance[:, mine] = np.maximum(off, NEAREST * away[:, None])
            enough += np.where(there, along**2, 0.0)
        numbers, weights, _, _ = _four(grid.centres(0), grid.centres(1), x, y)
        weights, there = _shared(weights, self.live.ravel()[numbers], 0.0)
        own = pieces.j[walls] * self.live.shape[1] + pieces.i[walls]
        numbers[~there, 0], weights[~there, 0] = own[~there], 1.0
        spots.cell[:], spots.cell_weight[:], spots.enough[:] = numbers, weights, enough > ENOUGH
        return spots

    def speeds(self, u: Array, v: Array, walls_move: Array | None) -> Array:
        """Speed along each wall (m/s), relative to it, where it is looked at. walls_move : m/s of
        every piece of the outline along x and y (2, n), or None.
        """
        spots = self.spots
        seen = (u.ravel()[spots.at[:, :4]] * spots.along[:, :4]).sum(axis=1)
        seen += (v.ravel()[spots.at[:, 4:]] * spots.along[:, 4:]).sum(axis=1)
        if walls_move is not None:
            full = spots.share.sum(axis=1)
            own = walls_move[:, self.piece]
            seen -= full * (own[0] * self.tangent[0] + own[1] * self.tangent[1])
        return np.asarray(seen)

    def friction(self, speeds: Array, nu: Array, begin: Array) -> Array:
        """Friction speed (m/s) of each wall. nu : m2/s there; begin : what it was before."""
        out = begin.copy()
        friction_speeds(speeds, self.spots.distance, self.spots.share, nu, self.grain, out)
        return out

    def seen(self, values: Array) -> Array:
        """Values of cells where the stream is looked at."""
        return np.asarray((values.ravel()[self.spots.cell] * self.spots.cell_weight).sum(axis=1))


@dataclass
class _Spots:
    """What lies around places: numbers of velocities (four of x, four of y), what they count along
    the wall, what the law counts there and how far off (m); cells and their weights; and whether
    enough of it is open.
    """

    at: Array
    along: Array
    share: Array
    distance: Array
    cell: Array
    cell_weight: Array
    enough: Array

    @classmethod
    def none(cls, count: int) -> _Spots:
        eight, four = (count, 8), (count, 4)
        return cls(
            np.zeros(eight, np.int64),
            np.zeros(eight),
            np.zeros(eight),
            np.ones(eight),
            np.zeros(four, np.int64),
            np.zeros(four),
            np.zeros(count, bool),
        )

    def take(self, other: _Spots, rows: Array) -> None:
        for name, values in vars(other).items():
            getattr(self, name)[rows] = values[rows]


def _shared(weights: Array, open_: Array, least: float) -> tuple[Array, Array]:
    """Weights of what is open only, and whether that is more than a share of them."""
    weights = weights * open_
    total = weights.sum(axis=1)
    there = total > least
    scale = np.divide(1.0, total, out=np.zeros(total.size), where=there)
    return weights * scale[:, None], there


def _four(lines_x: Array, lines_y: Array, x: Array, y: Array) -> tuple[Array, Array, Array, Array]:
    """Flat numbers of the four points around places, bilinear weights, and where the points lie."""
    i = np.clip(np.searchsorted(lines_x, x, side="right") - 1, 0, lines_x.size - 2)
    j = np.clip(np.searchsorted(lines_y, y, side="right") - 1, 0, lines_y.size - 2)
    s = np.clip((x - lines_x[i]) / (lines_x[i + 1] - lines_x[i]), 0.0, 1.0)
    t = np.clip((y - lines_y[j]) / (lines_y[j + 1] - lines_y[j]), 0.0, 1.0)
    width = lines_x.size
    low = j * width + i
    numbers = np.stack([low, low + 1, low + width, low + width + 1], 1)
    weights = np.stack([(1 - s) * (1 - t), s * (1 - t), (1 - s) * t, s * t], 1)
    px = np.stack([lines_x[i], lines_x[i + 1]] * 2, 1)
    py = np.stack([lines_y[j], lines_y[j], lines_y[j + 1], lines_y[j + 1]], 1)
    return numbers, weights, px, py
