"""How long water swings in a tank, by the linear theory of waves between two fluids of finite depth."""

import numpy as np

WIDE, DEEP, HEAVY, LIGHT, GRAVITY = 0.2, 0.1, 1000.0, 1.0, 9.81
SOURCE = (
    "Lamb, Hydrodynamics (from memory): linear waves of two fluids between lids, nothing rubbed"
)


def period():
    """Of the first mode (s)."""
    k = np.pi / WIDE
    cot = 1.0 / np.tanh(k * DEEP)
    return 2 * np.pi / np.sqrt(GRAVITY * k * (HEAVY - LIGHT) / ((HEAVY + LIGHT) * cot))


def crossings(t, values):
    """Times at which a history passes nought, between its rows."""
    at = np.flatnonzero(values[:-1] * values[1:] < 0)
    return t[at] + (t[at + 1] - t[at]) * values[at] / (values[at] - values[at + 1])


def checks(prove):
    for grid in (0.5, 0.71, 1.0):
        run = prove.run(grid=grid)
        at = crossings(*run.history("moment"))
        found = 2 * (at[4] - at[0]) / 4
        prove.check(
            f"period of the first mode, {64 * grid:.0f} cells along the tank",
            found,
            period(),
            "s",
            0.01,
            SOURCE,
            "engine target: 1 %; the wave's height (2 % of the depth) changes it by less than .1 %",
        )
        prove.closes("volume of the water", run, "water", 1e-9, "conservation", "")
