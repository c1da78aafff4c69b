"""Impedance of pores that charge, and of pores that react beside, from slow to fast."""

import numpy as np

QUICK = True
LENGTH, LIQUID, LAYER, AREA, WIDE = 2e-4, 0.3, 1e7, 1e-4 * 0.01, 1e8
OFTEN = np.array([1e-3, 0.1, 1.0, 10.0])
LEVIE = "de Levie 1963: Z = sqrt(R/(j w C)) coth(sqrt(j w R C))"
BOTH = "a pore that conducts in both and reacts beside (Paasch, Micka & Gersdorf 1993); exact"
RT_F = 8.31446261815324 * 298.15 / 96485.33212331


def levie(omega):
    resists, capacity = LENGTH / (LIQUID * AREA), LAYER * LENGTH * AREA
    return np.sqrt(resists / (1j * omega * capacity)) / np.tanh(
        np.sqrt(1j * omega * resists * capacity)
    )


def both(omega, solid, exchange):
    """Current comes in the solid at one end and leaves in the liquid at the other."""
    ease = WIDE * exchange / RT_F + 1j * omega * LAYER
    nu = LENGTH * np.sqrt(ease * (1.0 / solid + 1.0 / LIQUID))
    ratio = solid / LIQUID + LIQUID / solid
    return (
        LENGTH / (solid + LIQUID) * (1.0 + (2.0 + ratio * np.cosh(nu)) / (nu * np.sinh(nu))) / AREA
    )


def checks(prove):
    omega = 2.0 * np.pi * OFTEN
    for variant, exact, source in (
        (None, levie(omega), LEVIE),
        ("reacting", both(omega, 2.0, 2e-3), BOTH),
    ):
        errors = []
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, variant=variant)
            ours = run.history("real")[1] + 1j * run.history("imaginary")[1]
            errors.append(abs(ours[2] / exact[2] - 1.0))
        for f, z, told in zip(OFTEN, ours, exact, strict=True):
            prove.check(
                f"impedance at {f:g} Hz, {variant or 'charging only'}: how far off, over its size",
                abs(z / told - 1.0),
                0.0,
                "",
                2e-3,
                source,
                "second order, 80 cells deep; the fastest passes a fifth of the depth",
            )
        prove.at_least(
            f"order at 1 Hz, {variant or 'charging only'}", prove.order(errors), 1.8, "second"
        )
    slow = prove.run(grid=2.0)
    prove.check(
        "what slow swings feel before the layer: a third of the pores' resistance",
        slow.history("real")[1][0],
        LENGTH / (3.0 * LIQUID * AREA),
        "ohm",
        2e-3,
        "de Levie 1963",
        "at 1 mHz, and a solid that hardly resists",
    )
