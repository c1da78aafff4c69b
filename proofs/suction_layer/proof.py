"""What enters through an open edge brings its own motion along it: the layer over a wall that
drinks, as it grows to the asymptotic suction profile.
"""

import numpy as np
from scipy.special import erfc

FAST, DRINK, THIN, TIME = 20e-3, 1e-3, 1e-6, 4.0
SOURCE = "Rayleigh's problem with suction, exact; its end is u = U (1 - exp(-v y / nu))"


def exact(y):
    root = 2 * np.sqrt(THIN * TIME)
    return FAST * (
        1
        - 0.5 * np.exp(-DRINK * y / THIN) * erfc((y - DRINK * TIME) / root)
        - 0.5 * erfc((y + DRINK * TIME) / root)
    )


def checks(prove):
    found = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        line = run.profile("velocity_x", (1e-3, 0.0), (1e-3, 16e-3))
        found.append(float(np.abs(line["value"] - exact(line["y"])).max()) / FAST)
    prove.check(
        "largest error of the profile, 8 cells per layer (share of the speed)",
        found[-1],
        0.0,
        "",
        0.006,
        SOURCE,
        "steps of 20 ms: half of it is theirs",
    )
    prove.at_least("order of the largest error over three grids", prove.order(found), 1.5, SOURCE)
    prove.check(
        "speed at the open edge",
        float(line["value"][-1]),
        FAST,
        "m/s",
        1e-3,
        SOURCE,
        "nothing of the layer has reached it",
    )
    prove.check(
        "what enters above",
        run.readouts["entering"].value,
        1000 * DRINK * 2e-3,
        "kg/s",
        1e-6,
        "continuity",
        "all that is drawn off",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-9,
        "conservation",
        "engine target",
    )
