"""Two beds a thousand times apart, in a row and side by side: speeds and flow by Darcy's law."""

SOURCE = "Darcy's law, exact"
REASON = "engine target"
SIDE, LOOSE, TIGHT, PUSH, DENSITY, VISCOSITY = 20e-3, 1e-8, 1e-11, 1e3, 1000.0, 1e-3


def checks(prove):
    speed = [k * PUSH / (VISCOSITY * 2 * SIDE) for k in (LOOSE, TIGHT)]
    beside = DENSITY * sum(speed) * SIDE / 2
    row = DENSITY * SIDE * PUSH / (VISCOSITY * SIDE * (1 / LOOSE + 1 / TIGHT))
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        for what, exact in (("quick", speed[0]), ("slow", speed[1])):
            prove.check(
                f"side by side, the {what} one, {20 * grid:g} cells",
                run.readouts[what].value,
                exact,
                "m/s",
                0.002,
                SOURCE,
                REASON,
            )
        prove.check(
            f"side by side, all, {20 * grid:g} cells",
            run.readouts["passes"].value,
            beside,
            "kg/s",
            0.005,
            SOURCE,
            "shear between them takes its share over the root of the looser permeability, .1 mm",
        )
        run = prove.run(grid=grid, set={"in_a_row": "1"})
        prove.check(
            f"in a row, {20 * grid:g} cells",
            run.readouts["passes"].value,
            row,
            "kg/s",
            0.002,
            SOURCE,
            REASON,
        )
