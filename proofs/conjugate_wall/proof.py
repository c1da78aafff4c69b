"""Heat through a solid wall into a developed stream, and through two layers at rest."""

import numpy as np
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

HALF, WALL, SPEED = 5e-3, 2.5e-3, 10e-3
STREAM, SOLID, CAPACITY = 8.0, 6.0, 4e6
INLET, FACE = 293.15, 313.15
SOURCE = "Graetz's problem with a wall that conducts across: eigenvalue by integration here"
LAYERS = "Fourier's law for two layers in a row"


def decay():
    """Rate (1/m) at which the bulk approaches the outer face, far downstream.

    T'' + k (3/2)(1 - s^2) T = 0 over the half gap, T'(0) = 0, T'(1) = -Bi T(1); conduction along
    the duct is left out (Peclet number on the half gap: 25).
    """
    biot = SOLID / WALL * HALF / STREAM

    def misfit(k):
        end = solve_ivp(
            lambda s, f: (f[1], -k * 1.5 * (1 - s * s) * f[0]),
            (0, 1),
            (1.0, 0.0),
            rtol=1e-10,
            atol=1e-12,
        ).y[:, -1]
        return end[1] + biot * end[0]

    return brentq(misfit, 1e-3, 2.0) * STREAM / CAPACITY / (SPEED * HALF**2)


def along(run):
    """The same from the stream's bulk temperature at two places far downstream."""
    logs = []
    for x in (0.12, 0.18):
        line = run.profile("temperature", (x, 0.0), (x, HALF))
        weight = 1 - (line["y"] / HALF) ** 2
        bulk = float((weight * line["value"]).sum() / weight.sum())
        logs.append(np.log(FACE - bulk))
    return (logs[0] - logs[1]) / 0.06


def checks(prove):
    exact, errors = decay(), []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(abs(along(run) / exact - 1))
    prove.check(
        "approach to the outer face, 16 cells across half a gap",
        along(run),
        exact,
        "1/m",
        0.01,
        SOURCE,
        "conduction along stream and wall is left out there",
    )
    prove.closes(
        "heat in against heat out",
        run,
        "heat",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
    still = prove.run(variant="layers")
    flux = (FACE - INLET) / (HALF / STREAM + WALL / SOLID)
    prove.check(
        "two layers at rest: heat passing",
        still.readouts["taken_up"].value,
        flux * 0.24,
        "W",
        1e-6,
        LAYERS,
        "the layers end on grid lines, so the answer is exact",
    )
