"""Drops fall off a mouth that is fed slowly: Tate's law, with what stays behind by Harkins & Brown."""

import numpy as np

MOUTH, TENSION, WEIGHS, AREA = 1.5e-3, 0.05, 9.81 * 998.8, np.pi * 1.5e-3**2
# of 2 pi R sigma that falls, over R/V^(1/3); Harkins & Brown 1919, from memory
AT = 0.3, 0.35, 0.4, 0.45, 0.5, 0.55, 0.6, 0.65, 0.7
FALLS = 0.7256, 0.7011, 0.6828, 0.6669, 0.6515, 0.6362, 0.6250, 0.6171, 0.6093


def falls():
    """m3 that fall: V = 2 pi R sigma f(R/V^(1/3)) / (rho g)."""
    volume = 30e-9
    for _ in range(50):
        part = np.interp(MOUTH / np.cbrt(volume), AT, FALLS)
        volume = 2.0 * np.pi * MOUTH * TENSION * part / WEIGHS
    return volume


def checks(prove):
    errors = []
    for grid, most in ((0.75, 8e-2), (1.0, 6e-2), (1.5, 5e-2)):
        run = prove.run(grid=grid)
        fell = run.readouts["fell"].value
        errors.append(abs(fell / falls() - 1.0))
        cells = f"{8 * grid:g} cells in the mouth's radius"
        prove.check(
            f"volume that falls off, {cells}", fell, falls(), "m3", most,
            "Tate 1864; Harkins & Brown 1919, from memory", "fed at a finite rate, which adds some",
        )  # fmt: skip
        prove.closes(f"volume of liquid, {cells}", run, "liquid", 1e-9, "conservation", "")
        _, shape = run.history("held")
        prove.at_least(
            f"it hangs before it falls, {cells}", float(shape.max()) / AREA / MOUTH, 4.0, ""
        )
