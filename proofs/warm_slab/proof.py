"""A slab warmed from one face, lagged at the other: against its series solution."""

import numpy as np
from scipy.optimize import brentq

SOURCE = "series solution of the heat equation in a slab (Carslaw & Jaeger)"
L, DIFFUSIVITY, CONDUCTIVITY, STEP, TIME, FILM = 20e-3, 1e-6, 1.8, 50.0, 100.0, 180.0


def back_face(biot=None):
    """Warming of the lagged face over that of the warm one."""
    fourier, left = DIFFUSIVITY * TIME / L**2, 0.0
    for n in range(60):
        if biot is None:
            z = (n + 0.5) * np.pi
        else:
            z = brentq(
                lambda s: s * np.sin(s) - biot * np.cos(s), n * np.pi + 1e-9, n * np.pi + np.pi / 2
            )
        weight = 4 * np.sin(z) / (2 * z + np.sin(2 * z))
        left += weight * np.exp(-z * z * fourier)
    return 1 - left


def checks(prove):
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        ours = (run.readouts["back"].value - 293.15) / STEP
        errors.append(abs(ours / back_face() - 1))
    prove.check(
        "warming of the lagged face, 40 cells",
        ours,
        back_face(),
        "of the step",
        0.002,
        SOURCE,
        "second order in space and time",
    )
    prove.at_least("order over three grids", prove.order(errors), 1.7, "second-order differences")
    prove.closes(
        "heat in against heat stored",
        run,
        "heat",
        1e-9,
        "conservation",
        "round-off over all steps",
    )
    film = prove.run(grid=2.0, variant="film")
    prove.check(
        "the same behind a film, Bi = 2",
        (film.readouts["back"].value - 293.15) / STEP,
        back_face(FILM * L / CONDUCTIVITY),
        "of the step",
        0.002,
        SOURCE,
        "second order in space and time",
    )
