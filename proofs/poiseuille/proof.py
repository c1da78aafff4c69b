"""Developed laminar flow between plates, against the parabola and 12 mu u L / h^2."""

import numpy as np

QUICK = True
SOURCE = "Poiseuille's solution between plates; Shah & London 1978, f Re = 24 (from memory)"
REASON = "engine target: 0.2 % at 32 cells across"
GAP, LENGTH, SPEED, VISCOSITY = 10e-3, 40e-3, 10e-3, 10e-3


def checks(prove):
    drop = 12 * VISCOSITY * SPEED * LENGTH / GAP**2
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(abs(run.readouts["pressure_drop"].value / drop - 1))
    prove.check(
        "pressure drop, 32 cells across",
        run.readouts["pressure_drop"].value,
        drop,
        "Pa",
        0.002,
        SOURCE,
        REASON,
    )
    line = run.profile("velocity_x", (LENGTH / 2, 0.0), (LENGTH / 2, GAP))
    exact = 6 * SPEED * line["y"] / GAP * (1 - line["y"] / GAP)
    prove.check(
        "largest profile error over peak speed, 32 cells across",
        float(np.abs(line["value"] - exact).max()) / (1.5 * SPEED),
        0.0,
        "",
        0.002,
        SOURCE,
        REASON,
    )
    prove.at_least(
        "order of the pressure drop over three grids",
        prove.order(errors),
        1.8,
        "second-order differences",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
