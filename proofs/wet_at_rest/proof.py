"""A column at rest above water: pressure falls with height, and each law says how full pores are."""

import numpy as np

SOURCE = "hydrostatics; van Genuchten 1980, Brooks & Corey 1964, Gardner 1958 (laws, from memory)"
TALL, WEIGHT = 0.2, 9810.0

LAWS = {
    None: lambda p: 0.1 + 0.9 * (1 + (p / 1e3) ** 2.5) ** (1 / 2.5 - 1),
    "power law": lambda p: np.maximum(p / 500.0, 1.0) ** -1.5,
    "exponential": lambda p: np.exp(-p / 1e3),
}


def checks(prove):
    heights = (np.arange(20000) + 0.5) / 20000 * TALL
    for name, law in LAWS.items():
        exact = float(law(WEIGHT * heights).mean())
        run, errors = prove.over((0.5, 1.0, 2.0), "wetness", exact, variant=name)
        prove.check(
            f"mean wetness, {name or 'curved'} law, cells of 2 mm",
            run.readouts["wetness"].value,
            exact,
            "",
            0.005,
            SOURCE,
            "engine target",
        )
        prove.at_least(
            f"order over three grids, {name or 'curved'} law",
            prove.order(errors),
            1.0,
            "means of cells",
        )
