"""What a shape is: what is typed for it, its outline, and the sizes worth drawing. Each has a file
of its own.

A module of this package with a `SHAPE` class adds that shape everywhere: to the case format, to the
vessel, to the sizes on the sheet. By hand it is drawn once the page knows how (`drawing/shapes.ts`).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from underkettle.case.faults import path
from underkettle.case.values import Names, read_number, read_size

Array = np.ndarray
Typed = str | int | float | dict[str, Any]
Box = Sequence[float]  # low x, low y, high x, high y (m)
CIRCLE_SIDES = 720


@dataclass(frozen=True)
class Size:
    """A size worth drawing, and which entry it is typed in; places in m.

    axis "x", "y": a dimension line along it. "r": a leader from a middle outwards at `angle`. "at":
    a number beside a point. `index` says which entry of a list of points it is; `chosen` ones show
    only on the part taken hold of.
    """

    axis: Literal["x", "y", "r", "at"]
    begin: Sequence[float]
    end: Sequence[float]
    text: str
    path: str
    typed: str
    angle: float = 0.0
    chosen: bool = False
    index: Sequence[int] | None = None


class Part(BaseModel):
    """Base of every shape. `does` and `edges` mean the same for all; `edges` renames sides."""

    model_config = ConfigDict(extra="forbid")
    shape: str
    does: str = "add"
    edges: dict[Any, str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        """Points (n, 2) in m, in order, and the side from each to the next. Raises CaseError."""
        raise LookupError(f"a {self.shape} has no outline")

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        """Sizes worth drawing. turn : how many of its kind come before it."""
        return iter(())

    def typed_length(self, entry: str, names: Names, where: str) -> float:
        """A place or distance (m) as typed. Raises CaseError."""
        return read_number(getattr(self, entry), "length", names, path(where, entry))

    def typed_size(self, entry: str, names: Names, where: str) -> float:
        """The same where it must be above nothing."""
        return read_size(getattr(self, entry), names, path(where, entry))


class Thin(Part):
    """Base of those without an area: walls and screens of no thickness."""

    def course(self, names: Names, where: str) -> Array:
        """Points (n, 2) in m, from one end to the other. Raises CaseError."""
        raise LookupError(f"a {self.shape} has no course")


def turn_of(part: Any, names: Names, where: str) -> tuple[float, float]:
    """The two angles (rad) between which a round part goes. Raises CaseError."""
    begin, end = (
        read_number(getattr(part, entry), "number", names, path(where, entry))
        for entry in ("begin", "end")
    )
    return begin, end


def round_points(begin: float, end: float) -> Array:
    """A piece of the circle of radius one, fine enough to be drawn: points (n, 2)."""
    count = max(2, int(np.ceil(CIRCLE_SIDES * (end - begin) / (2 * np.pi))))
    angle = np.linspace(begin, end, count + 1)
    return np.column_stack([np.cos(angle), np.sin(angle)])


Does = Literal["add", "cut", "zone"]


def points_of(points: Sequence[Sequence[Typed]], names: Names, where: str) -> Array:
    """Typed points as (n, 2), m. Raises CaseError."""
    return np.array(
        [
            [read_number(c, "length", names, path(where, "points", k)) for c in point]
            for k, point in enumerate(points, start=1)
        ]
    ).reshape(-1, 2)


def sizes_of_points(typed: Sequence[Sequence[Typed]], points: Array) -> Iterator[Size]:
    """The coordinates of every point, shown on the part taken hold of."""
    for k, (point, entries) in enumerate(zip(points.tolist(), typed, strict=True)):
        for axis in (0, 1):
            yield Size(
                "at",
                point,
                point,
                f"{'xy'[axis]} {shown(point[axis])}",
                "points",
                str(entries[axis]),
                chosen=True,
                index=(k, axis),
            )


def leader(
    middle: Sequence[float],
    radius: float,
    entry: str,
    typed: Any,
    angle: float,
    sign: str,
    times: float = 1.0,
) -> Size:
    """From a middle to a radius, at an angle."""
    end = [middle[0] + radius, middle[1] + radius]
    return Size("r", middle, end, f"{sign} {shown(times * radius)}", entry, str(typed), angle)


def shown(length: float) -> str:
    """A length in mm."""
    return f"{length * 1e3:.4g}"
