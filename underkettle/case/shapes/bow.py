"""A thin screen along a piece of a circle."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.faults import fault
from underkettle.case.shapes.part import (
    Array,
    Box,
    Size,
    Thin,
    Typed,
    leader,
    round_points,
    turn_of,
)
from underkettle.case.values import Names


class Bow(Thin):
    """A thin screen around (x, y) at a radius, between two angles (from x towards y)."""

    shape: Literal["bow"]
    does: Literal["screen"] = "screen"
    x: Typed
    y: Typed
    radius: Typed
    begin: Typed = "0 deg"
    end: Typed = "90 deg"

    def course(self, names: Names, where: str) -> Array:
        x, y = (self.typed_length(entry, names, where) for entry in ("x", "y"))
        radius = self.typed_size("radius", names, where)
        begin, end = turn_of(self, names, where)
        if not 0 < end - begin <= 2 * np.pi * (1 + 1e-12):
            raise fault(
                f"{where} / end",
                "the bow must turn by more than nothing and at most all the way round",
                "Give an end angle past the begin, such as 90 deg.",
                self.end,
            )
        return radius * round_points(begin, end) + np.array([x, y])

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        middle = [self.typed_length(entry, names, where) for entry in ("x", "y")]
        angle = 0.5 * sum(turn_of(self, names, where))
        yield leader(
            middle, self.typed_length("radius", names, where), "radius", self.radius, angle, "R"
        )


SHAPE = Bow
