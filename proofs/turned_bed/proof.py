"""An anisotropic bed turned by 30 degrees: the drop along the stream and the rise across it, exact, at
rest and through time."""

import numpy as np

SOURCE = "exact: grad p = -mu R(a) diag(1/K1, 1/K2) R(a)^T u"
REASON = "engine target"
SIDE, ALONG, ACROSS, TURN, SPEED, VISCOSITY = 20e-3, 1e-8, 1e-10, np.radians(30), 1e-3, 1e-3


def checks(prove):
    c, s = np.cos(TURN), np.sin(TURN)
    drop = VISCOSITY * (c * c / ALONG + s * s / ACROSS) * SPEED * 2 * SIDE
    rise = -VISCOSITY * c * s * (1 / ALONG - 1 / ACROSS) * SPEED * SIDE / 2
    for grid in (1.0, 2.0, 4.0):
        run = prove.run(grid=grid)
        told = {n: r.value for n, r in run.readouts.items()}
        where = f"{10 * grid:g} cells across"
        prove.check(f"drop, {where}", told["drop"], drop, "Pa", 0.002, SOURCE, REASON)
        prove.check(
            f"rise across the stream, {where}",
            told["high"] - told["low"],
            rise,
            "Pa",
            0.002,
            SOURCE,
            REASON,
        )
        prove.check(
            f"nothing flows across, {where}",
            told["fastest_across"] / SPEED,
            0.0,
            "",
            0.002,
            SOURCE,
            REASON,
        )
