"""Ohm's law in a bar turned against the grid, in a ring, and before a disc in a wall."""

import numpy as np

KAPPA, A = 5.0, 1e-3
DISC = "Newman 1966: R = 1/(4 kappa a)"
UNEVEN = "Newman 1966: i/i_mean = 1/2 (1 - r2/a2)^(-1/2)"
OHM = "Ohm's law, exact"


def checks(prove):
    exact = 1.0 / (4.0 * KAPPA * A)
    run, errors = prove.over((0.5, 1.0, 2.0), "resistance", exact)
    prove.check(
        "resistance before a disc, cells of a 200th of its radius at the rim",
        run.readouts["resistance"].value,
        exact,
        "ohm",
        0.005,
        DISC,
        "the current at the rim has no bound: what is left falls with the cell there",
    )
    prove.at_least("order of it", prove.order(errors), 0.8, "first, as the rim's own current")
    line = run.along_edge("salt", "disc")
    radius, density = np.asarray(line["y"]), np.abs(np.asarray(line["flux"]))
    mean = run.readouts["current"].value / (np.pi * A**2)
    for share in (0.0, 0.5, 0.8):
        ours = float(np.interp(share * A, radius, density)) / mean
        told = 0.5 / np.sqrt(1.0 - share**2)
        prove.check(
            f"current density at {share:g} of the radius, over the mean",
            ours,
            told,
            "",
            0.01,
            UNEVEN,
            "between two cells along the disc; the far faces take what leaves a point",
        )
    power = run.readouts["current"].value
    prove.check(
        "heat made, and lost beyond the far faces, over voltage times current",
        run.readouts["heat"].value / power,
        1.0,
        "",
        1e-6,
        "conservation of energy",
        "the far faces' own resistance counts as the last cells'",
    )
    prove.closes(
        "current in against out", run, "salt", 1e-10, "conservation of charge", "one solve"
    )
    ring = np.log(6.0 / 2.0) / (2.0 * np.pi * KAPPA * 3.0 * A)
    run, errors = prove.over((1.0, 2.0, 4.0), "resistance", ring, variant="ring")
    prove.check(
        "a ring, 64 cells from its inner to its outer face",
        run.readouts["resistance"].value,
        ring,
        "ohm",
        2e-4,
        "ln(r2/r1)/(2 pi kappa h), exact",
        "second order",
    )
    prove.at_least("order of it", prove.order(errors), 1.9, "second")
    bar = 10.0 * A / (KAPPA * 6.0 * A**2)
    run, errors = prove.over((0.5, 1.0, 2.0), "resistance", bar, variant="turned bar")
    prove.check(
        "a bar turned by 27 degrees, 16 cells across",
        run.readouts["resistance"].value,
        bar,
        "ohm",
        0.01,
        OHM,
        "walls cut cells",
    )
    prove.at_least("order of it", prove.order(errors), 0.9, "first where walls cut cells")
