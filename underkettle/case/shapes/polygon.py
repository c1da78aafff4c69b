"""Straight sides through points."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from underkettle.case.shapes.part import (
    Array,
    Box,
    Does,
    Part,
    Size,
    Typed,
    points_of,
    sizes_of_points,
)
from underkettle.case.values import Names


class Polygon(Part):
    """Straight sides through points, in order; side k runs from point k to the next."""

    shape: Literal["polygon"]
    does: Does = "add"
    points: list[tuple[Typed, Typed]]
    edges: dict[str, str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        points = points_of(self.points, names, where)
        return points, [str(k + 1) for k in range(len(points))]

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        yield from sizes_of_points(self.points, points_of(self.points, names, where))


SHAPE = Polygon
