"""A drop that swings about a ball (Lamb 1932)."""

import numpy as np

RADIUS, TENSION, INSIDE, AROUND, NU = 0.4, 1.0, 1.0, 1e-3, 2e-3
SOURCE = "Lamb 1932: w^2 = 24 sigma/((3 rho_1 + 2 rho_2) R^3), damped by 5 nu/R^2"


def period(run):
    """s, from where the pole passes where it ends up, up and down, by straight lines between steps."""
    t, pole = run.history("pole")
    off = pole - np.mean(pole[t > 0.2 * t[-1]])
    turns = np.flatnonzero(off[:-1] * off[1:] < 0)
    at = t[turns] - off[turns] * (t[turns + 1] - t[turns]) / (off[turns + 1] - off[turns])
    return 2.0 * float(np.diff(at).mean())


def checks(prove):
    wave = np.sqrt(24.0 * TENSION / ((3.0 * INSIDE + 2.0 * AROUND) * RADIUS**3))
    damped = np.sqrt(wave**2 - (5.0 * NU / RADIUS**2) ** 2)
    for grid, limit in ((1.0, 2e-2), (2.0, 1e-2)):
        run = prove.run(grid=grid)
        prove.check(
            f"period, {12.8 * grid:.3g} cells of its radius",
            period(run),
            2.0 * np.pi / damped,
            "s",
            limit,
            SOURCE,
            "drawn out by 2 %, a box of two and a half radii",
        )
        prove.closes("volume of the drop", run, "drop", 1e-9, "conservation", "")
