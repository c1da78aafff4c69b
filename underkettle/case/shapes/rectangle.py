"""A rectangle by its lower left corner and its size."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import numpy as np

from underkettle.case.shapes.part import Array, Box, Does, Part, Size, Typed, shown
from underkettle.case.values import Names


class Rectangle(Part):
    """A rectangle by its lower left corner and its size."""

    shape: Literal["rectangle"]
    does: Does = "add"
    x: Typed
    y: Typed
    width: Typed
    height: Typed
    edges: dict[Literal["left", "right", "bottom", "top"], str] = {}

    def drawn(self, names: Names, where: str) -> tuple[Array, list[str]]:
        x, y = (self.typed_length(entry, names, where) for entry in ("x", "y"))
        w, h = (self.typed_size(entry, names, where) for entry in ("width", "height"))
        corners = np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]])
        return corners, ["bottom", "right", "top", "left"]

    def sizes(self, names: Names, where: str, box: Box, turn: int) -> Iterator[Size]:
        x0, y0, x1, y1 = box
        yield Size("x", [x0, y0], [x1, y0], shown(x1 - x0), "width", str(self.width))
        yield Size("y", [x0, y0], [x0, y1], shown(y1 - y0), "height", str(self.height))


SHAPE = Rectangle
