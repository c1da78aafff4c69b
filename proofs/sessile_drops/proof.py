"""Drops at rest on a wall: a part of a circle that meets it at its angle."""

import numpy as np

SOURCE = "a circle of the same area, exact"
AREA = 0.5 * 0.5 * np.pi * 0.3**2  # of half of it


def exact(angle):
    """Height (m) of a part of a circle of that area, half of it drawn, at an angle to the wall."""
    radius = np.sqrt(2.0 * AREA / (angle - np.sin(angle) * np.cos(angle)))
    return radius * (1.0 - np.cos(angle))


def checks(prove):
    for angle, limit in ((30, 2e-2), (60, 5e-3), (90, 5e-3), (120, 5e-3), (150, 2e-2)):
        run = prove.run(variant=None if angle == 90 else str(angle))
        prove.check(
            f"height, {angle} degrees, 9.6 cells of its first radius",
            run.readouts["height"].value,
            exact(np.radians(angle)),
            "m",
            limit,
            SOURCE,
            "in the first column, half a cell aside"
            if 60 <= angle <= 120
            else "a line carried far on",
        )
        prove.closes(f"volume, {angle} degrees", run, "drop", 1e-9, "conservation", "")
