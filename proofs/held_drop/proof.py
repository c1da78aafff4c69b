"""A drop that its wall holds between two angles, drawn along it: what it bears before it slides."""

SOURCE = (
    "balance of forces on a drop as wide as it is at rest, density x pull x area = tension x "
    "(cos receding - cos advancing) (Furmidge 1962, for a drop in the plane)"
)


def checks(prove):
    for turn in (0, 20):
        speeds = {}
        for share in (0.8, 1.25):
            run = prove.run(set={"turn": f"{turn} deg", "share": f"{share}"})
            speeds[share] = run.readouts["speed"].value
            prove.closes(
                f"volume, {turn} degrees, {share}", run, "liquid", 1e-9, "conservation", ""
            )
        prove.at_least(
            f"speed beyond what it bears by a quarter, mm/s, wall at {turn} degrees",
            speeds[1.25],
            2.0,
            SOURCE,
        )
        prove.check(
            f"speed at .8 of what it bears, over that, wall at {turn} degrees",
            speeds[0.8] / speeds[1.25],
            0.0,
            "",
            0.02,
            SOURCE,
            "it should rest: what is left is what cells let pass",
        )
