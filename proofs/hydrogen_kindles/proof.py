"""Hydrogen with radicals in plug flow, against a solution by SciPy with rates written out again."""

import json
from pathlib import Path

import numpy as np
from scipy.integrate import solve_ivp

from underkettle.matter.reaction import read_reaction
from underkettle.matter.thermo import substances

CASE = json.loads(Path(__file__).with_name("case.json").read_text())
SOURCE = "the same reactions by BDF of SciPy to 1e-10, rates by hand"
GAS, CALORIE, FAST, LONG = 8.31446261815324, 4.184, 10.0, 0.3
UNITS = {"cm3/(mol s)": 1e-6, "cm6/(mol2 s)": 1e-12, "1/s": 1.0}
T = float(CASE["phenomena"]["reactions"]["temperature"].split()[0])
NAMES = list(CASE["phenomena"]["species"]["members"])
WANTED = {"H2": 2e-4, "H2O": 2e-5, "HO2": 2e-4, "OH": 6e-4}


def brought():
    """mol/m3 of each that the stream brings."""
    inlet = CASE["conditions"]["inlet"]
    typed = [inlet[f"species.{n}"]["value"] for n in NAMES]
    typed = [CASE["parameters"].get(t, t) for t in typed]
    return np.array([float(t.split()[0]) for t in typed])


def constant(values, which=""):
    """A T^n exp(-E/RT) in mol, m3 and s."""
    number, unit = values[f"{which}constant"].split(" ", 1)
    energy = float(values.get(f"{which}activation", "0 cal/mol").split()[0]) * CALORIE
    power = T ** values.get(f"{which}exponent", 0.0)
    return float(number) * UNITS[unit] * power * np.exp(-energy / (GAS * T))


def falls(values, k, others):
    """Troe's form, for one share of the broadening."""
    ratio, share = constant(values, "few_") * others / k, np.log10(float(values["broadening"]))
    away = np.log10(ratio) - 0.4 - 0.67 * share
    bent = away / (0.75 - 1.27 * share - 0.14 * away)
    return k * ratio / (1.0 + ratio) * 10.0 ** (share / (1.0 + bent**2))


def rates(amounts):
    """mol/(m3 s) made of each among so many mol/m3."""
    c = dict(zip(NAMES, np.maximum(amounts, 0.0), strict=True))
    made = dict.fromkeys(NAMES, 0.0)
    for values in CASE["phenomena"]["reactions"]["reactions"].values():
        found = read_reaction(values["written"])
        counts = dict(p.split() for p in values.get("counts", "").split(", ") if p)
        others = sum(float(counts.get(n, 1.0)) * c[n] for n in NAMES)
        k = constant(values)
        if "few_constant" in values:
            k = falls(values, k, others)
        elif found.helped:
            k *= others
        gibbs = sum(n * substances()[s].gibbs(T) for s, n in found.net().items())
        more = sum(found.net().values())
        balance = np.exp(-gibbs / (GAS * T)) * (1e5 / (GAS * T)) ** more
        there = np.prod([c[s] ** n for s, n in found.left])
        back = np.prod([c[s] ** n for s, n in found.right])
        for s, n in found.net().items():
            made[s] += n * k * (there - back / balance)
    return [made[n] for n in NAMES]


def exact():
    """What leaves of each (mol/m3), and how far along (m) it burns by what is left on the way."""
    found = solve_ivp(
        lambda t, c: rates(c),
        (0.0, LONG / FAST),
        brought(),
        method="BDF",
        rtol=1e-10,
        atol=1e-16,
        dense_output=True,
    )
    leaves = dict(zip(NAMES, found.y[:, -1], strict=True))
    hydrogen = NAMES.index("H2")
    times = np.linspace(0.0, LONG / FAST, 20001)
    left = np.trapezoid(found.sol(times)[hydrogen], times) / found.y[hydrogen, 0]
    return leaves, FAST * left


def checks(prove):
    leaves, far = exact()
    errors = []
    for grid in (1.0, 2.0, 4.0):
        run = prove.run(grid=grid)
        reaches = 1e-3 * run.readouts["reaches"].value  # told in mm
        errors.append(abs(reaches / far - 1))
        left = abs(run.balance["H2"]["relative"]) + abs(run.balance["O2"]["relative"])
        prove.check(
            f"hydrogen and oxygen not accounted for, {60 * grid:.0f} cells along",
            left,
            0.0,
            "",
            1e-10,
            "conservation",
            "round-off",
        )
    prove.check(
        "how far along it burns, 240 cells",
        reaches,
        far,
        "m",
        4e-4,
        SOURCE,
        "second order in the cell's length; it burns within some of them",
    )
    for name, within in WANTED.items():
        prove.check(
            f"{name} that leaves, 240 cells",
            run.readouts[f"{name}_out"].value,
            leaves[name],
            "mol/m3",
            within,
            SOURCE,
            "second order in the cell's length",
        )
    prove.at_least("order over three grids", prove.order(errors), 1.8, "as carried")
