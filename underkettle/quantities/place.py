"""Where and when a value is wanted: the one argument that every value is evaluated at."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any


@dataclass(frozen=True)
class Place:
    """Positions (m, rad; arrays that broadcast) and a time (s).

    x, y : on the sheet; in a turned vessel x runs along the axis and y away from it. z : along a
    third axis. r, theta : away from an axis and about it, where a vessel is laid out so.
    """

    x: Any = 0.0
    y: Any = 0.0
    z: Any = 0.0
    r: Any = 0.0
    theta: Any = 0.0
    t: float = 0.0

    def names(self) -> dict[str, Any]:
        """What formulas may name of it."""
        return {
            "x": self.x,
            "y": self.y,
            "z": self.z,
            "r": self.r,
            "theta": self.theta,
            "t": self.t,
        }

    def __getitem__(self, rows: Any) -> Place:
        """Some of the positions, at the same time."""
        taken = {
            name: value[rows]
            for name, value in self.names().items()
            if name != "t" and hasattr(value, "__getitem__")
        }
        return replace(self, **taken)

    def then(self, t: float) -> Place:
        """The same positions at another time."""
        return replace(self, t=t)


NOWHERE = Place()
