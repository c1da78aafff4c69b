"""Effectiveness of a slab by its Thiele modulus, first order."""

import numpy as np

SOURCE = "Thiele 1939: tanh(phi) / phi, exact"
THICK, SPREADS = 1e-3, 1e-9


def checks(prove):
    for modulus in (0.3, 1.0, 3.0, 10.0):
        exact, errors = np.tanh(modulus) / modulus, []
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, set={"modulus": str(modulus)})
            whole = modulus**2 * SPREADS / THICK**2 * run.case.mesh.volume.sum()
            errors.append(abs(run.readouts["taken_up"].value / whole / exact - 1))
        prove.check(
            f"effectiveness at a modulus of {modulus:g}, 80 cells",
            run.readouts["taken_up"].value / whole,
            exact,
            "",
            3e-3,
            SOURCE,
            "second order in the cell's length",
        )
        prove.at_least(
            f"order over three grids, {modulus:g}", prove.order(errors), 1.8, "as diffusion"
        )
