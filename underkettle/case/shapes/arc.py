"""A piece of a ring."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.faults import fault
from underkettle.case.shapes.part import (
    Array,
    Box,
    Does,
    Part,
    Size,
    Typed,
    leader,
    round_points,
    turn_of,
)
from underkettle.case.values import Names


class Arc(Part):
    """A piece of a ring around (x, y) between two radii and two angles (from x towards y)."""

    shape: Literal["arc"]
    does: Does = "add"
    x: Typed
    y: Typed
    inner: Typed
    outer: Typed
    begin: Typed = "0 deg"
    end: Typed = "90 deg"
    edges: dict[Literal["begin", "end", "inner", "outer"], str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        x, y = (self.typed_length(entry, names, where) for entry in ("x", "y"))
        inner, outer = (self.typed_size(entry, names, where) for entry in ("inner", "outer"))
        begin, end = turn_of(self, names, where)
        if outer <= inner:
            raise fault(
                f"{where} / outer", "the outer radius must exceed the inner one", "", self.outer
            )
        if not 0 < end - begin < 2 * np.pi:
            raise fault(
                f"{where} / end",
                "the arc must turn by more than nothing and less than all the way round",
                "Give an end angle past the begin, such as 90 deg.",
                self.end,
            )
        round_ = round_points(begin, end)
        count = len(round_) - 1
        points = np.concatenate([outer * round_, inner * round_[::-1]]) + np.array([x, y])
        return points, [*["outer"] * count, "end", *["inner"] * count, "begin"]

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        middle = [self.typed_length(entry, names, where) for entry in ("x", "y")]
        begin, end = turn_of(self, names, where)
        outer = self.typed_length("outer", names, where)
        for entry, share in (("inner", 0.35), ("outer", 0.65)):
            angle = float(begin + share * (end - begin))
            radius = self.typed_length(entry, names, where)
            yield leader(middle, radius, entry, getattr(self, entry), angle, "R")
        for entry, angle in (("begin", begin), ("end", end)):
            at = [middle[0] + outer * np.cos(angle), middle[1] + outer * np.sin(angle)]
            text = f"{np.degrees(angle):.4g}\u00b0"
            yield Size("at", at, at, text, entry, str(getattr(self, entry)))


SHAPE = Arc
