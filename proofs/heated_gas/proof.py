"""Mass and heat of a gas whose density follows its temperature, settled and on the way."""

SOURCE = "conservation of mass and enthalpy, ideal gas at constant pressure"
LEVEL, MOLAR, GAS, CAPACITY = 101325.0, 28.97e-3, 8.314, 1006.0


def checks(prove):
    mass = LEVEL * MOLAR / (GAS * 300.0) * 0.2 * 0.01
    warmed = 300.0 + 2 * 1000.0 * 0.1 / (mass * CAPACITY)
    for grid in (0.6, 1.2, 2.4):
        run = prove.run(grid=grid)
        told = run.readouts
        prove.check(
            f"mixing-cup temperature at the outlet, {10 * grid:.0f} cells across",
            told["outlet_temperature"].value,
            warmed,
            "K",
            1e-9,
            SOURCE,
            "conserved to round-off on every grid",
        )
    prove.check("mass out", told["outlet_mass"].value, mass, "kg/s", 1e-9, SOURCE, "round-off")
    prove.check(
        "heat out over heat in",
        told["outlet_heat"].value,
        2 * told["taken_up"].value,
        "W",
        1e-9,
        SOURCE,
        "round-off",
    )
    for x in (0.05, 0.09):
        density = run.probe("density", x, 0.005)
        temperature = run.probe("temperature", x, 0.005)
        prove.check(
            f"density times temperature {100 * x:.0f} cm in",
            density * temperature,
            LEVEL * MOLAR / GAS,
            "kg K/m3",
            1e-4,
            SOURCE,
            "fields are kept in four bytes",
        )
    x = 0.09
    u = run.profile("velocity_x", (x, 0.0), (x, 0.01))
    rho = run.profile("density", (x, 0.0), (x, 0.01))
    through = float((u["value"] * rho["value"]).mean() * 0.01)
    prove.check(
        "mass through a section 9 cm in, from the fields",
        through,
        mass,
        "kg/s",
        0.005,
        SOURCE,
        "read between cells, by the midpoint rule",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-9,
        SOURCE,
        "round-off",
    )
    moving = prove.run(variant="in_time", grid=0.6)
    for name in ("mass", "heat"):
        prove.closes(
            f"{name}: in, out, stored on the way",
            moving,
            name,
            1e-10,
            SOURCE,
            "engine target per transient step",
        )
