"""Diffusion on open areas: links between cells, legs to walls."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
import scipy.sparse as sparse
from scipy.spatial import KDTree

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh import Grid, Mesh
from underkettle.engine.mesh.stretches import stretch_at
from underkettle.engine.operators.stencil import centre_distance, roll
from underkettle.quantities import Place

Array = np.ndarray

NEAREST = 0.1  # a wall is felt from no nearer than this share of the cell's width
NEAR = 4  # pieces that are looked at for the one a leg ends on
CLEAR = 0.3  # of a cell's width, that its middle lies before a wall that draws from it
SHORTEST = 0.01  # and a leg along a grid line is no shorter than this share of the spacing


@kernel
def _neighbours(c, link_x, link_y, out, ny, nx):
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            v = c[j, i]
            out[j, i] = (
                link_x[j, i] * (c[j, i - 1] - v)
                + link_x[j, i + 1] * (c[j, i + 1] - v)
                + link_y[j, i] * (c[j - 1, i] - v)
                + link_y[j + 1, i] * (c[j + 1, i] - v)
            )


def neighbours(c: Array, link_x: Array, link_y: Array) -> Array:
    """Sum of link x (neighbour - own) for every node; arrays (ny + 3, nx + 3)."""
    out = np.zeros(c.shape)
    _neighbours(c, link_x, link_y, out, c.shape[0] - 2, c.shape[1] - 2)
    return out


@kernel
def total(c, volume):
    """Sum of c x volume; a library's dot product would wake its threads for this."""
    a, b = c.ravel(), volume.ravel()
    result = 0.0
    for k in range(a.size):
        result += a[k] * b[k]
    return result


@kernel
def spread_right(c, link_x, link_y, held, made, volume, rate, theta, out, ny, nx):
    """Right side of an implicit step of share `theta`; rate is 1 / (theta dt)."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            v = c[j, i]
            gain = (
                link_x[j, i] * (c[j, i - 1] - v)
                + link_x[j, i + 1] * (c[j, i + 1] - v)
                + link_y[j, i] * (c[j - 1, i] - v)
                + link_y[j + 1, i] * (c[j + 1, i] - v)
                - held[j, i] * v
            )
            out[j, i] = volume[j, i] * rate * v + (made[j, i] + (1.0 - theta) * gain) / theta


@kernel
def spread_update(mixed, old, link_x, link_y, held, made, gain, out, ny, nx):
    """out = old + gain x (what flows in at `mixed`); gain is dt / volume, 0 outside.

    The update is in terms of fluxes, so nothing is lost whatever `mixed` was solved to.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            v = mixed[j, i]
            flux = (
                link_x[j, i] * (mixed[j, i - 1] - v)
                + link_x[j, i + 1] * (mixed[j, i + 1] - v)
                + link_y[j, i] * (mixed[j - 1, i] - v)
                + link_y[j + 1, i] * (mixed[j + 1, i] - v)
                - held[j, i] * v
                + made[j, i]
            )
            out[j, i] = old[j, i] + gain[j, i] * flux


@dataclass(frozen=True)
class HeldLegs:
    """Walls at a held value, as cells feel them: cell (row, column), factor area / distance (m),
    times what conducts once it is known; edge index, where the wall is met (m), the area (m2)
    there, and the axis along which it is felt (2: straight at the wall). facing : cosine between that
    axis and the wall's normal, where walls have films.
    """

    row: Array
    column: Array
    factor: Array
    edge: Array
    x: Array
    y: Array
    area: Array
    axis: Array
    facing: Array

    def place(self, t: float = 0.0) -> Place:
        """Where the walls are met, at a time (s)."""
        return Place(x=self.x, y=self.y, t=t)

    def conducting(self, along_x: Array, along_y: Array) -> Array:
        """What conducts at each leg; along_x, along_y : (ny + 3, nx + 3)."""
        at = self.row, self.column
        straight = np.maximum(along_x[at], along_y[at])
        return np.where(
            self.axis == 0, along_x[at], np.where(self.axis == 1, along_y[at], straight)
        )


@dataclass(frozen=True)
class Links:
    """Open area over distance (m) of west and south faces, and legs to edges with held values."""

    x: Array
    y: Array
    legs: HeldLegs


def at_legs(values: Array, grid: Grid, legs: HeldLegs) -> Array:
    """Cell values carried on to the middle of each leg, geometrically, so that they keep their
    sign; values, all positive : (ny + 3, nx + 3).
    """
    here = values[legs.row, legs.column]
    result = here.copy()
    for axis, position in ((0, legs.x), (1, legs.y)):
        cell = legs.column if axis == 0 else legs.row
        centres = grid.centres(axis)
        reach = position - centres[cell]
        back = cell - np.sign(reach).astype(np.int64)
        mine = (legs.axis == axis) & (back >= 1) & (back <= centres.size - 3)
        behind = values[np.where(axis == 0, legs.row, back), np.where(axis == 0, back, legs.column)]
        share = 0.5 * reach / np.where(back != cell, centres[cell] - centres[back], 1.0)
        carried = here * (here / np.where(behind > 0, behind, 1.0)) ** np.clip(share, 0.0, 1.0)
        result = np.where(mine & (behind > 0) & (here > 0), carried, result)
    return result


def face_mean(values: Array, grid: Grid, axis: int) -> Array:
    """What two half cells conduct in a row, on west (axis 0) or south faces; (ny + 3, nx + 3)."""
    h = grid.widths(axis)
    near, far = (
        (h[None, :], roll(h, 1, 0)[None, :]) if axis == 0 else (h[:, None], roll(h, 1, 0)[:, None])
    )
    other = roll(values, 1, axis=1 - axis)
    hold = near * other + far * values
    return np.divide(
        (near + far) * values * other, hold, out=np.zeros(values.shape), where=hold > 0
    )


def slopes(values: Array, grid: Grid, live: Array) -> Iterator[tuple[Array, Array]]:
    """Along x, then along y: how values rise towards the cells before and after (per m), 0 where either
    cell is closed.
    """
    for axis, widths in ((1, grid.widths(0)[None, :]), (0, grid.widths(1)[:, None])):
        wide = widths * np.ones(values.shape)
        before, after = (
            np.where(
                live & roll(live, step, axis),
                (values - roll(values, step, axis))
                * step
                / (0.5 * (wide + roll(wide, step, axis))),
                0.0,
            )
            for step in (1, -1)
        )
        yield before, after


def links(
    mesh: Mesh, along_x: float, along_y: float, held: frozenset[int] = frozenset()
) -> tuple[Array, Array, HeldLegs]:
    """Diffusive links (m3/s) of west and south faces where what conducts (m2/s) is the same
    everywhere, and legs with their factors in m3/s.
    """
    laid = lay_links(mesh, held)
    everywhere = np.full(mesh.shape[1:], along_x), np.full(mesh.shape[1:], along_y)
    return (
        laid.x * along_x,
        laid.y * along_y,
        replace(laid.legs, factor=laid.legs.factor * laid.legs.conducting(*everywhere)),
    )


def lay_links(
    mesh: Mesh, held: frozenset[int] = frozenset(), films: frozenset[int] = frozenset()
) -> Links:
    """Links between cells, and legs to the edges (numbers) that hold a value. films : those of them
    with a film before it.

    Where the line between two centres meets a wall with a held value, each cell gets a leg to
    that wall instead, as long as the true distance along the line (symmetric, and second order for
    the value and the flux). A cell whose centre is closed is tied to its held wall directly; to one
    with a film it is not, as legs have all of the wall already: it goes on with its neighbours.
    """
    live, there = mesh.live[0], mesh.there[0]
    link_x = mesh.open_x[0] / centre_distance(mesh.grid, 0)[None, :]
    link_y = mesh.open_y[0] / centre_distance(mesh.grid, 1)[:, None]
    link_x[~(there & roll(there, 1, axis=1))] = 0.0
    link_y[~(there & roll(there, 1, axis=0))] = 0.0
    found, opened = [np.zeros((8, 0))], (link_x.copy(), link_y.copy())
    if held:
        centre_open = np.zeros(live.shape, bool)
        whole = _only_held(mesh, held)
        for axis, link in ((0, link_x), (1, link_y)):
            found.append(_legs_along(mesh, axis, link, held, whole, centre_open))
        found.append(_tie_closed(mesh, centre_open, held - films))
        beside = _closed_by_films(mesh, centre_open, held, films)
        for link, open_, axis in ((link_x, opened[0], 1), (link_y, opened[1], 0)):
            again = (beside | roll(beside, 1, axis=axis)) & live & roll(live, 1, axis=axis)
            link[again] = open_[again]
    row, column, factor, edge, x, y, area, along = np.concatenate(found, axis=1)
    j, i, edges, axes = (a.astype(np.int64) for a in (row, column, edge, along))
    faces = _cosines(mesh, films, edges, x, y, axes)
    return Links(link_x, link_y, HeldLegs(j, i, factor, edges, x, y, area, axes, faces))


def _closed_by_films(
    mesh: Mesh, centre_open: Array, held: frozenset[int], films: frozenset[int]
) -> Array:
    """Cells whose middle walls with films alone have covered."""
    pieces, closed = mesh.pieces, np.zeros(centre_open.shape, bool)
    for edges, covers in ((films, True), (held - films, False)):
        mine = np.isin(pieces.edge, list(edges))
        closed[pieces.j[mine], pieces.i[mine]] = covers
    return mesh.grid.wrap(closed & mesh.live[0] & ~centre_open)


def _cosines(
    mesh: Mesh, films: frozenset[int], edges: Array, x: Array, y: Array, axes: Array
) -> Array:
    """Cosine between each leg's axis and the normal of the wall with a film that it meets, by the
    piece of the outline that it ends on.
    """
    found, pieces = np.ones(x.size), mesh.pieces
    for edge in films:
        rows, mine = pieces.of(edge), np.flatnonzero((edges == edge) & (axes < 2))
        if not rows.size or not mine.size:
            continue
        middles = np.stack([pieces.x[rows], pieces.y[rows]], axis=1)
        ends = np.stack([x[mine], y[mine]], axis=1)
        near = rows[KDTree(middles).query(ends, k=min(NEAR, rows.size))[1].reshape(mine.size, -1)]
        dx, dy = x[mine][:, None] - pieces.x[near], y[mine][:, None] - pieces.y[near]
        off = np.abs(dx * pieces.nx[near] + dy * pieces.ny[near])
        past = np.abs(dx * pieces.ny[near] - dy * pieces.nx[near]) - 0.5 * pieces.length[near]
        best = near[np.arange(mine.size), np.hypot(off, np.maximum(past, 0.0)).argmin(axis=1)]
        found[mine] = np.abs(np.where(axes[mine] == 0, pieces.nx[best], pieces.ny[best]))
    return found


def _only_held(mesh: Mesh, held: frozenset[int]) -> Array:
    """Cells cut by held walls and by no other: their faces count in full between open centres."""
    pieces = mesh.pieces
    cut, other = np.zeros(mesh.shape[1:], bool), np.zeros(mesh.shape[1:], bool)
    mine = np.isin(pieces.edge, list(held))
    cut[pieces.j[mine], pieces.i[mine]] = True
    other[pieces.j[~mine], pieces.i[~mine]] = True
    return mesh.grid.wrap(cut & ~other)


def _legs_along(
    mesh: Mesh, axis: int, link: Array, held: frozenset[int], whole: Array, centre_open: Array
) -> Array:
    """Legs to held walls along one axis, a column each; closes and opens links beside them."""
    grid = mesh.grid

    def turned(a: Array) -> Array:
        return np.ascontiguousarray(a if axis == 0 else a.T)

    links, open_here = turned(link), turned(centre_open)
    holds = np.zeros(len(mesh.edges) + 1, np.bool_)
    holds[list(held)] = True
    table = mesh.stretches(1 - axis, "centres")
    legs = np.empty((8, 2 * table.low.size + 1))  # one at either end of a stretch at most
    count = _lay_legs(
        axis == 0,
        grid.round,
        grid.depth,
        grid.repeats[axis],
        grid.centres(axis),
        grid.centres(1 - axis),
        grid.widths(1 - axis),
        grid.faces(1),
        centre_distance(grid, axis),
        turned(mesh.live[0]),
        turned(mesh.there[0]),
        turned(whole),
        holds,
        table.table,
        links,
        open_here,
        legs,
    )
    link[:] = links if axis == 0 else links.T
    centre_open |= open_here if axis == 0 else open_here.T
    return legs[:, :count]


@kernel
def _lay_legs(
    flat,
    round_,
    depth,
    repeats,
    centres,
    across,
    widths,
    faces,
    distance,
    live,
    there,
    whole,
    holds,
    table,
    link,
    centre_open,
    legs,
):
    """Arrays are (across, along). legs : row, column, factor, edge, x, y, area, axis of each."""
    first, low, high, low_edge, high_edge = table
    count, last = 0, centres.size - 2
    for m in range(1, across.size - 2):
        before = -1
        for k in range(centres.size):
            here = stretch_at(first, low, high, m - 1, centres[k])
            if not repeats and (k == 0 or k >= last):
                here = -1
            if here >= 0:
                centre_open[m, k] = True
            if k >= 1 and here >= 0 and here == before:
                if (whole[m, k] or whole[m, k - 1]) and there[m, k] and there[m, k - 1]:
                    y = across[m] if flat else faces[k]
                    area = widths[m] * (2 * np.pi * abs(y) if round_ else depth)
                    link[m, k] = area / distance[k]
            elif k >= 1:
                for step in (1, -1):
                    cell, q = (k - 1, before) if step > 0 else (k, here)
                    if q < 0 or not live[m, cell]:
                        continue
                    edge = high_edge[q] if step > 0 else low_edge[q]
                    if edge < 0 or not holds[edge]:
                        continue
                    end = high[q] if step > 0 else low[q]
                    leg = max(abs(end - centres[cell]), SHORTEST * distance[k])
                    middle = across[m] if flat else 0.5 * (centres[cell] + end)
                    wall = across[m] if flat else end
                    area = widths[m] * (2 * np.pi * abs(middle) if round_ else depth)
                    met = widths[m] * (2 * np.pi * abs(wall) if round_ else depth)
                    legs[0, count], legs[1, count] = (m, cell) if flat else (cell, m)
                    legs[2, count], legs[3, count] = area / leg, edge
                    legs[4, count], legs[5, count] = (end, across[m]) if flat else (across[m], end)
                    legs[6, count], legs[7, count] = met, 0 if flat else 1
                    count += 1
                    link[m, k] = 0.0
            before = here
    return count


def _tie_closed(mesh: Mesh, centre_open: Array, held: frozenset[int]) -> Array:
    """Cells whose middle is closed, tied straight to the held walls in them, a column each."""
    pieces, legs = mesh.pieces, wall_legs(mesh)
    k = np.flatnonzero(np.isin(pieces.edge, list(held)))
    at = legs.row[k], legs.column[k]
    k = k[mesh.live[0][at] & ~centre_open[at]]
    return np.stack(
        [
            legs.row[k],
            legs.column[k],
            legs.factor[k],
            pieces.edge[k],
            pieces.x[k],
            pieces.y[k],
            pieces.area[k],
            np.full(k.size, 2.0),
        ]
    )


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
    pieces = mesh.pieces
    row, column = pieces.j.copy(), pieces.i.copy()
    live = mesh.live[0]
    for k in np.flatnonzero(~live[row, column]):
        j, i = row[k], column[k]
        around = [
            (j, i - 1),
            (j, i + 1),
            (j - 1, i),
            (j + 1, i),
            (j - 1, i - 1),
            (j - 1, i + 1),
            (j + 1, i - 1),
            (j + 1, i + 1),
        ]
        best = max(around, key=lambda c: mesh.volume[0][c] * live[c])
        row[k], column[k] = best
    away, width = _away(mesh, row, column)
    return WallLegs(row, column, pieces.area / np.maximum(away, NEAREST * width))


def _away(mesh: Mesh, row: Array, column: Array) -> tuple[Array, Array]:
    """How far each boundary piece lies before the middle of a cell, and how wide the cell is (m),
    along the piece's normal.
    """
    pieces, grid = mesh.pieces, mesh.grid
    x, y = grid.centres(0), grid.centres(1)
    away = (pieces.x - x[column]) * pieces.nx + (pieces.y - y[row]) * pieces.ny
    hx, hy = grid.widths(0)[column], grid.widths(1)[row]
    return away, np.abs(pieces.nx) * hx + np.abs(pieces.ny) * hy


def facing(mesh: Mesh) -> WallLegs:
    """From which cell each boundary piece draws what it uses up: as `wall_legs`, but where the middle
    of the cell that it cuts lies hardly before it, or behind, the next one on the way in.
    """
    pieces, legs = mesh.pieces, wall_legs(mesh)
    row, column = legs.row.copy(), legs.column.copy()
    away, width = _away(mesh, row, column)
    upright = np.abs(pieces.ny) >= np.abs(pieces.nx)
    inner = np.where(upright, row - np.sign(pieces.ny).astype(np.int64), row)
    beside = np.where(upright, column, column - np.sign(pieces.nx).astype(np.int64))
    near = (away < CLEAR * width) & mesh.live[0][inner, beside]
    row[near], column[near] = inner[near], beside[near]
    away, width = _away(mesh, row, column)
    return WallLegs(row, column, pieces.area / np.maximum(away, NEAREST * width))


def steady_matrix(
    mesh: Mesh, link_x: Array, link_y: Array, diagonal: Array, flow_x: Array, flow_y: Array
) -> sparse.csc_array:
    """Diffusion plus first-order upwind convection plus a diagonal, over live cells.

    Rows balance what leaves a cell: sum link (c - c_nb) + sum outflow c - sum inflow c_nb
    + diagonal c.
    """
    live, size = mesh.live[0], mesh.cells
    index = np.where(live, mesh.number, -1)
    total = diagonal.copy()
    rows, columns, values = [], [], []
    for link, flow, axis in ((link_x, flow_x, 1), (link_y, flow_y, 0)):
        here, behind = index, roll(mesh.number, 1, axis=axis)
        on = (here >= 0) & (behind >= 0) & ((link > 0) | (flow != 0))
        a, b = here[on], behind[on]
        forward, backward = np.maximum(flow[on], 0.0), np.maximum(-flow[on], 0.0)
        rows += [a, b, a, b]
        columns += [b, a, a, b]
        values += [
            -link[on] - forward,
            -link[on] - backward,
            link[on] + backward,
            link[on] + forward,
        ]
    everywhere = np.arange(size)
    rows.append(everywhere)
    columns.append(everywhere)
    values.append(total[live])
    matrix = sparse.coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
        shape=(size, size),
    )
    return sparse.csc_array(matrix)
