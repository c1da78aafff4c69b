"""How fast the front of a falling column of water runs, and how its height falls."""

import numpy as np

BASE, GRAVITY = 0.05715, 9.81
SOURCE = (
    "Martin & Moyce 1952, twice as high as wide, 2.25 inches (from memory): the front three widths on "
    "after 2.51, 3.89 after 3.11 of the column's time; 2.11 after 1.83"
)
GATE = "it comes earlier by a steady .2: their gate takes as long to go; nothing rubs on the floor here"


def reached(run, far):
    """Time (of the column's own) at which the front is so far (of its width)."""
    t, front = run.history("front")
    return float(np.interp(far, front / BASE, t * np.sqrt(2 * GRAVITY / BASE)))


def checks(prove):
    for grid in (0.5, 0.71, 1.0):
        run = prove.run(grid=grid)
        cells = f"{24 * grid:.0f} cells a width"
        for far, when in ((3.0, 2.51), (3.89, 3.11)):
            prove.check(
                f"time to {far:g} widths, {cells}", reached(run, far), when, "", 0.1, SOURCE, GATE
            )
        prove.check(
            f"speed of the front from 2.11 to 3.89 widths, {cells}",
            1.78 / (reached(run, 3.89) - reached(run, 2.11)),
            1.78 / (3.11 - 1.83),
            "",
            0.06,
            SOURCE,
            "their scatter",
        )
        prove.closes(f"volume of the water, {cells}", run, "water", 1e-9, "conservation", "")
