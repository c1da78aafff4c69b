"""A pipe, and plates, that a stream enters as it comes from a long duct: it goes on as it came, where
an even stream takes many diameters to become so.
"""

from underkettle.paper.ducts import friction_drop, friction_factor

SOURCE = "Darcy & Weisbach with Colebrook 1939"
OWN = "walls by their law are held to 4 %, and the model's own profile differs by 2 % from this one"
KEEPS = "it comes as it would go on"
GRIDS = (0.5, 0.71, 1.0)
DENSITY, VISCOSITY, SPEED, RADIUS = 1.2, 18e-6, 15.0, 0.05


def drops(run):
    """Fall of pressure (Pa) over eight radii, near the mouth and further on."""
    at = {name: readout.value for name, readout in run.readouts.items()}
    return at["at_first"] - at["then"], at["then"] - at["at_last"]


def checks(prove):
    for name, wide, settings in (
        ("pipe", 2 * RADIUS, {}),
        ("pipe, realizable", 2 * RADIUS, {"variant": "realizable"}),
        ("plates", 2 * RADIUS, {"variant": "plates"}),
    ):
        factor = friction_factor(DENSITY * SPEED * wide / VISCOSITY)
        published = friction_drop(DENSITY, SPEED, 8 * RADIUS, wide, factor)
        for grid in GRIDS:
            run = prove.run(grid=grid, **settings)
            first, then = drops(run)
            prove.check(
                f"{name}, grid {grid:g}: fall of pressure from one diameter on",
                first,
                published,
                "Pa",
                0.06,
                SOURCE,
                OWN,
            )
            prove.check(
                f"{name}, grid {grid:g}: the same further on",
                then,
                first,
                "Pa",
                0.06,
                KEEPS,
                OWN,
            )
            if name == "plates":
                continue
            enters, leaves = (run.readouts[n].value for n in ("enters", "leaves"))
            prove.check(
                f"{name}, grid {grid:g}: speed in the middle where it leaves",
                leaves,
                enters,
                "m/s",
                0.03,
                KEEPS,
                OWN,
            )
    first, then = drops(prove.run(variant="uniform"))
    prove.at_least(
        "fall near the mouth over that further on where the stream comes in evenly",
        first / then,
        1.15,
        "entrances of ducts take more",
    )
