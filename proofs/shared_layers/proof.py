"""A slab gives a solute to the fluid around it: at rest, carried on, used up there, and hindered."""

from math import erf, exp, pi, sqrt

import numpy as np

QUICK = True
FACES, SLAB, REST = 0.25, 0.063425, 0.061575  # m2 of both together; m3
INNER, OUTER, PARTITION, TIME = 1e-3, 4e-3, 3.0, 2.0
LAYERS = "Crank 1975, two half spaces with a partition between them"


def crosses():
    """mol that half spaces pass: 2 c sqrt(D t/pi) / (m + sqrt(D2/D1))."""
    rest = 1.0 / (PARTITION + sqrt(OUTER / INNER))
    return 2.0 * FACES * rest * sqrt(OUTER * TIME / pi)


def taken_up(spread, rate, time):
    """mol that a still fluid takes up and uses up, its surface held at 1 mol/m3 (Danckwerts 1950)."""
    kt = rate * time
    return FACES * sqrt(spread / rate) * ((kt + 0.5) * erf(sqrt(kt)) + sqrt(kt / pi) * exp(-kt))


def checks(prove):
    for variant, within in ((None, (2.5e-2, 1e-2, 4e-3)), ("carried", (8e-2, 2.5e-2, 6e-3))):
        errors = []
        for grid, most in zip((1.0, 2.0, 4.0), within, strict=True):
            run = prove.run(grid=grid, variant=variant)
            words = f"{variant or 'at rest'}, {32 * grid:g} cells"
            given = run.readouts["given"].value
            errors.append(abs(given / crosses() - 1.0))
            prove.check(
                f"what the slab gave, {words}", given, crosses(), "mol", most, LAYERS,
                "few cells in the layer, of .08 m",
            )  # fmt: skip
            prove.closes(f"dye, {words}", run, "dye", 1e-8, "conservation", "")
        prove.at_least(
            f"order, {variant or 'at rest'}", prove.order(errors), 1.2, "second in space"
        )
    run = prove.run(variant="kept", grid=2.0)
    held = np.asarray(run.field("dye_in_first", -1))
    held = held[np.isfinite(held)]
    prove.check(
        "what may not cross stays even, carried on", float(np.abs(held - 1.0).max()), 0.0, "mol/m3",
        1e-9, "conservation", "",
    )  # fmt: skip
    prove.check(
        "and none of it crosses", run.readouts["given"].value, 0.0, "mol", 1e-15, "conservation", ""
    )
    for grid, most in ((2.0, 4e-2), (4.0, 1e-2)):
        run = prove.run(variant="used up", grid=grid)
        went = 1000.0 * SLAB - run.readouts["left"].value
        prove.check(
            f"taken up and used up, {32 * grid:g} cells", went, taken_up(1e-3, 1.0, TIME), "mol", most,
            "Danckwerts 1950", "layer of .03 m",
        )  # fmt: skip
    run = prove.run(variant="hindered")
    rate = 0.05 * FACES * (1.0 / (PARTITION * SLAB) + 1.0 / REST)
    rest = SLAB * REST / (PARTITION * SLAB + REST)
    prove.check(
        "what an interface lets through that hinders it", run.readouts["given"].value,
        rest * (1.0 - exp(-rate * TIME)), "mol", 1e-2, "two stirred tanks", "first order in time",
    )  # fmt: skip
