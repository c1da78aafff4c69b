"""A wall drawn out of a bath takes a film along (Landau & Levich), which weight thins (Wilson 1982)."""

TENSION, WEIGHS = 0.02, 9.81 * 998.8
SIZE = (TENSION / WEIGHS) ** 0.5
LIMIT = "Landau & Levich 1942, for slow walls"
NEXT = "Wilson 1982, the next term in Ca, from memory"


def checks(prove):
    for variant, ca in ((None, 0.1), ("slower", 0.07), ("slowest", 0.05)):
        limit = 0.944 * ca ** (2 / 3) * SIZE
        weighed = SIZE * (0.94581 * ca ** (2 / 3) - 0.10685 * ca)
        run = prove.run(grid=0.75, variant=variant)
        times, thick = run.history("film")
        film = float(thick[times > 0.8 * times[-1]].mean())
        prove.check(f"film, Ca {ca:g}", film, limit, "m", 8e-2, LIMIT, "the limit of small Ca")
        prove.check(
            f"film less what runs back, Ca {ca:g}", film, weighed, "m", 5e-2, NEXT, "5 cells"
        )
        prove.closes(f"volume of liquid, Ca {ca:g}", run, "liquid", 1e-9, "conservation", "")
