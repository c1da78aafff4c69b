"""A drop whose tension rises along the vessel swims towards less of it."""

import numpy as np

SOURCE = "Young, Goldstein & Block 1959, creeping, from memory"
REASON = (
    "walls six radii away, Re .01, Ca .02 to .04; a tenth of that from 8 to 16 cells in the radius"
)
RADIUS, RISES, THICK, BEGUN = 1e-3, 3.0, 0.375, 0.02


def swims(run):
    """Its mean speed (m/s) once it has begun, over about a cell's width."""
    t, speed = run.history("speed")
    on = t > BEGUN
    return float(np.trapezoid(speed[on], t[on]) / np.ptp(t[on]))


def exact(ratio):
    """m/s, of a drop so many times as thick as what is around it."""
    return -2 / 3 * RISES * RADIUS / (2 + 3 * ratio) / THICK


def checks(prove):
    errors = []
    for grid, limit in ((0.5, 0.08), (0.75, 0.02), (1.0, 0.01)):
        run = prove.run(grid=grid)
        found, cells = swims(run), f"{16 * grid:.0f} cells in the radius"
        errors.append(abs(found / exact(1.0) - 1.0))
        prove.check(f"speed, {cells}", found, exact(1.0), "m/s", limit, SOURCE, REASON)
        prove.closes(f"volume of the drop, {cells}", run, "oil", 1e-9, "conservation", "")
    prove.at_least("twice as fine is nearer (times)", errors[0] / errors[-1], 2.0, "first order")
    for variant, grid, ratio, limit, reason in (
        ("thin drop", 1.0, 0.2, 0.03, "cells that hold both are as thick as their mean"),
        ("by what is dissolved", 0.75, 1.0, 0.03, "told from cell to cell, 12 in the radius"),
    ):
        found = swims(prove.run(grid=grid, variant=variant))
        prove.check(f"speed, {variant}", found, exact(ratio), "m/s", limit, SOURCE, reason)
