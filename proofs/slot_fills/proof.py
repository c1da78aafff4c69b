"""How fast a slot fills by itself, by the law of Washburn, on plates that the liquid slips along by a
twentieth of the gap: with none the rate would hang on the cells.
"""

import numpy as np

GAP, TENSION, VISCOSITY, ANGLE, SLIP = 0.2e-3, 0.03, 6e-3, np.pi / 3, 0.05
SOURCE = "Washburn 1921, a slot with slip: x dx/dt = sigma h cos(angle) (1 + 6 l/h) / (6 mu)"
LINE = (
    "the contact line itself takes a share that falls with the capillary number, .010 to .013 here"
)


def rate(run):
    """x dx/dt over the later half (m2/s), x being how far the liquid has come on average."""
    t, volume = run.history("liquid")
    way = volume / (0.5 * GAP)
    late = t > 0.5 * t[-1]
    return float(np.polyfit(t[late], 0.5 * way[late] ** 2, 1)[0])


def checks(prove):
    ideal = TENSION * GAP * np.cos(ANGLE) * (1 + 6 * SLIP) / (6 * VISCOSITY)
    found = []
    for grid in (0.5, 0.75, 1.0):
        run = prove.run(grid=grid)
        found.append(rate(run))
        prove.check(
            f"rate of filling, {16 * grid:.0f} cells across the gap",
            1e6 * found[-1],
            1e6 * ideal,
            "mm2/s",
            0.05,
            SOURCE,
            LINE,
        )
    prove.check(
        "change of it from the middle grid",
        1e6 * found[-1],
        1e6 * found[-2],
        "mm2/s",
        0.01,
        "grid refinement",
        "the slip, not the cell, tells how the line moves",
    )
