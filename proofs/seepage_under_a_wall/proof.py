"""Seepage under a thin wall that reaches a quarter, half and three quarters through a layer, against
the conformal map of the layer."""

import numpy as np
from scipy.special import ellipk

SOURCE = "conformal map of a half strip, Q = k h/2 K(m)/K(m'), m = cos(pi s/2T) (Harr 1962)"
DENSITY, VISCOSITY, PERMEABILITY, PUSH = 1000.0, 1e-3, 1e-11, 1e4


def checks(prove):
    for share in (0.25, 0.5, 0.75):
        m = np.cos(np.pi * share / 2) ** 2
        exact = DENSITY * PERMEABILITY / VISCOSITY * PUSH / 2 * ellipk(m) / ellipk(1 - m)
        run, errors = prove.over((2.0, 4.0, 8.0), "seeps", exact, set={"down": f"{share}*thick"})
        prove.check(
            f"what seeps under a wall {share:g} of the layer deep, 128 cells",
            run.readouts["seeps"].value,
            exact,
            "kg/s",
            0.006,
            SOURCE,
            "first order: speed grows without bound at the wall's foot; extrapolated below",
        )
        prove.at_least(
            f"order over three grids, {share:g} deep",
            prove.order(errors),
            0.9,
            "half-power singularity at the wall's foot",
        )
        fine = (
            2 * run.readouts["seeps"].value
            - prove.run(grid=4.0, set={"down": f"{share}*thick"}).readouts["seeps"].value
        )
        prove.check(
            f"the same, both finest grids extrapolated, {share:g} deep",
            fine,
            exact,
            "kg/s",
            0.005,
            SOURCE,
            "engine target",
        )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-9,
        "conservation",
        "engine target",
    )
