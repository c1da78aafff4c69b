"""A grey gas between plates that only radiates: the way heat finds through it, and exact figures."""

import numpy as np

STEFAN, HOT, COLD, TALL = 5.670374419e-8, 1000.0, 500.0, 0.1
FIRST = "two moments of intensity, by hand: q (3/4 kappa L + 1/e1 + 1/e2 - 1) = sigma (T1^4 - T2^4)"
EXACT = "Heaslet & Warming 1965, Int. J. Heat Mass Transfer 8, 979: .5532 and .3900 (from memory)"
CASES = {None: (1.0, 1.0, 0.5532), "thick": (2.0, 1.0, 0.3900), "grey": (1.0, 0.5, None)}


def checks(prove):
    apart = STEFAN * (HOT**4 - COLD**4)
    for variant, (thick, emits, exact) in CASES.items():
        what = f"kappa L {thick:g}, emissivity {emits:g}"
        by_hand = 1.0 / (0.75 * thick + 2.0 / emits - 1.0)
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, variant=variant)
            passes = run.readouts["passes"].value / TALL / apart
            prove.check(
                f"share of black plates' own, {what}, {20 * grid:.0f} cells",
                passes,
                by_hand,
                "",
                1e-6,
                FIRST,
                "G falls by a line, which any grid holds; as far as it has settled",
            )
        prove.closes(
            f"radiation not accounted for, {what}",
            run,
            "radiation",
            1e-8,
            "conservation",
            "as far as it has settled",
        )
        if exact is not None:
            prove.check(
                f"share, exact, {what}",
                passes,
                exact,
                "",
                0.04,
                EXACT,
                "two moments take intensity to be nearly alike in all directions",
            )
        warm = run.field("temperature")[0]
        x = (np.arange(warm.size) + 0.5) / warm.size
        jump = by_hand * (1.0 / emits - 0.5)
        line = COLD**4 + (HOT**4 - COLD**4) * (1.0 - jump - by_hand * 0.75 * thick * x)
        prove.check(
            f"temperature, largest error, {what}",
            float(np.abs(warm / line**0.25 - 1).max()),
            0.0,
            "",
            1e-5,
            FIRST,
            "as far as it has settled",
        )
