"""A drop on a wall turned by 30 degrees goes from half a circle to the one that its angle asks for."""

import numpy as np

SOURCE = "a part of a circle of the same area that meets the wall at its angle, exact"
LIMITS = "targets of earlier trials of this method at 12 cells a radius"
AREA = 0.5 * np.pi * 1e-6


def exact(theta):
    """Height over the wall and width along it (m)."""
    radius = np.sqrt(AREA / (theta - np.sin(theta) * np.cos(theta)))
    return radius * (1.0 - np.cos(theta)), 2.0 * radius * np.sin(theta)


def checks(prove):
    for angle, variant, grid in (
        (60, None, 0.5),
        (60, None, 1.0),
        (60, None, 1.5),
        (120, None, 1.0),
        (60, "light", 1.0),
    ):
        run = prove.run(variant=variant, grid=grid, set={"angle": f"{angle} deg"})
        high, wide = exact(np.radians(angle))
        line = run.listing("interface")
        away = line["y"] * np.sqrt(0.75) - 0.5 * line["x"]
        along = line["x"] * np.sqrt(0.75) + 0.5 * line["y"]
        words = f"{angle} degrees, {12 * grid:g} cells a radius{', ratio 1000' if variant else ''}"
        prove.check(
            f"height, {words}",
            float(away.max()),
            high,
            "m",
            4e-3 if grid < 1 else 2e-3,
            SOURCE,
            f"{LIMITS}: .12 %, and .08 % more for what the first wave leaves",
        )
        feet = np.sort(along[away < 1e-9])
        prove.check(
            f"width along the wall, {words}",
            float(feet[-1] - feet[0]),
            wide,
            "m",
            6e-3 if grid < 1 else 3e-3,
            SOURCE,
            f"{LIMITS}: .17 %, twice that with what pieces beside contacts leave",
        )
        prove.closes(f"volume, {words}", run, "liquid", 1e-9, "conservation", "")
