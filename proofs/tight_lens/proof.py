"""A round lens in an even stream that percolates, a million times tighter, cut out, and ten times
looser, against the exact solution (a dipole outside, an even stream inside)."""

SOURCE = "exact: u inside = 2 K2/(K1 + K2) U"
REASON = "engine target"
BED, GRADIENT, VISCOSITY, RADIUS = 1e-10, 1e3, 1e-3, 10e-3


def outside(lens):
    bend = RADIUS**2 * (BED - lens) / (BED + lens)
    far = 1.5 * RADIUS
    return GRADIENT * far * (1 + bend / far**2), BED / VISCOSITY * GRADIENT * (1 + bend / far**2)


def checks(prove):
    ways = (
        ("a million times tighter", 1e-16, None),
        ("cut out", 0.0, "cut out"),
        ("looser", 1e-9, None),
    )
    for words, lens, variant in ways:
        before, beside = outside(lens)
        for grid in (1.0, 2.0, 4.0):
            run = prove.run(grid=grid, variant=variant, set={"lens": f"{lens:g} m2"})
            told = {n: r.value for n, r in run.readouts.items()}
            where = f"{words}, {16 * grid:g} cells a radius"
            within = 0.005 if grid == 4.0 else 0.02
            reason = REASON if grid == 4.0 else "coarser"
            prove.check(
                f"pressure before it, {where}", told["before"], before, "Pa", within, SOURCE, reason
            )
            prove.check(
                f"speed beside it, {where}", told["beside"], beside, "m/s", within, SOURCE, reason
            )
    speed = BED / VISCOSITY * GRADIENT
    prove.check(
        "speed within, looser, 64 cells a radius",
        told["within"],
        2 * 1e-9 / (BED + 1e-9) * speed,
        "m/s",
        0.005,
        SOURCE,
        REASON,
    )
