"""How a case names two fluids that do not mix."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.quantities import Place

ME = "two_fluids"
WALL, HOLDS = "wall", "wall that holds"
LETS_IN, LETS_OUT = "carried in", "carried out"
FILLED, LEVEL, DROP, WHERE = "filled", "up to a level", "a drop", "where"


def alike(law: Any) -> float | None:
    """N/m, where a law of tension is the same everywhere and always; None where it may differ."""
    if law.reads or not law.steady:
        return None
    told = law.at(Place(np.array([0.0, 1.0]), np.array([0.0, 1.0])))
    return float(told) if np.ndim(told) == 0 else None


def fluids(settings: Mapping[str, Any]) -> dict[str, Mapping[str, Any]]:
    """Both, the first before the second."""
    return dict(settings.get("members", {}))


def pair(settings: Mapping[str, Any], name: str) -> tuple[float, float]:
    """A number of the first and of the second (SI)."""
    one, two, *_ = (float(fluid[name]) for fluid in fluids(settings).values())
    return one, two
