"""Reactions of orders nought, one and two in a stirred vessel."""

import numpy as np

SOURCE = "Levenspiel 1999: stirred vessel (from memory); exact"
STAY, BROUGHT, K = 100.0, 2.0, 0.05
EXACT = {
    None: BROUGHT / (1 + K * STAY),
    "order 0": BROUGHT - 0.015 * STAY,
    "order 2": (np.sqrt(1 + 4 * K * STAY * BROUGHT) - 1) / (2 * K * STAY),
}


def checks(prove):
    for variant, exact in EXACT.items():
        run = prove.run(variant=variant)
        prove.check(
            f"what is left, {variant or 'order 1'}",
            run.readouts["left"].value,
            exact,
            "mol/m3",
            2e-4,
            SOURCE,
            "the vessel is even to u L / D = 1e-4",
        )
        prove.check(
            f"left and made together, {variant or 'order 1'}",
            run.readouts["left"].value + run.readouts["made"].value,
            BROUGHT,
            "mol/m3",
            1e-8,
            "conservation",
            "to what rest is told by",
        )
