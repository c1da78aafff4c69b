"""Friction and heat transfer of a turbulent pipe that a stream enters, far downstream."""

import numpy as np

from underkettle.paper.ducts import friction_factor
from underkettle.paper.exchange import gnielinski

RADIUS, SPEED, FLUX, INLET = 20e-3, 10.0, 1000.0, 300.0
DENSITY, CAPACITY = 1.2, 1000.0
CASES = ((1e4, 0.7, 12), (1e5, 0.7, 12), (1e5, 0.7, 24), (1e5, 0.7, 48), (1e5, 7.0, 24))


def checks(prove):
    for reynolds, prandtl, cells in CASES:
        run = prove.run(
            set={"reynolds": f"{reynolds:g}", "prandtl": f"{prandtl:g}", "cells": str(cells)}
        )
        wall = run.along_edge("heat", "wall")
        near = np.abs(wall["x"] - 72 * RADIUS) < 2 * RADIUS
        bulk = INLET + FLUX * 2 * wall["x"] / (RADIUS * DENSITY * SPEED * CAPACITY)
        over = float(np.mean((wall["value"] - bulk)[near]))
        conducts = DENSITY * SPEED * 2 * RADIUS / reynolds * CAPACITY / prandtl
        number = FLUX * 2 * RADIUS / conducts / over
        what = f"Re {reynolds:g}, Pr {prandtl:g}, {cells} cells a radius"
        expected = gnielinski(reynolds, prandtl)
        prove.check(
            f"Nu, {what}",
            number,
            expected,
            "",
            0.06,
            "Gnielinski 1976, from memory",
            "engine target: 6 % with Kays' turbulent Prandtl number",
        )
        fall = run.readouts["here"].value - run.readouts["there"].value
        factor = fall / 24 * 4 / (DENSITY * SPEED**2)
        colebrook = friction_factor(reynolds)
        model = {1e4: 1.074, 1e5: 1.023}[reynolds]
        prove.check(
            f"friction factor, {what}",
            factor,
            model * colebrook,
            "",
            0.03,
            "the same model, resolved in one dimension, over Colebrook 1939",
            "engine target: 3 %",
        )
    prove.closes(
        "heat in against heat out",
        run,
        "heat",
        1e-9,
        "conservation",
        "engine target for steady runs",
    )
