"""A field over a span of time: mean, extremes and deviation in every cell."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class OverTime:
    """(ny, nx) each, NaN where never open; deviation is the standard one."""

    mean: Array
    low: Array
    high: Array
    deviation: Array


def time_weights(times: Array) -> Array:
    """What each of the times (s, rising) counts for: trapezoids, shares that sum to one."""
    t = np.asarray(times, float)
    if t.size < 2 or t[-1] <= t[0]:
        return np.full(t.size, 1.0 / max(t.size, 1))
    gaps = np.diff(t)
    weights = np.concatenate([[0.0], gaps]) + np.concatenate([gaps, [0.0]])
    return np.asarray(weights / weights.sum())


def over_time(times: Array, frames: Iterable[Array]) -> OverTime:
    """One pass over frames (ny, nx) at rising times, so that they need not fit into memory.

    Deviations are gathered from the first frame, which keeps what is nearly steady exact. Raises
    ValueError without a frame.
    """
    mean = square = low = high = first = np.zeros(0)
    for weight, values in zip(time_weights(times), frames, strict=True):
        if first.size == 0:
            first = np.array(values, float)
            mean, square = np.zeros(first.shape), np.zeros(first.shape)
            low, high = first.copy(), first.copy()
        shift = values - first
        mean += weight * shift
        square += weight * shift**2
        low, high = np.minimum(low, values), np.maximum(high, values)
    if first.size == 0:
        raise ValueError("there is no frame in this span")
    return OverTime(first + mean, low, high, np.sqrt(np.maximum(square - mean**2, 0.0)))
