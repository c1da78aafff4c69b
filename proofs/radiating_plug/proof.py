"""Burnt gas that radiates and makes NO on its way, against plug flow by an independent integrator."""

import numpy as np
from scipy.integrate import solve_ivp

from underkettle.matter.burnt import Streams, burnt
from underkettle.matter.gases import read_gas

SOURCE = "plug flow by an independent integrator to 1e-10, with the same properties of the gas"
FAR, SECTION, FLOW, SHARE = 2.0, 0.025, 0.1, 0.05


def exact():
    """Heat lost (J/kg), NO (kg/kg) and temperature (K) at the end."""
    table = burnt(Streams(read_gas("CH4"), read_gas("air"), 298.15, 298.15, 101325.0, 0.5, 298.15))

    def slope(_, y):
        volume, radiates, made, back, most = table.look(
            ["volume", "radiates", "nitric", "nitric_back", "NO"], SHARE, 0.0, y[0]
        )
        x = y[1] / (most * 0.0300061)
        nitric = 2 * 0.0300061 * made * (1 - x * x) / (1 + x * back)
        dwell = SECTION / (FLOW * volume)  # s for a metre
        return [dwell * radiates, dwell * nitric]

    end = solve_ivp(slope, (0.0, FAR), [0.0, 0.0], "LSODA", rtol=1e-10, atol=[1e-3, 1e-16]).y[:, -1]
    return *end, float(table.look(["temperature"], SHARE, 0.0, end[0])[0])


def checks(prove):
    lost, nitric, warm = exact()
    errors = []
    for cells in (20, 40, 80):
        run = prove.run(set={"cells": str(cells)})
        errors.append(abs(run.readouts["lost"].value / lost - 1))
        told = run.readouts
        prove.check(
            f"heat lost over heat radiated, {cells} cells along",
            run.balance["heat_lost"]["out"] / run.balance["heat_lost"]["given"]["flame"],
            1.0,
            "",
            1e-8,
            "conservation of energy",
            "engine target: 1e-8",
        )
    prove.check("heat lost, 80 cells along", told["lost"].value, lost, "J/kg", 5e-3, SOURCE, "grid")
    prove.check("leaves at, 80 cells along", told["leaves"].value, warm, "K", 2e-3, SOURCE, "grid")
    prove.check("NO, 80 cells along", told["made"].value, nitric, "kg/kg", 2e-2, SOURCE, "grid")
    prove.at_least("order over three grids", prove.order(errors), 1.0, "steep at the inlet")
    assert np.isfinite(errors).all()
