"""Laminar flow between a turning shaft and a shell at rest, both cut from the grid."""

import numpy as np

SOURCE = "Taylor-Couette flow below its instability: u = A r + B / r (exact)"
INNER, OUTER, TURNING, SHIFT = 6e-3, 14e-3, 2.0, 0.13e-3


def exact(r):
    a = -TURNING * INNER**2 / (OUTER**2 - INNER**2)
    return a * r + TURNING * INNER**2 * OUTER**2 / (OUTER**2 - INNER**2) / r


def checks(prove):
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        nodes = run.case.grid
        x = 0.5 * (nodes.x[1:] + nodes.x[:-1])[None, :] - SHIFT
        y = 0.5 * (nodes.y[1:] + nodes.y[:-1])[:, None] - 0.7 * SHIFT
        r = np.hypot(x, y)
        turned = (run.field("velocity_y") * x - run.field("velocity_x") * y) / r
        good = np.isfinite(turned) & (r > INNER + 1e-3) & (r < OUTER - 1e-3)
        away = (turned - exact(r))[good] / (TURNING * INNER)
        errors.append(float(np.sqrt(np.mean(away**2))))
        if grid == 1.0:
            prove.check(
                "speed error over the shaft's (rms), 16 cells across",
                errors[-1],
                0.0,
                "",
                0.01,
                SOURCE,
                "first-order wall treatment of cut cells with a small constant",
            )
    prove.check(
        "nothing leaves",
        run.balance["mass"]["out"],
        0.0,
        "kg/s",
        1e-15,
        "conservation",
        "a closed vessel",
    )
    prove.at_least("order over three grids", prove.order(errors), 0.9, "target for cut cells")
