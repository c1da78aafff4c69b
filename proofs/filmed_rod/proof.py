"""A rod with a film in a ring, from all in the film to all in what spreads: walls that cut cells."""

import numpy as np

SOURCE = "radial diffusion through a film: 2 pi D / (ln(R/r) + D/(k r)); exact"
RADIUS, OUTER, DIFFUSIVITY, SPEED = 5e-3, 20e-3, 1e-5, 1e-3
LEVELS = ((1e-5, "all in the film"), (1e-3, "both matter"), (1.0, "all in what spreads"))
GRIDS = (0.5, 1.0, 2.0)
REASON = "of second order in the cell; cells of 0.5 mm, a tenth of the radius"


def used(speed):
    """mol/s that a metre of the rod uses up."""
    return 2.0 * np.pi * DIFFUSIVITY / (np.log(OUTER / RADIUS) + DIFFUSIVITY / (speed * RADIUS))


def checks(prove):
    for speed, name in LEVELS:
        exact, given = used(speed), {"speed": f"{speed:g} m/s"}
        run, errors = prove.over(GRIDS, "used", exact, set=given)
        prove.check(
            f"{name}: used up",
            run.readouts["used"].value,
            exact,
            "mol/s",
            0.005,
            SOURCE,
            REASON,
        )
        prove.at_least(
            f"{name}: finer is nearer (coarsest error over finest)",
            errors[0] / max(errors[-1], 1e-9),
            2.0,
            SOURCE,
        )
        given = {"times": f"{speed / SPEED:g}"}
        run, errors = prove.over(GRIDS, "used", exact, variant="named", set=given)
        prove.check(
            f"{name}, as a reaction: used up",
            run.readouts["used"].value,
            exact,
            "mol/s",
            0.005,
            SOURCE,
            "what is left beside the wall is looked for from the middle of one cell",
        )
        prove.at_least(
            f"{name}, as a reaction: finer is nearer (coarsest error over finest)",
            errors[0] / max(errors[-1], 1e-9),
            2.0,
            SOURCE,
        )
