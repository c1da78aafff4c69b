"""A plane flame by way of carbon monoxide: its speed, by lines in mass that travel with the gas."""

import numpy as np
from scipy.integrate import solve_ivp

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import mass_of

SOURCE = (
    "both fuels through time in a coordinate of mass (dY/dt = d/dm(rho^2 D dY/dm) + w/rho), by SciPy, "
    "rates written out again; everything spreads as heat does"
)
FUEL, OXYGEN, COLD = 0.05519146, 0.22020077, 300.0
GAS, PRESSURE = 8.31446261815324, 101325.0
OPENS = 1.5849e13 * 1e-6**0.5, 48.4 * 4184.0  # m, mol, s; J/mol
BURNS = 3.9811e14 * 1e-6**0.75, 40.0 * 4184.0
GASES = ("CH4", "O2", "CO", "CO2", "H2O", "N2")
WIDE, LASTS, TOLD = 4e-3, 3.5e-3, (2e-3, 2.5e-3, 3e-3, 3.5e-3)  # kg/m2; s
MASS = {name: mass_of({name: 1.0}) for name in GASES}
ELEMENTS = {
    "carbon": {"CH4": 1, "CO": 1, "CO2": 1},
    "hydrogen": {"CH4": 4, "H2O": 2},
    "oxygen": {"O2": 2, "CO": 1, "CO2": 2, "H2O": 1},
}


class Flame:
    """What gas holds that has as much enthalpy and as many atoms as what comes."""

    def __init__(self):
        self.blend = Blend([read_gas(g) for g in GASES])
        fresh = [p[:1] for p in self.parts(np.array([FUEL]), np.zeros(1))]
        self.held = float(self.blend.enthalpy(fresh, np.array([COLD]))[0][0])
        self.fresh = float(self.blend.density(fresh, np.array([COLD]), PRESSURE)[0])

    @staticmethod
    def parts(fuel, monoxide):
        opened = (FUEL - fuel) / MASS["CH4"]
        burnt = np.maximum(opened - monoxide / MASS["CO"], 0.0)
        oxygen = np.maximum(OXYGEN - (1.5 * opened + 0.5 * burnt) * MASS["O2"], 0.0)
        found = [fuel, oxygen, monoxide, burnt * MASS["CO2"], 2.0 * opened * MASS["H2O"]]
        return [*found, 1.0 - sum(found)]

    def at(self, fuel, monoxide):
        """Temperature (K), density (kg/m3), rho D (kg/(m s)), and both rates (mol/(m3 s))."""
        parts = self.parts(np.maximum(fuel, 0.0), np.maximum(monoxide, 0.0))
        warm = self.blend.temperature(parts, np.full(fuel.size, self.held))
        dense = self.blend.density(parts, warm, PRESSURE)
        spreads = self.blend.conductivity(parts, warm) / self.blend.heat_capacity(parts, warm)
        c = {g: np.maximum(dense * p / MASS[g], 1e-12) for g, p in zip(GASES, parts, strict=True)}
        opens = OPENS[0] * np.exp(-OPENS[1] / (GAS * warm)) * c["CH4"] ** 0.7 * c["O2"] ** 0.8
        burns = BURNS[0] * np.exp(-BURNS[1] / (GAS * warm)) * c["CO"] * c["O2"] ** 0.25
        return warm, dense, spreads, opens, burns * c["H2O"] ** 0.5

    def speed(self, lines):
        """How fast it burns (m/s), the most carbon monoxide there is, and how warm it gets (K)."""
        d = WIDE / lines
        began = 0.5 * (1.0 - np.tanh(((np.arange(lines) + 0.5) / lines - 0.55) / 0.02))
        y = np.zeros(2 * lines)
        y[0::2] = FUEL * began

        def rises(_, y):
            fuel, monoxide = y[0::2], y[1::2]
            _, dense, spreads, opens, burns = self.at(fuel, monoxide)
            passes = dense * spreads
            between = 0.5 * (passes[1:] + passes[:-1])
            made = -opens * MASS["CH4"], (opens - burns) * MASS["CO"]
            out = np.empty_like(y)
            for k, value in enumerate((fuel, monoxide)):
                flux = np.zeros(lines + 1)
                flux[1:-1] = between * np.diff(value) / d
                out[k::2] = np.diff(flux) / d + made[k] / dense
            return out

        found = solve_ivp(
            rises,
            (0.0, LASTS),
            y,
            method="LSODA",
            lband=3,
            uband=3,
            rtol=1e-5,
            atol=1e-9,
            t_eval=TOLD,
        )
        flows = []
        for y in found.y.T:
            warm, dense, _, opens, _ = self.at(y[0::2], y[1::2])
            flows.append((opens * MASS["CH4"] / dense * d).sum() / FUEL)
        return np.array([np.mean(flows) / self.fresh, y[1::2].max(), warm.max()])


def checks(prove):
    flame = Flame()
    coarse, fine = flame.speed(300), flame.speed(600)
    speed, monoxide, warm = fine + (fine - coarse) / 3.0  # of second order in the lines
    speeds = []
    for grid in (0.5, 1.0, 2.0):
        run, cells = prove.run(grid=grid), f"cells of {0.1 / grid:g} mm"
        speeds.append(run.readouts["speed"].value)
        made = {n: run.balance[n]["given"]["reactions"] / MASS[n] for n in GASES[:-1]}
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
        0.015,
        SOURCE,
        "steps follow cells and what splits them is of first order; the rest of second in the cell",
    )
    prove.check(
        "most carbon monoxide, cells of 0.05 mm",
        run.readouts["monoxide"].value,
        monoxide,
        "",
        0.2,
        SOURCE,
        "it stands in a tenth of a millimetre: two cells",
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
    errors = [abs(s / speed - 1) for s in speeds[1:]]
    prove.at_least(
        "order of the finer two",
        prove.order(errors),
        0.75,
        "of first order in the step; cells of 0.2 mm do not hold what carbon monoxide there is",
    )
