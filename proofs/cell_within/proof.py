"""Water and potential within a thick membrane under current, and current within a thick coat."""

import numpy as np
from scipy.integrate import solve_bvp

FARADAY, GAS, ATM = 96485.33212331, 8.31446261815324, 101325.0
T, P, LOAD = 353.15, 1.5e5, 5000.0
SITES = 1800.0
GRIDS = (1, 2, 4)
SPRINGER = "Springer, Zawodzinski & Gottesfeld 1991, by solve_bvp"
COAT = "a coat with Tafel's law and one conductivity, by solve_bvp"


def conducts(water):
    """S/m."""
    return (0.5139 * water - 0.326) * np.exp(1268.0 * (1.0 / 303.0 - 1.0 / T))


def spreads(water):
    """m2/s (Motupally, Becker & Weidner 2000)."""
    return 4.17e-8 * water * (1.0 + 161.0 * np.exp(-water)) * np.exp(-2346.0 / T)


def sorbed(a):
    """As the program bends it where water condenses."""
    dry = 0.043 + 17.81 * a - 39.85 * a**2 + 36.0 * a**3
    share = 0.5 * (1.0 - np.tanh((a - 1.0) / 0.05))
    return share * dry + (1.0 - share) * (14.003 + 1.4 * (a - 1.0))


def membrane(thickness, fuel, air):
    """Mean water, and V that protons lose; fuel, air : humidity on both sides."""

    def rises(x, y, p):
        dragged = 2.5 / 22.0 * y[0] * LOAD / FARADAY
        return np.stack([(dragged - p[0]) / (SITES * spreads(y[0])), LOAD / conducts(y[0]), y[0]])

    def ends(a, b, p):
        return np.array([a[0] - sorbed(fuel), b[0] - sorbed(air), a[1], a[2]])

    x = np.linspace(0.0, thickness, 200)
    y = np.stack([np.linspace(sorbed(fuel), sorbed(air), x.size), 0 * x, 0 * x])
    found = solve_bvp(rises, ends, x, y, [0.0], tol=1e-9, max_nodes=100000)
    return found.y[2, -1] / thickness, found.y[1, -1]


def coat(thickness, ionomer, exchange):
    """V between solid and protons, mean over a coat that is wet throughout."""
    f = FARADAY / (GAS * T)
    t = T - 273.15
    full = ATM * 10 ** (-2.1794 + 0.02953 * t - 9.1837e-5 * t**2 + 1.4454e-7 * t**3) / P
    oxygen = 0.2095 * (1.0 - full) * P / ATM
    eased = ionomer**1.5 * conducts(sorbed(1.0))

    def rises(x, y):  # current of protons, and V that drives the reaction, from the membrane
        return np.stack([-exchange * oxygen * np.exp(f * y[1]), -y[0] / eased])

    def ends(a, b):
        return np.array([a[0] - LOAD, b[0]])

    x = np.linspace(0.0, thickness, 400)
    begin = np.log(LOAD / (exchange * oxygen * thickness)) / f
    y = np.stack([LOAD * (1.0 - x / thickness), begin + 0 * x])
    found = solve_bvp(rises, ends, x, y, tol=1e-9, max_nodes=100000)
    drives = np.trapezoid(found.y[1], found.x) / thickness
    return 1.229 - 8.46e-4 * (T - 298.15) - drives


def checks(prove):
    water, volts = membrane(175e-6, 0.9, 0.7)
    # in both coats, as moist as their gas, the current of protons falls in a line
    volts += LOAD * 2e-6 / 3.0 * (1.0 / conducts(sorbed(0.9)) + 1.0 / conducts(sorbed(0.7)))
    run, _ = prove.over(GRIDS, "water", water)
    prove.check(
        "mean water in a membrane of 175 um at .5 A/cm2",
        run.readouts["water"].value,
        water,
        "",
        5e-3,
        SPRINGER,
        "vapour that passes the layers shifts humidity at the coats by a little",
    )
    prove.check(
        "voltage that protons take",
        run.readouts["to_protons"].value,
        volts,
        "V",
        5e-3,
        SPRINGER,
        "the same",
    )
    run, _ = prove.over(GRIDS, "drives", coat(40e-6, 0.3, 4000.0), variant="thick coat")
    prove.check(
        "voltage between solid and protons, mean over a coat",
        run.readouts["drives"].value,
        coat(40e-6, 0.3, 4000.0),
        "V",
        1e-3,
        COAT,
        "oxygen lacks a little in the coat, the reaction back is left out",
    )
