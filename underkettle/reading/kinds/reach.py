"""How far along a line a field reaches: where a front stands."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension, dimension_of
from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.sections import along_path, line_points
from underkettle.reading.seen import Asked
from underkettle.reading.spans import SAMPLES, sized


class Reach(ReadoutKind):
    """The length from a line's start to where the field is last at `reference` or above; half of its
    highest there where that is not given. Between cells it is as if it changed evenly.
    """

    name, says = "reach", "how far it reaches"
    sentence = "how far {field} reaches along a line"
    needs, asks = ("field", "line"), ("field",)
    spans = ("line",)
    edges, zones, divides = False, False, False

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        return dimension_of("length") if model.field in fields else None

    def value(self, look: Look) -> float | None:
        model, grid = look.model, look.mesh.grid
        sizes = sized(look.case, model, f"readouts / {look.name}")
        x, y, step = line_points(sizes[:2], sizes[2:], SAMPLES)
        found = along_path(look.field, grid.x, grid.y, x, y)
        distance = step * (np.arange(found.size) + 0.5)
        open_ = np.isfinite(found)
        found, distance = found[open_], distance[open_]
        if not found.size:
            return None
        level = 0.5 * float(found.max())
        if model.reference is not None:
            field = look.case.field(model.field)[0]
            level = look.case.number(model.reference, field.dimension, look.where("reference"))
        there = np.flatnonzero(found >= level)
        if not there.size or level <= 0 >= found.max():
            return 0.0
        k = int(there[-1])
        if k == found.size - 1:
            return float(distance[k] + 0.5 * step)
        part = (found[k] - level) / (found[k] - found[k + 1])
        return float(distance[k] + part * (distance[k + 1] - distance[k]))


KINDS = (Reach(),)
