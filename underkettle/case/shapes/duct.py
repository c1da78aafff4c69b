"""A strip of even width along a line."""

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
    points_of,
    shown,
    sizes_of_points,
)
from underkettle.case.values import Names

SHARPEST = 0.1  # a duct's corner must not turn further back than this (1 + cosine of the turn)


class Duct(Part):
    """A strip of even width along a line through points; sides `begin`, `end`, `left`, `right` as
    seen along the line.
    """

    shape: Literal["duct"]
    does: Does = "add"
    points: list[tuple[Typed, Typed]]
    width: Typed
    edges: dict[Literal["begin", "end", "left", "right"], str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        """With mitred corners."""
        line = points_of(self.points, names, where)
        if len(line) < 2:
            raise fault(f"{where} / points", "a duct has at least two points", "", len(line))
        width = self.typed_size("width", names, where)
        step = np.diff(line, axis=0)
        length = np.hypot(*step.T)
        if (length == 0).any():
            raise fault(
                f"{where} / points",
                "two points of the duct lie on each other",
                "Drop one of them.",
                int(np.argmin(length)) + 1,
            )
        normal = np.column_stack([-step[:, 1], step[:, 0]]) / length[:, None]
        before = np.concatenate([normal[:1], normal])
        after = np.concatenate([normal, normal[-1:]])
        turn = 1 + (before * after).sum(axis=1)
        if (turn < SHARPEST).any():
            raise fault(
                f"{where} / points",
                "the duct turns back on itself",
                "Put another point into the bend.",
                int(np.argmin(turn)) + 1,
            )
        out = 0.5 * width * (before + after) / turn[:, None]
        count = len(line) - 1
        points = np.concatenate([line - out, (line + out)[::-1]])
        return points, [*["right"] * count, "end", *["left"] * count, "begin"]

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        """Its width; the coordinates of the part taken hold of."""
        points = points_of(self.points, names, where)
        at = np.mean(points[:2], axis=0).tolist()
        width = self.typed_length("width", names, where)
        yield Size("at", at, at, f"width {shown(width)}", "width", str(self.width))
        yield from sizes_of_points(self.points, points)


SHAPE = Duct
