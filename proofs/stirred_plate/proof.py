"""Friction of a turbulent layer on a flat plate, walls by their law, at three first cells."""

import numpy as np

SOURCE = "Schlichting (from memory): c_f = .0592 Re_x^(-1/5), from the profile with the power 1/7"
NU = 2e-7
PLACES = (0.5, 0.7, 0.9)  # m from the leading edge: Re 2.5e6 to 4.5e6


def friction(run):
    """Friction coefficients at the places."""
    grid = run.case.grid
    x = 0.5 * (grid.x[1:] + grid.x[:-1])
    return np.interp(PLACES, x, 2 * run.field("friction_speed")[0] ** 2)


def stress(run):
    """What the friction speed says that the plate is dragged with (N per m of depth)."""
    grid = run.case.grid
    middle = 0.5 * (grid.x[1:] + grid.x[:-1])
    on = middle > 0
    return float((run.field("friction_speed")[0] ** 2 * np.diff(grid.x))[on].sum())


def checks(prove):
    for first in ("0.3 mm", "0.6 mm", "0.02 mm"):
        run = prove.run(set={"first": first})
        found = friction(run)
        drag, told = run.readouts["drag"].value, stress(run)
        prove.check(
            f"drag of the plate, over the stress told along it, first cell {first}",
            drag,
            told,
            "N",
            0.02,
            "the same force, summed from the friction speed",
            "what tells both is not the same",
        )
        if first != "0.02 mm":  # a layer that is resolved is weaker at the nose, where it begins
            prove.check(
                f"drag of the plate over half its speed squared, first cell {first}",
                2 * drag,
                0.074 * (1.0 / NU) ** -0.2,
                "",
                0.05,
                "the same, from the leading edge on: .074 Re^(-1/5)",
                "engine target: 5 %",
            )
        for place, ours in zip(PLACES, found, strict=True):
            prove.check(
                f"friction coefficient at Re {place / NU:.2g}, first cell {first}",
                float(ours),
                0.0592 * (place / NU) ** -0.2,
                "",
                0.05,
                SOURCE,
                "engine target: 5 %",
            )
