"""Reactions of orders nought, one and two in plug flow, and two in a row."""

import numpy as np

SOURCE = "Levenspiel 1999: plug flow, n-th order (from memory); exact"
STAY, BROUGHT, K = 10.0, 2.0, 0.15
EXACT = {
    None: BROUGHT * np.exp(-K * STAY),
    "order 0": BROUGHT - K * STAY,
    "order 2": BROUGHT / (1 + K * BROUGHT * STAY),
}


def checks(prove):
    for variant, exact in EXACT.items():
        run, errors = prove.over((1.0, 2.0, 4.0), "left", exact, variant=variant)
        what = variant or "order 1"
        prove.check(
            f"what is left, {what}, 160 cells along",
            run.readouts["left"].value,
            exact,
            "mol/m3",
            2e-4,
            SOURCE,
            "second order in the cell's length",
        )
        if errors[0] > 1e-6:
            prove.at_least(
                f"order over three grids, {what}", prove.order(errors), 1.8, "as carried"
            )
        together = run.readouts["left"].value + run.readouts["made"].value
        prove.check(
            f"left and made together, {what}",
            together,
            BROUGHT,
            "mol/m3",
            1e-8,
            "conservation",
            "to what rest is told by",
        )
    run = prove.run(grid=4.0, variant="in a row")
    k2 = 0.3
    exact = BROUGHT * K / (k2 - K) * (np.exp(-K * STAY) - np.exp(-k2 * STAY))
    prove.check(
        "what is between, two in a row, 160 cells along",
        run.readouts["made"].value,
        exact,
        "mol/m3",
        5e-4,
        "Levenspiel 1999: reactions in series (from memory); exact",
        "second order in the cell's length",
    )
