"""A gas burns in a vessel that nothing leaves: pressure and temperature by energy and room kept."""

import numpy as np
from scipy.optimize import brentq

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import mass_of

SOURCE = "energy and room are kept, burnt to the end (CH4 + 2 O2 -> CO2 + 2 H2O); exact"
GASES = ("CH4", "O2", "CO2", "H2O", "N2")
GAS, PRESSURE, BEGAN, COLDER = 8.31446261815324, 101325.0, 1300.0, 1000.0
FUEL, OXYGEN, ROOM = 0.03, 0.22, 0.02 * 0.01  # m3
MASS = {name: mass_of({name: 1.0}) for name in GASES}
BLEND = Blend([read_gas(g) for g in GASES])


def energy(parts, warm):
    """J/kg at temperatures (K), formation included."""
    held = BLEND.enthalpy(parts, warm)[0]
    return held - GAS * warm / BLEND.molar_mass(parts)


def make_up(burnt):
    """Mass fractions when so much of the fuel has burnt."""
    moles = burnt * FUEL / MASS["CH4"]
    found = [FUEL * (1.0 - burnt), OXYGEN - 2.0 * moles * MASS["O2"]]
    found += [moles * MASS["CO2"], 2.0 * moles * MASS["H2O"]]
    return [np.array([p]) for p in (*found, 1.0 - sum(found))]


def exact():
    """Temperature (K) and pressure (Pa) once all has burnt, begun everywhere the same."""
    fresh, burnt = make_up(0.0), make_up(1.0)
    held = energy(fresh, np.array([BEGAN]))[0]
    warm = brentq(lambda t: energy(burnt, np.array([t]))[0] - held, BEGAN, 5000.0)
    lighter = BLEND.molar_mass(fresh)[0] / BLEND.molar_mass(burnt)[0]
    return warm, PRESSURE * warm / BEGAN * lighter


def checks(prove):
    warm, pressure = exact()
    run = prove.run()
    for name, value, unit in (("temperature", warm, "K"), ("pressure", pressure, "Pa")):
        prove.check(
            f"{name} after all has burnt at once",
            run.readouts[name].value,
            value,
            unit,
            1e-6,
            SOURCE,
            "what it is warmed by as it is pressed is of first order in the step",
        )
    fresh = make_up(0.0)
    dense = [BLEND.density(fresh, np.array([t]), PRESSURE)[0] for t in (BEGAN, COLDER)]
    brought = sum(
        0.5 * ROOM * d * energy(fresh, np.array([t]))[0]
        for d, t in zip(dense, (BEGAN, COLDER), strict=True)
    )
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(variant="half warm", grid=grid)
        cells = f"{16 * grid:g} cells along"
        parts = [run.field(n) for n in GASES[:-1]]
        parts.append(1.0 - sum(parts))
        warm, dense_now = run.field("mixture_temperature"), run.field("gas_density")
        cell = ROOM / warm.size
        prove.check(
            f"mass, one half begun colder, {cells}",
            float(dense_now.sum()) * cell,
            0.5 * ROOM * sum(dense),
            "kg",
            1e-7,
            "conservation",
            "frames are kept to seven digits",
        )
        prove.check(
            f"energy over what burning gave, one half begun colder, {cells}",
            (float((dense_now * energy(parts, warm)).sum()) * cell - brought)
            / (ROOM * float(run.readouts["pressure"].value - PRESSURE)),
            0.0,
            "",
            1e-6,
            "conservation of energy, formation included",
            "flow and gas agree to 1e-7 in every step",
        )
