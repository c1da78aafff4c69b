"""Two conductors that meet, both resolved, with a surface between them; exact."""

import numpy as np

SPAN, METAL, GAP, KAPPA, SIGMA = 0.02, 0.004, 0.006, 10.0, 40.0
SOURCE = "Laplace's equation in two layers with a resistance between them, exact"


def exact(wagner, peak):
    """Current in all (A), half the swing of the current density at the back of the metal (A/m2), and
    heat of all (W): what the top brings, its potential times what passes it, averaged over the cosine.

    As cos(kx): metal a sinh(ky); salt b sinh(kz) + c cosh(kz), z from where they meet; both pass
    sigma a k cosh(kM) = kappa b k = (c - a sinh(kM))/R there.
    """
    resists, k = wagner * SPAN / KAPPA, np.pi / SPAN
    total = SPAN * 2.0 * peak / (METAL / SIGMA + GAP / KAPPA + resists)
    meets = k * SIGMA * np.cosh(k * METAL)  # A/m2, of a
    b, c = meets / (KAPPA * k), np.sinh(k * METAL) + resists * meets
    a = peak / (b * np.sinh(k * GAP) + c * np.cosh(k * GAP))
    above = KAPPA * k * a * (b * np.cosh(k * GAP) + c * np.sinh(k * GAP))
    return total, a * k * SIGMA, 2.0 * peak * total + 0.5 * peak * above * SPAN


def swing_of(run):
    """Half of what the current density varies by, from what passes either half."""
    near, far = (run.readouts[n].value for n in ("near_half", "far_half"))
    return (near - far) * np.pi / (2.0 * SPAN)


def checks(prove):
    for variant, wagner, peak in ((None, 0.3, 0.01), ("even", 3.0, 0.01), ("butler", 0.3, 1e-5)):
        total, swing, heat = exact(wagner, peak)
        errors, warm = [], []
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, variant=variant)
            read = {n: r.value for n, r in run.readouts.items()}
            errors.append(abs(swing_of(run) / swing - 1.0))
            warm.append(abs((read["warms_metal"] + read["warms_salt"]) / heat - 1.0))
        law = "as Butler and Volmer say near balance" if variant == "butler" else "as a resistance"
        told = f"Wa {wagner:g}, {law}"
        prove.check(
            f"swing of the current at the back of the metal, {told}, 40 cells across it",
            swing_of(run),
            swing,
            "A/m2",
            1e-4,
            SOURCE,
            "second order" if variant != "butler" else "and 1e-7 of what bends",
        )
        prove.at_least("order of it", prove.order(errors), 1.9, "second")
        prove.check(
            f"heat of both and of the surface, {told}",
            read["warms_metal"] + read["warms_salt"],
            heat,
            "W",
            1e-4,
            SOURCE,
            "second order",
        )
        prove.at_least("order of it", prove.order(warm), 1.9, "second")
        for name, passed in (
            ("in all", read["near_half"] + read["far_half"]),
            ("where they meet", abs(read["across"])),
        ):
            prove.check(
                f"current {name}, {told}",
                passed,
                total,
                "A",
                1e-6,
                SOURCE,
                "a straight line across, exact on any grid",
            )
        for quantity in ("metal", "salt"):
            prove.closes(f"current of {quantity}", run, quantity, 1e-9, "conservation", "one solve")

    run = prove.run(variant="charged")
    resists = METAL / SIGMA + GAP / KAPPA
    passed = 0.02 * SPAN * 10.0 * (1.0 - np.exp(-0.01 / (resists * 10.0)))
    prove.check(
        "charge of a double layer between them after 10 ms",
        -run.balance["metal"]["out"] + run.balance["metal"]["in"],
        -passed,
        "C",
        1e-3,
        "a capacity behind resistances, exact",
        "steps of its own, followed to 10 uV",
    )
