"""Brinkman's channel: velocity in an open and a porous half that shear joins, with the viscosity inside
the same and three times the stream's."""

import numpy as np

QUICK = True
SOURCE = "Brinkman's equation between plates, exact"
HEIGHT, PITCH, FALL, VISCOSITY, PERMEABILITY = 10e-3, 4e-3, 0.004, 1e-3, 1e-6


def exact(y, stiffer):
    """Velocity (m/s) at heights y, from two linear equations matched in velocity and stress."""
    push, a, h = FALL / PITCH, HEIGHT / 2, HEIGHT
    m = 1 / np.sqrt(stiffer * PERMEABILITY)
    seep, bend = push * PERMEABILITY / VISCOSITY, push / (2 * VISCOSITY)
    # inside: seep (1 - cosh m y) + b sinh m y; outside: bend (h^2 - y^2) + d (h - y)
    rows = [
        [np.sinh(m * a), -(h - a)],
        [stiffer * m * np.cosh(m * a), 1.0],
    ]
    right = [
        bend * (h**2 - a**2) - seep * (1 - np.cosh(m * a)),
        -2 * bend * a + stiffer * seep * m * np.sinh(m * a),
    ]
    b, d = np.linalg.solve(rows, right)
    inside = seep * (1 - np.cosh(m * y)) + b * np.sinh(m * y)
    return np.where(y <= a, inside, bend * (h**2 - y**2) + d * (h - y))


def checks(prove):
    for stiffer in (1.0, 3.0):
        errors = []
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, set={"stiffer": str(stiffer)})
            line = run.profile("velocity_x", (PITCH / 2, 0.0), (PITCH / 2, HEIGHT))
            true = exact(np.array(line["y"]), stiffer)
            errors.append(float(np.abs(line["value"] - true).max() / true.max()))
        prove.check(
            f"largest error of the profile over its peak, 80 cells, viscosity inside {stiffer:g} times",
            errors[-1],
            0.0,
            "",
            0.01,
            SOURCE,
            "engine target",
        )
        prove.at_least(
            f"order over three grids, viscosity inside {stiffer:g} times",
            prove.order(errors),
            1.0,
            "engine target",
        )
