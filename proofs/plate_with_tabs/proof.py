"""A battery plate as two foils with a cell between: how current spreads, what is left at its tabs."""

import numpy as np
from scipy.integrate import quad

L, WIDE, LOAD = 0.2, 0.05, 3.0
FIRST, LAST = 1 / (5.8e7 * 3e-6), 1 / (3.5e7 * 5e-6)  # ohm of a square of copper and of aluminium
ONCE, SOON, LATER = 0.8e-3, 0.3e-3, 0.4e-3
REST, HOLDS = 3.7, 30 * 3600.0
GRIDS = (1, 2, 4)
SOURCE = "two conductors with a linear resistance between them; exact (as of a transmission line)"


def drawn(one_end):
    """Current density (A/m2) along the plate, a function, by i'' = (r1 + r2) i/R; the voltage (V)."""
    resists = ONCE + SOON + LATER
    k = np.sqrt((FIRST + LAST) / resists)
    per = LOAD / WIDE / resists
    begins, ends = -FIRST * per, LAST * per
    if one_end:
        begins, ends = -(FIRST + LAST) * per, 0.0
    b = begins / k
    a = (ends - begins * np.cosh(k * L)) / (k * np.sinh(k * L))

    def i(x):
        return a * np.cosh(k * x) + b * np.sinh(k * x)

    if one_end:
        return i, REST - resists * i(0.0)
    moved = quad(lambda x: x * i(x), 0, L, epsabs=0, epsrel=1e-13)[
        0
    ]  # what copper has still to give
    return i, REST - resists * i(L) - FIRST * moved


def mean(i, low, high):
    return quad(i, low, high, epsabs=0, epsrel=1e-13)[0] / (high - low)


def checks(prove):
    for variant, words in ((None, "opposite ends"), ("one end", "one end")):
        i, volts = drawn(variant is not None)
        run, errors = prove.over(GRIDS, "voltage", volts, variant=variant)
        prove.check(
            f"voltage, tabs at {words}",
            run.readouts["voltage"].value,
            volts,
            "V",
            2e-5,
            SOURCE,
            "cells of 2.5 mm",
        )
        prove.at_least(f"order of the voltage, {words}", prove.order(errors), 1.9, SOURCE)
        for name, low, high in (
            ("near_current", 0.0, 0.1),
            ("middle_current", 0.45, 0.55),
            ("far_current", 0.9, 1.0),
        ):
            exact = mean(i, low * L, high * L)
            prove.check(
                f"{name.replace('_', ' ')}, tabs at {words}",
                run.readouts[name].value,
                exact,
                "A/m2",
                1e-3,
                SOURCE,
                "cells of 2.5 mm",
            )
        prove.closes("charge of copper", run, "copper", 1e-8, "conservation of charge", "one solve")
        prove.closes(
            "charge of aluminium", run, "aluminium", 1e-8, "conservation of charge", "one solve"
        )
    run = prove.run(variant="in time")
    level = 0.5 - LOAD / (L * WIDE) * 120 / HOLDS
    prove.check(
        "charge level after two minutes",
        run.readouts["level"].value,
        level,
        "",
        1e-9,
        "conservation of charge",
        "what is drawn is told",
    )
