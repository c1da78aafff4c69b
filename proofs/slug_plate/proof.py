"""A uniform stream over a wet plate: penetration theory."""

import numpy as np

SOURCE = "Sh_x = (Re_x Sc / pi)^(1/2), exact for a uniform stream without spreading along it"
PLATE, SPEED, DIFFUSIVITY = 0.1, 0.2, 2.5e-5


def checks(prove):
    exact = 2 * DIFFUSIVITY * np.sqrt(SPEED * PLATE / (np.pi * DIFFUSIVITY)) * 1e6
    run, errors = prove.over((0.5, 0.75, 1.0), "taken_up", exact)
    prove.check(
        "taken up by the stream",
        run.readouts["taken_up"].value,
        exact,
        "umol/s",
        0.01,
        SOURCE,
        "engine target: 1 %; spreading along the stream matters at Pe^-1/2",
    )
    prove.at_least(
        "finer is not worse (coarsest error over finest)", errors[0] / errors[-1], 0.8, SOURCE
    )
    prove.closes(
        "taken up against carried out",
        run,
        "vapour",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
