"""How fast a long bubble rises in a tube: its nose, once it has its shape."""

import numpy as np

RADIUS, GRAVITY = 0.02, 9.81
SOURCE = (
    "Dumitrescu 1943 (.351 of the root of gravity times width); tension slows it by under 1 % here"
)


def rises(run):
    """Speed of the nose (m/s), over the later half."""
    t, nose = run.history("nose")
    late = t > 0.5 * t[-1]
    return float(np.polyfit(t[late], nose[late], 1)[0])


def checks(prove):
    published = 0.351 * np.sqrt(GRAVITY * 2 * RADIUS)
    for grid in (0.5, 0.71, 1.0):
        run = prove.run(grid=grid)
        prove.check(
            f"speed of the nose, {24 * grid:.0f} cells a radius",
            rises(run),
            published,
            "m/s",
            0.05,
            SOURCE,
            "what is measured scatters by as much",
        )
        prove.closes(
            f"volume of the liquid, grid {grid:g}", run, "liquid", 1e-9, "conservation", ""
        )
