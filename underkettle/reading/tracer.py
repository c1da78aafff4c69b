"""What is known of a tracer beside what a readout tells of it: what came in, what is still there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.reading.seen import Seen
from underkettle.reading.stay import Stay, from_pulse, from_step

Array = np.ndarray


@dataclass(frozen=True)
class Tracer:
    """flow : what turns the readout into an amount per second; inside : the amount in the vessel at
    the end; entering : what the readout comes to when all that enters has changed. None where the
    case does not say.
    """

    flow: float | None = None
    inside: float | None = None
    entering: float | None = None

    def stay(
        self,
        kind: str,
        time: Array,
        value: Array,
        begin: float,
        before: float | None = None,
        after: float | None = None,
        given: float | None = None,
    ) -> Stay:
        """Residence times after a "step" or a "pulse" at `begin` (s). before, after, given : of the
        step or pulse, where they are said. Raises ValueError.
        """
        if kind == "pulse":
            return from_pulse(time, value, given, self.flow, self.inside, begin)
        keep = np.flatnonzero(time >= begin - 1e-12)
        if keep.size == 0:
            raise ValueError("nothing was recorded after that time")
        low = float(value[keep[0]]) if before is None else before
        return from_step(time, value, low, self.entering if after is None else after, begin)


def tracer_of(case: Seen, readout: str, values: Array | None) -> Tracer:
    """values : the tracer's field at the end, (ny, nx) in SI, where it is known; see `field_of`."""
    model, facts = case.model.readouts[readout], case.facts
    name = tracer_field(case, readout)
    inside = None
    if values is not None and name:
        volume = case.field(name)[1].open_volume
        if case.porosity is not None:
            volume = volume * case.porosity
        inside = float(np.nansum(np.where(volume > 0, values * volume, 0.0)))
    came = {e: facts.stream(e) or 0.0 for e in case.edges}
    inflow = sum(v for v in came.values() if v > 0)
    outlets = [e for e in case.edges if facts.through(e) == "out"]
    leaving = -came.get(model.place or "", 0.0)
    if leaving <= 0 and outlets == [model.place]:
        leaving = inflow
    entering = facts.entering(name) if name else None
    if model.kind == "through" and model.box is None:
        alone = entering is not None and leaving > 0
        sign = -1.0 if model.counts == "in" else 1.0
        return Tracer(
            1.0 if name else None,
            inside,
            sign * float(entering or 0.0) * leaving if alone else None,
        )
    if model.kind == "mean" and model.place in case.places("edge"):
        return Tracer(leaving if leaving > 0 else None, inside, entering)
    return Tracer(None, None, entering)


def tracer_field(case: Seen, readout: str) -> str:
    """The field a readout's tracer is, "" where it is none."""
    model = case.model.readouts[readout]
    name = (model.quantity if model.kind == "through" else model.field) or ""
    return name if name in case.fields() else ""
