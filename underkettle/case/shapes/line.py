"""A thin screen along straight pieces."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.faults import fault
from underkettle.case.shapes.part import Array, Box, Size, Thin, Typed, points_of, sizes_of_points
from underkettle.case.values import Names


class Line(Thin):
    """A thin screen from point to point; conditions on it say what it lets pass."""

    shape: Literal["line"]
    does: Literal["screen"] = "screen"
    points: list[tuple[Typed, Typed]]

    def course(self, names: Names, where: str) -> Array:
        points = points_of(self.points, names, where)
        steps = np.hypot(*np.diff(points, axis=0).T) if len(points) > 1 else np.zeros(1)
        if not (steps > 0).all():
            raise fault(
                f"{where} / points",
                "a line needs two points that lie apart, and no two alike in a row",
                "Give it another point, or leave one out.",
            )
        return points

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        yield from sizes_of_points(self.points, points_of(self.points, names, where))


SHAPE = Line
