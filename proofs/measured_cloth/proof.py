"""A mat of which three drops were measured (60 u + 150 u^2, in Pa and m/s): what is computed at these
speeds and between them, at three grids (Forchheimer's law)."""

SOURCE = "Forchheimer 1901: the drop as measured"
REASON = "engine target"


def checks(prove):
    for speed in (0.1, 0.3, 0.4):
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, set={"speed": f"{speed} m/s"})
            prove.check(
                f"drop at {speed:g} m/s, {20 * grid:g} cells across",
                run.readouts["drop"].value,
                60 * speed + 150 * speed**2,
                "Pa",
                0.005,
                SOURCE,
                REASON,
            )
