"""Gas that streams along a channel and is used up at its wall; a cell under load; one that uses all."""

import numpy as np

FARADAY, GAS, ATM = 96485.33212331, 8.31446261815324, 101325.0
T, P, GAP, LONG, WIDE, LAYER = 353.15, 1.5e5, 1e-3, 0.04, 0.01, 12e-6
HUMID, SHARE, TIMES, AT = 0.6, 0.002, 1.5, 1000.0
GRIDS = (1, 2, 4)
PLUG = "a plug of gas between a wall that takes all and one that takes nothing, by series"
VOLUMES = {"O2": 16.3, "N2": 18.5, "H2O": 13.1}
MASSES = {"O2": 31.999, "N2": 28.014, "H2O": 18.015}


def fuller(one, other):
    """m2/s (Fuller, Schettler & Giddings 1966)."""
    mass = 2.0 / (1.0 / MASSES[one] + 1.0 / MASSES[other])
    size = VOLUMES[one] ** (1 / 3) + VOLUMES[other] ** (1 / 3)
    return 1.43e-7 * T**1.75 / (P / 1e5 * mass**0.5 * size**2)


def used():
    """Share of the oxygen that is gone at the end of the channel."""
    t = T - 273.15
    full = ATM * 10 ** (-2.1794 + 0.02953 * t - 9.1837e-5 * t**2 + 1.4454e-7 * t**3)
    vapour = HUMID * full / P
    oxygen = SHARE * (1.0 - vapour)
    nitrogen = 1.0 - vapour - oxygen
    free = (vapour + nitrogen) / (vapour / fuller("O2", "H2O") + nitrogen / fuller("O2", "N2"))
    amount = TIMES * AT * LONG * WIDE / (4.0 * FARADAY) / oxygen  # mol/s
    speed = amount * GAS * T / P / (GAP * WIDE)
    odd = 2.0 * np.arange(200) + 1.0
    across = GAP + LAYER  # the layer before the coat only makes the way longer
    left = 8.0 / (odd * np.pi) ** 2
    return 1.0 - float(
        (left * np.exp(-((odd * np.pi / 2) ** 2) * free * LONG / (speed * across**2))).sum()
    )


def checks(prove):
    run, _ = prove.over(GRIDS, "air_used", used())
    prove.check(
        "oxygen used along a channel",
        run.readouts["air_used"].value,
        used(),
        "",
        0.02,
        PLUG,
        "cells of .5 mm along the stream, where it is of first order; water that is made",
    )
    prove.closes("oxygen", run, "oxygen", 1e-8, "conservation of oxygen", "one solve")
    found = [prove.run(grid=g, variant="under load") for g in GRIDS]
    each = [r.readouts["density"].value for r in found]
    prove.at_least(
        "order of the current under load, over three grids",
        float(np.log2(abs((each[1] - each[0]) / (each[2] - each[1])))),
        0.9,
        "Richardson 1911; the stream along the channel is of first order",
    )
    for name in ("cell_charge", "hydrogen", "oxygen", "water"):
        prove.closes(name, found[-1], name, 1e-8, "conservation", "one solve")
    run = prove.run(variant="all fuel")
    prove.check(
        "current once all fuel is used",
        run.readouts["density"].value,
        1.5e4,
        "A/m2",
        5e-3,
        "Faraday 1834",
        ".3 V does not pull the last of it",
    )
