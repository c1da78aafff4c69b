"""The most current that air can bring through a porous layer."""

FARADAY, GAS, ATM = 96485.33212331, 8.31446261815324, 101325.0
T, P = 353.15, 1.5e5
QUICK = True
GRIDS = (1, 2, 4)
VOLUMES = {"O2": 16.3, "N2": 18.5, "H2O": 13.1}
MASSES = {"O2": 31.999, "N2": 28.014, "H2O": 18.015}
SOURCE = "4FcDx/L: diffusion of little oxygen in moist nitrogen"


def fuller(one, other):
    """m2/s (Fuller, Schettler & Giddings 1966)."""
    mass = 2.0 / (1.0 / MASSES[one] + 1.0 / MASSES[other])
    size = VOLUMES[one] ** (1 / 3) + VOLUMES[other] ** (1 / 3)
    return 1.43e-7 * T**1.75 / (P / 1e5 * mass**0.5 * size**2)


def limit(thickness, passes):
    """A/m2."""
    t = T - 273.15
    full = ATM * 10 ** (-2.1794 + 0.02953 * t - 9.1837e-5 * t**2 + 1.4454e-7 * t**3)
    vapour = 0.8 * full / P
    oxygen = 0.004 * (1.0 - vapour)
    nitrogen = 1.0 - vapour - oxygen
    free = (vapour + nitrogen) / (vapour / fuller("O2", "H2O") + nitrogen / fuller("O2", "N2"))
    return 4.0 * FARADAY * P / (GAS * T) * free * passes * oxygen / thickness


def checks(prove):
    for variant, words, exact in (
        (None, "200 um, Bruggeman", limit(2e-4, 0.7**1.5)),
        ("thick", "400 um, .3 of free", limit(4e-4, 0.3)),
    ):
        run, _ = prove.over(GRIDS, "density", exact, variant=variant)
        prove.check(
            f"limiting current, {words}",
            run.readouts["density"].value,
            exact,
            "A/m2",
            0.02,
            SOURCE,
            "the coat holds some oxygen still, water that is made moves the gas a little",
        )
        prove.closes("charge", run, "cell_charge", 1e-8, "conservation of charge", "one solve")
        prove.closes("oxygen", run, "oxygen", 1e-8, "conservation of oxygen", "one solve")
