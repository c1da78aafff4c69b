"""What crosses an edge or a place inside per second, or leaves a drawn box less what enters."""

from __future__ import annotations

from collections.abc import Mapping

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension, dimension_of
from underkettle.reading.boxes import box_balance, ordered
from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.seen import Asked, Seen
from underkettle.reading.spans import sized


class Through(ReadoutKind):
    """Leaving is positive, unless it counts what comes in; across a screen, or where zones meet, what
    goes from the first side to the second.
    """

    name, says = "through", "what crosses"
    sentence = "{quantity} that crosses at {place}"
    needs = ("quantity", "place")
    spans = ("box",)
    zones, divides = False, True
    of_field = False

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        return dimension_of(flows[model.quantity]) if model.quantity in flows else None

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        if model.quantity in case.quantities:
            return ""
        known = ", ".join(case.quantities) or "none"
        return f"'{model.quantity}' is not balanced here; quantities are {known}"

    def value(self, look: Look) -> float | None:
        place = look.model.place
        if look.model.box is not None:
            found = self._box(look)
        elif place in look.case.places("screen") or place in look.case.places("between"):
            found = self._divide(look)
        else:
            found = self._edge(look)
        return -found if found is not None and look.model.counts == "in" else found

    def _edge(self, look: Look) -> float | None:
        """From the newest budgets that book the quantity, as a rate."""
        rates = look.state.memory.rates
        if look.model.quantity not in rates:
            return None
        return float(rates[look.model.quantity].get(look.model.place, 0.0))

    def _divide(self, look: Look) -> float | None:
        crossing = look.case.crossing(look.model.quantity, look.state)
        if crossing is None:
            return None
        owner = look.case.quantities[look.model.quantity].owner
        faces = look.case.mesh_of(owner).divide(look.model.place)
        return float(faces.passing(crossing.x, crossing.y).sum())

    def _box(self, look: Look) -> float | None:
        crossing = look.case.crossing(look.model.quantity, look.state)
        if crossing is None:
            return None
        sizes = ordered(sized(look.case, look.model, look.where("box")))
        return box_balance(crossing, look.case.grid.x, look.case.grid.y, sizes).net


KINDS = (Through(),)
