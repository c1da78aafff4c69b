"""Liquid that rises between plates: the column weighs what the meniscus carries."""

import numpy as np

TENSION, DENSITY, GAP, PULL, DEPTH = 30e-3, 999.0, 1e-3, 9.81, 1e-2
SOURCE = "balance of forces on the column (Jurin 1718), exact for its mean height over the basin"


def checks(prove):
    exact = 2.0 * TENSION * np.cos(np.radians(50.0)) / (DENSITY * PULL * GAP)
    for grid in (0.75, 1.0, 1.25):
        run = prove.run(grid=grid)
        read = {n: r.value for n, r in run.readouts.items()}
        rise = read["climbed"] / (0.5 * GAP * DEPTH) - read["beside"] / (2e-3 * DEPTH)
        prove.check(
            f"rise of the mean level, {8 * grid:g} cells in the gap",
            rise,
            exact,
            "m",
            5e-3,
            SOURCE,
            "half of the target of earlier trials, 1 % at 16 cells",
        )
        prove.closes(f"volume, {8 * grid:g} cells", run, "liquid", 1e-9, "conservation", "")
