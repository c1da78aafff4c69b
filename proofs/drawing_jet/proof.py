"""A laminar plane jet draws in its surroundings as Bickley's solution says, and keeps its push."""

SOURCE = "Schlichting 1933, Bickley 1937 (from memory): Q = 3.302 (K nu x)^(1/3), K the push"
PUSH, NU, BEGIN = 1.0, 0.003, 1.0


def flow(x):
    """Volume flow (m2/s) of half the jet at x (m) behind the slot."""
    return 0.5 * 3.302 * (PUSH * NU * (BEGIN + x)) ** (1 / 3)


def checks(prove):
    grown, exact = [], flow(1.5) - flow(0.5)
    for grid in (0.5, 0.7, 1.0):
        run = prove.run(grid=grid)
        grown.append(run.readouts["late"].value - run.readouts["early"].value)
    prove.check(
        "flow drawn in over a metre, finest grid",
        grown[-1],
        exact,
        "m2/s",
        0.03,
        SOURCE,
        "boundary-layer theory: its next term is of the order of 1/Re^(2/3), 2 % here",
    )
    prove.check(
        "the same, change from the middle grid",
        grown[-1],
        grown[1],
        "m2/s",
        0.01,
        "grid refinement",
        "three grids",
    )
    for name, x in (("early", 0.5), ("late", 1.5)):
        prove.check(
            f"flow of half the jet at {x:g} m",
            run.readouts[name].value,
            flow(x),
            "m2/s",
            0.035,
            SOURCE,
            "as above; a jet of this Reynolds number seems to begin 0.1 m nearer",
        )
        prove.check(
            f"push of half the jet at {x:g} m",
            run.readouts[f"push_{name}"].value,
            0.5 * PUSH,
            "m3/s2",
            0.02,
            "conservation of momentum",
            "pressure and what is drawn in take their share",
        )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
