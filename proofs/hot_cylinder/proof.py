"""What a round column of warm gas gives to a cold wall, by Bessel functions and by a mean beam."""

import numpy as np
from scipy.special import i0, i1

STEFAN, HOT, FAR = 5.670374419e-8, 1000.0, 0.2
FIRST = "first two moments of intensity in a round column, by Bessel functions"
BEAM = "1 - exp(-kappa .95 D) (Hottel, mean beam of a long round column, from memory)"


def by_hand(kappa):
    """Emissivity of the column: 2 (1 - C I0) of G at the wall, C = 1 / (I0 + 2/sqrt(3) I1)."""
    at = np.sqrt(3.0) * kappa
    return 2.0 * (1.0 - i0(at) / (i0(at) + 2.0 / np.sqrt(3.0) * i1(at)))


def checks(prove):
    black = STEFAN * HOT**4 * 2.0 * np.pi * FAR
    for variant, kappa in ((None, 1.0), ("thick", 3.0)):
        errors = []
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, variant=variant)
            emits = run.readouts["gives"].value / black
            errors.append(abs(emits / by_hand(kappa) - 1))
        what = f"kappa R {kappa:g}"
        prove.check(
            f"emissivity, {what}, 80 cells across",
            emits,
            by_hand(kappa),
            "",
            1e-3,
            FIRST,
            "second order in the cell's width",
        )
        prove.at_least(f"order over three grids, {what}", prove.order(errors), 1.8, "second order")
        prove.check(
            f"emissivity by a mean beam, {what}",
            emits,
            1.0 - np.exp(-kappa * 1.9),
            "",
            0.05,
            BEAM,
            "what a mean beam itself is good for",
        )
