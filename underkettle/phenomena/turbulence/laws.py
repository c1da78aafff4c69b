"""The wall law in the cells beside walls. Kernels for the plane."""

from __future__ import annotations

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.wall_law import stirring, turnover


@kernel
def beside_walls(
    live, first, y, near, friction, scale, grain, nu, stirred, made, given, reached, ny, nx
):
    """In cells `first` beside a wall: stirred (nu_t, m2/s) and made (production of k, m2/s3). In all
    cells: given (omega beside a wall, 1/s) and reached (y+ by the scale).

    y : distance to the nearest wall (m), near : its row in friction, scale (m/s) and grain (m).
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                reached[j, i] = 1e300
                continue
            row, n, yy = near[j, i], nu[j, i], y[j, i]
            s = scale[row]
            reached[j, i] = yy * s / n
            given[j, i] = turnover(yy, friction[row], s, n)
            if first[j, i]:
                nt, p = stirring(yy * s / n, grain[row] * s / n)
                stirred[j, i] = n * nt
                made[j, i] = p * s**4 / n
