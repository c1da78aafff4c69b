"""What a field falls by across a thin screen, or from one zone to the next."""

from __future__ import annotations

import numpy as np

from underkettle.reading.kinds.kind import Look, ReadoutKind


class Across(ReadoutKind):
    name, says = "across", "fall across a screen"
    sentence = "{field} on the first side of {place} less that on the second"
    needs = ("field", "place")
    edges, zones, divides = False, False, True

    def value(self, look: Look) -> float | None:
        """Of the cells on either side, by the area of the faces between them."""
        faces, values = look.mesh.divide(look.model.place), look.field
        if not faces.area.size:
            return None
        here = values[faces.row - 1, faces.column - 1]
        row, column = faces.before
        fall = faces.sign * (values[row - 1, column - 1] - here)
        told = np.isfinite(fall)
        if not told.any():
            return None
        return float(np.average(fall[told], weights=faces.area[told]))


KINDS = (Across(),)
