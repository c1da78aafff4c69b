"""A pulse in plug flow: carried at the stream's speed, spread as 2 D t, bounded, nothing lost."""

import numpy as np

QUICK = True
SPEED, SPAN, MIDDLE, HALF, TOP, TIME, D = 10e-3, 0.1, 25e-3, 6e-3, 10.0, 4.0, 1e-6
SOURCE = "Gaussian solution of convection and diffusion on a line"


def exact(x):
    width = np.sqrt(HALF**2 + 4 * D * TIME)
    return TOP * HALF / width * np.exp(-(((x - MIDDLE - SPEED * TIME) / width) ** 2))


def checks(prove):
    errors = []
    for grid in (1.0, 2.0, 4.0):
        run = prove.run(grid=grid)
        line = run.profile("tracer", (0.0, 2.5e-3), (SPAN, 2.5e-3))
        wanted = exact(line["x"])
        errors.append(float(np.abs(line["value"] - wanted).sum() / wanted.sum()))
    prove.check(
        "profile error, 400 cells along (share of the pulse)",
        errors[-1],
        0.0,
        "",
        0.01,
        SOURCE,
        "limiting clips the top: half a per cent with 24 cells a half width",
    )
    prove.at_least(
        "order of the profile over three grids",
        prove.order(errors),
        1.5,
        "limiting at the top costs half an order of the second",
    )
    weight = line["value"].sum()
    centre = float((line["value"] * line["x"]).sum() / weight)
    spread = float((line["value"] * (line["x"] - centre) ** 2).sum() / weight)
    prove.check(
        "place of the middle",
        centre * 1e3,
        (MIDDLE + SPEED * TIME) * 1e3,
        "mm",
        0.002,
        SOURCE,
        "carried exactly",
    )
    prove.check(
        "variance",
        spread * 1e6,
        (HALF**2 / 2 + 2 * D * TIME) * 1e6,
        "mm2",
        0.01,
        SOURCE,
        "Fick's law",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "tracer",
        1e-9,
        "conservation",
        "round-off over all steps",
    )
    square = prove.run(grid=1.0, variant="square")
    held = square.field("tracer")  # the cells themselves: a readout sees peaks between them, too
    over = max(float(np.nanmax(held)) - TOP, -float(np.nanmin(held)), 0.0)
    prove.check(
        "overshoot of a square pulse over its height",
        over / TOP,
        0.0,
        "",
        1e-9,
        "maximum principle",
        "convection is bounded; round-off is allowed",
    )
    prove.closes(
        "square pulse, mass in against mass out",
        square,
        "tracer",
        1e-9,
        "conservation",
        "round-off over all steps",
    )
