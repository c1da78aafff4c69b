"""Turbulent flow in a pipe at three Reynolds numbers and several distances of the first cell."""

import numpy as np

SOURCE = "the same model in one dimension; its friction is 1.074, 1.023, 1.013 times Colebrook's"
MEAN = {322: 15.53, 2398: 20.85, 19201: 26.04}  # Re 1e4, 1e5, 1e6
GRIDS = (
    (322, 40, "0.006 m", 1),
    (322, 16, None, 10),
    (2398, 60, "0.0008 m", 1),
    (2398, 120, None, 10),
    (2398, 24, None, 50),
    (19201, 100, "0.0001 m", 1),
    (19201, 192, None, 50),
    (19201, 100, None, 96),
)


ROUGH = (0.02, 0.1)  # grains over radius
FULLY = "Colebrook 1939, fully rough: 1 / root f = -2 log10(k / 3.7 D)"


def checks(prove):
    for grain in ROUGH:
        run = prove.run(
            set={"retau": "19201", "cells": "24", "grain": f"{grain} m"}, variant="rough"
        )
        factor = (-2 * np.log10(grain / 2 / 3.7)) ** -2
        prove.check(
            f"friction factor, grains of {grain} radii, first cell at .02 radii",
            8 / run.readouts["mean_speed"].value ** 2,
            factor,
            "",
            0.06,
            FULLY,
            "what the correlation itself is good for (common practice: 5 to 10 %)",
        )
    for retau, cells, first, reach in GRIDS:
        thin = {} if first is None else {"first": first}
        run = prove.run(set={"retau": str(retau), "cells": str(cells), **thin})
        prove.check(
            f"mean speed, Re_tau {retau}, first cell at y+ about {reach}",
            run.readouts["mean_speed"].value,
            MEAN[retau],
            "m/s",
            0.015,
            SOURCE,
            "engine target: friction within 3 %, which is 1.5 % of the speed",
        )
