"""What a readout's history tells when a run has ended: means, what it repeats, residence times."""

from __future__ import annotations

import numpy as np

from underkettle.quantities import Dimension, dimension_of
from underkettle.reading.averages import time_weights
from underkettle.reading.spectrum import spectrum
from underkettle.reading.stay import from_pulse, from_step

Array = np.ndarray

# what can be told -> its dimension, "" for that of the readout
TELLS = {"mean": "", "deviation": "", "low": "", "high": "", "peak": "rate", "amplitude": "",
         "stay": "time", "stay deviation": "time", "recovered": "number", "tanks": "number"}


def told_dimension(tells: str, of: Dimension) -> Dimension:
    return dimension_of(TELLS[tells]) if TELLS[tells] else of


def of_history(tells: str, time: Array, value: Array, since: float, tracer: str = "step",
               entering: float | None = None) -> float | None:
    """One of `TELLS`, SI; None where the history from `since` (s) on does not tell it.

    tracer : whether a step or a pulse came at `since`, for residence times. entering : what comes
    in after a step, by default what leaves in the end.
    """
    keep = (time >= since - 1e-12) & np.isfinite(value)
    t, v = np.asarray(time, float)[keep], np.asarray(value, float)[keep]
    if t.size < 2:
        return None
    if tells in ("low", "high"):
        return float(v.min() if tells == "low" else v.max())
    if tells in ("mean", "deviation"):
        weight = time_weights(t)
        mean = float((v * weight).sum())
        return mean if tells == "mean" else float(((v - mean) ** 2 * weight).sum()) ** 0.5
    try:
        if tells in ("peak", "amplitude"):
            found = spectrum(t, v)
            return found.peak if tells == "peak" else found.height
        stay = (from_pulse(t, v) if tracer == "pulse" else
                from_step(t, v, float(v[0]), float(v[-1]) if entering is None else entering))
    except ValueError:
        return None
    return {"stay": stay.mean, "stay deviation": stay.deviation, "recovered": stay.recovered,
            "tanks": stay.tanks}[tells]
