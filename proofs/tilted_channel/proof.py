"""Flow between plates that cross the grid at 26.6 degrees: the wall treatment of cut cells."""

import numpy as np

SOURCE = "Poiseuille's solution between plates, turned"
GAP, RUN, FLOW = 10e-3, 60e-3, 1e-5
SHIFTS = (0.0, 0.29, 0.58, 0.87)  # of a cell, along x: the outline moves, the grid stays


def checks(prove):
    between = RUN / 3 * np.sqrt(1.25)
    exact = 12 * 1.0 * FLOW * between / GAP**3
    grids = (0.5, 1.0, 2.0, 4.0)
    errors = []
    for grid in grids:
        found = []
        for shift in SHIFTS if grid < 4 else SHIFTS[:1]:
            run = prove.run(grid=grid, set={"shift": f"{shift * GAP / 14.5 / grid * 1e3:.5g} mm"})
            drop = run.readouts["pressure_before"].value - run.readouts["pressure_behind"].value
            found.append(drop / exact - 1)
        errors.append(float(np.sqrt(np.mean(np.square(found)))))
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
