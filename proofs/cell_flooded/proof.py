"""Liquid that creeps out of a porous layer as fast as it is made behind it."""

import numpy as np

TENSION, THICKNESS, PER_MOLE = 0.0626, 3.54e-4, 972.0 / 0.018015  # N/m, Pa s, mol/m3 of water
POROSITY, LAYER, AREA = 0.7, 2e-4, 1e-5
GRIDS = (1, 2, 4)
SOURCE = "Leverett's function with a cubic ease (Udell 1985), by quadrature"


def filled(flux, permeability):
    """Mean share of a layer that is filled at a flux (mol/(m2 s)) which is the same all along."""
    pressed = TENSION * -np.cos(np.radians(110.0)) * np.sqrt(POROSITY / permeability)
    seeps = PER_MOLE * permeability / THICKNESS
    s = np.linspace(0.0, 0.9, 200001)
    rises = 1.417 - 4.24 * s + 3.789 * s**2
    per = seeps * pressed * (s + 1e-3) ** 3 * rises / flux  # m per share
    x = np.concatenate([[0.0], np.cumsum(0.5 * (per[1:] + per[:-1]) * np.diff(s))])
    inside = x <= LAYER
    return float(np.interp(np.linspace(0.0, LAYER, 20001), x[inside], s[inside]).mean())


def checks(prove):
    for variant, words, permeability in ((None, "1e-13 m2", 1e-13), ("tight", "1e-14 m2", 1e-14)):
        runs = [prove.run(grid=g, variant=variant) for g in GRIDS]
        made = sum(runs[-1].readouts[n].value for n in ("coat_makes", "layer_makes"))
        exact = filled(made / AREA, permeability)
        errors = [abs(r.readouts["filled"].value / exact - 1.0) for r in runs]
        prove.check(
            f"share of pores filled, {words}",
            runs[-1].readouts["filled"].value,
            exact,
            "",
            0.02,
            SOURCE,
            "cells of 5 um; some condenses in the first micrometres of the layer",
        )
        prove.at_least(f"order, {words}", prove.order(errors), 0.8, SOURCE)
        for name in ("cell_charge", "water"):
            prove.closes(name, runs[-1], name, 1e-8, "conservation", "one solve")
