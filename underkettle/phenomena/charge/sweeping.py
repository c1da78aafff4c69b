"""A voltage that goes up and down at a steady rate, and where it turns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.quantities import NOWHERE, Place

SAME = 1e-9  # of a sweep, within which a time is at its end


def sweep_of(values: Mapping[str, Any]) -> Sweep:
    """The sweep that an edge is told."""
    low, begins = float(values["low"]), values.get("begins")
    return Sweep(
        low,
        float(values["high"]),
        float(values["rate"]),
        low if begins is None else float(begins),
    )


def applied(values: Mapping[str, Any], t: Any) -> Any:
    """V, that values of a sweep apply at times (s)."""
    return sweep_of(values).along(t)


@dataclass(frozen=True)
class Sweep:
    """A triangle in time (V): from `begins` (up first), between `low` and `high`, at `rate` (V/s)."""

    low: float
    high: float
    rate: float
    begins: float

    steady = False
    reads: frozenset[str] = frozenset()

    @property
    def half(self) -> float:
        """s from one end to the other."""
        return (self.high - self.low) / self.rate

    def _gone(self, t: Any) -> Any:
        """Sweeps since it was at the low end."""
        return t / self.half + (self.begins - self.low) / (self.high - self.low)

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return float(self.along(place.t))

    def along(self, t: Any) -> Any:
        """V, at times (s)."""
        gone = self._gone(t) % 2.0
        return self.low + (self.high - self.low) * np.minimum(gone, 2.0 - gone)

    def turns_in(self, t: float) -> float:
        """s until it turns next."""
        gone = self._gone(t)
        left = np.floor(gone + SAME) + 1.0 - gone
        return float(left * self.half)
