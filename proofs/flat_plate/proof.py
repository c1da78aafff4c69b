"""Drag and heat of the laminar layer on a flat plate, Re 1e4 on its length, Pr 1."""

import numpy as np

SOURCE = (
    "Blasius 1908, Pohlhausen 1921 (from memory): C_f,x = .664 Re_x^-1/2, "
    "Nu_x = .332 Re_x^1/2 Pr^1/3"
)
REASON = "boundary-layer theory leaves out terms of order Re_x^-1/2 (1 to 2 % here)"
SPEED, KINEMATIC, CAPACITY, CONDUCTIVITY = 1.0, 1e-4, 1000.0, 0.1
PLACES = np.array([0.3, 0.5, 0.7])


def drag(run):
    """Local friction coefficients at PLACES, from the two velocities next to the plate."""
    grid = run.case.grid
    field, y = run.field("velocity_x"), 0.5 * (grid.y[1:] + grid.y[:-1])
    x = 0.5 * (grid.x[1:] + grid.x[:-1])
    a, b = y[0], y[1]
    slope = (field[0] * b * b - field[1] * a * a) / (a * b * (b - a))
    return 2 * KINEMATIC / SPEED**2 * np.interp(PLACES, x, slope)


def heat(run):
    """Local Nusselt numbers on the distance from the leading edge, at PLACES."""
    line = run.along_transfer("number")
    return np.interp(PLACES, line["x"], line["transfer"]) * PLACES


def checks(prove):
    reynolds = SPEED * PLACES / KINEMATIC
    friction, nusselt = 0.664 * reynolds**-0.5, 0.332 * reynolds**0.5
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(
            max(
                float(np.abs(drag(run) / friction - 1).max()),
                float(np.abs(heat(run) / nusselt - 1).max()),
            )
        )
    for k, x in enumerate(PLACES):
        prove.check(
            f"friction coefficient {100 * x:.0f} cm from the edge",
            drag(run)[k],
            friction[k],
            "",
            0.02,
            SOURCE,
            REASON,
        )
        prove.check(
            f"Nusselt number {100 * x:.0f} cm from the edge",
            heat(run)[k],
            nusselt[k],
            "",
            0.02,
            SOURCE,
            REASON,
        )
    prove.check(
        "mean Nusselt number over twice the local one at the end",
        run.readouts["number"].value,
        0.664 * (SPEED / KINEMATIC) ** 0.5,
        "",
        0.03,
        SOURCE,
        REASON + ", most at the edge itself",
    )
    prove.at_least(
        "finer is nearer (coarsest error over finest)", errors[0] / errors[-1], 1.0, SOURCE
    )
    prove.closes(
        "heat in against heat out",
        run,
        "heat",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
