"""A stirred vessel that warms itself: all it comes to, where it lights and where it goes out."""

import numpy as np
from scipy.optimize import brentq

SOURCE = "x = tau k(T0 + rise x) (1 - x), folds where d tau/dx is nought (van Heerden 1953); exact"
GAS, ENTERS, RISE = 8.31446261815324, 560.0, 250.0
FACTOR, ENERGY = 1.3986016255e10, 120e3
UP, DOWN = (0.2, 0.3, 0.4, 0.411, 0.414), (0.3, 0.1, 0.06, 0.052, 0.0507, 0.0504)
LIGHTS, OUT = (0.411, 0.414), (0.0504, 0.0507)  # s, between which it turns over


def speed(x):
    return FACTOR * np.exp(-ENERGY / (GAS * (ENTERS + RISE * x)))


def stay(x):
    """s, with which a conversion is held."""
    return x / (speed(x) * (1.0 - x))


def folds():
    """Stays (s) where it lights and where it goes out, and the conversions there."""

    def rises(x):
        return 1.0 / x + 1.0 / (1.0 - x) - ENERGY * RISE / (GAS * (ENTERS + RISE * x) ** 2)

    lights, out = brentq(rises, 0.01, 0.4), brentq(rises, 0.4, 0.99)
    return stay(lights), stay(out), lights, out


def checks(prove):
    run = prove.run()
    lights, out, low, high = folds()
    lit, came = False, []
    for k, tau in enumerate((*UP, *DOWN, 0.1)):
        x = 1.0 - float(np.nanmean(run.field("feed", k)))
        came.append(x)
        lit = tau > lights or (lit and tau > out)
        ends = (high, 1.0 - 1e-9) if lit else (1e-9, low)
        exact = brentq(lambda y, t=tau: stay(y) - t, *ends)
        prove.check(
            f"conversion, stay of {tau:g} s, {'lit' if lit else 'not lit'}",
            x,
            exact,
            "",
            5e-4,
            SOURCE,
            "the vessel is even to u L / D = 1e-4; next to a fold that counts for more",
        )
    for name, fold, (before, after) in (("lights", lights, LIGHTS), ("goes out", out, OUT)):
        all_ = (*UP, *DOWN)
        one, other = (came[all_.index(t)] for t in (before, after))
        prove.check(
            f"stay at which it {name}: the middle of two between which it turns over",
            0.5 * (before + after) if abs(one - other) > 0.5 else float("nan"),
            fold,
            "s",
            0.005,
            SOURCE,
            "half of what lies between the two",
        )
