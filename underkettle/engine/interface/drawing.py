"""How an interface whose tension differs along it draws what lies beside it, on faces of the mesh.

Tension counts where both fluids are. What differs along the interface is told by a plane through the
tensions of the cells around that hold both; what it draws with on a face is that along the interface,
times how much the share changes towards it, so that what a closed interface pulls at adds up to nought
(as it does where tension differs from cell to cell: Seric, Afkhami & Kondic 2018).
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import lean

CLEAR = 1e-3  # weight of a cell that holds both
FAINT = 1e-4  # what a jump between full and empty cells counts for, beside cells that hold both
STIFF = 1e-6  # of a cell squared: slopes across an interface that is straight are none
REACH = 3  # cells on either side, beyond which nothing is felt of an interface


@kernel
def weigh(f, live, given, wx, wy, weight, normal):
    """weight : what each cell's tension counts for. normal : (2, ...) where the share of the first
    rises most, of size 1, or 0. given : N/m, NaN where it is not known.
    """
    rows, columns = f.shape
    around = np.empty((3, 3))
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            weight[j, i] = normal[0, j, i] = normal[1, j, i] = 0.0
            if not live[j, i]:
                continue
            here, step = f[j, i], 0.0
            for dj in range(-1, 2):
                for di in range(-1, 2):
                    share = here  # behind a wall lies what is before it
                    if live[j + dj, i + di]:
                        share = f[j + dj, i + di]
                    elif live[j + dj, i]:
                        share = f[j + dj, i]
                    elif live[j, i + di]:
                        share = f[j, i + di]
                    around[1 + dj, 1 + di] = share
                    if dj == 0 or di == 0:
                        step = max(step, abs(share - here))
            counts = max(here * (1.0 - here), 0.0) + FAINT * step
            if counts == 0.0:
                continue
            a, b = lean(around, 1, 1)
            p, q = -a / wx[i], -b / wy[j]
            size = np.sqrt(p * p + q * q)
            normal[0, j, i], normal[1, j, i] = p / size, q / size
            if not np.isnan(given[j, i]):
                weight[j, i] = counts


@kernel
def _near(live, weight, tension):
    """Mark with 0 what lies so near to what counts that it feels it; NaN elsewhere."""
    rows, columns = weight.shape
    tension[:] = np.nan
    for j in range(rows):
        for i in range(columns):
            if weight[j, i] > 0.0:
                for m in range(max(j - REACH, 1), min(j + REACH + 1, rows - 1)):
                    for n in range(max(i - REACH, 1), min(i + REACH + 1, columns - 1)):
                        if live[m, n]:
                            tension[m, n] = 0.0


@kernel
def plane(live, given, weight, x, y, normal, tension, slope):
    """tension (N/m) and slope (2, ...; N/m2) in cells around the interface, by a plane through what is
    `given` nearby, as it counts; NaN and 0 elsewhere. x, y : middles of cells (m). normal : carried on
    to those beside it.
    """
    rows, columns = weight.shape
    _near(live, weight, tension)
    slope[:] = 0.0
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            if np.isnan(tension[j, i]):
                continue
            size = min(0.5 * (x[i + 1] - x[i - 1]), 0.5 * (y[j + 1] - y[j - 1]))
            for reach in range(1, REACH + 1):
                w0 = wx = wy = wxx = wxy = wyy = v0 = vx = vy = p = q = 0.0
                for m in range(max(j - reach, 0), min(j + reach + 1, rows)):
                    for n in range(max(i - reach, 0), min(i + reach + 1, columns)):
                        w = weight[m, n]
                        if w > 0.0:
                            dx, dy, v = x[n] - x[i], y[m] - y[j], given[m, n]
                            w0 += w
                            wx += w * dx
                            wy += w * dy
                            wxx += w * dx * dx
                            wxy += w * dx * dy
                            wyy += w * dy * dy
                            v0 += w * v
                            vx += w * v * dx
                            vy += w * v * dy
                            p += w * normal[0, m, n]
                            q += w * normal[1, m, n]
                if w0 == 0.0:
                    continue
                if reach == 1 and weight[j, i] < CLEAR:
                    continue  # one beside it sees too little of it
                x0, y0, mean = wx / w0, wy / w0, v0 / w0
                stiff = STIFF * size * size
                sxx, syy = wxx / w0 - x0 * x0 + stiff, wyy / w0 - y0 * y0 + stiff
                sxy = wxy / w0 - x0 * y0
                sx, sy = vx / w0 - x0 * mean, vy / w0 - y0 * mean
                whole = sxx * syy - sxy * sxy
                a, b = (syy * sx - sxy * sy) / whole, (sxx * sy - sxy * sx) / whole
                slope[0, j, i], slope[1, j, i] = a, b
                tension[j, i] = mean - a * x0 - b * y0
                far = np.sqrt(p * p + q * q)
                if weight[j, i] < CLEAR and far > 0.0:
                    normal[0, j, i], normal[1, j, i] = p / far, q / far
                break


@numba.njit(inline="always")
def _across(f, live, j, i, dj, di, at):
    """How the share changes along an axis in a cell; behind a wall lies what is before it. at : the
    middles of cells along that axis (m).
    """
    here, k = f[j, i], j if dj else i
    low = f[j - dj, i - di] if live[j - dj, i - di] else here
    high = f[j + dj, i + di] if live[j + dj, i + di] else here
    return (high - low) / (at[k + 1] - at[k - 1])


@kernel
def draw(f, live, normal, tension, slope, pull, x, y, out):
    """out : force (N/m3) on west and south faces: `pull` (1/m2) times tension, and along the interface
    what tension rises by. pull, out : (2, ...). x, y : middles of cells (m).
    """
    rows, columns = f.shape
    for axis in range(2):
        dj, di = (1, 0) if axis else (0, 1)
        at, beside = (y, x) if axis else (x, y)
        for j in range(1, rows - 1):
            for i in range(1, columns - 1):
                out[axis, j, i] = 0.0
                m, n = j - dj, i - di
                here, before = tension[j, i], tension[m, n]
                own, other = not np.isnan(here), not np.isnan(before)
                if not (live[j, i] and live[m, n] and (own or other)):
                    continue
                level = 0.5 * (here + before) if own and other else here if own else before
                half = 0.5 if own and other else 1.0
                force = level * pull[axis, j, i]
                p = normal[0, j, i] + normal[0, m, n]
                q = normal[1, j, i] + normal[1, m, n]
                size = np.sqrt(p * p + q * q)
                if size > 0.0:
                    p, q = p / size, q / size
                    k = j if axis else i
                    up = (f[j, i] - f[m, n]) / (at[k] - at[k - 1])
                    side = 0.5 * (
                        _across(f, live, j, i, di, dj, beside)
                        + _across(f, live, m, n, di, dj, beside)
                    )
                    edge = q * up + p * side if axis else p * up + q * side
                    rises = p * (slope[1, j, i] + slope[1, m, n]) - q * (
                        slope[0, j, i] + slope[0, m, n]
                    )
                    force += (p if axis else -q) * half * rises * edge
                out[axis, j, i] = force
