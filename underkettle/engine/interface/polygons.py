"""Areas of convex and other simple polygons, and what planes and circles cut out of them. Kernels.

Corners run counter-clockwise. Rooms for what is cut are the caller's: (2, n), more corners than the
polygon has.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

TINY = 1e-15
TRIES = 60


@kernel
def area(x, y, n):
    """The area within n corners."""
    total = 0.0
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        total += x[k] * y[m] - x[m] * y[k]
    return 0.5 * total


@kernel
def clipped(x, y, n, a, b, c, to):
    """Write what lies where a x + b y <= c to `to`; how many corners it has."""
    count = 0
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        p, q = a * x[k] + b * y[k] - c, a * x[m] + b * y[m] - c
        if p <= 0.0:
            to[0, count], to[1, count] = x[k], y[k]
            count += 1
        if (p < 0.0 and q > 0.0) or (p > 0.0 and q < 0.0):
            t = p / (p - q)
            to[0, count], to[1, count] = x[k] + t * (x[m] - x[k]), y[k] + t * (y[m] - y[k])
            count += 1
    return count


@kernel
def below(x, y, n, a, b, c, room):
    """The area where a x + b y <= c."""
    count = clipped(x, y, n, a, b, c, room)
    return area(room[0], room[1], count) if count > 2 else 0.0


@numba.njit(inline="always")
def between(turn, low, high, off_low, off_high):
    """Where to look next for a root between two places: along the chord, every third time half-way."""
    if turn % 3 == 2:
        return 0.5 * (low + high)
    return low - off_low * (high - low) / (off_high - off_low)


@kernel
def offset_of(x, y, n, wanted, a, b, room):
    """The c at which that area lies where a x + b y <= c."""
    low = high = a * x[0] + b * y[0]
    for k in range(1, n):
        at = a * x[k] + b * y[k]
        low, high = min(low, at), max(high, at)
    off_low, off_high = -wanted, area(x, y, n) - wanted
    if off_low >= 0.0:
        return low
    if off_high <= 0.0:
        return high
    at = low
    for turn in range(TRIES):
        at = between(turn, low, high, off_low, off_high)
        off = below(x, y, n, a, b, at, room) - wanted
        if abs(off) < TINY or high - low < TINY:
            break
        if off < 0.0:
            low, off_low = at, off
        else:
            high, off_high = at, off
    return at


@kernel
def swept(x, y, n, whole, part, upright, a, b, c, slab, room):
    """The share of what lies where a x + b y <= c in what of a polygon leaves it through one side.

    part : of its area (`whole`), positive through the high side along the axis.
    """
    wanted = abs(part) * whole
    sign = -1.0 if part > 0.0 else 1.0
    p, q = (0.0, sign) if upright else (sign, 0.0)
    at = offset_of(x, y, n, wanted, p, q, room)
    count = clipped(x, y, n, p, q, at, slab)
    held = area(slab[0], slab[1], count) if count > 2 else 0.0
    if held < TINY:
        return -1.0
    return min(1.0, below(slab[0], slab[1], count, a, b, c, room) / held)


@kernel
def _sector(x0, y0, x1, y1, radius):
    """The area of the triangle between the middle of a circle and two points, within the circle."""
    dx, dy = x1 - x0, y1 - y0
    square = dx * dx + dy * dy
    if square < 1e-28 * radius * radius:
        return 0.0
    half, beyond = x0 * dx + y0 * dy, x0 * x0 + y0 * y0 - radius * radius
    root = half * half - square * beyond
    round_ = 0.5 * radius * radius
    if root > 0.0:
        root = np.sqrt(root)
        first, last = (-half - root) / square, (-half + root) / square
    if root <= 0.0 or last <= 0.0 or first >= 1.0:
        return round_ * np.arctan2(x0 * y1 - y0 * x1, x0 * x1 + y0 * y1)
    u, v = max(0.0, first), min(1.0, last)
    px, py, qx, qy = x0 + u * dx, y0 + u * dy, x0 + v * dx, y0 + v * dy
    found = 0.5 * (px * qy - py * qx)
    if u > 0.0:
        found += round_ * np.arctan2(x0 * py - y0 * px, x0 * px + y0 * py)
    if v < 1.0:
        found += round_ * np.arctan2(qx * y1 - qy * x1, qx * x1 + qy * y1)
    return found


@kernel
def within_circle(x, y, n, at_x, at_y, radius):
    """The area within a circle."""
    total = 0.0
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        total += _sector(x[k] - at_x, y[k] - at_y, x[m] - at_x, y[m] - at_y, radius)
    return total


@kernel
def crossing(x, y, n, a, b, c):
    """Whether the line a x + b y = c passes a polygon, and where it enters and leaves."""
    x0 = y0 = x1 = y1 = 0.0
    found = 0
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        p, q = a * x[k] + b * y[k] - c, a * x[m] + b * y[m] - c
        if (p <= 0.0) != (q <= 0.0):
            t = p / (p - q)
            at_x, at_y = x[k] + t * (x[m] - x[k]), y[k] + t * (y[m] - y[k])
            if found == 0:
                x0, y0 = at_x, at_y
            elif found == 1:
                x1, y1 = at_x, at_y
            found += 1
    return found >= 2, x0, y0, x1, y1


@kernel
def shares_of_parts(x, y, n, many, value, rises_x, rises_y, slab, room):
    """The share of a polygon in the unit square where a function is positive, by its value and its
    rises over a part in the middle of each of many x many parts.
    """
    whole = positive = 0.0
    size = 1.0 / many
    other = np.empty((2, slab.shape[1]))
    for j in range(many):
        low = clipped(x, y, n, 0.0, -1.0, -j * size, room)
        strip = clipped(room[0], room[1], low, 0.0, 1.0, (j + 1) * size, other)
        if strip < 3:
            continue
        for i in range(many):
            low = clipped(other[0], other[1], strip, -1.0, 0.0, -i * size, room)
            count = clipped(room[0], room[1], low, 1.0, 0.0, (i + 1) * size, slab)
            if count < 3:
                continue
            held = area(slab[0], slab[1], count)
            if held <= 0.0:
                continue
            whole += held
            # value + a (x - x_mid) + b (y - y_mid) > 0
            a, b = rises_x[j, i] / size, rises_y[j, i] / size
            level = value[j, i] - a * (i + 0.5) * size - b * (j + 0.5) * size
            positive += below(slab[0], slab[1], count, -a, -b, level, room)
    return positive / whole if whole > 0.0 else 0.0
