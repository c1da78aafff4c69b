"""The mean of a field on one edge less that on another."""

from __future__ import annotations

from underkettle.reading.edges import edge_mean
from underkettle.reading.kinds.kind import Look, ReadoutKind


class Difference(ReadoutKind):
    name, says = "difference", "difference of two edges"
    sentence = "{field} at {place} less that at {to}"
    needs = ("field", "place", "to")
    zones = False

    def value(self, look: Look) -> float | None:
        a, b = (edge_mean(look.mesh, look.field, p) for p in (look.model.place, look.model.to))
        return None if a is None or b is None else a - b


KINDS = (Difference(),)
