"""A table in time: pairs of a moment and a value, joined by straight lines."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.quantities.formula import Value


@dataclass(frozen=True)
class TimeTable:
    """Values (SI) at rising times (s); held constant before the first and after the last."""

    times: tuple[float, ...]
    values: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.times) < 2:
            raise ValueError("a table in time wants at least two rows")
        if any(b <= a for a, b in zip(self.times, self.times[1:], strict=False)):
            raise ValueError("the times of a table must rise from row to row")

    def evaluate(self, t: float) -> Value:
        return float(np.interp(t, self.times, self.values))
