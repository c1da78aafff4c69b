"""Plane eddies in a square that repeats both ways: an exact solution of the whole equations."""

import numpy as np

SOURCE = (
    "Taylor & Green 1937: u = U sin kx cos ky exp(-2 nu k^2 t), pressure "
    "rho U^2/4 (cos 2kx + cos 2ky) exp(-4 nu k^2 t)"
)
SIDE, SPEED, KINEMATIC, DENSITY, END = 0.1, 0.01, 1e-5, 1000.0, 4.0
WAVE = 2 * np.pi / SIDE


def share(field, shape):
    """How much of a shape is in a field."""
    return float((field * shape).sum() / (shape * shape).sum())


def checks(prove):
    errors = []
    left = np.exp(-2 * KINEMATIC * WAVE**2 * END)
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        mesh = run.case.grid
        x, y = (WAVE * 0.5 * (n[1:] + n[:-1]) for n in (mesh.x, mesh.y))
        speed = share(run.field("velocity_x"), np.cos(y)[:, None] * np.sin(x)[None, :])
        errors.append(abs(speed / (SPEED * left) - 1))
        pressure = share(run.field("pressure"), np.cos(2 * y)[:, None] + np.cos(2 * x)[None, :])
    prove.check(
        "speed left after 4 s, 64 cells a side",
        speed * 1e3,
        SPEED * left * 1e3,
        "mm/s",
        0.005,
        SOURCE,
        "engine target for ducts: .5 %",
    )
    prove.check(
        "height of the pressure's waves",
        pressure * 1e3,
        DENSITY * SPEED**2 / 4 * left**2 * 1e3,
        "mPa",
        0.01,
        SOURCE,
        "twice the decay, so twice the error",
    )
    prove.at_least("order over three grids", prove.order(errors), 1.8, SOURCE)
