"""Extremes of a field of cells, between their middles, too."""

from __future__ import annotations

import numpy as np

Array = np.ndarray


def peak(values: Array, x: Array, y: Array, sign: float, between: bool = True) -> float | None:
    """The highest (sign 1) or lowest (-1) value of a field (ny, nx), NaN where it is not; x, y :
    grid lines. Where the highest cell stands above its neighbours along an axis, the parabola
    through the three tells how much higher the top between them is, unless not `between`. None where
    nothing is open.
    """
    if not np.isfinite(values).any():
        return None
    v = sign * values
    j, i = np.unravel_index(int(np.nanargmax(v)), v.shape)
    best = float(v[j, i])
    if not between:
        return sign * best
    rise = 0.0
    for nodes, line, k in ((x, v[j], int(i)), (y, v[:, i], int(j))):
        middle = 0.5 * (nodes[1:] + nodes[:-1])
        if 0 < k < middle.size - 1 and line[k - 1] < best and line[k + 1] < best:
            down, up = ((line[n] - best) / (middle[n] - middle[k]) for n in (k - 1, k + 1))
            bend = (up - down) / (middle[k + 1] - middle[k - 1])
            slope = up - bend * (middle[k + 1] - middle[k])
            if bend < 0:
                rise += -slope * slope / (4 * bend)
    return sign * (best + rise)
