"""The height of a flame between gas and air in a round tube: Burke & Schumann's series."""

import numpy as np
from scipy.optimize import brentq
from scipy.special import j0, j1, jn_zeros

SOURCE = (
    "Burke & Schumann 1928, Ind. Eng. Chem. 20, as a series of Bessel functions, spreading along the "
    "tube and what it brings to the inlet counted"
)
WIDE, INNER, SPEED, SPREAD, FAR = 0.025, 0.010, 0.2, 0.5e-4, 0.2
ROOTS = jn_zeros(1, 60)


def on_axis(x):
    """The share that came with the gas, on the axis."""
    a, peclet = INNER / WIDE, SPEED * WIDE / SPREAD
    falls = 0.5 * peclet * (np.sqrt(1 + 4 * (ROOTS / peclet) ** 2) - 1) / WIDE
    brought = 2 * a * j1(ROOTS * a) / (ROOTS * j0(ROOTS) ** 2)
    return a**2 + float((brought / (1 + SPREAD * falls / SPEED) * np.exp(-falls * x)).sum())


def height(run):
    """Where the air is just what the gas needs, on the axis."""
    line = run.profile("air_ratio", (0.0, 0.0), (FAR, 0.0), count=2001)
    beyond = int(np.argmax(line["value"] > 1))
    before = slice(beyond - 1, beyond + 1)
    return float(np.interp(1.0, line["value"][before], line["distance"][before]))


def checks(prove):
    heights, errors, even = [], [], 0.0
    for cells in (10, 20, 40):
        run = prove.run(set={"cells": str(cells)})
        share, ratio = (run.readouts[n].value for n in ("near", "air_ratio"))
        even = 1 / (1 + (1 - share) / (share * ratio))
        heights.append(height(run))
        errors.append(abs(share - on_axis(FAR / 4)))
        prove.closes(
            f"gas in, less out, {cells} cells across",
            run,
            "fuel",
            1e-9,
            "conservation of every element",
            "as closely as it was asked to settle",
        )
    prove.check(
        "share of gas with all the air it needs",
        even,
        1 / (1 + (0.25 * 0.0319988 / 0.20946 * 28.965 / 31.9988) / 0.0241109),
        "",
        2e-3,
        "moles by hand: half a mole of O2 for each of CO and H2, air of 28.965 g/mol with 20.95 % O2",
        "masses to four figures",
    )
    exact = brentq(lambda x: on_axis(x) - even, 1e-3, FAR)
    prove.check(
        "height of the flame, 40 cells across", heights[-1], exact, "m", 5e-3, SOURCE, "grid"
    )
    prove.check(
        "share of gas on the axis, 50 mm up, 40 cells across",
        on_axis(FAR / 4) + errors[-1],
        on_axis(FAR / 4),
        "",
        5e-3,
        SOURCE,
        "grid",
    )
    prove.at_least("order over three grids", prove.order(errors), 1.7, "as carried and spread")
