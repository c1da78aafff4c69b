"""A conductor joined to nothing takes the potential of where it is, and one that is fed its own."""

import numpy as np

FIELD, OFF, A, KAPPA = 50.0, 1.5e-3, 2e-3, 2.0
SOURCE = "a round conductor in an even field, exact: phi = E x (1 - a2/r2); and a line source"


def checks(prove):
    for variant, words in ((None, "floats"), ("fed", "carries 50 mA")):
        run, errors = prove.over((0.5, 1.0, 2.0), "floats_at", FIELD * OFF, variant=variant)
        prove.check(
            f"potential of a rod that {words}, 16 cells a radius",
            run.readouts["floats_at"].value,
            FIELD * OFF,
            "V",
            0.002,
            SOURCE,
            "a round wall that cuts cells",
        )
        prove.at_least("order of it", prove.order(errors), 0.9, "first at least")
        given = 0.05 if variant else 0.0
        prove.check(
            f"current of a rod that {words}",
            run.readouts["through_rod"].value - given,
            0.0,
            "A",
            1e-10,
            "conservation of charge",
            "it is an unknown of the same system",
        )
    run = prove.run(grid=2.0)
    line = run.along_edge("salt", "rod")
    x, i = np.asarray(line["x"]) - OFF, np.asarray(line["flux"])
    swing = float((i * x).sum() / (x**2).sum()) * A
    prove.check(
        "most that passes its surface: twice what passes far away",
        abs(swing),
        2.0 * KAPPA * FIELD,
        "A/m2",
        0.01,
        SOURCE,
        "as the amplitude of a cosine round it",
    )
