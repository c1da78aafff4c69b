"""Turbulent flow between plates: what the model makes of it with walls resolved and by their law."""

SOURCE = (
    "the same model in one dimension, 60 even cells and 5 % growth beyond (grid doubling: .04 %)"
)
MEAN, MIDDLE = {395: 17.27, 2000: 21.40, 10000: 25.41}, {395: 19.48}
EVEN = {395: (13, 20, 40), 2000: (13, 20, 60), 10000: (40, 150)}  # cells across


def checks(prove):
    run = prove.run(set={"retau": "395", "cells": "60", "first": "0.0025 m"})
    prove.check(
        "speed in the middle, walls resolved, Re_tau 395",
        run.readouts["middle"].value,
        MIDDLE[395],
        "m/s",
        0.03,
        SOURCE,
        "engine target: 3 %; direct simulation about 20.1 (Moser, Kim & Mansour 1999, from memory)",
    )
    prove.check(
        "y+ of the first cell there",
        run.readouts["reach"].value,
        0.5,
        "",
        0.5,
        "the law of the wall",
        "resolved: below 1",
    )
    for retau, grids in EVEN.items():
        for cells in grids:
            run = prove.run(set={"retau": str(retau), "cells": str(cells)})
            prove.check(
                f"mean speed, Re_tau {retau}, first cell at y+ {retau / cells:.0f}",
                run.readouts["mean_speed"].value,
                MEAN[retau],
                "m/s",
                0.02,
                SOURCE,
                "engine target: 4 %",
            )
