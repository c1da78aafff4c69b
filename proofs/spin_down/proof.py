"""Spin-down of a long cylinder of liquid, and the pressure in one that turns as a whole."""

import numpy as np
from scipy.special import j0, j1, jn_zeros

QUICK = True
SOURCE = "series solution of the diffusion of angular momentum in a cylinder"
RADIUS, TURN, KINEMATIC, DENSITY, END = 10e-3, 10.0, 1e-5, 1000.0, 1.0


def series(r, t):
    """Angular speed (1/s) at radius r (m) and time t (s) after the wall has stopped."""
    k = jn_zeros(1, 60)
    return float(
        -2
        * TURN
        * RADIUS
        / r
        * (j1(k * r / RADIUS) / (k * j0(k)) * np.exp(-(k**2) * KINEMATIC * t / RADIUS**2)).sum()
    )


def checks(prove):
    exact = series(RADIUS / 4, END)
    run, errors = prove.over((0.5, 1.0, 2.0), "middle", exact)
    prove.check(
        "angular speed a quarter of the way out, 32 cells",
        run.readouts["middle"].value,
        exact,
        "1/s",
        0.005,
        SOURCE,
        "engine target for ducts: .5 %",
    )
    prove.at_least("order", prove.order(errors), 1.7, SOURCE)
    prove.closes(
        "angular momentum in, out and stored",
        run,
        "angular_momentum",
        1e-10,
        "conservation",
        "engine target per transient step",
    )
    turning = prove.run(variant="carried_round")
    field = turning.field("pressure")
    y = 0.5 * (turning.case.grid.y[1:] + turning.case.grid.y[:-1])
    rise = 0.5 * DENSITY * TURN**2 * (y[-1] ** 2 - y[0] ** 2)
    prove.check(
        "pressure rise towards the wall of a vessel that turns as a whole",
        float(field[-1, 1] - field[0, 1]),
        rise,
        "Pa",
        1e-5,
        "rigid rotation: rho omega^2 r^2 / 2",
        "fields are kept in four bytes",
    )
