"""Several unknowns in every cell, each spread and carried by itself, all tied to each other there.

    A_P x_P - W x_W - E x_E - S x_S - N x_N = b      (A_P m by m, the rest diagonal)

Rows and columns are solved one after the other, each exactly (Thomas with blocks), there and back.
Arrays are (m, ny + 3, nx + 3), unknowns 1..ny by 1..nx; lines are cut open where the grid repeats.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray

TINY = 1e-300


@numba.njit
def _invert(a, out, m):
    """out = a^-1 by elimination with the largest pivot of each column; a is used up."""
    for i in range(m):
        for k in range(m):
            out[i, k] = 1.0 if i == k else 0.0
    for k in range(m):
        best, most = k, abs(a[k, k])
        for i in range(k + 1, m):
            if abs(a[i, k]) > most:
                best, most = i, abs(a[i, k])
        if best != k:
            for n in range(m):
                a[k, n], a[best, n] = a[best, n], a[k, n]
                out[k, n], out[best, n] = out[best, n], out[k, n]
        share = 1.0 / a[k, k] if most > TINY else 0.0
        for n in range(m):
            a[k, n] *= share
            out[k, n] *= share
        for i in range(m):
            if i != k and a[i, k] != 0.0:
                factor = a[i, k]
                for n in range(m):
                    a[i, n] -= factor * a[k, n]
                    out[i, n] -= factor * out[k, n]


@kernel
def factor_lines(own, ties, before, after, live, down, out):
    """out : (m, m, ny + 3, nx + 3), inverses of the pivots of every line: of columns where `down`, else
    of rows.

    own : what holds each unknown (m, ...). ties : (m, m, ...) what each rises by per unknown. before,
    after : what couples each to the cell before and after it along the line.
    """
    m, rows, columns = own.shape
    a, inverse = np.zeros((m, m)), np.zeros((m, m))
    for first in range(1, (columns if down else rows) - 2):
        fresh = True
        for second in range(1, (rows if down else columns) - 2):
            j, i = (second, first) if down else (first, second)
            if not live[j, i]:
                fresh = True
                continue
            bj, bi = (j - 1, i) if down else (j, i - 1)
            for r in range(m):
                for c in range(m):
                    a[r, c] = -ties[r, c, j, i]
                    if not fresh:
                        a[r, c] -= before[r, j, i] * out[r, c, bj, bi] * after[c, bj, bi]
                a[r, r] += own[r, j, i]
            _invert(a, inverse, m)
            for r in range(m):
                for c in range(m):
                    out[r, c, j, i] = inverse[r, c]
            fresh = False


@kernel
def sweep_lines(b, x, inverse, before, after, under, over, live, down, forth):
    """Solve every line exactly among its neighbours as they are, x in place; from the first line to the
    last where `forth`, else back. under, over : what couples cells to the lines before and after.
    """
    m, rows, columns = b.shape
    lines, length = (columns if down else rows) - 3, (rows if down else columns) - 3
    right, passed = np.zeros(m), np.zeros((m, length + 2))
    for count in range(lines):
        first = 1 + count if forth else lines - count
        for second in range(1, length + 1):
            j, i = (second, first) if down else (first, second)
            if not live[j, i]:
                for r in range(m):
                    passed[r, second] = 0.0
                continue
            for r in range(m):
                if down:
                    sides = under[r, j, i] * x[r, j, i - 1] + over[r, j, i] * x[r, j, i + 1]
                else:
                    sides = under[r, j, i] * x[r, j - 1, i] + over[r, j, i] * x[r, j + 1, i]
                right[r] = b[r, j, i] + sides + before[r, j, i] * passed[r, second - 1]
            for r in range(m):
                total = 0.0
                for c in range(m):
                    total += inverse[r, c, j, i] * right[c]
                passed[r, second] = total
        for second in range(length, 0, -1):
            j, i = (second, first) if down else (first, second)
            if not live[j, i]:
                continue
            nj, ni = (j + 1, i) if down else (j, i + 1)
            if second < length and live[nj, ni]:
                for r in range(m):
                    right[r] = after[r, j, i] * x[r, nj, ni]
                for r in range(m):
                    total = passed[r, second]
                    for c in range(m):
                        total += inverse[r, c, j, i] * right[c]
                    x[r, j, i] = total
            else:
                for r in range(m):
                    x[r, j, i] = passed[r, second]


class Blocks:
    """What holds and couples m unknowns of every cell; `around` (4, m, ny + 3, nx + 3) couples each to
    those w, e, s and n of it.
    """

    def __init__(self, m: int, shape: tuple[int, int], live: Array) -> None:
        self.live = live
        self.own, self.ties = np.zeros((m, *shape)), np.zeros((m, m, *shape))
        self.around = np.zeros((4, m, *shape))
        self.in_rows, self.in_columns = np.zeros((m, m, *shape)), np.zeros((m, m, *shape))

    def set_up(self) -> None:
        """Read the coefficients again."""
        w, e, s, n = self.around
        factor_lines(self.own, self.ties, w, e, self.live, False, self.in_rows)
        factor_lines(self.own, self.ties, s, n, self.live, True, self.in_columns)

    def sweep(self, b: Array, x: Array) -> None:
        """Rows and columns there and back, from where x stands (in place)."""
        w, e, s, n = self.around
        for forth in (True, False):
            sweep_lines(b, x, self.in_rows, w, e, s, n, self.live, False, forth)
            sweep_lines(b, x, self.in_columns, s, n, w, e, self.live, True, forth)
