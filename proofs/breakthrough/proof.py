"""Breakthrough of a step held at the inlet of a long bed, against Ogata & Banks: pores make the tracer
quicker than the stream, their stream spreads it."""

import numpy as np
from scipy.special import erfc

SOURCE = "Ogata & Banks 1961, USGS Prof. Paper 411-A"
SPEED, OPEN, SPREAD, DIFFUSIVITY, TURNS, BROUGHT, TIME = 1e-3, 0.4, 4e-3, 1e-9, 2.0, 10.0, 40.0


def exact(x):
    v = SPEED / OPEN
    d = (SPEED * SPREAD + OPEN * DIFFUSIVITY / TURNS) / OPEN
    root = 2 * np.sqrt(d * TIME)
    first = erfc((x - v * TIME) / root)
    return 0.5 * BROUGHT * (first + np.exp(v * x / d) * erfc((x + v * TIME) / root))


def checks(prove):
    errors = []
    for grid in (1.0, 2.0, 4.0):
        run = prove.run(grid=grid)
        line = run.profile("dye", (0.0, 5e-3), (0.2, 5e-3))
        x = np.array(line["x"])
        inside = x < 0.16
        errors.append(float(np.abs(line["value"] - exact(x))[inside].max() / BROUGHT))
    prove.check(
        "largest error over what is brought, cells of .5 mm",
        errors[-1],
        0.0,
        "",
        0.01,
        SOURCE,
        "engine target",
    )
    prove.at_least("order over three grids", prove.order(errors), 1.5, "second-order differences")
    prove.closes(
        "what came in against what is there",
        run,
        "dye",
        1e-9,
        "conservation",
        "engine target",
    )
