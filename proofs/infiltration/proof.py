"""Water that sinks into a moist column whose pores empty exponentially: Richards' equation is then that
of a tracer, with an exact solution; at three grids and two times."""

import numpy as np
from scipy.special import erfc

SOURCE = "Gardner 1958 makes Richards' equation linear; then Ogata & Banks 1961"
DRAWN, PERMEABILITY, OPEN, VISCOSITY, WEIGHT, BEGINS = 1e3, 1e-12, 0.4, 1e-3, 9810.0, np.exp(-2)


def exact(x, time):
    spread = PERMEABILITY * DRAWN / (VISCOSITY * OPEN)
    sinks = PERMEABILITY * WEIGHT / (VISCOSITY * OPEN)
    root = 2 * np.sqrt(spread * time)
    first = erfc((x - sinks * time) / root)
    second = np.exp(sinks * x / spread) * erfc((x + sinks * time) / root)
    return BEGINS + (1 - BEGINS) * 0.5 * (first + second)


def checks(prove):
    for time in (200.0, 600.0):
        errors = []
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"time": f"{time} s"})
            line = run.profile("wetness", (0.0, 4e-3), (0.4, 4e-3))
            x = np.array(line["x"])
            above = x < 0.17  # beyond, what drains gathers on the column's floor
            errors.append(float(np.abs(line["value"] - exact(x, time))[above].max()))
        prove.check(
            f"largest error of wetness after {time:g} s, cells of 1 mm",
            errors[-1],
            0.0,
            "",
            0.005,
            SOURCE,
            "engine target",
        )
        prove.at_least(
            f"order over three grids after {time:g} s", prove.order(errors), 0.8, "steps are kept"
        )
    prove.closes(
        "what came in against what is there",
        run,
        "mass",
        1e-9,
        "conservation",
        "engine target",
    )
