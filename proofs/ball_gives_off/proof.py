"""A ball gives off what is dissolved in it: how large an interface is, and how far both are from it."""

from math import pi, sqrt

import numpy as np

QUICK = True
RADIUS, SPREAD, TIME = 0.25, 1e-3, 2.0
SOURCE = "Crank 1975, a ball in an endless space like it, integrated here"


def left():
    """mol that stay within the ball, of 1 mol/m3."""
    from scipy.integrate import quad
    from scipy.special import erf

    wide = 2.0 * sqrt(SPREAD * TIME)

    def held(r):
        near, far = (RADIUS - r) / wide, (RADIUS + r) / wide
        waves = np.exp(-(near**2)) - np.exp(-(far**2))
        return 0.5 * (erf(near) + erf(far)) - wide / (2.0 * r * sqrt(pi)) * waves

    return 4.0 * pi * quad(lambda r: r**2 * held(r), 1e-9, RADIUS)[0]


def checks(prove):
    begun, errors = 4.0 / 3.0 * pi * RADIUS**3, []
    for grid, most in ((1.0, 6e-2), (2.0, 2e-2), (4.0, 1e-2)):
        run = prove.run(grid=grid)
        given = run.readouts["given"].value
        errors.append(abs(given / (begun - left()) - 1.0))
        prove.check(
            f"what it gave, {8 * grid:g} cells a radius", given, begun - left(), "mol", most, SOURCE,
            "the layer is .08 m deep",
        )  # fmt: skip
        prove.closes(f"dye, {8 * grid:g} cells a radius", run, "dye", 1e-8, "conservation", "")
    prove.at_least("order", prove.order(errors), 1.0, "straight pieces")
