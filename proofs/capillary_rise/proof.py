"""A liquid between two plates that draw it up (Jurin 1718, of a slot)."""

SOURCE = "weight of what is lifted against 2 sigma cos(theta) a length of both walls, exact"


def checks(prove):
    for angle in (60, 30):
        for grid in (0.5, 1.0):
            run = prove.run(grid=grid, variant=None if angle == 60 else str(angle))
            prove.check(
                f"liquid between plates, {angle} degrees, {16 * grid:.0f} cells from one to the other",
                run.readouts["stands"].value,
                2.0,
                "m",
                1e-2 if grid == 1.0 else 2e-2,
                SOURCE,
                "target of earlier trials of this method",
            )
            prove.closes(f"volume, {angle} degrees", run, "liquid", 1e-8, "conservation", "")
