"""Wet fronts in a strip: level, against a weight, with it, and where pores widen as they fill; at three
grids, against the laws of Washburn and Lucas."""

from underkettle.paper.soaking import rising_front

SOURCE = "Lucas 1918, Washburn 1921: the front's own equation, solved exactly"
DRAW, PERMEABILITY, OPEN, VISCOSITY, DENSITY, TIME, WIDE = 2e3, 1e-11, 0.4, 1e-3, 1e3, 60.0, 8e-3


def checks(prove):
    for pull, swells, says in (
        (0.0, 0.0, "level"),
        (-15.0, 0.0, "rising against 15 m/s2"),
        (15.0, 0.0, "sinking with 15 m/s2"),
        (0.0, 0.5, "level, pores half as wide again when full"),
    ):
        room = OPEN * (1 + swells)
        exact = rising_front(DRAW, PERMEABILITY, room, VISCOSITY, TIME, -DENSITY * pull)
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"pull": f"{pull} m/s2", "swells": f"{swells}"})
            prove.check(
                f"{says}: the front, {50 * grid:g} cells along",
                1e-3 * run.readouts["front"].value,
                exact,
                "m",
                0.01 if grid >= 1 else 0.02,
                SOURCE,
                "engine target, twice of it at 25 cells",
            )
        prove.check(
            f"{says}: mass taken up",
            run.readouts["mass"].value,
            DENSITY * room * exact * WIDE,
            "kg",
            0.005,
            SOURCE,
            "engine target",
        )
        prove.closes(
            f"{says}: what came in against what is there",
            run,
            "mass",
            1e-9,
            "conservation",
            "engine target",
        )
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid, variant="at rest")
        prove.check(
            f"at rest against 25 m/s2: mass, {50 * grid:g} cells along",
            run.readouts["mass"].value,
            DENSITY * OPEN * DRAW / (DENSITY * 25.0) * WIDE,
            "kg",
            0.005,
            "Jurin 1718: p/(rho g)",
            "engine target",
        )
