"""Heat near the entrance of plates and a pipe whose walls are held warm: Graetz's problem."""

import numpy as np
from scipy.linalg import eigh

SOURCE = "Graetz 1885: separation of variables, eigenfunctions computed here on 1500 points"
REASON = "engine target for ducts: .5 %; nearest the entrance conduction along the stream adds"
HALF, SPEED, CAPACITY, CONDUCTIVITY, INLET, WALL = 5e-3, 10e-3, 4e6, 2.0, 293.15, 313.15
PLACES = (6e-3, 15e-3, 40e-3)
POINTS = 1500


def graetz(round_):
    """Flux (W/m2) at PLACES, with T = sum of decaying modes across the half gap."""
    h = HALF / POINTS
    y, faces = (np.arange(POINTS) + 0.5) * h, np.arange(POINTS + 1) * h
    around = y if round_ else np.ones(POINTS)
    link = CONDUCTIVITY / h * (faces if round_ else np.ones(POINTS + 1))
    link[0] = 0.0
    link[-1] *= 2.0
    speed = SPEED * (2 if round_ else 1.5) * (1 - (y / HALF) ** 2)
    hold = np.diag(link[:-1] + link[1:]) - np.diag(link[1:-1], 1) - np.diag(link[1:-1], -1)
    carry = CAPACITY * speed * around * h
    root = np.sqrt(carry)
    rate, modes = eigh(hold / root[:, None] / root[None, :])
    first = modes.T @ (root * (INLET - WALL))
    flux = []
    for x in PLACES:
        near = (modes[-1] / root[-1]) @ (first * np.exp(-rate * x))
        flux.append(-near * 2 * CONDUCTIVITY / h)
    return np.array(flux)


def checks(prove):
    for what, round_, variant in (("plates", False, None), ("pipe", True, "pipe")):
        exact, errors = graetz(round_), []
        for grid in (0.4, 0.8, 1.6):
            run = prove.run(grid=grid, variant=variant)
            line = run.along_edge("heat", "warm_wall")
            ours = np.interp(PLACES, line["x"], line["flux"])
            errors.append(float(abs(ours[-1] / exact[-1] - 1)))  # conduction is past
        for k, x in enumerate(PLACES):
            prove.check(
                f"{what}: flux {1e3 * x:.0f} mm from the entrance",
                ours[k],
                exact[k],
                "W/m2",
                0.01 if k == 0 else 0.005,
                SOURCE,
                REASON,
            )
        prove.at_least(
            f"{what}: finer is nearer (coarsest error over finest)",
            errors[0] / errors[-1],
            1.0,
            SOURCE,
        )
        prove.closes(
            f"{what}: heat in against heat out",
            run,
            "heat",
            1e-6,
            "conservation",
            "engine target for steady runs",
        )
