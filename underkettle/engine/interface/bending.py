"""How an interface bends, from heights of columns of the first fluid. Kernels for the plane.

Heights along the axis that the interface faces most, then along the other, then a parabola through the
middles of pieces, which bends no more than a cell's width (Popinet 2009; Cummins et al. 2005).
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import ends, lean, parabola

REACH = 5  # cells that a column goes on either way
CLEAR = 1e-6  # share of a cell, that tells it apart from one that holds a single fluid
THINNEST = 0.2  # of a cell, that a thread on the axis may pull with
UNEVEN = 1e-3  # share by which a column may rise where it should fall


@kernel
def _height(f, j, i, upright, sign, width):
    """Whether a column reaches both fluids, and where it ends (m) from the middle of its own cell,
    towards the second fluid. sign : +1 where that lies along the axis. width : of cells along it (m).
    """
    at = j if upright else i
    here = f[j, i]
    height = (here - 0.5) * width[at]
    is_full, is_empty = here > 1.0 - CLEAR, here < CLEAR
    before, k = here, 0
    while not is_full and k < REACH:
        k += 1
        n = at - sign * k
        share = f[n, i] if upright else f[j, n]
        if share < before - UNEVEN:
            return False, 0.0
        before = share
        height -= (1.0 - share) * width[n]
        is_full = share > 1.0 - CLEAR
    before, k = here, 0
    while not is_empty and k < REACH:
        k += 1
        n = at + sign * k
        share = f[n, i] if upright else f[j, n]
        if share > before + UNEVEN:
            return False, 0.0
        before = share
        height += share * width[n]
        is_empty = share < CLEAR
    return is_full and is_empty, height


@kernel
def _by_heights(f, j, i, upright, sign, wx, wy, is_round, radius):
    """Whether three columns tell it, and 1/m: positive where the first fluid bulges out."""
    across = wx if upright else wy
    if upright:
        ok_low, low = _height(f, j, i - 1, True, sign, wy)
        ok, here = _height(f, j, i, True, sign, wy)
        ok_high, high = _height(f, j, i + 1, True, sign, wy)
        at = i
    else:
        ok_low, low = _height(f, j - 1, i, False, sign, wx)
        ok, here = _height(f, j, i, False, sign, wx)
        ok_high, high = _height(f, j + 1, i, False, sign, wx)
        at = j
    if not (ok_low and ok and ok_high):
        return False, 0.0
    before = 0.5 * (across[at - 1] + across[at])
    after = 0.5 * (across[at] + across[at + 1])
    up, down = (high - here) / after, (here - low) / before
    slope = (up * before + down * after) / (before + after)
    second = 2.0 * (up - down) / (before + after)
    size = np.sqrt(1.0 + slope * slope)
    bend = -second / size**3
    if is_round:
        # the other radius: the first fluid ends outwards along r
        if upright:
            r = radius[j] + sign * here
            outward = sign / size
        else:
            r, outward = radius[j], -slope / size
        bend += outward / r if r > 0.5 * wy[j] else bend
    return True, bend


@kernel
def _by_parabola(f, j, i, a, b, c, wx, wy, is_round, radius):
    """The same of a parabola through the middles of pieces around, along the piece's own normal."""
    p, q = a[j, i] / wx[i], b[j, i] / wy[j]
    size = np.sqrt(p * p + q * q)
    if size < 1e-300:
        return False, 0.0
    p, q = p / size, q / size
    width = min(wx[i], wy[j])
    x0 = y0 = 0.0
    for reach in range(1, 3):
        s0 = s1 = s2 = s3 = s4 = t0 = t1 = t2 = 0.0
        count = 0
        for dj in range(-reach, reach + 1):
            for di in range(-reach, reach + 1):
                m, n = j + dj, i + di
                share = f[m, n]
                if not (share > CLEAR and share < 1.0 - CLEAR):
                    continue
                if a[m, n] / wx[n] * p + b[m, n] / wy[m] * q <= 0.0:
                    continue
                e0, e1, e2, e3 = ends(a[m, n], b[m, n], c[m, n])
                x = (0.5 * (e0 + e2) - 0.5 + di) * wx[i] - x0
                y = (0.5 * (e1 + e3) - 0.5 + dj) * wy[j] - y0
                t, z = (-q * x + p * y) / width, (p * x + q * y) / width
                s0 += 1.0
                s1 += t
                s2 += t * t
                s3 += t**3
                s4 += t**4
                t0 += z
                t1 += z * t
                t2 += z * t * t
                count += 1
        if count >= (4 if reach == 1 else 3):
            d, slope, bow = parabola(s0, s1, s2, s3, s4, t0, t1, t2)
            if abs(d) > 1e-10:
                slope, bow = slope / d, bow / d
                bend = -2.0 * bow / (1.0 + slope * slope) ** 1.5
                bend = max(-1.0, min(1.0, bend)) / width
                if is_round:
                    bend += q / radius[j] if radius[j] > 0.5 * wy[j] else bend
                return True, bend
    return False, 0.0


@kernel
def bends(f, along_x, along_y, live, a, b, c, wx, wy, is_round, radius, bend, known):
    """bend : 1/m of the interface in cells that it passes or touches, `known` where it is. along_x,
    along_y : f as rows along either axis read it. radius : of rows (m), where the vessel is round.
    """
    rows, columns = f.shape
    for j in range(REACH + 1, rows - REACH - 1):
        for i in range(REACH + 1, columns - REACH - 1):
            known[j, i] = False
            if not live[j, i]:
                continue
            share = f[j, i]
            mixed = share > CLEAR and share < 1.0 - CLEAR
            if not mixed and share >= 1.0 - CLEAR:
                mixed = (
                    f[j, i - 1] <= CLEAR
                    or f[j, i + 1] <= CLEAR
                    or f[j - 1, i] <= CLEAR
                    or f[j + 1, i] <= CLEAR
                )
            if not mixed:
                continue
            p, q = lean(f, j, i)
            upright = abs(q) / wy[j] >= abs(p) / wx[i]
            sign = (1 if q > 0.0 else -1) if upright else (1 if p > 0.0 else -1)
            seen = along_y if upright else along_x
            found, value = _by_heights(seen, j, i, upright, sign, wx, wy, is_round, radius)
            if not found:
                upright = not upright
                sign = (1 if q > 0.0 else -1) if upright else (1 if p > 0.0 else -1)
                seen = along_y if upright else along_x
                found, value = _by_heights(seen, j, i, upright, sign, wx, wy, is_round, radius)
            if not found and is_round and radius[j] < wy[j] and abs(q) * wx[i] > abs(p) * wy[j]:
                # a thread on the axis, thinner than a cell: one over its own radius
                thick = np.sqrt(share if q > 0.0 else 1.0 - share)
                value = (1.0 if q > 0.0 else -1.0) / (wy[j] * max(thick, THINNEST))
                found = radius[j] > 0.0
            if not found and share > CLEAR and share < 1.0 - CLEAR:
                found, value = _by_parabola(f, j, i, a, b, c, wx, wy, is_round, radius)
            if found:
                bend[j, i], known[j, i] = value, True


@numba.njit(inline="always")
def _on_face(bend, known, j, i, m, n):
    if known[j, i]:
        return 0.5 * (bend[j, i] + bend[m, n]) if known[m, n] else bend[j, i]
    return bend[m, n] if known[m, n] else 0.0


@kernel
def pull(f, live, bend, known, wx, wy, x, y):
    """x, y : bend times the slope of the share across west and south faces (1/m2)."""
    rows, columns = f.shape
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            x[j, i] = y[j, i] = 0.0
            if live[j, i] and live[j, i - 1]:
                slope = (f[j, i] - f[j, i - 1]) / (0.5 * (wx[i] + wx[i - 1]))
                if slope != 0.0:
                    x[j, i] = _on_face(bend, known, j, i, j, i - 1) * slope
            if live[j, i] and live[j - 1, i]:
                slope = (f[j, i] - f[j - 1, i]) / (0.5 * (wy[j] + wy[j - 1]))
                if slope != 0.0:
                    y[j, i] = _on_face(bend, known, j, i, j - 1, i) * slope
