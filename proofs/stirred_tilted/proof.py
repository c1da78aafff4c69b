"""Turbulent flow between plates that cross the grid at 17 degrees: walls that cut cells."""

import numpy as np

SOURCE = "the same channel along the grid (Turbulent channel), first cells as thick"
SPEEDS = {(395, 13): 17.16, (395, 20): 17.12, (2000, 26): 21.19, (10000, 40): 25.14}
COSINE, SINE = 0.95630, 0.29237


def checks(prove):
    for (retau, cells), straight in SPEEDS.items():
        run = prove.run(set={"retau": str(retau), "cells": str(cells)})
        x, y = (run.readouts[name].value for name in ("mean_x", "mean_y"))
        speed = COSINE * x + SINE * y
        where = f"Re_tau {retau}, {cells} cells across"
        prove.check(
            f"friction over half the mean speed squared, {where}",
            2.0 / speed**2,
            2.0 / straight**2,
            "",
            0.04,
            SOURCE,
            "engine target: 4 % of the straight one",
        )
        friction = run.field("friction_speed")
        stress = friction[np.isfinite(friction) & (friction > 0)] ** 2
        prove.check(
            f"scatter of the stress along the walls, {where}",
            float(stress.std() / stress.mean()),
            0.0,
            "",
            0.08,
            "it is the same everywhere",
            "engine target: 8 %",
        )
        prove.check(
            f"what the law says of the stress, {where}",
            float(stress.mean()),
            1.0,
            "Pa",
            0.04,
            "what the fall of pressure pushes with over the walls' area",
            "that of the friction",
        )
