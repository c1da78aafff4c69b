"""Differences that eddies wear down behind a grid: exact where nothing spreads along the stream."""

QUICK = True
SOURCE = "variance g of the model without gradients: g = g0 (1 + beta w0 x/U)^(-2 beta*/beta)"
SPEED, RATE, FAR, BEGINS = 10.0, 100.0, 2.0, 0.5 * 0.3 * 0.7
DECAY, GROWTH = 0.09, 0.0828  # beta*, and beta away from walls
REASON = "spreading along the stream, which the exact decay leaves out"


def exact(x):
    return BEGINS * (1 + GROWTH * RATE * x / SPEED) ** (-2 * DECAY / GROWTH)


def checks(prove):
    errors = []
    for cells in (20, 40, 80):
        told = prove.run(set={"cells": str(cells)}).readouts
        errors.append(abs(told["last"].value / exact(0.875 * FAR) - 1))
    for name, place in (("first", 0.25), ("last", 0.875)):
        prove.check(
            f"variance {place * FAR:g} m behind the grid, 80 cells",
            told[name].value,
            exact(place * FAR),
            "",
            0.01,
            SOURCE,
            REASON,
        )
    prove.check("share of gas", told["share"].value, 0.3, "", 1e-6, "conservation", "round-off")
    prove.at_least(
        "coarsest error over finest, cells four times as long", errors[0] / errors[2], 2.0, SOURCE
    )
