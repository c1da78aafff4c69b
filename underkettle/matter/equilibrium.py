"""Chemical equilibrium of ideal gases with graphite, at a temperature or at constant enthalpy.

`Forming` is what may form of some elements, many feeds at once; `gibbs` has how.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from underkettle.matter import gibbs
from underkettle.matter.thermo import (
    AIR,
    GRAPHITE,
    ONE_BAR,
    STANDARD,
    ThermoError,
    enthalpy_of,
    substances,
)
from underkettle.quantities.constants import GAS

Array = np.ndarray

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


@dataclass(frozen=True)
class Formed:
    """Of every feed, moles of each gas (gases, n) and of graphite (n,), and its temperature (K)."""

    gas: Array
    coke: Array
    temperature: Array


def elements_of(moles: Mapping[str, float]) -> dict[str, float]:
    """Moles of each element."""
    found: dict[str, float] = {}
    for name, n in moles.items():
        for element, count in substances()[name].atoms.items():
            found[element] = found.get(element, 0.0) + n * count
    return {e: n for e, n in found.items() if n > 0}


class Forming:
    """What may form of some elements at a pressure (Pa). Raises ThermoError.

    graphite : whether carbon may settle. products : what may form; all that has data if None.
    """

    def __init__(
        self,
        elements: Iterable[str],
        pressure: float,
        graphite: bool = True,
        products: Iterable[str] | None = None,
    ) -> None:
        self.elements = tuple(elements)
        self.pressure = pressure
        known = substances()
        self.names = tuple(
            s
            for s in (products or known)
            if s != GRAPHITE and set(known[s].atoms) <= set(self.elements)
        )
        if not self.names:
            raise ThermoError("nothing can form of these elements")
        lost = [e for e in self.elements if not any(e in known[s].atoms for s in self.names)]
        if lost:
            raise ThermoError(f"nothing of what may form holds {' or '.join(lost)}")
        self.atoms = np.array(
            [[known[s].atoms.get(e, 0) for s in self.names] for e in self.elements], float
        )
        self.data = np.array([known[s].coefficients() for s in (*self.names, GRAPHITE)])
        self.graphite = graphite and "C" in self.elements
        self._how = (
            float(np.log(pressure / ONE_BAR)),
            self.data,
            self.elements.index("C") if self.graphite else 0,
            self.graphite,
        )

    def feed(self, moles: Mapping[str, float]) -> Array:
        """Moles of each element (elements,) in a mixture."""
        there = elements_of(moles)
        return np.array([there.get(e, 0.0) for e in self.elements])

    def _each(self, feeds: Array) -> tuple[Array, Array, tuple[Array, Array, Array]]:
        """Feeds by one mole of atoms, how many there were, and room for what is found."""
        total = feeds.sum(axis=0)
        count = total.size
        room = np.zeros((len(self.names), count)), np.zeros(count), np.zeros(count, bool)
        return np.ascontiguousarray(feeds / total), total, room

    def at(self, feeds: Array, temperatures: Array) -> Formed:
        """Feeds (elements, n; moles) at temperatures (n,; K)."""
        each, total, (gas, coke, fine) = self._each(feeds)
        warm = np.ascontiguousarray(temperatures, float)
        gibbs.at_temperatures(self.atoms, each, warm, *self._how, gas, coke, fine)
        self._check(fine, warm)
        return Formed(gas * total, coke * total, warm)

    def holding(
        self,
        feeds: Array,
        enthalpies: Array,
        ends: tuple[float, float] = (COLDEST, HOTTEST),
    ) -> Formed:
        """Feeds (elements, n; moles) at the enthalpies (n,; J) that they bring, between two
        temperatures (K): what holds less or more stays there.
        """
        each, total, (gas, coke, fine) = self._each(feeds)
        brought = np.ascontiguousarray(enthalpies / total / GAS)
        warm = np.zeros(total.size)
        gibbs.at_enthalpies(self.atoms, each, brought, ends, *self._how, gas, coke, warm, fine)
        self._check(fine, warm)
        return Formed(gas * total, coke * total, warm)

    def enthalpy(self, gas: Array, temperatures: Array) -> Array:
        """J of gases (gases, n; moles) at temperatures (n,; K)."""
        found = np.empty(temperatures.size)
        gibbs.enthalpies(gas, temperatures, self.data, found)
        return GAS * found

    def _check(self, fine: Array, warm: Array) -> None:
        if not fine.all():
            raise ThermoError(f"no equilibrium was found at {warm[~fine][0]:.5g} K")

    def mixture(self, formed: Formed, at: int = 0) -> Mixture:
        """One of those that were found."""
        moles = {s: float(n) for s, n in zip(self.names, formed.gas[:, at], strict=True)}
        if formed.coke[at] > 0:
            moles[GRAPHITE] = float(formed.coke[at])
        return Mixture(moles, float(formed.temperature[at]), self.pressure)


def equilibrium(
    feed: Mapping[str, float],
    temperature: float,
    pressure: float,
    graphite: bool = True,
    products: tuple[str, ...] | None = None,
) -> Mixture:
    """Equilibrium at a temperature (K) and pressure (Pa). Raises ThermoError.

    graphite, products : see `Forming`.
    """
    forming = Forming(elements_of(feed), pressure, graphite, products)
    return forming.mixture(forming.at(forming.feed(feed)[:, None], np.array([temperature])))


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
    forming = Forming(elements_of(feed), pressure, graphite, products)
    brought = np.array([enthalpy_of(feed, temperature)])
    found = forming.holding(forming.feed(feed)[:, None], brought)
    if not COLDEST + 0.1 < found.temperature[0] < HOTTEST - 0.1:
        raise ThermoError("no temperature between 250 and 4500 K holds this much heat")
    return forming.mixture(found)


def air_for(fuel: Mapping[str, float]) -> float:
    """Moles of dry air that burn a fuel (mol) to CO2, H2O and N2. Raises ThermoError."""
    e = elements_of(fuel)
    need = e.get("C", 0.0) + e.get("H", 0.0) / 4 - e.get("O", 0.0) / 2
    if need <= 0:
        raise ThermoError("this fuel needs no air")
    return need / AIR["O2"]


def heating_value(fuel: Mapping[str, float]) -> float:
    """Lower heating value of a fuel (J for its moles) at 298.15 K, water as vapour."""
    e = elements_of(fuel)
    oxygen = e.get("C", 0.0) + e.get("H", 0.0) / 4 - e.get("O", 0.0) / 2
    burnt = {"CO2": e.get("C", 0.0), "H2O": e.get("H", 0.0) / 2, "N2": e.get("N", 0.0) / 2}
    return (
        enthalpy_of(fuel, STANDARD)
        + oxygen * substances()["O2"].enthalpy(STANDARD)
        - enthalpy_of(burnt, STANDARD)
    )
