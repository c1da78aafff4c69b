"""What porous matter makes of one carried thing: less room, longer ways, a stream that spreads it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from underkettle.engine.contract import Carrier, Pores
from underkettle.engine.operators.stencil import roll

Array = np.ndarray

InPores = Literal["", "dissolved", "heat"]  # whether matter is felt, and how


@dataclass(frozen=True)
class Within:
    """In cells (ny + 3, nx + 3). room : share of a cell where the stream's own capacity counts; more :
    amount/m3 per value that the matter itself holds. passes : share of the stream's conductivity that
    is left; conducts : amount/(s m) that the matter adds; mixes : m2/s that the stream spreads by
    along x and y, of its capacity.
    """

    room: Array
    more: Array
    passes: Array
    conducts: Array
    mixes: tuple[Array, Array]


def within(how: InPores, pores: Pores, carrier: Carrier | None) -> Within:
    """What one kind of carried thing meets in matter that a stream passes."""
    none = np.zeros(pores.porosity.shape[1:])
    mixes = (none, none) if carrier is None else _mixing(pores, carrier)
    room = pores.porosity[0]
    if how == "heat":
        return Within(room, pores.capacity[0], room, pores.conductivity[0], mixes)
    return Within(room, none, room * pores.ways[0], none, mixes)


def _mixing(pores: Pores, carrier: Carrier) -> tuple[Array, Array]:
    """How a stream spreads what it carries (m2/s) along x and y: by one length along it, by another
    across it (Scheidegger 1961).
    """
    u, v = carrier.u[0], carrier.v[0]
    x, y = 0.5 * (u + roll(u, -1, 1)), 0.5 * (v + roll(v, -1, 0))
    speed = np.hypot(x, y)
    along, across = pores.along[0], pores.across[0]
    found = []
    for part in (x, y):
        lean = np.divide(part**2, speed, out=np.zeros(speed.shape), where=speed > 0)
        found.append(across * speed + (along - across) * lean)
    return found[0], found[1]


def is_spread(pores: Pores) -> bool:
    """Whether what is spread there follows the stream's speed."""
    return bool(pores.along.any() or pores.across.any())
