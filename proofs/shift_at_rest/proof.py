"""A reaction that runs back ends at its equilibrium constant, and keeps every element."""

SOURCE = "constants of the shift from Gibbs energies of formation (JANAF; design notes)"
CONSTANTS = {600: 28.1, 800: 4.20, 1000: 1.43, 1200: 0.73}
CARBON, OXYGEN, HYDROGEN = 5.0, 13.0, 16.0


def checks(prove):
    for warm, constant in CONSTANTS.items():
        run = prove.run(set={"warm": f"{warm} K"})
        n = {name: readout.value for name, readout in run.readouts.items()}
        prove.check(
            f"products over reactants at {warm} K",
            n["CO2"] * n["H2"] / (n["CO"] * n["H2O"]),
            constant,
            "",
            0.01,
            SOURCE,
            "the published figures have three digits",
        )
    for element, found, whole in (
        ("carbon", n["CO"] + n["CO2"], CARBON),
        ("oxygen", n["CO"] + 2 * n["CO2"] + n["H2O"], OXYGEN),
        ("hydrogen", 2 * n["H2O"] + 2 * n["H2"], HYDROGEN),
    ):
        prove.check(f"{element} kept", found, whole, "mol/m3", 1e-12, "conservation", "round-off")
