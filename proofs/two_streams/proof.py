"""Two streams that mix in a long duct: the mean by flow is kept, the unevenness decays as it must."""

import numpy as np

QUICK = True
SOURCE = "convection and diffusion in a uniform stream, by Fourier's series over the width"
SPEED, TALL, SPREAD, LONG = 0.1, 0.02, 2e-5, 0.3


def uneven(x):
    """Deviation over the mean across the duct at x (m): what enters is carried in, nothing diffuses
    out of the ends.
    """
    odd = np.arange(1, 400, 2)
    root = np.sqrt(SPEED**2 + 4 * SPREAD**2 * (odd * np.pi / TALL) ** 2)
    fades, grows = (SPEED - root) / (2 * SPREAD), (SPEED + root) / (2 * SPREAD)
    back = -fades / grows * np.exp(fades * LONG + grows * (x - LONG))
    size = 2 / (odd * np.pi) / (1 - SPREAD * fades / SPEED)
    return 2 * np.sqrt(np.sum((size * (np.exp(fades * x) + back)) ** 2 / 2))


def checks(prove):
    errors = []
    for cells in (10, 20, 40):
        run = prove.run(set={"cells": str(cells)})
        told = run.readouts
        errors.append(abs(told["uneven"].value - uneven(LONG)))
    for name, x in (("early", 0.1), ("late", 0.25), ("uneven", 0.3)):
        prove.check(
            f"unevenness {x * 1e3:g} mm from where they meet, 40 cells across",
            told[name].value,
            uneven(x),
            "",
            0.002,
            SOURCE,
            "second order at 40 cells",
        )
    prove.at_least("order over three grids", prove.order(errors), 1.5, SOURCE)
    prove.check(
        "mean by flow of what leaves",
        told["mean"].value,
        0.5,
        "",
        1e-9,
        "conservation: what enters",
        "round-off of a settled run",
    )
