"""The mean of a field on one edge less that on another."""

from __future__ import annotations

from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.kinds.over_space import on_edge


class Difference(ReadoutKind):
    name, says = "difference", "difference of two edges"
    sentence = "{field} at {place} less that at {to}, weighted by {weight}"
    needs = ("field", "place", "to")
    asks = ("field", "place", "to", "weight")
    zones = False

    def value(self, look: Look) -> float | None:
        a, b = (on_edge(look, look.field, p) for p in (look.model.place, look.model.to))
        return None if a is None or b is None else a - b


KINDS = (Difference(),)
