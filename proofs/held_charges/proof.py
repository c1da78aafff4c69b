"""Capacitances of spheres and of tubes, what a conductor with a charge floats at, and energy."""

import numpy as np

QUICK = True
VACUUM, INNER, OUTER, COAT, ACROSS, GLASS = 8.8541878128e-12, 4e-3, 10e-3, 6e-3, 1e3, 5.0
SOURCE = "Gauss's law between spheres and tubes of one middle, exact"
SPHERES = 4.0 * np.pi * VACUUM / (1.0 / INNER - 1.0 / OUTER)
TUBES = 2.0 * np.pi * VACUUM / np.log(OUTER / INNER)
COATED = 2.0 * np.pi * VACUUM / (np.log(COAT / INNER) / GLASS + np.log(OUTER / COAT))


def checks(prove):
    for variant, exact, aim in (
        (None, SPHERES, 0.002),
        ("tubes", TUBES, 0.002),
        ("coated", COATED, 0.02),
    ):
        run, errors = prove.over((0.5, 1.0, 2.0), "holds", exact, variant=variant)
        prove.check(
            f"capacitance, {variant or 'spheres'}, 16 cells to the inner radius",
            run.readouts["holds"].value,
            exact,
            "F",
            aim,
            SOURCE,
            "round walls that cut cells"
            if variant != "coated"
            else "where matter meets within a cell, the cell is of one of both",
        )
        prove.at_least(f"order, {variant or 'spheres'}", prove.order(errors), 0.9, "first at least")
        prove.check(
            f"energy over half of charge times voltage, {variant or 'spheres'}",
            run.readouts["energy"].value / (0.5 * run.readouts["charge"].value * ACROSS),
            1.0,
            "",
            1e-9,
            "energy of the field, exact",
            "what cells hold sums to what conductors were charged with",
        )
        prove.closes(
            f"charge, {variant or 'spheres'}",
            run,
            "electric_flux",
            1e-10,
            "Gauss's law",
            "one solve",
        )
    run = prove.run(variant="floating", grid=2.0)
    prove.check(
        "what a sphere with 1 nC floats at, 16 cells to its radius",
        run.readouts["floats_at"].value,
        1e-9 / SPHERES,
        "V",
        0.002,
        SOURCE,
        "a round wall that cuts cells",
    )
    prove.check(
        "its charge",
        run.readouts["charge"].value,
        1e-9,
        "C",
        1e-10,
        "it is told",
        "an unknown of the same system",
    )
