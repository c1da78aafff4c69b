"""A circle by its middle and radius."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.shapes.part import CIRCLE_SIDES, Array, Box, Does, Part, Size, Typed, leader
from underkettle.case.values import Names

LEADERS = (0.25, -0.25, 0.12, -0.12)  # of half a turn: where circles' leaders go, in turn


class Circle(Part):
    """A circle by its middle and radius; its one side is called "outline"."""

    shape: Literal["circle"]
    does: Does = "add"
    x: Typed
    y: Typed
    radius: Typed
    edges: dict[Literal["outline"], str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        x, y = (self.typed_length(entry, names, where) for entry in ("x", "y"))
        r = self.typed_size("radius", names, where)
        angle = np.arange(CIRCLE_SIDES) * (2 * np.pi / CIRCLE_SIDES)
        points = np.column_stack([x + r * np.cos(angle), y + r * np.sin(angle)])
        return points, ["outline"] * CIRCLE_SIDES

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        middle = [0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3])]
        angle = LEADERS[turn % len(LEADERS)] * np.pi
        yield leader(middle, 0.5 * (box[2] - box[0]), "radius", self.radius, angle, "\u00d8", 2.0)


SHAPE = Circle
