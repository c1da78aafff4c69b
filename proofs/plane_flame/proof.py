"""A plane flame that burns its way against a stream: its speed, by an independent solution."""

import numpy as np

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import mass_of
from underkettle.paper.flames import burning_flux

SOURCE = (
    "progress against its flux (Zeldovich & Frank-Kamenetskii 1938), by SciPy; everything spreads "
    "as heat does"
)
FUEL, OXYGEN, COLD = 0.05519146, 0.22020077, 300.0
GAS, PRESSURE = 8.31446261815324, 101325.0
FACTOR, ENERGY = 6.7e12 * 1e-6**0.5, 48.4 * 4184.0  # m, mol, s; J/mol
MASS = {"CH4": 16.04246e-3, "O2": 31.9988e-3, "CO2": 44.0095e-3, "H2O": 18.01528e-3}  # kg/mol
ELEMENTS = {"carbon": {"CH4": 1, "CO2": 1}, "hydrogen": {"CH4": 4, "H2O": 2}}


def exact():
    """Speed (m/s) and temperature behind (K): q dq/dc = m q - (lambda/cp) w over the progress c, the
    mass flux m such that q vanishes at both ends.
    """
    gases = ("CH4", "O2", "CO2", "H2O", "N2")
    blend = Blend([read_gas(g) for g in gases])
    mass = {g: mass_of({g: 1.0}) for g in gases}
    c = np.linspace(0.0, 1.0, 8001)
    burnt = FUEL * c / mass["CH4"]
    parts = [FUEL * (1.0 - c), OXYGEN - 2.0 * burnt * mass["O2"]]
    parts += [burnt * mass["CO2"], 2.0 * burnt * mass["H2O"]]
    parts.append(1.0 - sum(parts))
    held = float(blend.enthalpy([p[:1] for p in parts], np.array([COLD]))[0][0])
    warm = blend.temperature(parts, np.full(c.size, held))
    dense = blend.density(parts, warm, PRESSURE)
    spreads = blend.conductivity(parts, warm) / blend.heat_capacity(parts, warm)
    fuel, oxygen = (
        np.maximum(dense * p / mass[g], 0.0) for p, g in zip(parts[:2], gases, strict=False)
    )
    runs = FACTOR * np.exp(-ENERGY / (GAS * warm)) * fuel**0.2 * oxygen**1.3
    makes = spreads * runs * mass["CH4"] / FUEL

    return burning_flux(c, makes) / dense[0], warm[-1]


def checks(prove):
    speed, warm = exact()
    speeds = []
    for grid in (0.5, 1.0, 2.0):
        run, cells = prove.run(grid=grid), f"cells of {0.1 / grid:g} mm"
        speeds.append(run.readouts["speed"].value)
        made = {n: run.balance[n]["given"]["reactions"] / kg for n, kg in MASS.items()}
        prove.keeps_elements(made, ELEMENTS, "CH4", cells)
        prove.closes(
            f"enthalpy not accounted for, {cells}",
            run,
            "heat",
            1e-10,
            "conservation of enthalpy, formation included",
            "round-off",
        )
    prove.check(
        "speed, from cells of 0.1 and 0.05 mm to none",
        2.0 * speeds[2] - speeds[1],
        speed,
        "m/s",
        0.01,
        SOURCE,
        "steps follow cells and what splits them is of first order; the rest of second in the cell",
    )
    prove.check(
        "speed, cells of 0.05 mm",
        speeds[2],
        speed,
        "m/s",
        0.025,
        SOURCE,
        "most of it made by the step",
    )
    prove.check(
        "temperature behind, cells of 0.05 mm",
        run.readouts["hottest"].value,
        warm,
        "K",
        2e-3,
        "enthalpy of what has burnt",
        "the last of the fuel burns slowly",
    )
    errors = [abs(s / speed - 1) for s in speeds]
    prove.at_least("order over three grids", prove.order(errors), 0.9, "of first order in the step")
