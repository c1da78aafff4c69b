"""Eddies that decay behind a grid: exact for the model where its own spreading counts for nothing."""

SOURCE = (
    "the model without shear: k = k0 (1 + beta w0 t)^(-beta*/beta), w = w0/(1 + beta w0 t), t = x/U"
)
SPEED, ENERGY, RATE, FAR = 10.0, 1.5, 100.0, 2.0
DECAY, GROWTH = 0.09, 0.0828  # beta*, and beta away from walls
REASON = "spreading along the stream, which the exact decay leaves out, is 1e-3 of it"


def exact(x):
    held = 1 + GROWTH * RATE * x / SPEED
    return ENERGY * held ** (-DECAY / GROWTH), RATE / held


def checks(prove):
    errors = []
    for cells in (20, 40, 80):
        told = prove.run(set={"cells": str(cells)}).readouts
        errors.append(abs(told["last"].value / exact(0.875 * FAR)[0] - 1))
    for name, place, k in (("first", 0.25, 0), ("last", 0.875, 0), ("rate", 0.875, 1)):
        unit = ("J/kg", "1/s")[k]
        what = ("energy", "rate")[k]
        prove.check(
            f"{what} {place * FAR:g} m behind the grid, 80 cells",
            told[name].value,
            exact(place * FAR)[k],
            unit,
            0.005,
            SOURCE,
            REASON,
        )
    prove.at_least(
        "coarsest error over finest, cells four times as long", errors[0] / errors[2], 2.0, SOURCE
    )
