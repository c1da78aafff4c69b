"""Flow between plates that cross the grid at 26.6 degrees: the wall treatment of cut cells, for one
fluid at rest and for two alike that are followed.
"""

import numpy as np

SOURCE = "Poiseuille's solution between plates, turned"
GAP, RUN, FLOW = 10e-3, 60e-3, 1e-5
SHIFTS = (0.0, 0.29, 0.58, 0.87)  # of a cell, along x: the outline moves, the grid stays


def off(prove, grid, shifts, variant=None):
    """By how much the pressure gradient is off as the outline moves over the grid; the last run."""
    exact = 12 * 1.0 * FLOW * RUN / 3 * np.sqrt(1.25) / GAP**3
    found = []
    for shift in shifts:
        moved = f"{shift * GAP / 14.5 / grid * 1e3:.5g} mm"
        run = prove.run(grid=grid, variant=variant, set={"shift": moved})
        drop = run.readouts["pressure_before"].value - run.readouts["pressure_behind"].value
        found.append(drop / exact - 1)
    return found, run


def mean(found):
    return float(np.sqrt(np.mean(np.square(found))))


def checks(prove):
    errors = []
    for grid in (0.5, 1.0, 2.0, 4.0):
        found, run = off(prove, grid, SHIFTS if grid < 4 else SHIFTS[:1])
        errors.append(mean(found))
        if grid == 2.0:
            prove.check(
                "pressure gradient at 29 cells across, mean error of four positions",
                errors[-1],
                0.0,
                "",
                0.004,
                SOURCE,
                "engine target: 0.4 % at 29 cells",
            )
            prove.check(
                "scatter over the positions, half of their spread",
                0.5 * float(np.ptp(found)),
                0.0,
                "",
                0.004,
                SOURCE,
                "where a wall cuts its cells moves the answer by no more than its error",
            )
    prove.at_least(
        "order fitted over four grids",
        prove.order(errors),
        0.9,
        "engine target; first order with a small constant",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
    errors = []
    for grid, limit in ((0.5, 0.016), (1.0, 0.006), (2.0, 0.004)):
        found, run = off(prove, grid, SHIFTS if grid < 2 else SHIFTS[:1], "two fluids")
        errors.append(mean(found))
        prove.check(
            f"the same of two fluids alike, {14.5 * grid:.3g} cells across, mean error of positions",
            errors[-1],
            0.0,
            "",
            limit,
            SOURCE,
            "engine target: 0.4 % at 29 cells; half again as much at 14.5",
        )
    prove.at_least("order fitted over three grids", prove.order(errors), 1.5, "second order walls")
    prove.closes("mass in against mass out", run, "mass", 1e-6, "conservation", "engine target")
