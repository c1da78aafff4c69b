"""Flame temperatures of five fuels, through a flow in which gas and air spread into each other."""

TURNS = "Turns, An Introduction to Combustion, from memory: 298.15 K, 1 atm, with dissociation"
FLAMES = {
    "": ("CH4", 2226.0, 5.0),
    "C3H8": ("C3H8", 2267.0, 5.0),
    "C2H4": ("C2H4", 2369.0, 5.0),
    "H2": ("H2", 2390.0, 12.0),
    "CO": ("CO", 2400.0, 20.0),
}


def checks(prove):
    for variant, (fuel, published, within) in FLAMES.items():
        run = prove.run(variant=variant or None)
        prove.check(
            f"{fuel} with the air it needs",
            run.readouts["leaves"].value,
            published,
            "K",
            within / published,
            TURNS,
            "data of other years: 5 K, for H2 and CO as books differ among each other",
        )
        prove.closes(
            f"{fuel}: fuel stream in, less out",
            run,
            "fuel",
            1e-9,
            "conservation of every element",
            "as closely as it was asked to settle",
        )
