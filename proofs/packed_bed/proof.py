"""Drop of a bed of grains against Ergun's relation, from creeping to inertial, at three grids, and in
time against at rest."""

from underkettle.paper.ducts import ergun_drop

QUICK = True
SOURCE = "Ergun 1952, Chem. Eng. Prog. 48"
REASON = "engine target"
LENGTH, GRAIN, OPEN, DENSITY, VISCOSITY = 40e-3, 3e-3, 0.4, 1000.0, 1e-3


def checks(prove):
    for speed, words in ((1e-3, "creeping"), (0.1, "between"), (1.0, "inertial")):
        exact = ergun_drop(DENSITY, VISCOSITY, speed, LENGTH, GRAIN, OPEN)
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"speed": f"{speed} m/s"})
            prove.check(
                f"drop, {words}, {10 * grid:g} cells across",
                run.readouts["drop"].value,
                exact,
                "Pa",
                0.002,
                SOURCE,
                REASON,
            )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
