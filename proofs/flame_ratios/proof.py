"""Burning speeds of methane with more and with less air than it needs, by an independent solution."""

import numpy as np
from scipy.integrate import solve_ivp

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import mass_of

SOURCE = (
    "progress against its flux (Zeldovich & Frank-Kamenetskii 1938), by SciPy; everything spreads "
    "as heat does"
)
GAS, PRESSURE, COLD = 8.31446261815324, 101325.0, 300.0
FACTOR, ENERGY = 6.7e12 * 1e-6**0.5, 48.4 * 4184.0  # m, mol, s; J/mol
GASES = ("CH4", "O2", "CO2", "H2O", "N2")
MASS = {name: mass_of({name: 1.0}) for name in GASES}
RATIOS = (0.8, 1.2)  # of fuel to what the air could burn
START = 1e-6  # of the way, begun behind


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

    def too_fast(self, flux):
        """Whether half the square of q, dq/dc = m - makes / q, falls to nought before all is fresh."""

        def gone(_, y):
            return y[0]

        gone.terminal, gone.direction = True, -1.0

        def slope(behind, y):
            fresh = np.interp(1.0 - behind, self.c, self.makes)
            return [fresh - flux * np.sqrt(2.0 * max(y[0], 0.0))]

        first = [START * np.interp(1.0 - START, self.c, self.makes)]
        ends = (START, 1.0)
        found = solve_ivp(slope, ends, first, rtol=1e-8, atol=1e-15, events=gone)
        return found.status == 1

    def speed(self):
        """m/s."""
        slow, fast = 0.02, 2.0
        while fast > (1.0 + 1e-5) * slow:
            middle = np.sqrt(slow * fast)
            slow, fast = (slow, middle) if self.too_fast(middle) else (middle, fast)
        return slow / self.dense[0]


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
        prove.check(
            f"enthalpy not accounted for, {ratio:g} of what the air burns",
            run.balance["heat"]["relative"],
            0.0,
            "",
            1e-10,
            "conservation of enthalpy, formation included",
            "round-off",
        )
