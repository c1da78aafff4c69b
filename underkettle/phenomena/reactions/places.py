"""Where reactions run: in the open, on surfaces, in grains; and how much of grains takes part."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

ON_WALL = "on the wall"  # what an edge does where reactions run on it
THIN = 1e-3  # Thiele modulus below which all of a grain takes part
WORN = 1e-30


def share_in(kind: str, values: Mapping[str, Any]) -> Any:
    """What a rate in the open, on an area or in a grain counts for in a cell (1, 1/m, 1)."""
    share = values["share"]
    if kind == "on a surface":
        return share * values["area"]
    return share * values["filled"] if kind == "in grains" else share


def thiele(k: Any, c: Any, order: float, diameter: Any, diffusivity: Any) -> Any:
    """Modulus of a ball, on its volume over its surface: d / 6 sqrt((n + 1) / 2 k c^(n - 1) / D).

    k : rate constant of a volume of grain (mol, m3, s), c : mol/m3 around it.
    """
    speed = 0.5 * (order + 1.0) * k * np.maximum(c, WORN) ** (order - 1.0)
    return diameter / 6.0 * np.sqrt(np.maximum(speed, 0.0) / diffusivity)


def ball(modulus: Any) -> Any:
    """Share of a ball's volume that seems to take part, first order (Thiele 1939; other orders by the
    modulus above, within some per cent for 1/2 to 2, from memory).
    """
    phi = np.maximum(np.asarray(modulus, float), THIN)
    found = (1.0 / np.tanh(3.0 * phi) - 1.0 / (3.0 * phi)) / phi
    return np.where(np.asarray(modulus) <= THIN, 1.0, found)
