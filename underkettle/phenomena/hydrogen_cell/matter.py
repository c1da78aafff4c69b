"""What a membrane, gases and two reactions do, in terms of what is solved. Arguments and results in SI.

All of it may be asked with complex numbers, so that slopes are found without differences: a part of
1e-30 i on one argument, and its share of the answer is the slope.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.quantities.constants import FARADAY, GAS

Array = np.ndarray

STANDARD = 101325.0  # Pa, of which shares of gases count as one
E_LIQUID, E_FALLS, ROOM = 1.229, 8.46e-4, 298.15  # V, V/K, K (NIST data; water as a liquid)
E_HEAT = 241.8e3 / (2.0 * FARADAY)  # V that burning to vapour gives in all (CRC, from memory)
LATENT = 44.0e3  # J/mol of vapour that condenses (CRC, from memory)
KNEE = 1e-5  # share of vapour over which condensing begins
TENSION, THICKNESS = 0.0626, 3.54e-4  # N/m and Pa s of water, 80 degC (steam tables, from memory)
MOLE, HEAVY = 0.018015, 972.0  # kg/mol and kg/m3 of water, 80 degC
TRACE = 1e-3  # share of pores that liquid creeps along even where it is none
DRIES = 0.01  # share of pores below which what is left of liquid evaporates ever more slowly
DRAG = 2.5 / 22.0  # water that goes with a proton, per water at a site (Springer et al. 1991)
KINK = 0.05  # of an activity, over which sorption bends where water condenses
CONDUCTS = 0.05  # S/m at 30 degC below which the fit is not followed
BEND = 0.3  # water per site over which two fits go over into each other
FAINT = 1e-6  # share of a gas below which powers of it are taken as straight
STEEPEST = 60.0  # of an exponent, beyond which it goes on straight
DRY = 0.02  # activity of water below which dry gas keeps its voltage of balance
VOLUMES = {"H2": 6.12, "O2": 16.3, "N2": 18.5, "H2O": 13.1}  # Fuller et al. 1966 (from memory)
MASSES = {"H2": 2.016, "O2": 31.999, "N2": 28.014, "H2O": 18.015}  # g/mol


def at_least(z: Any, floor: float) -> Any:
    """The larger of both, by real parts."""
    return np.where(np.real(z) > floor, z, floor)


def at_most(z: Any, top: float) -> Any:
    """The smaller of both, by real parts."""
    return np.where(np.real(z) < top, z, top)


def saturation(temperature: Any) -> Any:
    """Pressure (Pa) of vapour over water (Springer, Zawodzinski & Gottesfeld 1991), 0 to 100 degC."""
    t = temperature - 273.15
    return STANDARD * 10.0 ** (-2.1794 + 0.02953 * t - 9.1837e-5 * t**2 + 1.4454e-7 * t**3)


def sorbed(activity: Any) -> Any:
    """Water per site of a membrane in vapour (Springer et al. 1991, at 30 degC): the cubic below
    saturation, a line to 16.8 above three times that; both ends meet over KINK.
    """
    a = at_most(at_least(activity, 0.0), 3.0)
    low = at_most(a, 1.3)
    dry = 0.043 + 17.81 * low - 39.85 * low**2 + 36.0 * low**3
    wet = 14.003 + 1.4 * (a - 1.0)
    share = 0.5 * (1.0 - np.tanh((a - 1.0) / KINK))
    return share * dry + (1.0 - share) * wet


def beyond(vapour: Any, full: Any, liquid: Any = 0.0) -> Any:
    """Share of vapour beyond saturation, smooth over KNEE; below it, what evaporates of liquid that
    fills such a share of pores, and nothing where there is none.
    """
    more = vapour - full
    above = 0.5 * (more + np.sqrt(more**2 + KNEE**2))
    return above + (more - above) * liquid / (liquid + DRIES)


def leverett(liquid: Any) -> Any:
    """How the pressure of liquid rises with the share of pores that it fills, where it does not wet
    them: 1.417 s - 2.12 s^2 + 1.263 s^3 (Udell 1985, from memory).
    """
    return liquid * (1.417 + liquid * (1.263 * liquid - 2.12))


def eased(liquid: Any) -> Any:
    """Of what pores let liquid pass, what such a share of them does: its cube; never nought."""
    return (at_least(liquid, 0.0) + TRACE) ** 3


def membrane_conducts(water: Any, temperature: Any) -> Any:
    """S/m (Springer et al. 1991)."""
    plain = 0.5139 * water - 0.326
    level = 0.5 * (plain + np.sqrt(plain**2 + CONDUCTS**2))  # never nought, however dry
    return level * np.exp(1268.0 * (1.0 / 303.0 - 1.0 / temperature))


def water_spreads(water: Any, temperature: Any) -> Any:
    """m2/s of water in a membrane (Motupally, Becker & Weidner 2000, from memory)."""
    here = at_least(water, 0.05)
    low = at_most(here, 4.0)
    dry = 3.1e-7 * low * (np.exp(0.28 * low) - 1.0)
    wet = 4.17e-8 * here * (1.0 + 161.0 * np.exp(-here))
    share = 0.5 * (1.0 - np.tanh((here - 3.0) / BEND))  # both fits meet at three, nearly
    return (share * dry + (1.0 - share) * wet) * np.exp(-2346.0 / temperature)


def spreads(one: str, other: str, temperature: Any, pressure: float) -> Any:
    """m2/s of two gases in each other (Fuller, Schettler & Giddings 1966)."""
    mass = 2.0 / (1.0 / MASSES[one] + 1.0 / MASSES[other])
    size = VOLUMES[one] ** (1.0 / 3.0) + VOLUMES[other] ** (1.0 / 3.0)
    per = 1e5 / pressure
    return 1.43e-7 * temperature**1.75 * per / (mass**0.5 * size**2)


def mixed(first: Any, second: Any, in_first: Any, in_second: Any) -> Any:
    """m2/s of a gas in two others, by their shares, and by what it is in each of them alone."""
    one, other = at_least(first, 0.0) + FAINT, at_least(second, 0.0)
    return (one + other) / (one / in_first + other / in_second)


def balanced(temperature: Any) -> Any:
    """V between both electrodes with gases at standard pressure, water as a liquid (NIST data)."""
    return E_LIQUID - E_FALLS * (temperature - ROOM)


def wetness(activity: Any) -> Any:
    """The activity of water, which levels off below DRY."""
    return np.sqrt(activity**2 + DRY**2)


def of_air(oxygen: Any, activity: Any, temperature: Any) -> Any:
    """V that oxygen and water shift the air electrode's balance by (Nernst). oxygen : its pressure
    over standard.
    """
    f = FARADAY / (GAS * temperature)
    return (0.25 * np.log(at_least(oxygen, FAINT)) - 0.5 * np.log(wetness(activity))) / f


def of_fuel(hydrogen: Any, temperature: Any) -> Any:
    """V that hydrogen shifts the fuel electrode's balance by (Nernst)."""
    return -0.5 * np.log(at_least(hydrogen, FAINT)) * GAS * temperature / FARADAY


def _exp(z: Any) -> Any:
    """exp, which goes on straight beyond STEEPEST."""
    top = np.exp(STEEPEST)
    return np.where(np.real(z) < STEEPEST, np.exp(at_most(z, STEEPEST)), top * (1.0 + z - STEEPEST))


def _power(share: Any, order: float) -> Any:
    """share ** order, straight where there is hardly any."""
    return share * (at_least(share, 0.0) + FAINT) ** (order - 1.0)


def air_reacts(
    over: Any,
    oxygen: Any,
    activity: Any,
    temperature: Any,
    exchange: Any,
    cathodic: float,
    anodic: float,
    order: float,
) -> Any:
    """Current (as `exchange`) that oxygen takes up: from the ionomer to the solid. over : V of the
    solid over the ionomer, less what balances both at standard pressure and liquid water. Both ways
    agree at the voltage of balance of what is there.
    """
    f, wet = FARADAY / (GAS * temperature), wetness(activity)
    forward = _power(oxygen, order) * wet ** (-0.5 * cathodic) * _exp(-cathodic * f * over)
    back = _power(oxygen, order - 0.25 * (cathodic + anodic)) * wet ** (0.5 * anodic)
    return exchange * (forward - back * _exp(anodic * f * over))


def fuel_reacts(
    over: Any,
    hydrogen: Any,
    temperature: Any,
    exchange: Any,
    anodic: float,
    cathodic: float,
    order: float,
) -> Any:
    """Current (as `exchange`) that hydrogen gives: from the solid to the ionomer. over : V of the solid
    over the ionomer.
    """
    f = FARADAY / (GAS * temperature)
    forward = _power(hydrogen, order) * _exp(anodic * f * over)
    back = _power(hydrogen, order - 0.5 * (anodic + cathodic)) * _exp(-cathodic * f * over)
    return exchange * (forward - back)


def _swept(z: Any) -> Any:
    """z/(exp z - 1)."""
    small = np.abs(z) < 1e-5
    safe = np.where(small, 1.0, at_most(at_least(z, -500.0), 500.0))
    return np.where(small, 1.0 - 0.5 * z, np.where(np.real(z) > 500.0, 0.0, safe / np.expm1(safe)))


def passes(here: Any, there: Any, stream: Any, link: Any) -> Any:
    """mol/s of a gas that a stream (mol/s) takes along while it spreads: exact for one stream and one
    link (mol/s) between two places (Scharfetter & Gummel 1969).
    """
    pull = stream / np.where(np.real(link) > 0, link, 1e-300)
    quick = np.abs(pull) > 400.0
    carried = np.where(np.real(stream) > 0, stream * here, stream * there)
    calm = np.where(quick, 0.0, pull)
    return np.where(quick, carried, link * (_swept(-calm) * here - _swept(calm) * there))


def viscosity(side: int, temperature: Any) -> Any:
    """Pa s of moist hydrogen (side 0) and of moist air, about (CRC, from memory): all that it moves is
    how the pressure falls along channels.
    """
    return (1.05e-5, 2.1e-5)[side] * (temperature / 353.0) ** 0.7
