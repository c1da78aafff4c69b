"""A cylinder across a channel, Re 20: drag, lift and pressure difference."""

SOURCE = "Schaefer & Turek 1996, case 2D-1 (from memory): 5.57-5.59, .0104-.0110, .1172-.1176"
SPEED, DIAMETER = 0.2, 0.1


def checks(prove):
    scale = 2 / (SPEED**2 * DIAMETER)
    run = prove.run()
    told = run.readouts
    prove.check(
        "drag coefficient",
        told["drag"].value * scale,
        5.58,
        "",
        0.005,
        SOURCE,
        "engine target: 0.5 %",
    )
    prove.check(
        "lift coefficient",
        told["lift"].value * scale,
        0.0107,
        "",
        0.05 + 0.0003 / 0.0107,
        SOURCE,
        "engine target: 5 %, beside the source's own spread",
    )
    prove.check(
        "pressure difference",
        told["before"].value - told["behind"].value,
        0.1174,
        "Pa",
        0.01,
        SOURCE,
        "engine target: 1 %",
    )
    coarse = prove.run(grid=0.5).readouts
    prove.at_least(
        "drag: finer is nearer (coarser error over finer)",
        abs(coarse["drag"].value * scale - 5.58) / abs(told["drag"].value * scale - 5.58),
        1.0,
        SOURCE,
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
