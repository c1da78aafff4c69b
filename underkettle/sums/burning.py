"""Air that a fuel needs, the temperature it burns at, and gases at equilibrium."""

from __future__ import annotations

import numpy as np

from underkettle.matter.equilibrium import air_for, equilibrium, flame, heating_value
from underkettle.matter.thermo import AIR, GRAPHITE, ThermoError, mass_of, read_mixture
from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

COMPLETE = ("CO2", "H2O", "N2", "O2", "Ar")
SHOWN = ("CO2", "H2O", "N2", "O2", "CO", "H2", "OH", "NO")
GASES = ("H2", "CO", "CO2", "CH4", "H2O", "N2", "O2", "NH3")
EXCESSES = np.linspace(0.6, 2.0, 15)
DEGREES = 13


def burning(fuel: str, air_ratio: float, temperature: float, pressure: float) -> dict[str, float]:
    """A fuel mixture with dry air at constant pressure. air_ratio : over what it needs.

    Raises SumError.
    """
    positive(air_ratio=air_ratio, temperature=temperature, pressure=pressure)
    try:
        parts = read_mixture(fuel)
        need = air_for(parts)
        feed = _with_air(parts, air_ratio * need)
        found = flame(feed, temperature, pressure)
        complete = (
            flame(feed, temperature, pressure, COMPLETE, False).temperature
            if air_ratio >= 1
            else float("nan")
        )
        air_mass = need * mass_of(AIR)
        value = heating_value(parts)
    except ThermoError as error:
        raise SumError(str(error)) from error
    shares = found.shares
    return {
        "flame": found.temperature,
        "complete": complete,
        "air_per_fuel": air_mass / mass_of(parts),
        "heating_value": value / mass_of(parts),
        **{s.lower(): shares.get(s, 0.0) for s in SHOWN},
    }


def _with_air(fuel: dict[str, float], moles: float) -> dict[str, float]:
    feed = dict(fuel)
    for name, share in AIR.items():
        feed[name] = feed.get(name, 0.0) + moles * share
    return feed


def _flames(fuel: str, air_ratio: float, temperature: float, pressure: float) -> Curve:
    try:
        parts = read_mixture(fuel)
        need = air_for(parts)
        at = [
            flame(_with_air(parts, float(r) * need), temperature, pressure).temperature
            for r in EXCESSES
        ]
        here = flame(_with_air(parts, air_ratio * need), temperature, pressure).temperature
    except ThermoError as error:
        raise SumError(str(error)) from error
    return Curve(
        EXCESSES,
        np.array(at),
        "air over what is needed",
        "number",
        "flame temperature",
        "temperature",
        [(air_ratio, here)],
    )


def balanced(feed: str, temperature: float, pressure: float) -> dict[str, float]:
    """Gas and graphite at equilibrium from a feed such as "C(s) + 0.8 H2O". Raises SumError."""
    positive(temperature=temperature, pressure=pressure)
    try:
        parts = read_mixture(feed)
        found = equilibrium(parts, temperature, pressure)
    except ThermoError as error:
        raise SumError(str(error)) from error
    shares, gas = found.shares, sum(n for s, n in found.moles.items() if s != GRAPHITE)
    return {
        **{s.lower(): shares.get(s, 0.0) for s in GASES},
        "graphite": found.moles.get(GRAPHITE, 0.0),
        "gas": gas,
    }


def _hydrogen(feed: str, temperature: float, pressure: float) -> Curve:
    at = np.linspace(max(400.0, temperature - 400), temperature + 400, DEGREES)
    values = [balanced(feed, float(t), pressure)["h2"] for t in at]
    return Curve(
        at,
        np.array(values),
        "temperature",
        "temperature",
        "mole fraction of H2",
        "number",
        [(temperature, balanced(feed, temperature, pressure)["h2"])],
    )


_P = Entry("pressure", "pressure", "pressure", "1 atm")
_DATA = "data of JANAF, NIST and ATcT; Gordon & McBride 1994, from memory"

SUMS = (
    SideSum(
        "burning",
        "Air and flame temperature",
        "burning",
        "Stoichiometric air, adiabatic flame temperature at equilibrium and when burnt to the "
        "end, products. Fuels: CH4, C2H2, C2H4, C2H6, C3H8, CH3OH, C2H5OH, CO, H2, NH3 and "
        "mixtures such as 0.6 CO + 0.3 H2 + 0.1 N2.",
        _DATA,
        (
            Entry("fuel", "fuel, in moles", default="CH4", kind="text"),
            Entry("air_ratio", "air over what is needed", default="1"),
            Entry("temperature", "fuel and air enter at", "temperature", "298.15 K"),
            _P,
        ),
        (
            Gives("flame", "temperature", "flame temperature"),
            Gives("complete", "temperature", "if burnt to CO2 and H2O alone"),
            Gives("air_per_fuel", "number", "kg air per kg fuel needed"),
            Gives("heating_value", "specific energy", "lower heating value"),
            *(Gives(s.lower(), "number", f"mole fraction of {s}") for s in SHOWN),
        ),
        burning,
        _flames,
        range="ideal gas, constant pressure, no heat lost",
    ),
    SideSum(
        "balanced",
        "Gases at equilibrium",
        "burning",
        "What a feed comes to at a temperature, with graphite where carbon settles.",
        _DATA,
        (
            Entry("feed", "feed, in moles", default="C(s) + 0.7 H2 + 0.3 O2 + 1 H2O", kind="text"),
            Entry("temperature", "temperature", "temperature", "800 degC"),
            _P,
        ),
        (
            *(Gives(s.lower(), "number", f"mole fraction of {s}") for s in GASES),
            Gives("gas", "amount", "gas of this feed"),
            Gives("graphite", "amount", "graphite of it"),
        ),
        balanced,
        _hydrogen,
        range="ideal gas",
    ),
)
