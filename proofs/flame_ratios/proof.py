"""Burning speeds of methane with more and with less air than it needs, by an independent solution."""

import numpy as np

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import mass_of
from underkettle.paper.flames import burning_flux

SOURCE = (
    "progress against its flux (Zeldovich & Frank-Kamenetskii 1938), by SciPy; everything spreads "
    "as heat does"
)
GAS, PRESSURE, COLD = 8.31446261815324, 101325.0, 300.0
FACTOR, ENERGY = 6.7e12 * 1e-6**0.5, 48.4 * 4184.0  # m, mol, s; J/mol
GASES = ("CH4", "O2", "CO2", "H2O", "N2")
MASS = {name: mass_of({name: 1.0}) for name in GASES}
RATIOS = (0.8, 1.2)  # of fuel to what the air could burn


class Flame:
    """A flame of methane and air of 21 % oxygen, one step that ends with what there is less of."""

    def __init__(self, ratio):
        whole = ratio * MASS["CH4"] + 2.0 * (MASS["O2"] + 79.0 / 21.0 * MASS["N2"])
        self.fuel, self.oxygen = ratio * MASS["CH4"] / whole, 2.0 * MASS["O2"] / whole
        self.used = min(1.0, ratio) * MASS["CH4"] / whole
        self.c = np.linspace(0.0, 1.0, 8001)
        burnt = self.used * self.c / MASS["CH4"]
        parts = [self.fuel - burnt * MASS["CH4"], self.oxygen - 2.0 * burnt * MASS["O2"]]
        parts += [burnt * MASS["CO2"], 2.0 * burnt * MASS["H2O"]]
        parts.append(1.0 - sum(parts))
        parts = [np.maximum(p, 0.0) for p in parts]
        blend = Blend([read_gas(g) for g in GASES])
        held = float(blend.enthalpy([p[:1] for p in parts], np.array([COLD]))[0][0])
        self.warm = blend.temperature(parts, np.full(self.c.size, held))
        self.dense = blend.density(parts, self.warm, PRESSURE)
        spreads = blend.conductivity(parts, self.warm) / blend.heat_capacity(parts, self.warm)
        fuel, oxygen = (self.dense * p / MASS[g] for p, g in zip(parts[:2], GASES, strict=False))
        runs = FACTOR * np.exp(-ENERGY / (GAS * self.warm)) * fuel**0.2 * oxygen**1.3
        self.makes = spreads * runs * MASS["CH4"] / self.used

    def speed(self):
        """m/s."""
        return burning_flux(self.c, self.makes) / self.dense[0]


def checks(prove):
    for ratio in RATIOS:
        flame, speeds = Flame(ratio), []
        exact, warm = flame.speed(), float(flame.warm[-1])
        given = {
            "fuel": f"{flame.fuel:.9g}",
            "oxygen": f"{flame.oxygen:.9g}",
            "used": f"{flame.used:.9g}",
            "dense": f"{flame.dense[0]:.9g} kg/m3",
            "fast": f"{exact:.3g} m/s",
            "burnt": f"{warm:.6g} K",
        }
        for grid in (1.0, 2.0):
            run = prove.run(grid=grid, set=given)
            speeds.append(run.readouts["speed"].value)
        prove.check(
            f"speed, {ratio:g} of what the air burns, from cells of 0.1 and 0.05 mm to none",
            2.0 * speeds[1] - speeds[0],
            exact,
            "m/s",
            0.02,
            SOURCE,
            "steps follow cells and what splits them is of first order; the rest of second in the cell",
        )
        prove.at_least(
            f"{ratio:g}: finer is nearer (coarser error over finer)",
            abs(speeds[0] - exact) / abs(speeds[1] - exact),
            1.5,
            "of first order in the step",
        )
        prove.check(
            f"temperature behind, {ratio:g} of what the air burns",
            run.readouts["hottest"].value,
            warm,
            "K",
            3e-3,
            "enthalpy of what has burnt",
            "the last of it burns slowly",
        )
        prove.closes(
            f"enthalpy not accounted for, {ratio:g} of what the air burns",
            run,
            "heat",
            1e-10,
            "conservation of enthalpy, formation included",
            "round-off",
        )
