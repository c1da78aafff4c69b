"""A solid fuel turned into gas: by its analysis, what turns it, and how near to equilibrium."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np

from underkettle.matter.equilibrium import heating_value
from underkettle.matter.reaction import log_constants, read_reaction
from underkettle.matter.thermo import (
    AIR,
    GRAPHITE,
    MASSES,
    ONE_BAR,
    STANDARD,
    enthalpy_of,
    mass_of,
    substances,
)
from underkettle.quantities.constants import GAS
from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

ELEMENTS = ("carbon", "hydrogen", "oxygen", "nitrogen", "sulphur")
SIGNS = {"carbon": "C", "hydrogen": "H", "oxygen": "O", "nitrogen": "N"}
SUM = 1e-3  # by which an analysis may miss one
GASES = ("H2", "CO", "CO2", "CH4", "H2O", "N2")
DRY = ("H2", "CO", "CO2", "CH4", "N2")
TAR = {"C": 10.0, "H": 8.0}  # as naphthalene
TAR_MASS = 10 * MASSES["C"] + 8 * MASSES["H"]  # kg/mol
TAR_FORMS = 150.6e3  # J/mol as a gas (CRC, from memory)
TAR_HOLDS = 220.0  # J/(mol K) of its gas, about what it has at 700 K (from memory)
ASH_HOLDS = 1000.0  # J/(kg K) (common practice)
COLDEST, HOTTEST = 500.0, 2500.0  # K, between which heat is balanced
FINE = 1e-13
RATIOS = np.linspace(0.15, 0.45, 13)
WATER = 44.0e3  # J/mol that vapour gives off as it turns to water at 25 degC
_SHIFT, _REFORMS = "CO + H2O -> CO2 + H2", "CH4 + H2O -> CO + 3 H2"


def higher_heating_value(dry: Mapping[str, float], ash: float) -> float:
    """J per kg of dry fuel, by mass shares of elements (Channiwala & Parikh 2002, Fuel 81, 1051, from
    memory); within 1.5 % on average for coals, biomass, chars and oils.
    """
    c, h, o, n, s = (100.0 * dry.get(e, 0.0) for e in ELEMENTS)
    return 1e6 * (
        0.3491 * c + 1.1783 * h + 0.1005 * s - 0.1034 * o - 0.0151 * n - 0.0211 * 100.0 * ash
    )


@cache
def _logs(text: str) -> tuple[np.ndarray, np.ndarray]:
    at = np.linspace(300.0, 3000.0, 541)
    reaction = read_reaction(text)
    more = sum(reaction.net().values())
    # from concentrations to pressures over one bar
    return at, log_constants(reaction, at) + more * np.log(GAS * at / ONE_BAR)


def constant(text: str, temperature: float) -> float:
    """Of a reaction, in partial pressures over one bar."""
    return float(np.exp(np.interp(temperature, *_logs(text))))


def shared_out(
    atoms: Mapping[str, float], shift: float, reforms: float, pressure: float
) -> dict[str, float]:
    """Moles of gases that keep atoms of C, H, O and N, by both constants. Raises SumError.

    For each amount of methane shift alone decides on the others (a quadratic); what reforming asks for
    falls with it.
    """
    from scipy.optimize import brentq  # loads slowly, and is seldom wanted

    carbon, hydrogen, oxygen = (atoms[e] for e in "CHO")
    nitrogen = 0.5 * atoms.get("N", 0.0)
    if oxygen >= 2 * carbon + 0.5 * hydrogen:
        raise SumError("there is more oxygen than the fuel can take: that burns it")
    low = max(0.0, carbon - oxygen)
    high = min(carbon, 0.25 * hydrogen, 0.25 * (0.5 * hydrogen + 2 * carbon - oxygen))
    if low >= high:
        raise SumError("there is too little oxygen to turn all that carbon into gas")

    def others(methane: float) -> dict[str, float]:
        c, h = carbon - methane, 0.5 * hydrogen - 2.0 * methane  # as CO and CO2, as H2 and H2O
        wet = oxygen - 2.0 * c  # H2O less CO
        b, d = c + h - wet + shift * wet, c * (h - wet)
        co = 2.0 * d / (b + np.sqrt(max(b * b - 4.0 * (1.0 - shift) * d, 0.0)))
        co = float(min(max(co, 0.0, -wet), c, h - wet))
        water = wet + co
        return {"CO": co, "CO2": c - co, "H2O": water, "H2": h - water, "CH4": methane}

    def left(methane: float) -> float:
        found = others(methane)
        total = sum(found.values()) + nitrogen
        asks = found["CO"] * found["H2"] ** 3 * (pressure / ONE_BAR / total) ** 2
        return asks - reforms * methane * found["H2O"]

    edge = FINE * (high - low)
    first, last = low + edge, high - edge
    if left(first) <= 0:
        methane = first
    elif left(last) >= 0:
        methane = last
    else:
        methane = float(brentq(left, first, last, xtol=1e-15 * high, rtol=FINE))
    return {**others(methane), "N2": nitrogen}


@dataclass(frozen=True)
class _Feed:
    """For one kg of dry fuel: atoms (mol) that become gas, what all of them hold (J), and what is left
    as char (mol), tar (mol) and ash (kg).
    """

    atoms: dict[str, float]
    holds: float
    char: float
    tar: float
    ash: float
    lower: float  # J, heating value


def _fed(v: Mapping[str, float]) -> _Feed:
    dry = {e: v[e] for e in ELEMENTS}
    total = sum(dry.values()) + v["ash"]
    if abs(total - 1.0) > SUM:
        raise SumError(f"the analysis sums to {total:.4g}; elements and ash of dry fuel sum to one")
    for name in ("carbon_converted", "moisture"):
        if not 0.0 <= v[name] <= 1.0 or (name == "moisture" and v[name] == 1.0):
            raise SumError(f"{name.replace('_', ' ')} is a share, from nought to one")
    atoms = {SIGNS[e]: dry[e] / MASSES[SIGNS[e]] for e in SIGNS}
    higher = v["measured"] or higher_heating_value(dry, v["ash"])
    lower = higher - 0.5 * atoms["H"] * WATER
    # what it took to form: burnt, it gives off its lower heating value
    forms = lower + atoms["C"] * substances()["CO2"].formation
    forms += 0.5 * atoms["H"] * substances()["H2O"].formation
    water = v["moisture"] / (1.0 - v["moisture"]) / substances()["H2O"].molar_mass
    need = atoms["C"] + 0.25 * atoms["H"] - 0.5 * atoms["O"]
    oxygen = v["air_ratio"] * need
    rest = oxygen * (1.0 / v["agent"] - 1.0)
    steam = v["steam"] / substances()["H2O"].molar_mass
    holds = forms + water * (substances()["H2O"].formation - WATER)
    for name, moles, warm in (
        ("O2", oxygen, v["agent_temperature"]),
        ("N2", rest, v["agent_temperature"]),
        ("H2O", steam, v["steam_temperature"]),
    ):
        holds += enthalpy_of({name: moles}, warm)
    char = (1.0 - v["carbon_converted"]) * atoms["C"]
    tar = v["tar"] / TAR_MASS
    atoms["C"] -= char + TAR["C"] * tar
    atoms["H"] += 2.0 * (water + steam) - TAR["H"] * tar
    atoms["O"] += water + steam + 2.0 * oxygen
    atoms["N"] += 2.0 * rest
    if atoms["C"] <= 0:
        raise SumError("char and tar take more carbon than there is")
    return _Feed(atoms, holds, char, tar, v["ash"], lower)


def _gas_at(v: Mapping[str, float], fed: _Feed, temperature: float) -> dict[str, float]:
    return shared_out(
        fed.atoms,
        constant(_SHIFT, temperature + v["shift_off"]),
        constant(_REFORMS, temperature - v["reforming_off"]),
        v["pressure"],
    )


def _held(fed: _Feed, gas: Mapping[str, float], temperature: float) -> float:
    """J of all that leaves."""
    found = enthalpy_of({**gas, GRAPHITE: fed.char}, temperature)
    found += fed.tar * (TAR_FORMS + TAR_HOLDS * (temperature - STANDARD))
    return found + fed.ash * ASH_HOLDS * (temperature - STANDARD)


def _warmed(v: Mapping[str, float], fed: _Feed) -> float:
    """The temperature (K) at which all that leaves holds what enters, less what is lost."""
    from scipy.optimize import brentq  # loads slowly, and is seldom wanted

    keeps = fed.holds - v["lost"] * fed.lower

    def over(t: float) -> float:
        return _held(fed, _gas_at(v, fed, t), t) - keeps

    low, high = COLDEST, HOTTEST
    if over(low) > 0:
        raise SumError("it does not keep itself warm above 227 degC: give more air, or less steam")
    if over(high) < 0:
        raise SumError("it gets hotter than 2227 degC: give less air, or more steam")
    return float(brentq(over, low, high, xtol=1e-9, rtol=FINE))


def gasifying(**v: float | str) -> dict[str, float]:
    """For entries see `SUMS`. Raises SumError."""
    numbers = {n: float(x) for n, x in v.items() if n != "heat"}
    positive(**{n: numbers[n] for n in ("pressure", "air_ratio", "agent", "temperature")})
    if numbers["agent"] > 1.0:
        raise SumError("oxygen in the agent is a share, up to one")
    fed = _fed(numbers)
    itself = v["heat"] == ITSELF
    warm = _warmed(numbers, fed) if itself else numbers["temperature"]
    if not COLDEST <= warm <= HOTTEST:
        raise SumError(f"constants are kept from {COLDEST:g} to {HOTTEST:g} K")
    gas = _gas_at(numbers, fed, warm)
    dry = sum(gas[s] for s in DRY)
    burns = heating_value(gas)
    needs = _held(fed, gas, warm) - fed.holds + numbers["lost"] * fed.lower
    water = gas["H2O"]
    return {
        "leaves_at": warm,
        **{s.lower(): gas[s] / dry for s in DRY},
        "water": water / (dry + water),
        "ratio": gas["H2"] / gas["CO"],
        "gas": dry * GAS * 273.15 / 101325.0,
        "value": burns / mass_of({s: gas[s] for s in DRY}),
        "efficiency": burns / fed.lower,
        "higher": higher_heating_value({e: numbers[e] for e in ELEMENTS}, numbers["ash"]),
        "char": fed.char * MASSES["C"],
        "heat": needs,
    }


def _over_air(**v: float | str) -> Curve:
    at, found = [], []
    for ratio in RATIOS:
        try:
            found.append(gasifying(**{**v, "air_ratio": float(ratio)})["efficiency"])
        except SumError:
            continue
        at.append(float(ratio))
    here = gasifying(**v)["efficiency"]
    return Curve(
        np.array(at),
        np.array(found),
        "oxygen over what burns it",
        "number",
        "cold-gas efficiency",
        "number",
        [(float(v["air_ratio"]), here)],
    )


ITSELF, HELD = "as warm as it makes itself", "held at a temperature"
SUMS = (
    SideSum(
        "gasifying",
        "Gas from a solid fuel",
        "burning",
        "What a fuel of known analysis turns into with air, oxygen or steam: dry gas, its heating "
        "value, cold-gas efficiency. Char, tar and how far shift and reforming stay off "
        "equilibrium are given; sulphur counts for the heating value only.",
        "elements and enthalpy; constants from Gibbs energies; heating value by Channiwala & Parikh "
        "2002, from memory; tar as naphthalene; air is " + f"{AIR['O2']:g} oxygen",
        (
            Entry("carbon", "carbon, of dry fuel by mass", default="0.48"),
            Entry("hydrogen", "hydrogen", default="0.06"),
            Entry("oxygen", "oxygen", default="0.42"),
            Entry("nitrogen", "nitrogen", default="0.01"),
            Entry("sulphur", "sulphur", default="0"),
            Entry("ash", "ash", default="0.03"),
            Entry("moisture", "moisture, of wet fuel by mass", default="0.12"),
            Entry(
                "measured",
                "higher heating value (0: by elements)",
                "specific energy",
                "0 J/kg",
            ),
            Entry("air_ratio", "oxygen over what burns it", default="0.3"),
            Entry("agent", "oxygen in the agent, by moles", default="0.2095"),
            Entry("agent_temperature", "agent enters at", "temperature", "25 degC"),
            Entry("steam", "steam, kg per kg dry fuel", default="0"),
            Entry("steam_temperature", "steam enters at", "temperature", "150 degC"),
            Entry("heat", "heat", default=ITSELF, kind="choice", choices=(ITSELF, HELD)),
            Entry("temperature", "temperature, where it is held", "temperature", "800 degC"),
            Entry("lost", "heat lost, of the heating value", default="0.03"),
            Entry("pressure", "pressure", "pressure", "1 atm"),
            Entry("carbon_converted", "carbon converted", default="0.97"),
            Entry("tar", "tar, kg per kg dry fuel", default="0.005"),
            Entry("shift_off", "shift as if warmer by", "K", "0 K"),
            Entry("reforming_off", "reforming as if cooler by", "K", "0 K"),
        ),
        (
            Gives("leaves_at", "temperature", "temperature"),
            *(Gives(s.lower(), "number", f"mole fraction of {s}, dry") for s in DRY),
            Gives("water", "number", "mole fraction of H2O, wet"),
            Gives("ratio", "number", "H2 over CO"),
            Gives("gas", "number", "dry gas at 0 degC, 1 atm, m3 per kg dry fuel"),
            Gives("value", "specific energy", "lower heating value of the dry gas"),
            Gives("efficiency", "number", "cold-gas efficiency"),
            Gives("higher", "specific energy", "higher heating value, by elements"),
            Gives("char", "number", "carbon left in char, kg per kg dry fuel"),
            Gives("heat", "specific energy", "heat it takes, losses included"),
        ),
        gasifying,
        _over_air,
        range="air ratios of .15 to .5; 500 to 2500 K",
        fits=lambda **v: 0.15 <= float(v["air_ratio"]) <= 0.5,
    ),
)
