"""A matter of the library as a value: its properties over temperature, quickly."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from underkettle.matter import library

Array = np.ndarray

STEP = 0.5  # K between the temperatures at which the library is asked
MORE = 20  # further ones on either side of those that are needed


@dataclass(frozen=True)
class Substance:
    """entry : its id in the library. pressure : Pa. share : a mass fraction, or a relative humidity,
    where the entry has one.

    Properties go straight from one multiple of half a kelvin to the next, whatever was asked before.
    """

    entry: str
    pressure: float
    share: float = 0.0
    _known: dict[str, tuple[int, Array]] = field(default_factory=dict, repr=False, compare=False)

    def value(self, dimension: str, temperature: Array | float) -> Array:
        """A property ("density", "viscosity", ...; SI) at temperatures (K), of their shape; NaN
        where the library has none.
        """
        t = np.asarray(temperature, float)
        good = np.isfinite(t) & (t > 0)
        if not good.any():
            return np.full(t.shape, np.nan)
        first, last = int(t[good].min() / STEP), int(t[good].max() / STEP) + 1
        low, values = self._reach(dimension, first, last)
        nodes = STEP * np.arange(low, low + values.size)
        return np.asarray(np.interp(np.where(good, t, np.nan), nodes, values))

    def _reach(self, dimension: str, first: int, last: int) -> tuple[int, Array]:
        """Number of the first node that is known, and values at all of them."""
        low, values = self._known.get(dimension, (first, np.zeros(0)))
        high = low + values.size - 1
        if values.size and low <= first and last <= high:
            return low, values
        new_low, new_high = max(1, min(first - MORE, low)), max(last + MORE, high)
        before = self._ask(dimension, new_low, low - 1) if values.size else np.zeros(0)
        after = self._ask(dimension, high + 1 if values.size else new_low, new_high)
        found = new_low, np.concatenate([before, values, after])
        self._known[dimension] = found
        return found

    def _ask(self, dimension: str, first: int, last: int) -> Array:
        if last < first:
            return np.zeros(0)
        _, values = library.curve(
            self.entry,
            dimension,
            STEP * first,
            STEP * last,
            self.pressure,
            self.share,
            points=last - first + 1,
        )
        return values
