"""A bed that warms itself: what leaves, and how warm, against the equations of plug flow."""

import numpy as np
from scipy.integrate import solve_ivp

GAS = 8.31446261815324
SOURCE = "plug flow without losses, solved to 1e-11 by an independent integrator"
RISE = 150.0  # K, all of it burnt


def exact():
    def slope(_, y):
        rate = 1e5 * np.exp(-50e3 / (GAS * y[1])) * y[0]
        return [-rate, RISE * rate]

    return solve_ivp(slope, (0.0, 1.0), [1.0, 500.0], rtol=1e-11, atol=1e-13).y[:, -1]


def checks(prove):
    left, warm = exact()
    errors = []
    for grid in (1.0, 2.0, 4.0):
        run = prove.run(grid=grid)
        errors.append(abs(run.readouts["left"].value / left - 1))
        prove.check(
            f"heat that is told over what has reacted, {int(50 * grid)} cells along",
            (run.readouts["leaves_at"].value - 500.0) / (1.0 - run.readouts["left"].value),
            RISE,
            "K",
            1e-8,
            "conservation of energy",
            "engine target: 1e-8",
        )
    prove.check(
        "what is left, 200 cells along",
        run.readouts["left"].value,
        left,
        "mol/m3",
        5e-3,
        SOURCE,
        "second order, of what is left of a front",
    )
    prove.check(
        "warmed by, 200 cells along",
        run.readouts["leaves_at"].value - 500.0,
        warm - 500.0,
        "K",
        2e-3,
        SOURCE,
        "the same",
    )
    prove.at_least("order over three grids", prove.order(errors), 1.7, "as carried")
