"""Chemical equilibrium of ideal gases with graphite, at a temperature or at constant enthalpy.

The smallest Gibbs energy by a reduced Newton method on ln n, element potentials and ln N with
limited steps, after Gordon & McBride 1994, NASA RP-1311 (from memory).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from underkettle.matter.thermo import (
    GRAPHITE,
    ONE_BAR,
    ThermoError,
    enthalpy_of,
    substances,
)
from underkettle.quantities.constants import GAS

Array = np.ndarray

MOST = 300  # Newton steps
CLOSE = 1e-11
TRACE = -18.420681  # ln of 1e-8: below it a species counts as a trace
FAINTEST = -95.0  # ln of the least moles that are told from none
RIDGE = 1e-13
HOT, COMING_DOWN = 3000.0, 14
COLDEST, HOTTEST = 250.0, 4500.0  # K, of a flame


@dataclass(frozen=True)
class Mixture:
    """moles by substance at a temperature (K) and pressure (Pa)."""

    moles: dict[str, float]
    temperature: float
    pressure: float

    @property
    def shares(self) -> dict[str, float]:
        """Mole fractions of the gas."""
        gas = {s: n for s, n in self.moles.items() if s != GRAPHITE}
        total = sum(gas.values())
        return {s: n / total for s, n in gas.items()}


def elements_of(moles: Mapping[str, float]) -> dict[str, float]:
    """Moles of each element."""
    found: dict[str, float] = {}
    for name, n in moles.items():
        for element, count in substances()[name].atoms.items():
            found[element] = found.get(element, 0.0) + n * count
    return {e: n for e, n in found.items() if n > 0}


def equilibrium(
    feed: Mapping[str, float],
    temperature: float,
    pressure: float,
    graphite: bool = True,
    products: tuple[str, ...] | None = None,
) -> Mixture:
    """Equilibrium at a temperature (K) and pressure (Pa). Raises ThermoError.

    graphite : whether carbon may settle. products : what may form; all that has data if None.
    """
    there = elements_of(feed)
    elements = list(there)
    wanted = np.array([there[e] for e in elements])
    scale = wanted.sum()
    b = wanted / scale
    names = [
        s
        for s in (products or substances())
        if s != GRAPHITE and set(substances()[s].atoms) <= set(elements)
    ]
    if not names:
        raise ThermoError("nothing can form of these elements")
    a = np.array([[substances()[s].atoms.get(e, 0) for s in names] for e in elements], float)
    carbon = elements.index("C") if "C" in elements and graphite else -1

    def levels(t: float) -> tuple[Array, float]:
        """Gibbs energies over RT of the gases, and of graphite."""
        bare = np.array([substances()[s].gibbs(t) for s in names]) / (GAS * t)
        solid = substances()[GRAPHITE].gibbs(t) / (GAS * t) if carbon >= 0 else 0.0
        return bare + np.log(pressure / ONE_BAR), solid

    for settled in (False, True) if carbon >= 0 else (False,):
        found = _solved(a, b, levels, temperature, carbon, settled)
        if found is not None:
            gas, coke, potentials = found
            if not settled and carbon >= 0 and potentials[carbon] > levels(temperature)[1] + 1e-9:
                continue  # the gas holds more carbon than graphite lets it
            moles = {s: float(n) * scale for s, n in zip(names, gas, strict=True)}
            if coke > 0:
                moles[GRAPHITE] = coke * scale
            return Mixture(moles, temperature, pressure)
    raise ThermoError(f"no equilibrium was found at {temperature:.5g} K")


Found = tuple[Array, float, Array]  # moles of the gas, of graphite, element potentials


def _solved(
    a: Array,
    b: Array,
    levels: Callable[[float], tuple[Array, float]],
    temperature: float,
    carbon: int,
    settled: bool,
) -> Found | None:
    """At the temperature itself, or else come down to it from where nothing is scarce."""
    found = _newton(a, b, *levels(temperature), carbon, settled, None)
    if found is not None:
        return found
    before: Found | None = None
    for t in np.geomspace(max(HOT, temperature), temperature, COMING_DOWN):
        found = _newton(a, b, *levels(float(t)), carbon, settled, before)
        before = found if found is not None else before
    return found


def _newton(
    a: Array, b: Array, bare: Array, solid: float, carbon: int, settled: bool, before: Found | None
) -> Found | None:
    """From an even gas, or from what was found nearby; None where it does not converge."""
    elements, species = a.shape
    log_n = np.full(species, np.log(0.1 / species))
    coke = 0.1 * float(b[carbon]) if settled else 0.0
    if before is not None:
        log_n, coke = np.log(np.maximum(before[0], 1e-30)), before[1]
    log_total = float(np.log(np.exp(log_n).sum()))
    size = elements + settled + 1
    for _ in range(MOST):
        n, total = np.exp(log_n), np.exp(log_total)
        level = bare + log_n - log_total
        matrix, right = np.zeros((size, size)), np.zeros(size)
        matrix[:elements, :elements] = (a * n) @ a.T
        matrix[:elements, -1] = matrix[-1, :elements] = a @ n
        matrix[-1, -1] = n.sum() - total
        right[:elements] = b - a @ n + a @ (n * level)
        right[-1] = total - n.sum() + n @ level
        if settled:
            matrix[carbon, elements] = matrix[elements, carbon] = 1.0
            right[carbon] -= coke
            right[elements] = solid
        found = _scaled_solve(matrix, right, elements)
        potentials, d_total = found[:elements], found[-1]
        d_log = d_total + a.T @ potentials - level
        d_coke = found[elements] if settled else 0.0
        step = _step(log_n - log_total, d_log, d_total)
        log_n = np.clip(log_n + step * d_log, FAINTEST, 3.0)
        log_total = min(3.0, max(-20.0, log_total + float(step * d_total)))
        coke += float(step * d_coke)
        error = max(float((n * np.abs(d_log)).max()) / n.sum(), abs(d_total), abs(d_coke))
        if step == 1.0 and error < CLOSE:
            if settled and coke < 0:
                return None
            return np.exp(log_n), coke, potentials
    return None


def _scaled_solve(matrix: Array, right: Array, elements: int) -> Array:
    """With rows and columns of one size, and a ridge on what hardly anything holds."""
    size = np.sqrt(np.maximum(np.abs(np.diag(matrix)), 1e-30))
    size[elements:] = 1.0
    scaled = matrix / size[:, None] / size[None, :]
    scaled[np.arange(elements), np.arange(elements)] += RIDGE
    try:
        return np.asarray(np.linalg.solve(scaled, right / size) / size)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.lstsq(scaled, right / size, rcond=None)[0] / size)


def _step(shares: Array, d_log: Array, d_total: float) -> float:
    """How much of a Newton step is taken, so that no species grows by more than it can bear."""
    major = shares > TRACE
    largest = max(5 * abs(d_total), float(np.abs(d_log[major]).max(initial=0.0)), 1e-300)
    step = min(1.0, 2.0 / largest)
    rising = ~major & (d_log > 0)
    if rising.any():
        room = np.abs((-shares[rising] - 9.2103404) / (d_log[rising] - d_total))
        step = min(step, float(room.min()))
    return max(step, 1e-4)


def flame(
    feed: Mapping[str, float],
    temperature: float,
    pressure: float,
    products: tuple[str, ...] | None = None,
    graphite: bool = True,
) -> Mixture:
    """Equilibrium at constant pressure and the enthalpy that the feed (mol) brings at its
    temperature (K). Raises ThermoError.
    """
    from scipy.optimize import brentq  # loads slowly, and is seldom wanted

    brought = enthalpy_of(feed, temperature)

    def surplus(t: float) -> float:
        return enthalpy_of(equilibrium(feed, t, pressure, graphite, products).moles, t) - brought

    low, high = COLDEST, HOTTEST
    if surplus(low) > 0 or surplus(high) < 0:
        raise ThermoError("no temperature between 250 and 4500 K holds this much heat")
    return equilibrium(feed, brentq(surplus, low, high, xtol=1e-6), pressure, graphite, products)


def air_for(fuel: Mapping[str, float]) -> float:
    """Moles of dry air that burn a fuel (mol) to CO2, H2O and N2. Raises ThermoError."""
    from underkettle.matter.thermo import AIR

    e = elements_of(fuel)
    need = e.get("C", 0.0) + e.get("H", 0.0) / 4 - e.get("O", 0.0) / 2
    if need <= 0:
        raise ThermoError("this fuel needs no air")
    return need / AIR["O2"]


def heating_value(fuel: Mapping[str, float]) -> float:
    """Lower heating value of a fuel (J for its moles) at 298.15 K, water as vapour."""
    from underkettle.matter.thermo import STANDARD

    e = elements_of(fuel)
    oxygen = e.get("C", 0.0) + e.get("H", 0.0) / 4 - e.get("O", 0.0) / 2
    burnt = {"CO2": e.get("C", 0.0), "H2O": e.get("H", 0.0) / 2, "N2": e.get("N", 0.0) / 2}
    return (
        enthalpy_of(fuel, STANDARD)
        + oxygen * substances()["O2"].enthalpy(STANDARD)
        - enthalpy_of(burnt, STANDARD)
    )
