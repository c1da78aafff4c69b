"""What another readout's history in time tells, when the run has ended."""

from __future__ import annotations

from collections.abc import Mapping

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension
from underkettle.reading.along import TELLS, goes_through_time, last_series
from underkettle.reading.kinds.kind import Look, ReadoutKind
from underkettle.reading.seen import Asked, Seen

AT_THE_END = "told when the run has ended"


class OfHistory(ReadoutKind):
    name, says = "history", "of a history, at the end"
    sentence = "{tells} of the history of {of}, since {since}, at {reference}"
    needs = ("of", "tells")
    asks = ("of", "tells", "since", "reference")
    of_field = False
    nothing = AT_THE_END

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        return None  # that of what it is told of, see `case.derived`

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        others = {n: m for n, m in case.model.readouts.items() if m.kind != self.name}
        if model.of not in others:
            known = ", ".join(others)
            return f"there is no readout '{model.of}' with a history; choose from {known}"
        if model.tells == "reached" and model.reference is None:
            return "'reference' is not given: the value to be reached"
        if goes_through_time(case):
            return ""
        if not last_series(case):
            return "nothing changes in time or by steps here, so there is no history"
        if model.tells not in TELLS:
            return f"along a series a history tells {', '.join(TELLS)}"
        return ""

    def value(self, look: Look) -> float | None:
        return None


KINDS = (OfHistory(),)
