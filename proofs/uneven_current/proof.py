"""Secondary current distribution along a plane electrode, at two Wagner numbers, exact."""

import numpy as np

SPAN, GAP, KAPPA = 0.02, 0.005, 10.0
SOURCE = "Laplace's equation with a resistance on one wall, exact; numbers after Wagner 1951"


def exact(wagner, peak):
    """Mean current density and half its swing along the electrode (A/m2).

    phi = peak (sinh(ky) + b cosh(ky))/(sinh(kH) + b cosh(kH)) cos(kx), b = kappa R k.
    """
    resists, k = wagner * SPAN / KAPPA, np.pi / SPAN
    mean = 2.0 * peak / (GAP / KAPPA + resists)
    b = KAPPA * resists * k
    swing = KAPPA * peak * k / (np.sinh(k * GAP) + b * np.cosh(k * GAP))
    return mean, swing


def swing_of(run):
    """Half of what the current density varies by, from what passes either half."""
    near, far = (run.readouts[n].value for n in ("near_half", "far_half"))
    return (near - far) * np.pi / (2.0 * SPAN)


def checks(prove):
    for variant, wagner, peak in ((None, 0.3, 0.01), ("even", 3.0, 0.01), ("butler", 0.3, 1e-5)):
        mean, swing = exact(wagner, peak)
        errors = []
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, variant=variant)
            errors.append(abs(swing_of(run) / swing - 1.0))
        law = "as Butler and Volmer say near balance" if variant == "butler" else "as a resistance"
        prove.check(
            f"swing of the current along the electrode, Wa {wagner:g}, {law}, 40 cells across",
            swing_of(run),
            swing,
            "A/m2",
            3e-4,
            SOURCE,
            "second order" if variant != "butler" else "and 1e-7 of what bends",
        )
        prove.at_least("order of it", prove.order(errors), 1.9, "second")
        prove.check(
            f"current in all, Wa {wagner:g}, {law}",
            run.readouts["near_half"].value + run.readouts["far_half"].value,
            mean * SPAN,
            "A",
            1e-6,
            SOURCE,
            "a straight line across, exact on any grid",
        )
        prove.closes(
            "current in against out", run, "salt", 1e-9, "conservation of charge", "one solve"
        )
