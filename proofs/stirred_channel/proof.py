"""Turbulent flow between plates: what the model makes of it with walls resolved and by their law."""

import numpy as np
from scipy.integrate import cumulative_trapezoid, solve_bvp

from underkettle.engine.operators.wall_law import KARMAN, speed

SOURCE = (
    "the same model in one dimension, 60 even cells and 5 % growth beyond (grid doubling: .04 %)"
)
MEAN, MIDDLE = {395: 17.27, 2000: 21.40, 10000: 25.41}, {395: 19.48}
IN_EPSILON = "its equations for k and epsilon in one dimension, by SciPy, from the same wall law on"
EVEN = {395: (13, 20, 40), 2000: (13, 20, 60), 10000: (40, 150)}  # cells across


def checks(prove):
    run = prove.run(set={"retau": "395", "cells": "60", "first": "0.0025 m"})
    prove.check(
        "speed in the middle, walls resolved, Re_tau 395",
        run.readouts["middle"].value,
        MIDDLE[395],
        "m/s",
        0.03,
        SOURCE,
        "engine target: 3 %; direct simulation about 20.1 (Moser, Kim & Mansour 1999, from memory)",
    )
    prove.check(
        "y+ of the first cell there",
        run.readouts["reach"].value,
        0.5,
        "",
        0.5,
        "the law of the wall",
        "resolved: below 1",
    )
    for retau, grids in EVEN.items():
        for cells in grids:
            run = prove.run(set={"retau": str(retau), "cells": str(cells)})
            prove.check(
                f"mean speed, Re_tau {retau}, first cell at y+ {retau / cells:.0f}",
                run.readouts["mean_speed"].value,
                MEAN[retau],
                "m/s",
                0.02,
                SOURCE,
                "engine target: 4 %",
            )
    for retau, cells in ((2000, 40), (2000, 60), (10000, 150)):
        run = prove.run(variant="realizable", set={"retau": str(retau), "cells": str(cells)})
        prove.check(
            f"mean speed, realizable k-epsilon, Re_tau {retau}, first cell at y+ {retau / cells:.0f}",
            run.readouts["mean_speed"].value,
            in_epsilon(retau, retau / cells),
            "m/s",
            0.03,
            IN_EPSILON,
            "engine target: 4 %",
        )


def in_epsilon(retau, reach):
    """Mean speed (in friction speeds) between plates by the realizable model in its own variables, from
    y+ `reach` on, where epsilon is that of the logarithm and k passes no wall.
    """
    nu, begins, leans = 1.0 / retau, reach / retau, np.sqrt(6) * np.cos(np.pi / 6)

    def strain(y, k, e):
        turns = k / e
        a, b, c = (
            nu * leans * turns,
            nu * 4.04 + k * turns - (1 - y) * leans * turns,
            -4.04 * (1 - y),
        )
        s = (np.sqrt(b * b - 4 * a * c) - b) / (2 * a)
        return s, k * turns / (4.04 + leans * turns * s)

    def slopes(y, v):
        k, e = np.maximum(v[0], 1e-6), np.maximum(v[2], 1e-6)
        s, nt = strain(y, k, e)
        made = np.maximum(0.43, s * k / e / (s * k / e + 5)) * s * e
        gone = 1.9 * e * e / (k + np.sqrt(nu * e))
        return np.array([v[1] / (nu + nt), e - nt * s * s, v[3] / (nu + nt / 1.2), gone - made])

    def ends(low, high):
        return np.array([low[1], low[2] - 1 / (KARMAN * begins), high[1], high[3]])

    y = np.geomspace(begins, 1, 200)
    k, e = (1 - y) / 0.3 + 0.8 * y, np.maximum((1 - y) / (KARMAN * y), 0.8)
    found = solve_bvp(slopes, ends, y, [k, 0 * y, e, 0 * y], tol=1e-6, max_nodes=100000)
    y = np.linspace(begins, 1, 20001)
    s, _ = strain(y, found.sol(y)[0], found.sol(y)[2])
    below = np.linspace(0, begins, 2001)
    law = [speed(one * retau, 0.0)[0] for one in below]
    above = law[-1] + cumulative_trapezoid(s, y, initial=0)
    return float(np.trapezoid(above, y) + np.trapezoid(law, below))
