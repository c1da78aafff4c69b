"""Friction of a turbulent layer on a flat plate, walls by their law, at three first cells."""

import numpy as np

SOURCE = "Schlichting (from memory): c_f = .0592 Re_x^(-1/5), from the profile with the power 1/7"
NU = 2e-7
PLACES = (0.5, 0.7, 0.9)  # m from the leading edge: Re 2.5e6 to 4.5e6


def stress(run):
    """Along the plate: where (m from its edge), the stress (Pa), and the length that has it (m)."""
    x = run.case.grid.x
    middle = 0.5 * (x[1:] + x[:-1])
    on = middle > 0
    return middle[on], run.field("friction_speed")[0][on] ** 2, np.diff(x)[on]


def checks(prove):
    for first in ("0.3 mm", "0.6 mm", "0.02 mm"):
        run = prove.run(set={"first": first})
        x, told, lengths = stress(run)
        found = np.interp(PLACES, x, 2 * told)
        drag = run.readouts["drag"].value
        prove.check(
            f"drag of the plate, over the stress told along it, first cell {first}",
            drag,
            float((told * lengths).sum()),
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
