"""What a step or a pulse of tracer tells: the mean stay, its deviation and the spreading that made it,
in a bed that spreads on the way and in three stirred tanks in a row."""

from math import exp, sqrt

from underkettle.paper.stay import dispersion_variance
from underkettle.reading.stay import peclet_of

SOURCE = "Levenspiel & Smith 1957: closed at both ends; variances of what lies in a row add"
LONG, TANK, GAP, OPEN, SPEED, REACH, SHOT = 0.2, 0.06, 0.01, 0.4, 1e-3, 0.02, 4.0
REASON = "targets of the readouts: mean .5 %, deviation 1 %, spreading 2.5 %"


def checks(prove):
    stay = LONG * OPEN / SPEED
    for name, late, shot in ((None, 0.0, 0.0), ("pulse", SHOT / 2, SHOT**2 / 12)):
        says, exact = name or "step", dispersion_variance(stay, LONG / REACH)
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, variant=name)
            mean = run.readouts["stay"].value - late
            variance = run.readouts["deviation"].value ** 2 - shot
            prove.check(
                f"{says}: mean stay in a bed, {100 * grid:g} cells",
                mean,
                stay,
                "s",
                0.005,
                SOURCE,
                REASON,
            )
            prove.check(
                f"{says}: its deviation, {100 * grid:g} cells",
                sqrt(variance),
                sqrt(exact),
                "s",
                0.01,
                SOURCE,
                REASON,
            )
        prove.check(
            f"{says}: spreading along the stream, recovered from the tracer",
            LONG / peclet_of(variance / mean**2),
            REACH,
            "m",
            0.025,
            SOURCE,
            REASON,
        )
    stirred, mixed = TANK * OPEN / SPEED, TANK / 3.0
    one = stirred**2 * (2 / mixed - 2 / mixed**2 * (1 - exp(-mixed)))
    run = prove.run(variant="stirred")
    prove.check(
        "three tanks: mean stay", run.readouts["stay"].value, stay, "s", 0.005, SOURCE, REASON
    )
    prove.check(
        "three tanks: deviation",
        run.readouts["deviation"].value,
        sqrt(3 * one),
        "s",
        0.01,
        SOURCE,
        REASON,
    )
    prove.check(
        "three tanks, and what lies between them: tanks in series that would do the same",
        run.readouts["tanks"].value,
        stay**2 / (3 * one),
        "",
        0.02,
        SOURCE,
        REASON,
    )
