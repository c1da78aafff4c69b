"""A small wave between two fluids against the exact solution of its start (Prosperetti 1981)."""

import numpy as np
from scipy.special import erfc, wofz

TENSION, K, MU, HEIGHT = 1.0, 2.0 * np.pi, 0.0182574186, 0.01
SOURCE = "Prosperetti 1981, linear, both as viscous per density"


def exact(t, ratio):
    """Height (of 1) of a wave that begins at rest."""
    one, two = 1.0, 1.0 / ratio
    nu = MU / one
    w2 = TENSION * K**3 / (one + two)
    beta, s = one * two / (one + two) ** 2, np.sqrt(nu) * K
    last = (1 - 4 * beta) * s**4 + w2
    z = np.roots([1, -4 * beta * s, 2 * (1 - 6 * beta) * s**2, 4 * (1 - 3 * beta) * s**3, last])
    still = 4 * (1 - 4 * beta) * s**4 / (8 * (1 - 4 * beta) * s**4 + w2)
    found = still * erfc(s * np.sqrt(t)) + 0j
    for i in range(4):
        apart = np.prod([z[j] - z[i] for j in range(4) if j != i])
        swings = np.exp(-(s**2) * t) * wofz(1j * z[i] * np.sqrt(t))
        found += z[i] / apart * w2 / (z[i] ** 2 - s**2) * swings
    return found.real


def off(run, ratio):
    """Root of the mean square of what the height is off by, of its first one."""
    t, moment = run.history("moment")
    height = moment * 4.0  # of cos over half a wave
    told = exact(t, ratio)
    return float(np.sqrt(np.mean((height / HEIGHT - told) ** 2)))


def checks(prove):
    for variant, ratio, limits in (
        (None, 1.0, (0.03, 0.01, 0.003)),
        ("light", 1000.0, (0.07, 0.025, 0.01)),
    ):
        errors = []
        for grid, limit in zip((0.5, 1.0, 2.0), limits, strict=True):
            run = prove.run(grid=grid, variant=variant)
            errors.append(off(run, ratio))
            prove.check(
                f"height over 25/w0, off on average, ratio {ratio:g}, {32 * grid:.0f} cells a wave",
                errors[-1],
                0.0,
                "",
                limit,
                SOURCE,
                "target of earlier trials of this method at 64 cells" if grid == 2.0 else "coarser",
            )
        prove.at_least(
            f"order of it, ratio {ratio:g}", prove.order(errors), 1.2, "between first and second"
        )
        prove.closes("volume of the lower", run, "lower", 1e-9, "conservation", "")
