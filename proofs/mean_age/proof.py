"""Mean age of what leaves and of what is half-way: plug flow, axial spreading, and a stirred tank."""

import numpy as np

QUICK = True
SOURCE = "Danckwerts 1953, 1958; exact"
LONG, WIDE, SPEED, OPEN = 0.1, 0.02, 2e-3, 0.4


def half_way(spread):
    """Age half-way, of u a' - D a'' = e, with u a - D a' = 0 at the inlet and a' = 0 at the outlet."""
    whole = OPEN * LONG / SPEED
    if not spread:
        return 0.5 * whole
    peclet = SPEED * LONG / (OPEN * spread)
    x = 0.5
    return whole * (x + (1 - np.exp(-peclet * (1 - x))) / peclet)


def checks(prove):
    whole = OPEN * LONG / SPEED
    for spread, words in ((0.0, "plug flow"), (1e-4, "spread along"), (1.0, "stirred")):
        errors = []
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, set={"spread": f"{spread:g} m2/s"})
            told = {n: r.value for n, r in run.readouts.items()}
            errors.append(abs(told["middle"] / half_way(spread) - 1))
        prove.check(
            f"{words}: what leaves", told["leaves"], whole, "s", 1e-3, SOURCE, "engine target"
        )
        prove.check(
            f"{words}: half-way",
            told["middle"],
            half_way(spread),
            "s",
            1e-3,
            SOURCE,
            "engine target",
        )
        if errors[0] > 1e-6:
            prove.at_least(f"{words}: order", prove.order(errors), 1.5, "second-order differences")
    prove.check(
        "flow times the mean age against the pores",
        told["old_volume"],
        OPEN * LONG * WIDE,
        "m3",
        1e-6,
        "balance of age",
        "conservation",
    )
