"""A couple in a still liquid at a flat electrode: after a step, at the limit, at rest, at a current."""

import numpy as np

FARADAY, GAS, T = 96485.33212331, 8.31446261815324, 298.15
D, C, AREA, LENGTH = 1e-9, 1.0, 1e-6, 1e-3
GRIDS = (1, 2)


def checks(prove):
    errors = []
    for grid in GRIDS:
        patch = {"stages": {"go": {"longest_step": f"{40 / grid**2} ms"}}}
        prove.case = prove.case | {
            "stages": {"go": prove.case["stages"]["go"] | patch["stages"]["go"]}
        }
        run = prove.run(grid=grid)
        t, i = run.history("current")
        exact = FARADAY * C * np.sqrt(D / (np.pi * t)) * AREA
        late = t > 0.6
        errors.append(float(np.abs(i / exact - 1.0)[late].max()))
    prove.check(
        "current from .6 s to 2 s after a step, furthest off",
        errors[-1],
        0.0,
        "",
        0.01,
        "Cottrell 1903: nFc sqrt(D/(pi t))",
        "cells of 4 um, steps of 10 ms",
    )
    order = prove.order(errors)
    prove.at_least("order as cells are halved and steps quartered", order, 0.9, "Cottrell 1903")
    passed = float((i * np.diff(t, prepend=0.0)).sum()) / FARADAY
    used = -run.balance["ferro"]["given"]["charge"]
    prove.check(
        "substance used up, over what passed",
        used / passed,
        1.0,
        "",
        1e-8,
        "Faraday 1834",
        "step by step",
    )
    run = prove.run(variant="limit")
    prove.check(
        "limiting current through a still layer",
        run.readouts["current"].value,
        FARADAY * D * C / LENGTH * AREA,
        "A",
        1e-6,
        "nFDc/L, less what .5 V leaves",
        "a straight profile, exact on any grid",
    )
    run = prove.run(variant="rest")
    prove.check(
        "voltage at which nothing passes",
        run.readouts["voltage"].value,
        GAS * T / FARADAY * np.log(0.1),
        "V",
        1e-9,
        "Nernst 1889: RT/F ln(ox/red)",
        "an edge that floats",
    )
    run = prove.run(variant="drained")
    t, _ = run.history("current")
    i = 2e-6 / AREA
    prove.check(
        "time until a current that is told has used up what is at the electrode",
        float(t[-1]),
        np.pi * D * (FARADAY * C / (2 * i)) ** 2,
        "s",
        0.01,
        "Sand 1901: pi D (nFc/2i)^2",
        "cells of 8 um, steps of 5 ms",
    )
