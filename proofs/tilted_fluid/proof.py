"""Two fluids alike between plates that cross the grid at 26.6 degrees: how walls rub at their cells."""

import numpy as np

SOURCE = "Poiseuille's solution between plates, turned"
GAP, RUN, FLOW = 10e-3, 60e-3, 1e-5
SHIFTS = (0.0, 0.29, 0.58, 0.87)  # of a cell, along x: the outline moves, the grid stays


def checks(prove):
    between = RUN / 3 * np.sqrt(1.25)
    exact = 12 * 1.0 * FLOW * between / GAP**3
    grids, errors = (0.5, 1.0, 2.0), []
    for grid in grids:
        found = []
        for shift in SHIFTS if grid < 2 else SHIFTS[:1]:
            run = prove.run(grid=grid, set={"shift": f"{shift * GAP / 14.5 / grid * 1e3:.5g} mm"})
            drop = run.readouts["pressure_before"].value - run.readouts["pressure_behind"].value
            found.append(drop / exact - 1)
        errors.append(float(np.sqrt(np.mean(np.square(found)))))
        prove.check(
            f"pressure gradient at {14.5 * grid:.3g} cells across, mean error of positions",
            errors[-1],
            0.0,
            "",
            {0.5: 0.016, 1.0: 0.006, 2.0: 0.004}[grid],
            SOURCE,
            "engine target: 0.4 % at 29 cells; half again as much at 14.5",
        )
    prove.at_least("order fitted over three grids", prove.order(errors), 1.5, "second order walls")
    prove.closes("mass in against mass out", run, "mass", 1e-6, "conservation", "engine target")
