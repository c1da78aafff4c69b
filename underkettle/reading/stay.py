"""Residence times from what leaves after a step or a pulse of tracer."""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, isfinite

import numpy as np
from scipy.optimize import brentq

Array = np.ndarray

EARLY = 0.3  # of the mean: an exit-age peak before it is a short cut
WHOLE = 0.95  # share of tracer below which moments are cut off


@dataclass(frozen=True)
class Stay:
    """Curves over time (s): `cumulative` F and `exit_age` E (1/s), and what they come to.

    recovered : share of the tracer seen to leave by the end; moments are of that share. tanks,
    peclet : of tanks in series and of axial dispersion with closed ends, None where none fits.
    """

    time: Array
    cumulative: Array
    exit_age: Array
    recovered: float
    mean: float
    variance: float
    skewness: float
    peak: float
    tanks: float | None
    peclet: float | None
    notes: tuple[str, ...]

    @property
    def deviation(self) -> float:
        return float(self.variance**0.5)


def from_step(time: Array, value: Array, before: float, after: float) -> Stay:
    """value : what leaves over time (s) after the inlet went from `before` to `after` at the first
    time. Raises ValueError where there is no step.
    """
    if after == before:
        raise ValueError("what enters does not change: there is no step")
    time, value = _clean(time, value)
    share = (value - before) / (after - before)
    recovered = float(share[-1])
    if recovered <= 0:
        raise ValueError("nothing of the step has left yet")
    return _stay(time, np.maximum.accumulate(np.clip(share / recovered, 0.0, 1.0)), recovered)


def from_pulse(time: Array, value: Array, given: float | None = None,
               flow: float | None = None) -> Stay:
    """value : what leaves over time (s) after a pulse at the first time. given : the amount of the
    pulse, and flow, what turns `value` into an amount per second, tell the recovered share.
    """
    time, value = _clean(time, value)
    steps = np.diff(time)
    area = np.concatenate([[0.0], np.cumsum(0.5 * (value[1:] + value[:-1]) * steps)])
    if area[-1] <= 0:
        raise ValueError("nothing of the pulse has left yet")
    recovered = float(area[-1] * (flow or 1.0) / given) if given else 1.0
    return _stay(time, np.clip(area / area[-1], 0.0, 1.0), recovered)


def _clean(time: Array, value: Array) -> tuple[Array, Array]:
    good = np.isfinite(time) & np.isfinite(value)
    time, value = np.asarray(time, float)[good], np.asarray(value, float)[good]
    order = np.unique(time, return_index=True)[1]
    if order.size < 5:
        raise ValueError("the history has fewer than five points")
    return time[order] - time[order[0]], value[order]


def _stay(time: Array, cumulative: Array, recovered: float) -> Stay:
    steps = np.diff(time)
    age = np.diff(cumulative) / steps
    middle = 0.5 * (time[1:] + time[:-1])
    weight = age * steps
    mean = float((weight * middle).sum() / weight.sum())
    # within a step the exit age is even: its own spread belongs to the variance
    variance = float((weight * ((middle - mean) ** 2 + steps**2 / 12)).sum() / weight.sum())
    third = float((weight * (middle - mean) ** 3).sum() / weight.sum())
    skewness = third / variance**1.5 if variance > 0 else 0.0
    peak = float(middle[int(np.argmax(age))])
    tanks = mean**2 / variance if variance > 0 else None
    notes = []
    if recovered < WHOLE:
        notes.append(f"{100 * recovered:.0f} % of the tracer was seen to leave: a longer run shows "
                     "the rest, and a longer mean")
    if peak < EARLY * mean:
        notes.append(f"the exit age peaks at {peak:.3g} s, {100 * peak / mean:.0f} % of the mean: "
                     "part of the stream takes a short cut")
    return Stay(time, cumulative, np.concatenate([age, age[-1:]]), recovered, mean, variance,
                skewness, peak, tanks, peclet_of(variance / mean**2), tuple(notes))


def peclet_of(spread: float) -> float | None:
    """u L / D of axial dispersion between closed ends from variance over mean squared; None where
    it is no smaller than that of a stirred tank. Levenspiel, from memory.
    """
    if not 0 < spread < 1 or not isfinite(spread):
        return None

    def over(peclet: float) -> float:
        return 2 / peclet - 2 / peclet**2 * (1 - exp(-peclet)) - spread

    low, high = 1e-3, 1e7
    return float(brentq(over, low, high)) if over(low) > 0 > over(high) else None
