"""A wall or a screen of no thickness."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.faults import fault, path
from underkettle.case.shapes.part import Array, Box, Size, Thin, Typed, shown
from underkettle.case.values import Names, read_number


class Plate(Thin):
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

    def course(self, names: Names, where: str) -> Array:
        x, y = (self.typed_length(entry, names, where) for entry in ("x", "y"))
        length = self.typed_size("length", names, where)
        turn = read_number(self.turned, "angle", names, path(where, "turned"))
        if turn and self.does == "cut":
            raise fault(
                path(where, "turned"),
                "a wall of no thickness runs along x or y",
                "Make it a screen, or draw a thin rectangle.",
                self.turned,
            )
        turn += 0.0 if self.along == "x" else 0.5 * np.pi
        straight = turn in (0.0, 0.5 * np.pi)
        along = (self.along == "x", self.along == "y") if straight else (np.cos(turn), np.sin(turn))
        return np.array([[x, y], [x + length * along[0], y + length * along[1]]])

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        x0, y0, x1, y1 = box
        end = [x1, y0] if self.along == "x" else [x0, y1]
        span = x1 - x0 if self.along == "x" else y1 - y0
        yield Size(self.along, [x0, y0], end, shown(span), "length", str(self.length))


SHAPE = Plate
