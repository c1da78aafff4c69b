"""Plug flow along a wall that reacts at first order, from slow reaction to slow diffusion."""

import numpy as np
from scipy.optimize import brentq

SOURCE = "separation of variables: b tan b = Da, decay exp(-D b^2 x / (h^2 u)) far downstream"
HALF, SPEED, DIFFUSIVITY = 5e-3, 2e-3, 1e-8


def checks(prove):
    for rate, name in (
        ("2e-7 m/s", "slow reaction, Da 0.1"),
        ("2e-6 m/s", "both matter, Da 1"),
        ("2e-4 m/s", "slow diffusion, Da 100"),
    ):
        damkoehler = float(rate.split()[0]) * HALF / DIFFUSIVITY
        b = brentq(lambda s, d=damkoehler: s * np.sin(s) - d * np.cos(s), 1e-6, np.pi / 2)
        exact = 0.0
        for n in range(80):  # mixing cup at the outlet, exact for plug flow
            s = brentq(
                lambda s, d=damkoehler: s * np.sin(s) - d * np.cos(s),
                n * np.pi + 1e-9,
                n * np.pi + np.pi / 2,
            )
            weight = 2 * np.sin(s) ** 2 / (s * (s + np.sin(s) * np.cos(s)))
            exact += weight * np.exp(-DIFFUSIVITY * s * s * 60e-3 / (HALF**2 * SPEED))
        errors = []
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, set={"rate": rate})
            errors.append(abs((1 - run.readouts["left"].value) / (1 - exact) - 1))
        prove.check(
            f"{name}: share used up",
            1 - run.readouts["left"].value,
            1 - exact,
            "",
            0.01,
            SOURCE,
            f"first eigenvalue {b:.3f}; some spreading along the stream is kept",
        )
        prove.at_least(
            f"{name}: finer is not worse", errors[0] / max(errors[-1], 1e-9), 0.8, SOURCE
        )
    prove.closes(
        "used up against what came",
        run,
        "feed",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
