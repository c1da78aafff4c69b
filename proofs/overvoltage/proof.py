"""Overvoltage of a reaction: Butler and Volmer's law before a resistance, Tafel's slope, and pores."""

import numpy as np
from scipy.integrate import solve_bvp
from scipy.optimize import brentq

QUICK = True
GAS, FARADAY, T = 8.31446261815324, 96485.33212331, 298.15
F = FARADAY / (GAS * T)
L, KAPPA, I0, BALANCED = 2e-3, 20.0, 1.0, 0.3
GIVEN = (-1000.0, -1.0, 0.0, 0.1, 1.0, 10.0, 100.0, 1000.0, 10000.0)
AREA, SOLID, PORES, DEEP = 1e-4, 100.0, 1e5, (1e-4, 0.05, 0.2, 0.4, -0.2)
SOURCE = "Butler 1924, Erdey-Gruz & Volmer 1930, with Ohm's law in a row; exact"


def over(i, anodic, cathodic):
    """V, at a current density."""
    return brentq(
        lambda e: I0 * (np.exp(anodic * F * e) - np.exp(-cathodic * F * e)) - i,
        -1.5,
        1.5,
        xtol=1e-15,
    )


def pores(voltage):
    """A/m2 into a porous electrode, by SciPy's boundary value solver.

    e = solid less liquid: e'' = a i(e) (1/sigma + 1/kappa), sigma e'(0) = -I, kappa e'(L) = I, lengths
    in L; I follows from the voltage between the collector and the mouth.
    """
    pace = L**2 * PORES * I0 * (1.0 / SOLID + 1.0 / KAPPA)

    def rises(x, y, p):
        return np.stack([y[1], pace * 2.0 * np.sinh(0.5 * F * y[0])])

    x = np.linspace(0.0, 1.0, 201)
    found, current = np.zeros((2, x.size)), np.array([0.0])
    for told in voltage * np.linspace(0.05, 1.0, 20):

        def ends(a, b, p, told=told):
            falls = -(p[0] * L + SOLID * (b[0] - a[0])) / (
                SOLID + KAPPA
            )  # in the liquid, to the mouth
            return np.array([a[1] + p[0] * L / SOLID, b[1] - p[0] * L / KAPPA, a[0] - falls - told])

        solved = solve_bvp(rises, ends, x, found, p=current, tol=1e-8, max_nodes=200000)
        assert solved.success, solved.message
        x, found, current = solved.x, solved.y, solved.p
    return current[0]


def by_hand(voltage):
    """The same for a small voltage: a linear surface in pores that conduct in both."""
    nu = L * np.sqrt(PORES * I0 * F * (1.0 / SOLID + 1.0 / KAPPA))
    ratio = SOLID / KAPPA + KAPPA / SOLID
    resists = L / (SOLID + KAPPA) * (1.0 + (2.0 + ratio * np.cosh(nu)) / (nu * np.sinh(nu)))
    return voltage / resists


def checks(prove):
    for variant, anodic, cathodic in ((None, 0.5, 0.5), ("uneven", 1.2, 0.4)):
        run = prove.run(variant=variant)
        found = run.history("voltage")[1]
        worst = 0.0
        for i, ours in zip(GIVEN, found, strict=True):
            exact = BALANCED + over(i, anodic, cathodic) + i * L / KAPPA
            worst = max(worst, abs(ours - exact))
        prove.check(
            f"voltage over nine currents, alpha {anodic:g} and {cathodic:g}: furthest off",
            worst,
            0.0,
            "V",
            1e-9,
            SOURCE,
            "a straight line before the surface, exact on any grid",
        )
        slope = (found[-1] - found[-2]) - (GIVEN[-1] - GIVEN[-2]) * L / KAPPA
        prove.check(
            f"Tafel slope, alpha {anodic:g}",
            slope,
            np.log(10.0) / (anodic * F),
            "V",
            1e-3,
            "Tafel 1905: 2.303 RT/(alpha F) a decade",
            "from a thousand to ten thousand times the exchange current",
        )
        prove.closes(
            "current in against out", run, "salt", 1e-9, "conservation of charge", "one solve"
        )
    errors = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid, variant="pores")
        found = run.history("current")[1]
        errors.append(abs(found[2] / AREA / pores(DEEP[2]) - 1.0))
    prove.at_least(
        "order of the current of a porous electrode at 0.2 V", prove.order(errors), 1.8, "second"
    )
    for voltage, ours in zip(DEEP, found, strict=True):
        small = abs(voltage) < 1e-3
        prove.check(
            f"current of a porous electrode at {voltage:g} V, 80 cells deep",
            ours / AREA,
            by_hand(voltage) if small else pores(voltage),
            "A/m2",
            2e-3,
            "linear kinetics in pores, exact (Newman & Tobias 1962)"
            if small
            else "SciPy's solve_bvp",
            "second order"
            if small
            else "second order; at 0.4 V the reaction lies within a few cells",
        )
