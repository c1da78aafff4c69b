"""Laminar flow over a backward-facing step at Re 800: where the eddies end."""

import numpy as np

SOURCE = "Gartling 1990, Int. J. Numer. Methods Fluids 11 (from memory)"
REASON = "second-order upwinding on 40 even cells over the height; the source gives two decimals"


def turns(run, y, side):
    """Places (m) where the stream along a wall changes its direction, from the nearest cells."""
    grid = run.case.grid
    u = run.field("velocity_x")[0 if side == "low" else -1]
    x = 0.5 * (grid.x[1:] + grid.x[:-1])
    k = np.flatnonzero(np.diff(np.sign(u)) != 0)
    return x[k] - u[k] * (x[k + 1] - x[k]) / (u[k + 1] - u[k])


def checks(prove):
    found = []
    for grid in (1.0, 1.5, 2.0):
        run = prove.run(grid=grid)
        lower, upper = turns(run, 0.0, "low"), turns(run, 1.0, "high")
        found.append((lower[lower > 1.0][0], upper[0], upper[1]))
    for what, ours, published in zip(("lower eddy ends", "upper eddy begins", "upper eddy ends"),
                                     found[-1], (6.10, 4.85, 10.48)):
        prove.check(f"{what}, 40 cells over the height", ours, published, "m", 0.02, SOURCE, REASON)
    errors = [abs(f[0] - 6.10) for f in found]
    prove.at_least("the finest grid is nearest (coarsest error over finest)", errors[0] / errors[-1],
                   1.0, SOURCE)
    prove.check("mass in against mass out", run.balance["mass"]["relative"], 0.0, "", 1e-6,
                "conservation", "engine target for steady runs")
