"""How fast a slot fills by itself, by the law of Washburn, on plates that the liquid slips along by a
twentieth of the gap: with none the rate would hang on the cells.
"""

import numpy as np

GAP, TENSION, VISCOSITY, SLIP = 0.2e-3, 0.03, 6e-3, 0.05
SOURCE = "Washburn 1921, a slot with slip: x dx/dt = sigma h cos(angle) (1 + 6 l/h) / (6 mu)"
LINE = (
    "at the meniscus the stream turns and the contact line drags: as much as .3 gaps more of the slot, "
    "at any capillary number"
)
# a variant, the angle, capillary number at the end
SLOTS = ((None, 60.0, 0.0098), ("slower", 80.0, 0.0038))


def came(run):
    """How far the liquid has come on average (m) over the later half, and when (s)."""
    t, volume = run.history("liquid")
    late = t > 0.5 * t[-1]
    return t[late], volume[late] / (0.5 * GAP)


def checks(prove):
    lost = [of_a_slot(prove, *slot) for slot in SLOTS]
    prove.check(
        "length that the meniscus costs, a third as fast",
        lost[1] / GAP,
        lost[0] / GAP,
        "gaps",
        0.1,
        "the same at any speed where viscosity alone holds back",
        "a difference of two rates; angles of 60 and 80 degrees",
    )


def of_a_slot(prove, variant, angle, capillary):
    """Check one, and tell what the meniscus costs (m of slot)."""
    ideal = TENSION * GAP * np.cos(np.radians(angle)) * (1 + 6 * SLIP) / (6 * VISCOSITY)
    found, lost, name = [], 0.0, f"Ca {capillary:g}"
    for grid in (0.5, 0.75, 1.0):
        run = prove.run(grid=grid, variant=variant)
        t, way = came(run)
        found.append(float(np.polyfit(t, 0.5 * way**2, 1)[0]))
        # (x + lost) dx/dt = ideal
        lost = float((ideal * (t[-1] - t[0]) - 0.5 * np.ptp(way**2)) / np.ptp(way))
        speed = float(np.polyfit(t[-20:], way[-20:], 1)[0])
        prove.check(
            f"rate of filling, {name}, {16 * grid:.0f} cells across the gap",
            1e6 * found[-1],
            1e6 * ideal,
            "mm2/s",
            0.04,
            SOURCE,
            LINE,
        )
    prove.check(
        f"change of it from the middle grid, {name}",
        1e6 * found[-1],
        1e6 * found[-2],
        "mm2/s",
        0.003,
        "grid refinement",
        "the slip, not the cell, tells how the line moves",
    )
    prove.check(
        f"capillary number at the end, {name}",
        VISCOSITY * speed / TENSION,
        capillary,
        "",
        0.1,
        "what the variant is for",
        "",
    )
    return lost
