"""A wet front that spreads from a round hole, on cells that the hole cuts: how far it has gone along
the grid and across it, and what it took up, at three grids."""

from math import log, pi

from scipy.optimize import brentq

SOURCE = "Washburn's law in a disc: r2 ln(r/a) - (r2 - a2)/2 = 2 K p t/(mu eps), solved exactly"
HOLE, TURN = 10e-3, 2 * 1e-11 * 2e3 * 20.0 / (1e-3 * 0.4)  # m, m2


def gone(radius):
    return radius**2 * log(radius / HOLE) - 0.5 * (radius**2 - HOLE**2) - TURN


def checks(prove):
    exact = brentq(gone, HOLE, 10 * HOLE)
    mass = 1e3 * 0.4 * pi * (exact**2 - HOLE**2)
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(abs(run.readouts["mass"].value / mass - 1))
    prove.at_least("order of the mass over three grids", prove.order(errors), 1.0, "a sharp front")
    for name, says in (("along_x", "along the grid"), ("slantwise", "across it")):
        prove.check(
            f"reach {says}, cells of 1 mm",
            1e-3 * run.readouts[name].value,
            exact - HOLE,
            "m",
            0.01,
            SOURCE,
            "engine target",
        )
    prove.check(
        "mass taken up, cells of 1 mm",
        run.readouts["mass"].value,
        mass,
        "kg",
        0.01,
        SOURCE,
        "engine target",
    )
