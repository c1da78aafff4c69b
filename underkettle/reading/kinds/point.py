"""The value of a field at a point."""

from __future__ import annotations

import numpy as np

from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.sections import at_points


class Point(ReadoutKind):
    name, says = "point", "at a point"
    sentence = "{field} at x {x}, y {y}"
    needs = ("field", "x", "y")

    def value(self, look: Look) -> float | None:
        x, y = (
            look.case.number(getattr(look.model, n), "length", look.where(n)) for n in ("x", "y")
        )
        grid = look.mesh.grid
        xc, yc = 0.5 * (grid.x[1:] + grid.x[:-1]), 0.5 * (grid.y[1:] + grid.y[:-1])
        return float(at_points(look.field, xc, yc, np.array([x]), np.array([y]))[0])


KINDS = (Point(),)
