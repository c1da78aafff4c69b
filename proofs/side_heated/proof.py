"""Natural convection in a side-heated square."""

SOURCE = "de Vahl Davis 1983, Int. J. Numer. Methods Fluids 3 (from memory)"
CONDUCTION = 0.025 * 10.0  # W across the still square, 1 m deep


def checks(prove):
    found = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        found.append(run.readouts["heat_in"].value / CONDUCTION)
    prove.check(
        "Ra 1e4, mean Nusselt number, 58 cells graded to the walls",
        found[-1],
        2.243,
        "",
        0.005,
        SOURCE,
        "engine target: 0.5 %",
    )
    prove.at_least(
        "Ra 1e4: finer is nearer (coarsest error over finest)",
        abs(found[0] - 2.243) / abs(found[-1] - 2.243),
        1.0,
        SOURCE,
    )
    prove.closes(
        "heat in against heat out",
        run,
        "heat",
        1e-6,
        "conservation",
        "engine target for steady runs",
    )
    run = prove.run(grid=2.5, set={"rayleigh": "1e6"})
    prove.check(
        "Ra 1e6, mean Nusselt number",
        run.readouts["heat_in"].value / CONDUCTION,
        8.800,
        "",
        0.005,
        SOURCE,
        "engine target: 0.5 %",
    )
