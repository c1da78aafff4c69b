"""Enthalpy, entropy and Gibbs energy of gases (and graphite), from thermo.json; ideal gas."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import numpy as np

from underkettle.quantities.constants import GAS

Array = np.ndarray

STANDARD = 298.15  # K
ONE_BAR = 1e5  # Pa: the standard pressure of the entropies
MIDDLE = 1000.0  # K, where one polynomial goes over into the other
GRAPHITE = "C(s)"
MASSES = {"C": 0.0120107, "H": 0.00100794, "O": 0.0159994, "N": 0.0140067, "Ar": 0.039948}
AIR = {"N2": 0.7809, "O2": 0.2095, "Ar": 0.0096}  # mole shares, dry
_PART = re.compile(r"\s*(?:([0-9.]+(?:[eE][-+]?[0-9]+)?)\s*\*?\s*)?([A-Z][A-Za-z0-9()]*)\s*")


class ThermoError(ValueError):
    """A substance that is not known, or a mixture that cannot be read."""


@dataclass(frozen=True)
class Substance:
    """formation in J/mol, entropy in J/(mol K), both at 298.15 K and 1 bar."""

    name: str
    atoms: Mapping[str, int]
    formation: float
    entropy: float
    low: tuple[float, ...]
    high: tuple[float, ...]
    top: float
    source: str

    @property
    def molar_mass(self) -> float:
        return sum(MASSES[e] * n for e, n in self.atoms.items())

    def heat_capacity(self, temperature: float) -> float:
        """J/(mol K)."""
        a = self.low if temperature <= MIDDLE else self.high
        return GAS * float(np.polynomial.polynomial.polyval(temperature, a))

    def enthalpy(self, temperature: float) -> float:
        """J/mol, formation included."""
        return self.formation + GAS * self._over(temperature, _power_integral)

    def entropy_at(self, temperature: float) -> float:
        """J/(mol K) at 1 bar."""
        return self.entropy + GAS * self._over(temperature, _share_integral)

    def gibbs(self, temperature: float) -> float:
        """J/mol at 1 bar."""
        return self.enthalpy(temperature) - temperature * self.entropy_at(temperature)

    def coefficients(self) -> list[list[float]]:
        """Below and above the middle temperature: those of the heat capacity over R, then the constants
        of enthalpy over R (K) and entropy over R; as `gibbs` and `warming` take them.
        """
        low, high = (np.array(a) for a in (self.low, self.high))
        one = np.arange(low.size)

        def rise(a: Array, t: float) -> float:
            return _power_integral(tuple(a), 0.0, t)

        def swell(a: Array, t: float) -> float:
            return float(a[0] * np.log(t) + (a[1:] / one[1:] * t ** one[1:]).sum())

        enthalpy = self.formation / GAS - rise(low, STANDARD)
        entropy = self.entropy / GAS - swell(low, STANDARD)
        return [
            [*low, enthalpy, entropy],
            [
                *high,
                enthalpy + rise(low, MIDDLE) - rise(high, MIDDLE),
                entropy + swell(low, MIDDLE) - swell(high, MIDDLE),
            ],
        ]

    def _over(self, temperature: float, integral: object) -> float:
        assert callable(integral)
        if temperature <= MIDDLE:
            return float(integral(self.low, STANDARD, temperature))
        return float(
            integral(self.low, STANDARD, MIDDLE) + integral(self.high, MIDDLE, temperature)
        )


def _power_integral(a: tuple[float, ...], t0: float, t1: float) -> float:
    return sum(c / (k + 1) * (t1 ** (k + 1) - t0 ** (k + 1)) for k, c in enumerate(a))


def _share_integral(a: tuple[float, ...], t0: float, t1: float) -> float:
    """The integral of a polynomial over temperature."""
    return float(
        a[0] * np.log(t1 / t0) + sum(c / k * (t1**k - t0**k) for k, c in enumerate(a) if k > 0)
    )


@cache
def substances() -> dict[str, Substance]:
    """Every substance with data, by formula."""
    kept = json.loads(Path(__file__).with_name("thermo.json").read_text())
    return {
        name: Substance(
            name,
            e["atoms"],
            e["formation"],
            e["entropy"],
            tuple(e["low"]),
            tuple(e["high"]),
            e["top"],
            e["source"],
        )
        for name, e in kept.items()
    }


def read_mixture(text: str) -> dict[str, float]:
    """Moles out of "CH4 + 2 O2 + 7.5 N2"; "air" is dry air of one mole. Raises ThermoError."""
    found: dict[str, float] = {}
    for part in text.replace("air", "Air").split("+"):
        match = _PART.fullmatch(part)
        if not match:
            raise ThermoError(f"'{part.strip()}' is not an amount of a substance, such as 2 H2O")
        moles = float(match[1]) if match[1] else 1.0
        shares = AIR if match[2] == "Air" else {match[2]: 1.0}
        for name, share in shares.items():
            if name not in substances():
                raise ThermoError(
                    f"there is no '{name}' here; known are {', '.join(substances())} and air"
                )
            found[name] = found.get(name, 0.0) + moles * share
    if sum(found.values()) <= 0:
        raise ThermoError("the mixture is empty")
    return found


def enthalpy_of(moles: Mapping[str, float], temperature: float) -> float:
    """J, formation included."""
    return sum(n * substances()[s].enthalpy(temperature) for s, n in moles.items())


def mass_of(moles: Mapping[str, float]) -> float:
    """kg."""
    return sum(n * substances()[s].molar_mass for s, n in moles.items())
