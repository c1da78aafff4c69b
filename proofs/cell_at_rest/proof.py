"""A hydrogen cell without current: Nernst; and with little, where oxygen's reaction alone counts."""

from math import log, sqrt

FARADAY, GAS, ATM = 96485.33212331, 8.31446261815324, 101325.0
NERNST = "Nernst 1889; 1.229 V less .846 mV/K (NIST data)"


def full(temperature):
    """Pa of saturated vapour (Springer, Zawodzinski & Gottesfeld 1991)."""
    t = temperature - 273.15
    return ATM * 10 ** (-2.1794 + 0.02953 * t - 9.1837e-5 * t**2 + 1.4454e-7 * t**3)


def balance(temperature, pressure, fuel, air):
    """V; fuel, air : share of what reacts in dry gas, humidity."""
    wet = full(temperature) / pressure
    hydrogen, oxygen = (dry * (1.0 - humid * wet) * pressure / ATM for dry, humid in (fuel, air))
    shift = GAS * temperature / (2.0 * FARADAY) * log(hydrogen * sqrt(oxygen) / air[1])
    return 1.229 - 8.46e-4 * (temperature - 298.15) + shift


CASES = (
    (None, "80 degC, 1.5 bar", (353.15, 1.5e5, (1.0, 0.6), (0.2095, 0.6))),
    ("cool and thin", "60 degC, 5 % oxygen", (333.15, 1.1e5, (1.0, 0.6), (0.05, 0.6))),
    ("oxygen", "oxygen and half hydrogen, 3 bar", (353.15, 3e5, (0.5, 0.3), (1.0, 0.3))),
)


def checks(prove):
    for variant, words, told in CASES:
        run = prove.run(variant=variant)
        prove.check(
            f"voltage without current, {words}",
            run.readouts["voltage"].value,
            balance(*told),
            "V",
            5e-5,
            NERNST,
            "water's activity levels off where it is dry; rounding of currents in solids",
        )
    little, more = (prove.run(variant=v).readouts for v in ("little", "more"))
    prove.check(
        "voltage that ten times the current takes of oxygen",
        more["to_oxygen"].value - little["to_oxygen"].value,
        GAS * 353.15 / FARADAY * log(10.0),
        "V",
        1e-3,
        "Tafel 1905: RT/(alpha F) ln 10, a coefficient of one",
        "currents so small that all of the coat reacts alike",
    )
