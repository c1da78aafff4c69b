"""Five-point systems that need not be symmetric, by one V-cycle smoothed along whole lines.

    d x_P - w x_W - e x_E - s x_S - n x_N = b          (coefficients >= 0, d >= w + e + s + n)

Rows are solved one after the other and columns in two colours, each line exactly (Thomas), so that
neither a stream nor cells of any aspect slow the cycle down. Unknowns are merged two by two; a
coarse coefficient is the sum of those that cross. Of the symmetric part half is taken along a
merged direction, since resistances lie in series; a constant correction would be twice too stiff.

Only the stretch of each row in which something lives is visited. Arrays are (ny + 3, nx + 3),
unknowns 1..ny by 1..nx; where the grid repeats, ghosts hold what lies at the other end, and lines
are cut open there: what crosses the seam is taken from the sweep before.
"""

from __future__ import annotations

from typing import Literal

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.linear.multigrid import (
    _coarse_faces_x,
    _coarse_faces_y,
    _level,
    _restrict,
    wrap,
)

Array = np.ndarray

FREE = 1e-12
BOTTOM = 4  # sweeps each way on the coarsest grid, which is a single line
# rows of the workspace: convective and symmetric coefficients, what else holds, sums, factors
CW, CE, CS, CN, VW, VE, VS, VN, H = range(9)
D, W, E, S, N, CX, MX, CY, MY, X, B, R = range(9, 21)
ROWS = 21
BOTH = 0  # colours of columns
ACROSS, DOWN = 0, 1  # neighbours of a coarse cell beyond a closed face count as itself, or as zero


@numba.njit(inline="always")
def _inverse(pivot, total):
    """A line that nothing holds has a level of its own: its last unknown is taken for zero."""
    return 1.0 / pivot if pivot > FREE * total else 0.0


@kernel
def _factor(work, info, spans, level, repeats_x, repeats_y):
    """Sums of coefficients, and Thomas factors of every row and column."""
    ny = info[level, 1]
    alone_x, alone_y = repeats_x and info[level, 2] == 1, repeats_y and ny == 1
    cw, ce, cs, cn = (
        _level(work, CW, info, level),
        _level(work, CE, info, level),
        _level(work, CS, info, level),
        _level(work, CN, info, level),
    )
    vw, ve, vs, vn = (
        _level(work, VW, info, level),
        _level(work, VE, info, level),
        _level(work, VS, info, level),
        _level(work, VN, info, level),
    )
    h, d = _level(work, H, info, level), _level(work, D, info, level)
    w, e, s, n = (
        _level(work, W, info, level),
        _level(work, E, info, level),
        _level(work, S, info, level),
        _level(work, N, info, level),
    )
    cx, mx = _level(work, CX, info, level), _level(work, MX, info, level)
    cy, my = _level(work, CY, info, level), _level(work, MY, info, level)
    first = info[level, 5]
    for j in range(1, ny + 1):
        spans[first + j, 0], spans[first + j, 1] = info[level, 2] + 1, 0
        for i in range(1, info[level, 2] + 1):
            w[j, i], e[j, i] = cw[j, i] + vw[j, i], ce[j, i] + ve[j, i]
            s[j, i], n[j, i] = cs[j, i] + vs[j, i], cn[j, i] + vn[j, i]
            if alone_x:  # what it couples to is itself
                w[j, i], e[j, i] = 0.0, 0.0
            if alone_y:
                s[j, i], n[j, i] = 0.0, 0.0
            total = h[j, i] + w[j, i] + e[j, i] + s[j, i] + n[j, i]
            d[j, i] = total
            if total > 0:
                mx[j, i] = _inverse(total - w[j, i] * cx[j, i - 1], total)
                cx[j, i] = e[j, i] * mx[j, i]
                my[j, i] = _inverse(total - s[j, i] * cy[j - 1, i], total)
                cy[j, i] = n[j, i] * my[j, i]
                spans[first + j, 0] = min(spans[first + j, 0], i)
                spans[first + j, 1] = i
            else:
                mx[j, i], cx[j, i], my[j, i], cy[j, i] = 0.0, 0.0, 0.0, 0.0
                w[j, i], e[j, i], s[j, i], n[j, i] = 0.0, 0.0, 0.0, 0.0


@kernel
def _coarsen(work, info, level):
    """Convective and symmetric coefficients of the next coarser level."""
    ny, nx = info[level, 1], info[level, 2]
    for row in range(9):
        _level(work, row, info, level + 1)[:] = 0.0
    h, k = _level(work, H, info, level), _level(work, H, info, level + 1)
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            k[(j + 1) >> 1, (i + 1) >> 1] += h[j, i]
    for q in range(4):
        c, v = _level(work, CW + q, info, level), _level(work, VW + q, info, level)
        to_c, to_v = _level(work, CW + q, info, level + 1), _level(work, VW + q, info, level + 1)
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                crosses = (
                    i % 2 == 1
                    if q == 0
                    else (
                        i % 2 == 0 or i == nx
                        if q == 1
                        else (j % 2 == 1 if q == 2 else j % 2 == 0 or j == ny)
                    )
                )
                if crosses:
                    to_c[(j + 1) >> 1, (i + 1) >> 1] += c[j, i]
                    to_v[(j + 1) >> 1, (i + 1) >> 1] += 0.5 * v[j, i]


@kernel
def _set_up(work, info, spans, levels, repeats_x, repeats_y):
    for level in range(levels):
        _factor(work, info, spans, level, repeats_x, repeats_y)
        if level < levels - 1:
            _coarsen(work, info, level)


@kernel
def _set_up_symmetric(work, info, spans, scratch, repeats_x, repeats_y):
    """The same for a symmetric operator: coarse faces from resistances in series. West faces,
    south faces and diagonal of the finest level lie in the first three rows of scratch.
    """
    levels = info.shape[0]
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(scratch, 0, info, level), _level(scratch, 1, info, level)
        d = _level(scratch, 2, info, level)
        for row in range(4):
            _level(work, row, info, level)[:] = 0.0
        vw, ve, vs, vn = (
            _level(work, VW, info, level),
            _level(work, VE, info, level),
            _level(work, VS, info, level),
            _level(work, VN, info, level),
        )
        h = _level(work, H, info, level)
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                vw[j, i], ve[j, i] = ax[j, i], ax[j, i + 1]
                vs[j, i], vn[j, i] = ay[j, i], ay[j + 1, i]
                h[j, i] = d[j, i]
        _factor(work, info, spans, level, repeats_x, repeats_y)
        if level < levels - 1:
            my, mx = info[level + 1, 1], info[level + 1, 2]
            _coarse_faces_x(ax, _level(scratch, 0, info, level + 1), ny, nx, my, mx, repeats_x)
            _coarse_faces_y(ay, _level(scratch, 1, info, level + 1), ny, nx, my, mx, repeats_y)
            _restrict(d, _level(scratch, 2, info, level + 1), ny, nx, my, mx)


@kernel
def _rows(work, info, spans, level, up):
    """Gauss-Seidel over rows, each solved exactly."""
    ny = info[level, 1]
    w, s, n = (
        _level(work, W, info, level),
        _level(work, S, info, level),
        _level(work, N, info, level),
    )
    e, cx, mx = (
        _level(work, E, info, level),
        _level(work, CX, info, level),
        _level(work, MX, info, level),
    )
    x, b = _level(work, X, info, level), _level(work, B, info, level)
    first, right = info[level, 5], np.zeros(info[level, 4])
    for step in range(1, ny + 1):
        j = step if up else ny + 1 - step
        low, high = spans[first + j, 0], spans[first + j, 1]
        count = high - low + 1
        if count < 1:
            continue
        given, below, above = b[j, low:], x[j - 1, low:], x[j + 1, low:]
        from_below, from_above = s[j, low:], n[j, low:]
        for k in range(count):
            right[k] = given[k] + from_below[k] * below[k] + from_above[k] * above[k]
        right[count - 1] += e[j, high] * x[j, high + 1]  # a ghost, or nothing
        before, line = x[j, low - 1], x[j, low:]
        west, share, back = w[j, low:], mx[j, low:], cx[j, low:]
        for k in range(count):
            before = (right[k] + west[k] * before) * share[k]
            line[k] = before
        for k in range(count - 2, -1, -1):
            before = line[k] + back[k] * before
            line[k] = before


@kernel
def _columns(work, info, spans, level, first_colour):
    """Columns of one colour, then of the other, each solved exactly; all of them row by row. All at
    once, from what lies beside them before, where first_colour is BOTH.
    """
    ny, nx = info[level, 1], info[level, 2]
    w, e, s = (
        _level(work, W, info, level),
        _level(work, E, info, level),
        _level(work, S, info, level),
    )
    n, cy, my = (
        _level(work, N, info, level),
        _level(work, CY, info, level),
        _level(work, MY, info, level),
    )
    x, b, g = (
        _level(work, X, info, level),
        _level(work, B, info, level),
        _level(work, R, info, level),
    )
    at = info[level, 5]
    mine = np.zeros(nx + 3)  # 1 in columns of the colour: with strides nothing would vectorise
    for turn in range(1 if first_colour == BOTH else 2):
        colour = first_colour if turn == 0 else 3 - first_colour
        for i in range(1, nx + 1):
            mine[i] = 1.0 if first_colour == BOTH or (i + colour) % 2 == 0 else 0.0
            g[0, i] = x[0, i]
        for j in range(1, ny + 1):
            low = spans[at + j, 0]
            count = spans[at + j, 1] - low + 1
            given, left, right = b[j, low:], x[j, low - 1 :], x[j, low + 1 :]
            from_left, from_right, below = w[j, low:], e[j, low:], g[j - 1, low:]
            from_below, share, out = s[j, low:], my[j, low:], g[j, low:]
            for k in range(count):
                out[k] = (
                    given[k]
                    + from_left[k] * left[k]
                    + from_right[k] * right[k]
                    + from_below[k] * below[k]
                ) * share[k]
            if j == ny:  # a ghost, or nothing
                beyond, from_above = x[j + 1, low:], n[j, low:]
                for k in range(count):
                    out[k] += from_above[k] * beyond[k] * share[k]
        for j in range(ny, 0, -1):
            low = spans[at + j, 0]
            count = spans[at + j, 1] - low + 1
            line, found, above = x[j, low:], g[j, low:], x[j + 1, low:]
            back, own = cy[j, low:], mine[low:]
            if j == ny:
                for k in range(count):
                    line[k] += own[k] * (found[k] - line[k])
            else:
                for k in range(count):
                    line[k] += own[k] * (found[k] + back[k] * above[k] - line[k])


@kernel
def _hand_down(work, info, spans, level):
    """What is left of the right side, summed into the coarser level's."""
    ny = info[level, 1]
    d, w, e, s, n = (
        _level(work, D, info, level),
        _level(work, W, info, level),
        _level(work, E, info, level),
        _level(work, S, info, level),
        _level(work, N, info, level),
    )
    x, b, coarse = (
        _level(work, X, info, level),
        _level(work, B, info, level),
        _level(work, B, info, level + 1),
    )
    coarse[:] = 0.0
    first = info[level, 5]
    for j in range(1, ny + 1):
        for i in range(spans[first + j, 0], spans[first + j, 1] + 1):
            if d[j, i] > 0:
                coarse[(j + 1) >> 1, (i + 1) >> 1] += (
                    b[j, i]
                    - d[j, i] * x[j, i]
                    + w[j, i] * x[j, i - 1]
                    + e[j, i] * x[j, i + 1]
                    + s[j, i] * x[j - 1, i]
                    + n[j, i] * x[j + 1, i]
                )


@kernel
def _hand_up(work, info, spans, level, closed):
    """The coarser level's correction: nine sixteenths of one's own cell, the rest of those nearest.

    closed : ACROSS where what lies behind a closed face counts as oneself, DOWN where as zero.
    """
    ny = info[level, 1]
    d, x, coarse = (
        _level(work, D, info, level),
        _level(work, X, info, level),
        _level(work, X, info, level + 1),
    )
    w, e, s, n, there = (
        _level(work, W, info, level + 1),
        _level(work, E, info, level + 1),
        _level(work, S, info, level + 1),
        _level(work, N, info, level + 1),
        _level(work, D, info, level + 1),
    )
    first = info[level, 5]
    for j in range(1, ny + 1):
        cj = (j + 1) >> 1
        near_j = cj - 1 if j % 2 == 1 else cj + 1
        for i in range(spans[first + j, 0], spans[first + j, 1] + 1):
            if d[j, i] <= 0:
                continue
            ci = (i + 1) >> 1
            near_i = ci - 1 if i % 2 == 1 else ci + 1
            here = coarse[cj, ci]
            above, beside, corner = coarse[near_j, ci], coarse[cj, near_i], coarse[near_j, near_i]
            if closed == ACROSS:
                upright = (s[cj, ci] if near_j < cj else n[cj, ci]) > 0
                level_ = (w[cj, ci] if near_i < ci else e[cj, ci]) > 0
                above = above if upright else here
                beside = beside if level_ else here
                if not (upright and level_ and there[near_j, near_i] > 0):
                    corner = above + beside - here
            x[j, i] += 0.5625 * here + 0.1875 * (above + beside) + 0.0625 * corner


@kernel
def _cycle(work, info, spans, closed, repeats_x, repeats_y):
    """One V-cycle from a guess of zero: reads the finest B, leaves the finest X."""
    levels = info.shape[0]
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        x = _level(work, X, info, level)
        x[:] = 0.0
        if level == levels - 1:
            for _ in range(BOTTOM):
                _rows(work, info, spans, level, True)
                wrap(x, repeats_x, repeats_y, ny, nx)
                _columns(work, info, spans, level, 1)
                wrap(x, repeats_x, repeats_y, ny, nx)
                _rows(work, info, spans, level, False)
                wrap(x, repeats_x, repeats_y, ny, nx)
                _columns(work, info, spans, level, 2)
                wrap(x, repeats_x, repeats_y, ny, nx)
            break
        _rows(work, info, spans, level, True)
        wrap(x, repeats_x, repeats_y, ny, nx)
        _columns(work, info, spans, level, 1)
        wrap(x, repeats_x, repeats_y, ny, nx)
        _hand_down(work, info, spans, level)
    for level in range(levels - 2, -1, -1):
        ny, nx = info[level, 1], info[level, 2]
        x = _level(work, X, info, level)
        _hand_up(work, info, spans, level, closed)
        wrap(x, repeats_x, repeats_y, ny, nx)
        _columns(work, info, spans, level, 2)
        wrap(x, repeats_x, repeats_y, ny, nx)
        _rows(work, info, spans, level, False)
        wrap(x, repeats_x, repeats_y, ny, nx)


@kernel
def _sweep(work, info, spans, up, first_colour, repeats_x, repeats_y):
    ny, nx = info[0, 1], info[0, 2]
    x = _level(work, X, info, 0)
    wrap(x, repeats_x, repeats_y, ny, nx)
    _rows(work, info, spans, 0, up)
    wrap(x, repeats_x, repeats_y, ny, nx)
    _columns(work, info, spans, 0, first_colour)
    wrap(x, repeats_x, repeats_y, ny, nx)


@kernel
def _apply(d, w, e, s, n, x, out, ny, nx):
    for j in range(1, ny + 1):
        west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
        dd, ww, ee, ss, nn = d[j, 1:], w[j, 1:], e[j, 1:], s[j, 1:], n[j, 1:]
        o = out[j, 1:]
        for k in range(nx):
            o[k] = (
                dd[k] * here[k]
                - ww[k] * west[k]
                - ee[k] * east[k]
                - ss[k] * south[k]
                - nn[k] * north[k]
            )


def _sizes(ny: int, nx: int, again: bool) -> list[tuple[int, int]]:
    """Of every level: down to a single line, which is solved exactly; to one cell where lines go
    round.
    """
    found = [(ny, nx)]
    while (max if again else min)(found[-1]) > 1:
        found.append(((found[-1][0] + 1) // 2, (found[-1][1] + 1) // 2))
    return found


class Lines:
    """One operator on a grid of (ny, nx) unknowns; arrays are of `shape`, (cells + 3) each way.

    Fill `convective` and `symmetric` (w, e, s, n) and `held`, then `set_up`; or `set_symmetric`.
    behind : what the correction takes a neighbour behind a closed face for, "itself" or "zero".
    """

    def __init__(
        self,
        shape: tuple[int, int],
        ny: int,
        nx: int,
        repeats: tuple[bool, bool] = (False, False),
        behind: Literal["itself", "zero"] = "zero",
    ) -> None:
        self.shape, self.ny, self.nx, self.repeats = shape, ny, nx, repeats
        self.closed = ACROSS if behind == "itself" else DOWN
        sizes = _sizes(ny, nx, any(repeats))
        shapes = [shape, *((j + 3, i + 3) for j, i in sizes[1:])]
        first = np.concatenate([[0], np.cumsum([a * b for a, b in shapes])])
        spans = np.concatenate([[0], np.cumsum([a for a, _ in shapes])])
        self.info = np.array(
            [(first[k], *sizes[k], *shapes[k], spans[k]) for k in range(len(sizes))], np.int64
        )
        self.work = np.zeros((ROWS, int(first[-1])))
        self.spans = np.zeros((int(spans[-1]), 2), np.int64)

    def row(self, row: int) -> Array:
        """One array of the finest level."""
        count = self.shape[0] * self.shape[1]
        return self.work[row, :count].reshape(self.shape)

    @property
    def convective(self) -> list[Array]:
        return [self.row(k) for k in (CW, CE, CS, CN)]

    @property
    def symmetric(self) -> list[Array]:
        return [self.row(k) for k in (VW, VE, VS, VN)]

    @property
    def held(self) -> Array:
        return self.row(H)

    @property
    def diagonal(self) -> Array:
        return self.row(D)

    @property
    def neighbours(self) -> list[Array]:
        """What couples each unknown to those w, e, s and n of it, as they were set up."""
        return [self.row(k) for k in (W, E, S, N)]

    def set_up(self, sweeps_only: bool = False) -> None:
        """Read the coefficients again: factor every line of every level, or of the finest one, which
        is all that sweeps need.
        """
        levels = 1 if sweeps_only else len(self.info)
        _set_up(self.work, self.info, self.spans, levels, *self.repeats)

    def set_symmetric(self, ax: Array, ay: Array, d: Array) -> None:
        """Take over west faces, south faces and a diagonal; a face on the rim holds zero outside."""
        scratch = self.work[X : X + 3]  # not in use now
        count = self.shape[0] * self.shape[1]
        for k, a in enumerate((ax, ay, d)):
            scratch[k, :count] = a.ravel()
        _set_up_symmetric(self.work, self.info, self.spans, scratch, *self.repeats)

    def cycle(self, b: Array, x: Array) -> None:
        """x = one V-cycle for the right side b, about A^-1 b."""
        self.row(B)[:] = b
        _cycle(self.work, self.info, self.spans, self.closed, *self.repeats)
        x[:] = self.row(X)

    def sweep(self, b: Array, x: Array) -> None:
        """Solve every row, then every column, from where x stands (in place): where all of b is above
        nought, so is what comes out.
        """
        self.begin(b, x)
        _sweep(self.work, self.info, self.spans, True, 1, *self.repeats)
        x[:] = self.found

    def begin(self, b: Array, x: Array) -> None:
        """Take over a right side, and where x stands, for sweeps one after the other."""
        self.row(B)[:] = b
        self.found[:] = x

    @property
    def found(self) -> Array:
        """Where x stands, ghosts included."""
        return self.row(X)

    def sweep_on(self, up: bool) -> None:
        """Another sweep, rows upwards or downwards, then all columns at once: half the work of one by
        colours on them, and about as good where what holds each unknown is of the size of what
        couples it.
        """
        _sweep(self.work, self.info, self.spans, up, BOTH, *self.repeats)

    def apply(self, x: Array, out: Array) -> None:
        """out = A x; x has its ghosts."""
        _apply(*(self.row(k) for k in (D, W, E, S, N)), x, out, self.ny, self.nx)
