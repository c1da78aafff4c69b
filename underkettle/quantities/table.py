"""A table over one quantity: pairs of a point and a value, joined by straight lines."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.quantities.formula import Value


@dataclass(frozen=True)
class Table:
    """Values (SI) at rising points (SI); held constant before the first and after the last."""

    points: tuple[float, ...]
    values: tuple[float, ...]

    def __post_init__(self) -> None:
        if len(self.points) < 2:
            raise ValueError("a table wants at least two rows")
        if any(b <= a for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("the first column of a table must rise from row to row")

    def evaluate(self, at: Any) -> Value:
        found = np.interp(at, self.points, self.values)
        return float(found) if np.ndim(found) == 0 else found

    @property
    def mean(self) -> float:
        """Over the span of the table."""
        points, values = np.array(self.points), np.array(self.values)
        span = points[-1] - points[0]
        return float(np.trapezoid(values, points) / span) if span > 0 else float(values[0])
