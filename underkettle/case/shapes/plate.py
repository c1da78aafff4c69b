"""A wall or a screen of no thickness."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

from underkettle.case.shapes.part import Box, Part, Size, Typed, shown
from underkettle.case.values import Names


class Plate(Part):
    """A wall of no thickness from (x, y) on along x or y; `low` and `high` are its two faces. As a
    screen it lets pass what conditions on it say.
    """

    shape: Literal["plate"]
    does: Literal["cut", "screen"] = "cut"
    x: Typed
    y: Typed
    length: Typed
    along: Literal["x", "y"] = "x"
    turned: Typed = "0 deg"  # a screen may lie at any angle, counted from x towards y
    edges: dict[Literal["low", "high"], str] = {}

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        x0, y0, x1, y1 = box
        end = [x1, y0] if self.along == "x" else [x0, y1]
        span = x1 - x0 if self.along == "x" else y1 - y0
        yield Size(self.along, [x0, y0], end, shown(span), "length", str(self.length))


SHAPE = Plate
