"""The interface as one straight piece in every cell it passes. Kernels for the plane.

A cell is a unit square from (0, 0) to (1, 1), x first; the first fluid lies where a x + b y <= c, so
that (a, b) points out of it. Arrays are padded: see `fractions.py`.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

LEAST = 1e-12  # share of a cell, below which it holds none of a fluid


@numba.njit(inline="always")
def share_below(a, b, c):
    """The share of the unit square where a x + b y <= c."""
    if a < 0.0:
        c -= a
        a = -a
    if b < 0.0:
        c -= b
        b = -b
    total = a + b
    if total < 1e-300:
        return 1.0 if c > 0.0 else 0.0
    low = min(a, b) / total
    c /= total
    if c <= 0.0:
        return 0.0
    if c >= 1.0:
        return 1.0
    near = c if c <= 0.5 else 1.0 - c
    found = (
        near * near / (2.0 * low * (1.0 - low)) if near < low else (near - 0.5 * low) / (1.0 - low)
    )
    return found if c <= 0.5 else 1.0 - found


@numba.njit(inline="always")
def offset(share, a, b):
    """The c at which that share lies below: the inverse of `share_below`."""
    total = abs(a) + abs(b)
    low = min(abs(a), abs(b)) / total
    near = share if share <= 0.5 else 1.0 - share
    if 2.0 * (1.0 - low) * near < low:
        c = np.sqrt(2.0 * low * (1.0 - low) * near)
    else:
        c = near * (1.0 - low) + 0.5 * low
    if share > 0.5:
        c = 1.0 - c
    c *= total
    if a < 0.0:
        c += a
    if b < 0.0:
        c += b
    return c


@numba.njit(inline="always")
def lean(f, j, i):
    """Which way the first fluid ends in a cell, |a| + |b| = 1 with a, b counted in cells: of what the
    rows and columns beside it hold (Aulisa et al. 2007: Youngs' gradients, and central differences
    where these are the steeper ones).
    """
    west = f[j - 1, i - 1] + 2.0 * f[j, i - 1] + f[j + 1, i - 1]
    east = f[j - 1, i + 1] + 2.0 * f[j, i + 1] + f[j + 1, i + 1]
    south = f[j - 1, i - 1] + 2.0 * f[j - 1, i] + f[j - 1, i + 1]
    north = f[j + 1, i - 1] + 2.0 * f[j + 1, i] + f[j + 1, i + 1]
    a, b = west - east, south - north
    size = abs(a) + abs(b)
    if size < 1e-14:
        return 1.0, 0.0
    a, b = a / size, b / size
    # heights of three columns along y, of three rows along x, in cells
    left = f[j - 1, i - 1] + f[j, i - 1] + f[j + 1, i - 1]
    right = f[j - 1, i + 1] + f[j, i + 1] + f[j + 1, i + 1]
    low = f[j - 1, i - 1] + f[j - 1, i] + f[j - 1, i + 1]
    high = f[j + 1, i - 1] + f[j + 1, i] + f[j + 1, i + 1]
    along_y, along_x = 0.5 * (left - right), 0.5 * (low - high)
    tall, wide = abs(along_y) + 1.0, abs(along_x) + 1.0
    if tall <= wide:
        p, q = along_y / tall, (1.0 if low >= high else -1.0) / tall
        if abs(q) > abs(b):
            return a, b
    else:
        p, q = (1.0 if left >= right else -1.0) / wide, along_x / wide
        if abs(p) > abs(a):
            return a, b
    return p, q


@kernel
def reconstruct(f, live, a, b, c):
    """a, b, c of the piece in every live cell that both fluids share."""
    rows, columns = f.shape
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            share = f[j, i]
            if share > LEAST and share < 1.0 - LEAST and live[j, i]:
                p, q = lean(f, j, i)
                a[j, i], b[j, i], c[j, i] = p, q, offset(share, p, q)


@numba.njit(inline="always")
def ends(a, b, c):
    """Where the piece enters and leaves its cell: (x, y), (x, y); the same twice where it does not."""
    x0 = y0 = x1 = y1 = 0.0
    found = 0
    for side in range(4):
        if side < 2:
            if abs(b) < 1e-14:
                continue
            x, y = float(side), (c - a * side) / b
            if y < -1e-12 or y > 1.0 + 1e-12:
                continue
        else:
            if abs(a) < 1e-14:
                continue
            y, x = float(side - 2), (c - b * (side - 2)) / a
            if x < -1e-12 or x > 1.0 + 1e-12:
                continue
        if found == 0:
            x0, y0, x1, y1, found = x, y, x, y, 1
        elif (x - x0) ** 2 + (y - y0) ** 2 > (x1 - x0) ** 2 + (y1 - y0) ** 2:
            x1, y1 = x, y
    return x0, y0, x1, y1


@numba.njit(inline="always")
def parabola(s0, s1, s2, s3, s4, t0, t1, t2):
    """The least squares' determinant d of z = z0 + slope t + bow t^2 through points, and slope and bow
    times d. s0 ... s4 : sums of powers of t; t0 ... t2 : of z times these.
    """
    d = s0 * (s2 * s4 - s3 * s3) - s1 * (s1 * s4 - s3 * s2) + s2 * (s1 * s3 - s2 * s2)
    slope = s0 * (t1 * s4 - s3 * t2) - t0 * (s1 * s4 - s3 * s2) + s2 * (s1 * t2 - t1 * s2)
    bow = s0 * (s2 * t2 - t1 * s3) - s1 * (s1 * t2 - t1 * s2) + t0 * (s1 * s3 - s2 * s2)
    return d, slope, bow


@kernel
def pieces_of(f, live, a, b, c, found):
    """found[k] = (row, column, x, y, x, y): the ends of every piece, in cells; how many there are."""
    rows, columns = f.shape
    k = 0
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            share = f[j, i]
            if share > LEAST and share < 1.0 - LEAST and live[j, i] and k < found.shape[0]:
                x0, y0, x1, y1 = ends(a[j, i], b[j, i], c[j, i])
                found[k, 0], found[k, 1] = j, i
                found[k, 2], found[k, 3], found[k, 4], found[k, 5] = x0, y0, x1, y1
                k += 1
    return k


@kernel
def parts(value, rises_x, rises_y, out):
    """The share of unit squares where a plane is positive. value : in the middle; rises_x, rises_y :
    from one side to the other; all (n,).
    """
    for k in range(value.size):
        a, b = -rises_x[k], -rises_y[k]
        out[k] = share_below(a, b, value[k] + 0.5 * (a + b))
