"""How fast a thread of liquid falls apart, at three wavelengths, by the linear theory."""

import numpy as np
from scipy.special import iv

RADIUS, TENSION, DENSITY, VISCOSITY, UNEVEN = 1e-3, 0.07, 1000.0, 2.6458e-3, 0.01
SOURCE = "Rayleigh 1879; slowed by viscosity as Weber 1931 has it (both from memory); gas left out"
SEEN = 0.03, 0.1  # of the radius, between which the swelling is followed


def grows(times):
    """How fast an unevenness of `times` waves per turn of the thread grows (1/s)."""
    of = times * (1 - times**2) * iv(1, times) / iv(0, times)
    damped = 1.5 * VISCOSITY / DENSITY * (times / RADIUS) ** 2
    return np.sqrt(TENSION / (DENSITY * RADIUS**3) * of + damped**2) - damped


def measured(run):
    """The rate at which what began at rest grows: its height follows cosh."""
    t, thick = run.history("thick")
    _, thin = run.history("thin")
    height = 0.5 * (thick - thin) / RADIUS
    at = (height > SEEN[0]) & (height < SEEN[1])
    return float(np.polyfit(t[at], np.arccosh(height[at] / UNEVEN), 1)[0])


def checks(prove):
    for variant, times in ((None, 0.7), ("longer", 0.5), ("shorter", 0.9)):
        for grid in (0.5, 0.71, 1.0):
            run = prove.run(grid=grid, variant=variant)
            found, exact = measured(run), grows(times)
            prove.check(
                f"growth at {times:g} waves a turn, {12 * grid:.1f} cells a radius",
                found,
                exact,
                "1/s",
                0.02,
                SOURCE,
                "engine target: 5 %; heights from 3 to 10 % of the radius are not quite small",
            )
        prove.closes("volume of the liquid", run, "liquid", 1e-9, "conservation", "")
