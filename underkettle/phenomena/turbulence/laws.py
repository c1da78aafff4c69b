"""The wall law in the cells beside walls. Kernels for the plane."""

from __future__ import annotations

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.wall_law import stirring, turnover


@kernel
def beside_walls(
    live,
    first,
    always,
    y,
    near,
    friction,
    scale,
    grain,
    nu,
    below,
    above,
    kept,
    free,
    rate,
    stirred,
    made,
    ny,
    nx,
):
    """In cells `first` beside a wall: stirred (nu_t, m2/s) and made (production of k, m2/s3). Where
    omega is a wall's: rate (1/s, in place) and free, 0.0 there and 1.0 elsewhere.

    It is a wall's `always` in some, within y+ `below`, and where it was (kept, 1.0) within y+ `above`.
    y : distance to the nearest wall (m), near : its row in friction, scale (m/s) and grain (m).
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                kept[j, i], free[j, i] = 0.0, 1.0
                continue
            row, n, yy = near[j, i], nu[j, i], y[j, i]
            s = scale[row]
            reached = yy * s / n
            held = reached < below or (kept[j, i] > 0.0 and reached < above)
            if always[j, i] or held:
                rate[j, i] = turnover(yy, friction[row], s, n)
                kept[j, i], free[j, i] = 1.0, 0.0
            else:
                kept[j, i], free[j, i] = 0.0, 1.0
            if first[j, i]:
                nt, p = stirring(reached, grain[row] * s / n)
                stirred[j, i] = n * nt
                made[j, i] = p * s**4 / n
