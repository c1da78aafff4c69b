"""Drag on rods in an endless square array, at Reynolds numbers near zero."""

SOURCE = "Sangani & Acrivos 1982, Int. J. Multiphase Flow 8, table for square arrays (from memory)"
DRAG = {"0.05": 15.56, "0.2": 51.53, "0.4": 217.89}  # force per length over viscosity and speed
VISCOSITY, SIDE, FALL = 1.0, 1e-3, 0.01


def drag(run, solid):
    """Force on a metre of rod, which is what pressure does to a cell, over viscosity times the
    speed through the whole cell.
    """
    mean = run.readouts["mean_speed"].value * (1 - float(solid))
    return FALL * SIDE / (VISCOSITY * mean)


def checks(prove):
    for solid, published in DRAG.items():
        found = {}
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"solid": solid})
            found[grid] = drag(run, solid)
        prove.check(
            f"drag where rods fill {float(solid):.0%}, 64 cells a side",
            found[2.0],
            published,
            "",
            0.01,
            SOURCE,
            "cut walls are first order with a small constant; the target for cut "
            "channels is .4 % at 29 cells across a gap",
        )
        prove.check(
            f"the same on half the cells, {float(solid):.0%}",
            found[1.0],
            published,
            "",
            0.02,
            SOURCE,
            "twice as coarse",
        )
    thin = prove.run(set={"solid": "0.05"})
    prove.check(
        "force on a thin rod by the balance around it, against the fall of pressure",
        thin.readouts["drag"].value,
        FALL * SIDE,
        "N",
        1e-6,
        "balance of forces",
        "engine target for steady runs",
    )
