"""Diffusion from an inner to an outer cylinder, both embedded in the grid."""

import numpy as np

QUICK = True
SOURCE = "solution of Laplace's equation between cylinders: flux 2 pi D c / ln(R / r)"
INNER, OUTER, HELD, DIFFUSIVITY, SHIFT = 6e-3, 14e-3, 10.0, 1e-9, 0.13e-3


def checks(prove):
    exact = 2 * np.pi * DIFFUSIVITY * HELD / np.log(OUTER / INNER) * 1e9
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(abs(run.readouts["leaving"].value / exact - 1))
        if grid == 1.0:
            prove.check(
                "flux at 16 cells across the gap",
                run.readouts["leaving"].value,
                exact,
                "nmol/s",
                0.005,
                SOURCE,
                "engine target: 0.5 % at 16 cells",
            )
            line = run.profile("tracer", (SHIFT + INNER, 0.7 * SHIFT), (SHIFT + OUTER, 0.7 * SHIFT))
            r = line["x"] - SHIFT
            wanted = HELD * np.log(OUTER / r) / np.log(OUTER / INNER)
            good = np.isfinite(line["value"])
            prove.check(
                "largest profile error over the held value, 16 cells",
                float(np.abs(line["value"] - wanted)[good].max()) / HELD,
                0.0,
                "",
                0.005,
                SOURCE,
                "engine target: 0.5 % at 16 cells",
            )
    prove.at_least(
        "order of the flux over three grids", prove.order(errors), 1.8, "second-order differences"
    )
    prove.closes(
        "in against out",
        run,
        "tracer",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
