"""What a fuel and an oxidiser come to at equilibrium as they mix: by the share that is fuel stream,
how far it is from mixed, and the heat that it has lost.

The share that came with the fuel is the mixture fraction (of mass); elements and enthalpy mix by it,
as everything spreads alike (Lewis number one). What eddies have not mixed through is a mean over a
beta distribution of that share (Jones & Whitelaw 1982, Combust. Flame 48, from memory), its variance
counted by the largest there can be, `unmixed` from 0 to 1. Means are by mass; volumes add up.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from underkettle.engine.operators.lookup import look_up
from underkettle.matter.equilibrium import Forming
from underkettle.matter.gases import Blend, Gas
from underkettle.matter.radiation import given_off
from underkettle.matter.thermo import ThermoError, enthalpy_of, mass_of, substances
from underkettle.quantities.constants import GAS

Array = np.ndarray

LEAN, RICH = 48, 80  # cells of the share that is fuel, up to where all oxygen is used and beyond
UNMIXED = (0.0, 0.005, 0.01, 0.02, 0.04, 0.07, 0.11, 0.16, 0.22, 0.3, 0.4, 0.52, 0.66, 0.82, 1.0)
LOSSES = 11
COLDEST, HOTTEST = 250.0, 4500.0  # K
HALVINGS = 50  # to the temperature of what does not react, and to how steps grow
# what is kept of a mixture before its substances, by name
KEPT = (
    "volume",  # m3/kg
    "temperature",  # K
    "viscosity",  # Pa s
    "spreading",  # kg/(m s): conductivity over heat capacity
    "capacity",  # J/(kg K)
    "moles",  # mol/kg
    "radiates",  # W/kg
    "nitric",  # mol/(kg s): O + N2 -> NO + N, one way
    "nitric_back",  # how much slower than that N is used up
)


@dataclass(frozen=True)
class Streams:
    """A fuel and an oxidiser with their temperatures (K) at a pressure (Pa). richest : air over what is
    needed below which nothing more reacts, 0 for none. around : temperature (K) of what it radiates to.
    """

    fuel: Gas
    oxidiser: Gas
    fuel_temperature: float
    oxidiser_temperature: float
    pressure: float
    richest: float = 0.0
    around: float = 298.15

    def _wants(self, gas: Gas) -> float:
        """Moles of O that a kilogram needs to burn to CO2 and H2O; negative where it has some over."""
        each = substances()
        wants = {"C": 2.0, "H": 0.5, "O": -1.0}
        atoms = sum(
            n * count * wants.get(e, 0.0)
            for s, n in gas.moles
            for e, count in each[s].atoms.items()
        )
        return atoms / gas.molar_mass

    def needs(self) -> float:
        """kg of oxidiser that a kilogram of fuel needs. Raises ThermoError."""
        fuel, oxidiser = self._wants(self.fuel), -self._wants(self.oxidiser)
        if fuel <= 0:
            raise ThermoError("this fuel needs no air")
        if oxidiser <= 0:
            raise ThermoError("this oxidiser has no oxygen to give")
        return fuel / oxidiser

    def even(self) -> float:
        """The share that is fuel where nothing is over."""
        return self.share_at(1.0)

    def share_at(self, air_ratio: float) -> float:
        """The share that is fuel with so much of the oxidiser that it needs."""
        return 1.0 / (1.0 + air_ratio * self.needs())

    def nodes(self) -> Array:
        """Shares of fuel at which a table is worked out: evenly to where all oxygen is used, from there
        in steps that grow.
        """
        even = self.even()
        step = even / LEAN
        low, high = 1.0, 2.0
        for _ in range(HALVINGS):
            middle = 0.5 * (low + high)
            grown = RICH if middle - 1 < 1e-12 else (middle**RICH - 1) / (middle - 1)
            low, high = (low, middle) if step * grown > 1 - even else (middle, high)
        rich = even + step * np.cumsum(high ** np.arange(RICH))
        rich = even + (rich - even) * (1 - even) / (rich[-1] - even)
        return np.concatenate([np.linspace(0.0, even, LEAN + 1), rich])


class Burnt:
    """A table of it. names : substances; rows : of what is kept and of substances (mol/kg)."""

    def __init__(self, streams: Streams) -> None:
        self.streams = streams
        moles = [dict(g.moles) for g in (streams.fuel, streams.oxidiser)]
        elements = sorted({e for m in moles for s in m for e in substances()[s].atoms})
        self.forming = Forming(elements, streams.pressure, graphite=False)
        self.names = self.forming.names
        self.rows = {n: k for k, n in enumerate((*KEPT, *self.names))}
        self.nodes = streams.nodes()
        warm = (streams.fuel_temperature, streams.oxidiser_temperature)
        masses = [mass_of(m) for m in moles]
        fuel, oxidiser = (self.forming.feed(m) / w for m, w in zip(moles, masses, strict=True))
        mine, its = (enthalpy_of(m, t) / w for m, t, w in zip(moles, warm, masses, strict=True))
        z = self.nodes
        self.feeds = np.outer(fuel, z) + np.outer(oxidiser, 1 - z)  # mol of atoms in a kg
        self.enthalpy = mine * z + its * (1 - z)  # J/kg
        self.pure = np.array([moles[0].get(s, 0.0) / masses[0] for s in self.names])
        self.losses = self._largest() * np.linspace(0.0, 1.0, LOSSES) ** 1.5
        fine = np.stack([self._at(float(loss)) for loss in self.losses], axis=1)
        weights = np.stack([beta_weights(z, s) for s in UNMIXED])
        self.table = np.ascontiguousarray(np.einsum("qlz,smz->qlsm", fine, weights))
        self.axes = (self.losses, np.array(UNMIXED), z)

    def _largest(self) -> float:
        """J/kg that the hottest mixture can lose."""
        cold = self.forming.at(self.feeds, np.full(self.nodes.size, COLDEST))
        left = self.forming.enthalpy(cold.gas, cold.temperature)
        return float((self.enthalpy - left).max())

    def _frozen(self, gas: Array, enthalpy: Array) -> Array:
        """The temperature (K) at which so much of each substance (mol/kg) holds an enthalpy (J/kg)."""
        low, high = np.full(enthalpy.shape, COLDEST), np.full(enthalpy.shape, HOTTEST)
        for _ in range(HALVINGS):
            middle = 0.5 * (low + high)
            above = self.forming.enthalpy(gas, middle) > enthalpy
            low, high = np.where(above, low, middle), np.where(above, middle, high)
        return 0.5 * (low + high)

    def _at(self, loss: float) -> Array:
        """What is kept at the nodes, unmixed by nothing (rows, nodes). loss : J/kg."""
        held = self.enthalpy - loss
        formed = self.forming.holding(self.feeds, held, (COLDEST, HOTTEST))
        gas, warm = formed.gas, formed.temperature
        streams, z = self.streams, self.nodes
        if streams.richest > 0:
            edge = streams.share_at(streams.richest)
            last = np.array([np.interp(edge, z, row) for row in gas])
            more = np.clip((z - edge) / (1 - edge), 0.0, 1.0)
            mixed = np.outer(last, 1 - more) + np.outer(self.pure, more)
            beyond = z > edge
            gas = np.where(beyond, mixed, gas)
            warm = np.where(beyond, self._frozen(gas, held), warm)
        return self._told(gas, warm)

    def _told(self, gas: Array, warm: Array) -> Array:
        """Rows of what is kept, of substances (mol/kg) at temperatures (K)."""
        masses = np.array([substances()[s].molar_mass for s in self.names])
        parts = list(gas * masses[:, None])
        blend = Blend([Gas(((s, 1.0),)) for s in self.names])
        capacity = blend.heat_capacity(parts, warm)
        total = gas.sum(axis=0)
        volume = total * GAS * warm / self.streams.pressure
        there = dict(zip(self.names, gas, strict=True))
        shares = {s: n / total for s, n in there.items()}
        made, back = thermal_nitric(there, volume, warm)
        kept = {
            "volume": volume,
            "temperature": warm,
            "viscosity": blend.viscosity(parts, warm),
            "spreading": blend.conductivity(parts, warm) / capacity,
            "capacity": capacity,
            "moles": total,
            "radiates": volume
            * given_off(shares, warm, self.streams.pressure, self.streams.around),
            "nitric": made,
            "nitric_back": back,
        }
        return np.stack([*(kept[n] for n in KEPT), *gas])

    def look(
        self,
        names: Sequence[str],
        share: Array | float,
        unmixed: Array | float,
        lost: Array | float,
    ) -> Array:
        """Rows by name (names, ...) at arrays of one shape: the share that is fuel, how far it is from
        mixed (0 to 1) and what heat it has lost (J/kg).
        """
        shape = np.broadcast_shapes(np.shape(share), np.shape(unmixed), np.shape(lost))
        flat = [
            np.ascontiguousarray(np.broadcast_to(np.asarray(v, float), shape).ravel())
            for v in (share, unmixed, lost)
        ]
        out = np.empty((len(names), flat[0].size))
        rows = np.array([self.rows[n] for n in names])
        look_up(*self.axes, self.table, *reversed(flat), rows, out)
        return out.reshape(len(names), *shape)


@lru_cache(maxsize=16)
def burnt(streams: Streams) -> Burnt:
    """The table of two streams, worked out once. Raises ThermoError."""
    return Burnt(streams)


def beta_weights(nodes: Array, unmixed: float) -> Array:
    """How much of the values at nodes makes up the mean at each (means, nodes), over a beta
    distribution: values are lines between nodes, so that the share itself comes out exactly.
    """
    from scipy.special import betainc  # loads slowly

    count = nodes.size
    if unmixed <= 0.0:
        return np.eye(count)
    found = np.zeros((count, count))
    found[:, 0], found[:, -1] = 1 - nodes, nodes
    if unmixed >= 1.0:
        return found
    inner = nodes[1:-1, None]
    a, b = inner * (1 / unmixed - 1), (1 - inner) * (1 / unmixed - 1)
    whole = betainc(a, b, nodes[None, :])
    first = inner * betainc(a + 1, b, nodes[None, :])  # of the share itself
    mass, moment = np.diff(whole, axis=1), np.diff(first, axis=1)
    wide = np.diff(nodes)
    late = (moment - nodes[None, :-1] * mass) / wide
    found[1:-1] = 0.0
    found[1:-1, :-1] += mass - late
    found[1:-1, 1:] += late
    return found


def thermal_nitric(gas: dict[str, Array], volume: Array, warm: Array) -> tuple[Array, Array]:
    """NO by O + N2 -> NO + N at equilibrium of all else, mol/(kg s), one way, and `back`: with x of NO
    over its own equilibrium it is made by twice that times (1 - x^2) / (1 + x back).

    gas : mol/kg, volume : m3/kg, warm : K. Constants of Hanson & Salimian 1984, the course as Heywood
    1988 writes it (both from memory); 1200 to 3000 K, NO of the fuel's nitrogen and prompt NO left out.
    """
    none = np.zeros(warm.shape)
    if "NO" not in gas:
        return none, none
    n2, o, o2, oh, n = (gas.get(s, none) / volume for s in ("N2", "O", "O2", "OH", "N"))
    cm3 = 1e-6  # m3, of constants per mole
    first = 1.8e14 * cm3 * np.exp(-38370.0 / warm) * o * n2
    second = 1.8e10 * cm3 * warm * np.exp(-4680.0 / warm) * n * o2
    third = 7.1e13 * cm3 * np.exp(-450.0 / warm) * n * oh
    back = first / np.maximum(second + third, 1e-300)
    return first * volume, np.where(second + third > 0, np.minimum(back, 1e3), 0.0)
