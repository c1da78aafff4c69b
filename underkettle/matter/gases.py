"""Gases and their mixtures: density, viscosity, conductivity and heat capacity at any temperature.

Ideal gas; heat capacities of `thermo`. Viscosity by Chapman and Enskog with Neufeld's collision
integral (J. Chem. Phys. 57, 1100, 1972) and Brokaw's term for polar molecules; conductivity from it
as Mason and Monchick (J. Chem. Phys. 36, 1622, 1962) share heat among moving, turning and swinging,
that of strong dipoles by what CoolProp has. Mixtures by Wilke (J. Chem. Phys. 18, 517,
1950), the conductivity with the same weights. Diameters and depths of the potential are those in
common use in gas kinetics, from memory; tests hold them against CoolProp.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from hashlib import blake2b

import numpy as np

from underkettle.matter.thermo import (
    GRAPHITE,
    STANDARD,
    ThermoError,
    mass_of,
    read_mixture,
    substances,
)
from underkettle.matter.warming import each_at, held_at, temperatures_of
from underkettle.quantities.constants import GAS

Array = np.ndarray

# diameter (angstrom), depth over Boltzmann's constant (K), dipole moment (debye), collisions that it
# takes to hand over rotation at 298 K
MOLECULES: dict[str, tuple[float, float, float, float]] = {
    "H2": (2.920, 38.0, 0.0, 280.0),
    "O2": (3.458, 107.4, 0.0, 3.8),
    "N2": (3.621, 97.53, 0.0, 4.0),
    "Ar": (3.330, 136.5, 0.0, 0.0),
    "H2O": (2.605, 572.4, 1.844, 4.0),
    "CO": (3.650, 98.1, 0.0, 1.8),
    "CO2": (3.763, 244.0, 0.0, 2.1),
    "OH": (2.750, 80.0, 0.0, 1.0),
    "H": (2.050, 145.0, 0.0, 0.0),
    "O": (2.750, 80.0, 0.0, 0.0),
    "N": (3.298, 71.4, 0.0, 0.0),
    "NO": (3.621, 97.53, 0.0, 4.0),
    "NO2": (3.500, 200.0, 0.0, 1.0),
    "N2O": (3.828, 232.4, 0.0, 1.0),
    "NH3": (2.920, 481.0, 1.47, 10.0),
    "HCN": (3.630, 569.0, 0.0, 1.0),
    "CH4": (3.746, 141.4, 0.0, 13.0),
    "C2H2": (4.100, 209.0, 0.0, 2.5),
    "C2H4": (3.971, 280.8, 0.0, 1.5),
    "C2H6": (4.302, 252.3, 0.0, 1.5),
    "C3H8": (4.982, 266.8, 0.0, 1.0),
    "CH3OH": (3.626, 481.8, 0.0, 1.0),
    "C2H5OH": (4.530, 362.6, 0.0, 1.5),
    "HO2": (3.458, 107.4, 0.0, 1.0),
    "H2O2": (3.458, 107.4, 0.0, 3.8),
}
NODES = np.arange(60.0, 4000.1, 5.0)  # K; beyond, values stay as at the ends
# those that hand over rotation without touching: how much less they conduct, over temperature (K);
# what CoolProp has for the dilute gas over what is told here
DIPOLES = {
    "H2O": (
        (300.0, 350.0, 400.0, 500.0, 600.0, 700.0, 800.0, 1000.0, 1200.0, 1500.0, 1800.0),
        (0.6965, 0.6963, 0.7017, 0.7182, 0.7361, 0.7535, 0.7699, 0.7958, 0.8145, 0.8417, 0.8672),
    ),
    "NH3": (
        (300.0, 350.0, 400.0, 450.0, 500.0, 550.0, 600.0),
        (0.8264, 0.8208, 0.8368, 0.8577, 0.8740, 0.8799, 0.8717),
    ),
}
MIDDLING = 1000.0  # K, where a temperature is first looked for
REMEMBERED = 4  # answers to it
CHAPMAN = 2.6693e-6  # Pa s over sqrt(g/mol K) per angstrom squared
SPREADING = 1.33  # density times self-diffusivity over viscosity
STRAIGHT = {"H2", "O2", "N2", "CO", "CO2", "OH", "NO", "N2O", "HCN", "C2H2"}
DIPOLE = 3621.9  # debye^2 over K and cubic angstrom, halved


@dataclass(frozen=True)
class Gas:
    """What a gas is made of: moles of each substance in one mole."""

    moles: tuple[tuple[str, float], ...]

    @property
    def molar_mass(self) -> float:
        """kg/mol."""
        return mass_of(dict(self.moles))

    def heat_capacity(self, temperature: float) -> float:
        """J/(kg K)."""
        each = sum(n * substances()[s].heat_capacity(temperature) for s, n in self.moles)
        return each / self.molar_mass


def read_gas(text: str) -> Gas:
    """A gas by its make-up in moles, such as "air" or "7.5 N2 + CO2 + 2 H2O". Raises ThermoError."""
    moles = read_mixture(text)
    if GRAPHITE in moles:
        raise ThermoError(f"{GRAPHITE} is no gas")
    total = sum(moles.values())
    return Gas(tuple((s, n / total) for s, n in moles.items() if n > 0))


@cache
def viscosities(name: str) -> Array:
    """Of one substance at the nodes (Pa s)."""
    size, depth, dipole, _ = MOLECULES[name]
    t = NODES / depth
    collisions = 1.16145 * t**-0.14874 + 0.52487 * np.exp(-0.7732 * t)
    collisions = collisions + 2.16178 * np.exp(-2.43787 * t)
    collisions = collisions + 0.2 * (DIPOLE * dipole**2 / (depth * size**3)) ** 2 / t
    mass = 1e3 * substances()[name].molar_mass
    return np.asarray(CHAPMAN * np.sqrt(mass * NODES) / (size**2 * collisions))


@cache
def heat_capacities(name: str) -> Array:
    """Of one substance at the nodes (J/(mol K))."""
    known = substances()[name]
    return np.array([known.heat_capacity(float(t)) for t in NODES])


@cache
def conductivities(name: str) -> Array:
    """Of one substance at the nodes (W/(m K))."""
    known = substances()[name]
    atoms = sum(known.atoms.values())
    inner = (heat_capacities(name) - 2.5 * GAS) / GAS  # held by turning and swinging
    turning = 0.0 if atoms == 1 else 1.0 if name in STRAIGHT else 1.5
    _, depth, _, collisions = MOLECULES[name]
    cold, hot = depth / STANDARD, depth / NODES
    rotation = collisions * _persistence(cold) / _persistence(hot)
    part = (
        2.0
        / np.pi
        * (2.5 - SPREADING)
        / (rotation + 2.0 / np.pi * (5.0 / 3.0 * turning + SPREADING))
    )
    moving = 2.5 * (1.5 - part * turning)
    held = moving + SPREADING * (turning * (1.0 + part) + np.maximum(inner - turning, 0.0))
    found = np.asarray(viscosities(name) * GAS / known.molar_mass * held)
    return found * np.interp(NODES, *DIPOLES[name]) if name in DIPOLES else found


def _persistence(depth: Array | float) -> Array | float:
    """How many collisions hand over rotation, against hot gas (Parker); depth over temperature."""
    return (
        1.0
        + 0.5 * np.pi**1.5 * depth**0.5
        + (0.25 * np.pi**2 + 2.0) * depth
        + np.pi**1.5 * depth**1.5
    )


class Blend:
    """Properties of a stream of several gases by mass fraction.

    gases : each by its make-up; fractions are arrays of one shape in their order, and so is the
    temperature (K).
    """

    def __init__(self, gases: Sequence[Gas]) -> None:
        self.names = sorted({s for g in gases for s, _ in g.moles})
        self.masses = np.array([substances()[s].molar_mass for s in self.names])
        # moles of each substance in a kilogram of each gas
        self.moles = np.array(
            [[dict(g.moles).get(s, 0.0) / g.molar_mass for s in self.names] for g in gases]
        )
        self.data = np.array([substances()[s].coefficients() for s in self.names])
        ratio = self.masses[:, None] / self.masses[None, :]
        self.pair = 1.0 / np.sqrt(8.0 * (1.0 + ratio))
        self.quarter = ratio**-0.25
        # temperatures and what was asked for them, replaced whole: threads may ask at once
        self.found: tuple[tuple[bytes, Array], ...] = ()

    def _made_of(self, fractions: Sequence[Array]) -> tuple[Array, Array]:
        """Mole fractions of substances (substances, ...) and moles in a kilogram (mol/kg)."""
        parts = np.clip(np.asarray(fractions, float), 0.0, None)
        moles = np.tensordot(self.moles.T, parts, 1)
        total = moles.sum(axis=0)
        return moles / total, total / parts.sum(axis=0)

    def molar_mass(self, fractions: Sequence[Array]) -> Array:
        """kg/mol."""
        return np.asarray(1.0 / self._made_of(fractions)[1])

    def density(self, fractions: Sequence[Array], temperature: Array, pressure: float) -> Array:
        """kg/m3, of an ideal gas."""
        return np.asarray(pressure * self.molar_mass(fractions) / (GAS * temperature))

    def heat_capacity(self, fractions: Sequence[Array], temperature: Array) -> Array:
        """J/(kg K)."""
        shares, moles = self._made_of(fractions)
        each = self._at(heat_capacities, temperature)
        return np.asarray(moles * (shares * each).sum(axis=0))

    def _in_a_kilogram(self, fractions: Sequence[Array]) -> Array:
        """Moles of substances (substances, n), as warmth is counted by."""
        shares, moles = self._made_of(fractions)
        return np.ascontiguousarray((shares * moles).reshape(len(self.names), -1))

    def enthalpy(self, fractions: Sequence[Array], temperature: Array) -> tuple[Array, Array]:
        """J/kg, formation included, and the heat capacity (J/(kg K)), by the fits themselves."""
        shape = np.broadcast_shapes(np.shape(temperature), *(np.shape(f) for f in fractions))
        warm = np.ascontiguousarray(np.broadcast_to(np.asarray(temperature, float), shape).ravel())
        moles = self._in_a_kilogram([np.broadcast_to(f, shape) for f in fractions])
        held, capacity = np.zeros(warm.size), np.zeros(warm.size)
        held_at(moles, warm, self.data, held, capacity)
        return held.reshape(shape), capacity.reshape(shape)

    def temperature(self, fractions: Sequence[Array], enthalpy: Array) -> Array:
        """K, of what holds so much (J/kg, formation included)."""
        held = np.ascontiguousarray(enthalpy, float)
        moles = self._in_a_kilogram(fractions)
        asked = blake2b(held.data, digest_size=16)
        asked.update(moles.data)
        key = asked.digest()
        warm = next((w for k, w in self.found if k == key), None)
        if warm is None:  # several laws ask for the same in turn
            warm = np.full(held.size, MIDDLING)
            temperatures_of(moles, held.ravel(), self.data, warm)
            self.found = (*self.found[1 - REMEMBERED :], (key, warm))
        return warm.reshape(np.shape(enthalpy)).copy()

    def enthalpies(self, temperature: Array) -> Array:
        """Of a kilogram of each gas (gases, ...; J/kg), formation included."""
        warm = np.ascontiguousarray(np.asarray(temperature, float).ravel())
        each = np.zeros((len(self.names), warm.size))
        each_at(warm, self.data, each)
        return np.asarray((self.moles @ each).reshape(len(self.moles), *np.shape(temperature)))

    def viscosity(self, fractions: Sequence[Array], temperature: Array) -> Array:
        """Pa s."""
        return self._weighed(fractions, temperature, viscosities)

    def conductivity(self, fractions: Sequence[Array], temperature: Array) -> Array:
        """W/(m K)."""
        return self._weighed(fractions, temperature, conductivities)

    def _at(self, table: Callable[[str], Array], temperature: Array) -> Array:
        t = np.asarray(temperature, float)
        return np.array([np.interp(t, NODES, table(s)) for s in self.names])

    def _weighed(
        self, fractions: Sequence[Array], temperature: Array, table: Callable[[str], Array]
    ) -> Array:
        """By Wilke: each substance's share over the shares of all, weighed by how they collide."""
        shares, _ = self._made_of(fractions)
        thick = self._at(viscosities, temperature)
        values = thick if table is viscosities else self._at(table, temperature)
        slow = np.sqrt(thick)
        found = np.zeros(shares.shape[1:])
        for i in range(len(self.names)):
            among = np.zeros(shares.shape[1:])
            for j in range(len(self.names)):
                met = 1.0 + slow[i] / slow[j] * self.quarter[i, j]
                among += shares[j] * self.pair[i, j] * met * met
            found += shares[i] * values[i] / among
        return found
