"""Developed laminar flow in a pipe and in an annulus, against Hagen-Poiseuille and Lamb."""

import numpy as np

QUICK = True
SOURCE = "Hagen-Poiseuille; Shah & London 1978, f Re = 16 (from memory)"
ANNULUS = "Lamb's solution for the annulus (from memory)"
REASON = "engine target: 0.2 % at 32 cells across"
R, CORE, LENGTH, SPEED, VISCOSITY, DENSITY = 10e-3, 4e-3, 40e-3, 10e-3, 10e-3, 1000.0


def annulus(r):
    """Axial speed over its mean."""
    shape = R**2 - r**2 - (R**2 - CORE**2) * np.log(R / r) / np.log(R / CORE)
    return 2 * shape / (R**2 + CORE**2 - (R**2 - CORE**2) / np.log(R / CORE))


def checks(prove):
    drop = 8 * VISCOSITY * SPEED * LENGTH / R**2
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        errors.append(abs(run.readouts["pressure_drop"].value / drop - 1))
    prove.check(
        "pressure drop, 32 cells across the diameter",
        run.readouts["pressure_drop"].value,
        drop,
        "Pa",
        0.002,
        SOURCE,
        REASON,
    )
    line = run.profile("velocity_x", (LENGTH / 2, 0.0), (LENGTH / 2, R))
    exact = 2 * SPEED * (1 - (line["y"] / R) ** 2)
    prove.check(
        "largest profile error over peak speed",
        float(np.abs(line["value"] - exact).max()) / (2 * SPEED),
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
    prove.check(
        "mass through the whole turn",
        run.readouts["through"].value,
        DENSITY * SPEED * np.pi * R**2,
        "kg/s",
        1e-9,
        "geometry",
        "exact areas",
    )
    ring = prove.run(grid=2.0, variant="annulus")
    line = ring.profile("velocity_x", (LENGTH / 2, CORE), (LENGTH / 2, R))
    prove.check(
        "annulus, largest profile error over peak speed",
        float(np.abs(line["value"] - SPEED * annulus(line["y"])).max())
        / (SPEED * annulus(line["y"]).max()),
        0.0,
        "",
        0.002,
        ANNULUS,
        REASON,
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
