"""Diffusion on open areas: links between cells, legs to walls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy.sparse as sparse

from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import centre_distance

Array = np.ndarray

NEAREST = 0.1  # a wall is felt from no nearer than this share of the cell's width


def neighbours(c: Array, link_x: Array, link_y: Array) -> Array:
    """Sum of link x (neighbour - own) for every cell; arrays (ny + 3, nx + 3)."""
    out = np.zeros(c.shape)
    inner = c[1:-1, 1:-1]
    out[1:-1, 1:-1] = (
        link_x[1:-1, 1:-1] * (c[1:-1, :-2] - inner) + link_x[1:-1, 2:] * (c[1:-1, 2:] - inner)
        + link_y[1:-1, 1:-1] * (c[:-2, 1:-1] - inner) + link_y[2:, 1:-1] * (c[2:, 1:-1] - inner)
    )
    return out


def links(mesh: Mesh, along_x: Array | float, along_y: Array | float) -> tuple[Array, Array]:
    """Open area / distance x diffusivity for west and south faces.

    along_x, along_y : diffusivities (m2/s), a number or a cell array (ny + 3, nx + 3); between
    unlike cells the harmonic mean holds, so that the flux is right across a jump.
    """
    live = mesh.live[0]

    def on_face(d: Array | float, axis: int) -> Array | float:
        if np.ndim(d) == 0:
            return d
        before = np.roll(d, 1, axis=axis)
        total = np.asarray(d) + before
        return np.divide(2 * np.asarray(d) * before, total, out=np.zeros(live.shape),
                         where=total > 0)

    link_x = mesh.open_x[0] / centre_distance(mesh.grid, 0)[None, :] * on_face(along_x, 1)
    link_y = mesh.open_y[0] / centre_distance(mesh.grid, 1)[:, None] * on_face(along_y, 0)
    link_x[~(live & np.roll(live, 1, axis=1))] = 0.0
    link_y[~(live & np.roll(live, 1, axis=0))] = 0.0
    return link_x, link_y


@dataclass(frozen=True)
class WallLegs:
    """Per boundary piece: the live cell that feels it (row, column) and area / distance (m)."""

    row: Array
    column: Array
    factor: Array


def wall_legs(mesh: Mesh) -> WallLegs:
    """How each boundary piece is felt by the cell next to it.

    A piece of a cell that takes no part (a sliver without a way out) is handed to a neighbour.
    """
    pieces, grid = mesh.pieces, mesh.grid
    row, column = pieces.j.copy(), pieces.i.copy()
    live = mesh.live[0]
    for k in np.flatnonzero(~live[row, column]):
        j, i = row[k], column[k]
        around = [(j, i - 1), (j, i + 1), (j - 1, i), (j + 1, i),
                  (j - 1, i - 1), (j - 1, i + 1), (j + 1, i - 1), (j + 1, i + 1)]
        best = max(around, key=lambda c: mesh.volume[0][c] * live[c])
        row[k], column[k] = best
    x, y = grid.centres(0), grid.centres(1)
    away = (pieces.x - x[column]) * pieces.nx + (pieces.y - y[row]) * pieces.ny
    hx, hy = grid.widths(0)[column], grid.widths(1)[row]
    width = np.abs(pieces.nx) * hx + np.abs(pieces.ny) * hy
    return WallLegs(row, column, pieces.area / np.maximum(away, NEAREST * width))


def cell_numbers(live: Array) -> Array:
    """Running number of each live cell, -1 elsewhere; live is (ny + 3, nx + 3)."""
    index = np.full(live.shape, -1, np.int64)
    index[live] = np.arange(int(live.sum()))
    return index


def steady_matrix(live: Array, link_x: Array, link_y: Array, diagonal: Array, flow_x: Array,
                  flow_y: Array) -> sparse.csc_array:
    """Diffusion plus first-order upwind convection plus a diagonal, over live cells.

    Rows balance what leaves a cell: sum link (c - c_nb) + sum outflow c - sum inflow c_nb
    + diagonal c.
    """
    index = cell_numbers(live)
    size = int(live.sum())
    total = diagonal.copy()
    rows, columns, values = [], [], []
    for link, flow, axis in ((link_x, flow_x, 1), (link_y, flow_y, 0)):
        here, behind = index, np.roll(index, 1, axis=axis)
        on = (here >= 0) & (behind >= 0) & ((link > 0) | (flow != 0))
        a, b = here[on], behind[on]
        forward, backward = np.maximum(flow[on], 0.0), np.maximum(-flow[on], 0.0)
        rows += [a, b, a, b]
        columns += [b, a, a, b]
        values += [-link[on] - forward, -link[on] - backward,
                   link[on] + backward, link[on] + forward]
    everywhere = np.arange(size)
    rows.append(everywhere)
    columns.append(everywhere)
    values.append(total[live])
    matrix = sparse.coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
        shape=(size, size),
    )
    return sparse.csc_array(matrix)
