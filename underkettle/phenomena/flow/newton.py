"""Steady flow by Newton's method with pseudo-transient continuation.

All velocities and pressures are solved for together. The viscous, pressure and continuity parts of
the Jacobian are the operators themselves; convection, limiter included, is differenced with 25
colours per component. A mass term over a pseudo step keeps early steps short; the step grows as
the residual falls (Mulder & van Leer 1985), and the method becomes Newton's.

Unknowns are ordered by nested dissection of the grid, which halves the fill of the sparse LU.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

from underkettle.engine.mesh import Mesh

Array = np.ndarray

REACH = 2  # a velocity feels others at most this many cells away
SPAN = 2 * REACH + 1
NUDGE = 1e-6  # of the fastest velocity: wide enough to see both sides of a limiter's kink
SMALLEST_BLOCK = 16  # cells that are not dissected further
PIVOT = 0.01


LARGEST_WORK = 3e8  # cells x shorter side squared; factoring takes about 5 s there
LARGEST_CELLS = 120_000


def _work(mesh: Mesh) -> float:
    return float(mesh.cells) * min(mesh.grid.nx, mesh.grid.ny) ** 2


def factorable(mesh: Mesh) -> bool:
    """Whether the system of this mesh is small enough to factor in every sweep."""
    return mesh.cells <= LARGEST_CELLS and _work(mesh) <= LARGEST_WORK


def factoring_seconds(mesh: Mesh) -> float:
    """Wall time of one sweep, about: differences of convection and the factors."""
    return 4e-5 * mesh.cells + 1.6e-8 * _work(mesh)


def dissection(rows: int, columns: int) -> Array:
    """Rank of each cell (rows, columns) in a nested dissection with separators two cells wide."""
    order: list[Array] = []
    index = np.arange(rows * columns).reshape(rows, columns)

    def cut(j0: int, j1: int, i0: int, i1: int) -> None:
        height, width = j1 - j0, i1 - i0
        if height * width <= SMALLEST_BLOCK or max(height, width) < 5:
            order.append(index[j0:j1, i0:i1].ravel())
        elif width >= height:
            m = (i0 + i1) // 2
            cut(j0, j1, i0, m - 1)
            cut(j0, j1, m + 1, i1)
            order.append(index[j0:j1, m - 1 : m + 1].ravel())
        else:
            m = (j0 + j1) // 2
            cut(j0, m - 1, i0, i1)
            cut(m + 1, j1, i0, i1)
            order.append(index[m - 1 : m + 1, i0:i1].ravel())

    cut(0, rows, 0, columns)
    rank = np.empty(rows * columns, np.int64)
    rank[np.concatenate(order)] = np.arange(rows * columns)
    return rank.reshape(rows, columns)


def _reached(parts: Any, mesh: Mesh) -> tuple[Array, list[int]]:
    """Cells whose pressure moves some velocity, and one cell (flat index) of each group of them
    whose pressure level no outlet fixes.
    """
    live = mesh.live[0]
    index = mesh.grid.wrap(np.where(live, np.arange(live.size).reshape(live.shape), -1))
    touched, pairs, fixed = np.zeros(live.shape, bool), [], set()
    for axis, part in enumerate(parts):
        n, before = part.nodes, np.roll(index, 1, axis=1 - axis)
        moved = n.unknown & (n.area > 0)
        both = moved & (index >= 0) & (before >= 0)
        pairs.append(np.stack([index[both], before[both]]))
        for cell in (index, before):
            touched.ravel()[cell[moved & (cell >= 0)]] = True
        back = (n.out_sign > 0).astype(np.int64)
        fixed.update(index[n.out_row - back * axis, n.out_column - back * (1 - axis)].tolist())
    a, b = np.concatenate(pairs, axis=1)
    graph = sparse.coo_array((np.ones(a.size), (a, b)), shape=(live.size, live.size))
    group = connected_components(graph, directed=False)[1]
    cells = np.flatnonzero(touched)
    held = {int(group[c]) for c in fixed if c >= 0}
    first = {int(group[c]): int(c) for c in cells[::-1]}
    return touched, [c for g, c in first.items() if g not in held]


def _colours(size: int, repeats: bool) -> list[tuple[Array, Array]]:
    """For each colour of padded rows or columns: which bear it, and the one of them that each lies
    within reach of (-1: none). What repeats goes round, so that what is left over after whole
    spans has colours of its own.
    """
    at = np.arange(size)
    count = size - 3
    colour = at % SPAN
    if repeats:
        left = max(count - count % SPAN, 1)
        colour = np.where(at <= left, at % SPAN, SPAN + at - left)
        colour[0] = colour[count + 1 :] = -1
    found = []
    for one in np.unique(colour[colour >= 0]):
        bearing = np.flatnonzero(colour == one)
        away = at[:, None] - bearing[None, :]
        if repeats:
            away = (away + count // 2) % count - count // 2
        nearest = np.argmin(np.abs(away), axis=1)
        close = np.abs(away[at, nearest]) <= REACH
        found.append((colour == one, np.where(close, bearing[nearest], -1)))
    return found


class NewtonSystem:
    """The Jacobian's fixed parts and the numbering of unknowns.

    parts   : the two velocity components.
    convect : (u, v) -> forces (N) of convection on both components, (ny + 3, nx + 3) each.
    """

    def __init__(
        self, parts: Any, mesh: Mesh, convect: Callable[[Array, Array], tuple[Array, Array]]
    ) -> None:
        self.parts, self.grid, self.convect = parts, mesh.grid, convect
        self.shape = mesh.shape[1:]
        live, self.pinned = _reached(parts, mesh)
        kinds = [parts[0].nodes.unknown, parts[1].nodes.unknown, live]
        rank = dissection(*self.shape)
        key = np.concatenate([4 * rank[on] + k for k, on in enumerate(kinds)])
        place = np.empty(key.size, np.int64)
        place[np.argsort(key)] = np.arange(key.size)
        self.size = key.size
        self.number = []
        first = 0
        for on in kinds:
            number = np.full(self.shape, -1)
            count = int(on.sum())
            number[on] = place[first : first + count]
            first += count
            self.number.append(number)
        self.kinds = kinds
        self.mass = np.zeros(self.size)
        self.refresh()

    def refresh(self) -> None:
        """Take over what the two components hold now."""
        self.linear = self._linear()
        for part, number, on in zip(self.parts, self.number[:2], self.kinds[:2], strict=True):
            self.mass[number[on]] = part.mass[on]

    def gather(self, *fields: Array) -> Array:
        """Fields of u, v, p as one vector of unknowns."""
        vector = np.zeros(self.size)
        for field, number, on in zip(fields, self.number, self.kinds, strict=True):
            vector[number[on]] = field[on]
        return vector

    def scatter(self, vector: Array, *fields: Array) -> None:
        """Add a vector of unknowns to the fields of u, v, p."""
        for field, number, on in zip(fields, self.number, self.kinds, strict=True):
            field[on] += vector[number[on]]
            self.grid.wrap(field)

    def _linear(self) -> Any:
        """Viscosity, pressure and continuity; pinned pressures have a row of their own."""
        entries: list[tuple[Array, Array, Array]] = []
        wrapped = [self.grid.wrapped(number) for number in self.number]
        p, round_p = self.number[2], wrapped[2]
        for axis, (part, number) in enumerate(zip(self.parts, self.number[:2], strict=True)):
            n, on = part.nodes, part.nodes.unknown
            diagonal = part.held.copy()
            for link, turn in ((part.link_x, 1), (part.link_y, 0)):
                behind = np.roll(wrapped[axis], 1, axis=turn)
                both = (link != 0) & (number >= 0) & (behind >= 0)
                a, b, value = number[both], behind[both], link[both]
                entries += [(a, b, -value), (b, a, -value)]
                diagonal += link + np.roll(link, -1, axis=turn)
            entries.append((number[on], number[on], diagonal[on]))
            before = np.roll(round_p, 1, axis=1 - axis)
            edge = np.zeros(self.shape, bool)
            edge[n.out_row, n.out_column] = True
            for cell, sign in ((p, 1.0), (before, -1.0)):
                both = on & ~edge & (cell >= 0)
                entries.append((number[both], cell[both], sign * n.side[both]))
                carried = on & (n.area > 0) & (cell >= 0)
                entries.append((cell[carried], number[carried], -sign * part.opening[carried]))
            back = (n.out_sign > 0).astype(np.int64)
            inside = p[n.out_row - back * axis, n.out_column - back * (1 - axis)]
            entries.append(
                (
                    number[n.out_row, n.out_column],
                    inside,
                    -n.out_sign * n.side[n.out_row, n.out_column],
                )
            )
        rows, columns, values = (np.concatenate(k) for k in zip(*entries, strict=True))
        for pin in self.pinned:
            row = int(p.ravel()[pin])
            values = np.where(rows == row, 0.0, values)
            rows, columns = np.append(rows, row), np.append(columns, row)
            values = np.append(values, 1.0)
        return sparse.csc_array((values, (rows, columns)), shape=(self.size, self.size))

    def jacobian(self, u: Array, v: Array, per_step: float, stiff: tuple[Array, Array]) -> Any:
        """d(residual)/d(unknowns) with a mass term of `per_step` (1/s) and `stiff` (N s/m) on the
        diagonal of both components; sparse, columns first.
        """
        nudge = NUDGE * max(float(np.abs(u).max()), float(np.abs(v).max()), 1e-300)
        base = self.convect(u, v)
        rows, columns, values = [], [], []
        for moved, field in enumerate((u, v)):
            on = self.kinds[moved]
            for is_row, from_row in _colours(self.shape[0], self.grid.repeats[1]):
                for is_column, from_column in _colours(self.shape[1], self.grid.repeats[0]):
                    mine = on & is_row[:, None] & is_column[None, :]
                    if not mine.any():
                        continue
                    kept = field[mine]
                    field[mine] += nudge
                    self.grid.wrap(field)
                    pushed = self.convect(u, v)
                    field[mine] = kept
                    self.grid.wrap(field)
                    source = np.where(
                        (from_row >= 0)[:, None] & (from_column >= 0)[None, :],
                        self.number[moved][np.ix_(from_row, from_column)],
                        -1,
                    )
                    for k in (0, 1):
                        change = (pushed[k] - base[k]) / nudge
                        hit = self.kinds[k] & (source >= 0) & (change != 0.0)
                        rows.append(self.number[k][hit])
                        columns.append(source[hit])
                        values.append(change[hit])
        carried = sparse.csc_array(
            (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))),
            shape=(self.size, self.size),
        )
        held = self.mass * per_step
        for number, on, more in zip(self.number[:2], self.kinds[:2], stiff, strict=True):
            held[number[on]] += more[on]
        step = sparse.dia_array((held, 0), shape=(self.size, self.size))
        return sparse.csc_array(self.linear + carried + step)

    def solve(self, matrix: Any, right: Array) -> Array:
        """Raises RuntimeError when the system is singular."""
        return splu(
            matrix, permc_spec="NATURAL", diag_pivot_thresh=PIVOT, options={"SymmetricMode": True}
        ).solve(right)
