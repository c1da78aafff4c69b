"""How far the middle of every cell is from the nearest wall, and which piece of it that is."""

from __future__ import annotations

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh.mesh import Mesh

Array = np.ndarray

BLOCK = 32  # pieces that are looked up together


@kernel
def _nearest(x, y, mid_x, mid_y, normal_x, normal_y, half, number, distance, found):
    """Of points (x, y): the least distance to straight pieces, and the number of that piece.

    Pieces come in blocks of BLOCK; one whose circle lies farther off than what is known is skipped.
    """
    count = mid_x.size
    blocks = (count + BLOCK - 1) // BLOCK
    centre, reach = np.zeros((blocks, 2)), np.zeros(blocks)
    for b in range(blocks):
        low, high = b * BLOCK, min((b + 1) * BLOCK, count)
        cx, cy = 0.0, 0.0
        for k in range(low, high):
            cx += mid_x[k]
            cy += mid_y[k]
        cx /= high - low
        cy /= high - low
        centre[b, 0], centre[b, 1] = cx, cy
        for k in range(low, high):
            reach[b] = max(reach[b], np.hypot(mid_x[k] - cx, mid_y[k] - cy) + half[k])
    last = 0
    for p in range(x.size):
        best, which = np.inf, -1
        for turn in range(-1, blocks):
            b = last if turn < 0 else turn  # what was nearest to the point before comes first
            away = np.hypot(x[p] - centre[b, 0], y[p] - centre[b, 1]) - reach[b]
            if away > 0.0 and away * away >= best:
                continue
            for k in range(b * BLOCK, min((b + 1) * BLOCK, count)):
                dx, dy = x[p] - mid_x[k], y[p] - mid_y[k]
                off = abs(dx * normal_x[k] + dy * normal_y[k])
                along = max(abs(dx * normal_y[k] - dy * normal_x[k]) - half[k], 0.0)
                d = off * off + along * along
                if d < best:
                    best, which, last = d, k, b
        distance[p] = np.sqrt(best)
        found[p] = number[which] if which >= 0 else -1


def from_walls(mesh: Mesh, walls: Array, x: Array, y: Array) -> tuple[Array, Array]:
    """Distance (m) of points to the nearest of some pieces of the outline, and that piece's number.

    walls : numbers of pieces. x, y : (n,) m. Infinite and -1 where there is no wall. Where the vessel
    repeats, walls one length further on count, too.
    """
    pieces, grid = mesh.pieces, mesh.grid
    distance, found = np.full(x.size, np.inf), np.full(x.size, -1, np.int64)
    if not walls.size:
        return distance, found
    order = walls[np.lexsort((pieces.i[walls], pieces.j[walls], pieces.edge[walls]))]
    shifts = [(0.0, 0.0)]
    if grid.repeats[0]:
        long = float(grid.x[-1] - grid.x[0])
        shifts += [(s * long, 0.0) for s in (-1, 1)]
    if grid.repeats[1]:
        high = float(grid.y[-1] - grid.y[0])
        shifts += [(a, s * high) for a, _ in tuple(shifts) for s in (-1, 1)]
    mid_x, mid_y = (
        np.concatenate([values[order] + shift[axis] for shift in shifts])
        for axis, values in enumerate((pieces.x, pieces.y))
    )
    normal_x, normal_y, half, number = (
        np.tile(values, len(shifts))
        for values in (pieces.nx[order], pieces.ny[order], 0.5 * pieces.length[order], order)
    )
    _nearest(
        np.ascontiguousarray(x),
        np.ascontiguousarray(y),
        mid_x,
        mid_y,
        normal_x,
        normal_y,
        half,
        number,
        distance,
        found,
    )
    return distance, found
