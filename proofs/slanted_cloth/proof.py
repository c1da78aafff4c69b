"""A cloth all across a duct, straight and at 17, 30 and 45 degrees to the grid, at three grids: what
passes it and what that takes. The speed across a slanted cloth is that along the duct by its cosine."""

from math import cos, radians

SOURCE = "Darcy 1856: mu d/K times the speed straight across"
REASON = "engine target: within 2 % at any angle"
VISCOSITY, THICK, PERMEABILITY, SPEED = 10e-3, 1e-3, 1e-10, 10e-3


def checks(prove):
    for angle in (0.0, 17.0, 30.0, 45.0):
        exact = VISCOSITY * THICK / PERMEABILITY * SPEED * cos(radians(angle))
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"turned": f"{angle} deg"})
            prove.check(
                f"drop at {angle:g} degrees, {20 * grid:g} cells across",
                run.readouts["drop"].value,
                exact,
                "Pa",
                0.02,
                SOURCE,
                REASON,
            )
        prove.check(
            f"what passes at {angle:g} degrees",
            run.readouts["passes"].value,
            1000.0 * SPEED * 20e-3,
            "kg/s",
            1e-6,
            "conservation",
            REASON,
        )
