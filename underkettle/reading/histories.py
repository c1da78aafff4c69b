"""What a readout's history tells when a run has ended: means, what it repeats, residence times."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np

from underkettle.quantities import Dimension, dimension_of
from underkettle.quantities.units import Unit
from underkettle.reading.averages import time_weights
from underkettle.reading.spectrum import spectrum
from underkettle.reading.tracer import Tracer

Array = np.ndarray

# what can be told -> its dimension, "" for that of the readout
TELLS = {
    "mean": "",
    "deviation": "",
    "low": "",
    "high": "",
    "peak": "rate",
    "amplitude": "",
    "stay": "time",
    "stay deviation": "time",
    "recovered": "number",
    "tanks": "number",
    "reached": "time",
}


def watched(
    rows: Iterable[Mapping[str, Any]], readout: str, shown: Unit | None
) -> tuple[Array, Array]:
    """Times (s) and values (SI, NaN where it is not told) of a readout over the kept rows of stages in
    time; shown : the unit they were kept in.
    """
    found = [
        (row["time"], np.nan if v is None else v if shown is None else shown.to_si(v))
        for row in rows
        if row["mode"] == "transient"
        for v in (row["readouts"].get(readout),)
    ]
    both = np.array(found, float).reshape(-1, 2)
    return both[:, 0], both[:, 1]


def told_dimension(tells: str, of: Dimension) -> Dimension:
    return dimension_of(TELLS[tells]) if TELLS[tells] else of


def of_history(
    tells: str,
    time: Array,
    value: Array,
    since: float,
    kind: str = "step",
    tracer: Tracer | None = None,
    reference: float | None = None,
) -> float | None:
    """One of `TELLS`, SI; None where the history from `since` (s) on does not tell it.

    kind : whether a step or a pulse came at `since`, for residence times; tracer : what else is
    known of it. They are those of the whole, with what is still to come, see `reading.stay`.
    reference : what is `reached`, rising or falling, whenever it first is; the time from `since` on.
    """
    good = np.isfinite(value)
    time, value = np.asarray(time, float)[good], np.asarray(value, float)[good]
    keep = time >= since - 1e-12
    t, v = time[keep], value[keep]
    if t.size < 2:
        return None
    if tells in ("low", "high"):
        return float(v.min() if tells == "low" else v.max())
    if tells == "reached":
        return None if reference is None else first_reached(t - since, v, reference)
    if tells in ("mean", "deviation"):
        weight = time_weights(t)
        mean = float((v * weight).sum())
        return mean if tells == "mean" else float(((v - mean) ** 2 * weight).sum()) ** 0.5
    try:
        if tells in ("peak", "amplitude"):
            found = spectrum(t, v)
            return found.peak if tells == "peak" else found.height
        stay = (tracer or Tracer()).stay(kind, time, value, since)
    except ValueError:
        return None
    best = stay.best
    return {
        "stay": best.mean,
        "stay deviation": best.deviation,
        "recovered": stay.recovered,
        "tanks": best.tanks,
    }[tells]


def first_reached(time: Array, value: Array, reference: float) -> float | None:
    """When a history, rising or falling, first gets to a value, between its rows as if it went evenly;
    None where it never does.
    """
    ahead = np.flatnonzero((value >= reference) != (value[0] >= reference))
    if value[0] == reference:
        return float(time[0])
    if not ahead.size:
        return None
    k = int(ahead[0])
    part = (reference - value[k - 1]) / (value[k] - value[k - 1])
    return float(time[k - 1] + part * (time[k] - time[k - 1]))
