"""What is told of an edge as a whole, such as a force."""

from __future__ import annotations

from typing import Any

from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.seen import Seen


class OnEdge(ReadoutKind):
    name, says = "on", "of an edge as a whole"
    sentence = "{edge field} of {place} as a whole"
    needs = ("field", "place")
    asks = ("edge field", "place")
    zones = False
    of_field = False
    nothing = "no box of open cells fits around this edge, which cuts cells or is an opening"

    def fields(self, case: Seen) -> Any:
        return case.edge_fields

    def value(self, look: Look) -> float | None:
        owner, field = look.case.edge_fields[look.model.field]
        mesh = look.case.mesh_of(owner)
        if field.derive is None:
            return None
        return float(field.derive(mesh, look.state)[mesh.edge_index(look.model.place)])


KINDS = (OnEdge(),)
