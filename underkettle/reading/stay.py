"""Residence times from what leaves after a step or a pulse of tracer.

What has not left by the end is carried on exponentially: the exit age falls at the rate at which it
fell last. Moments are given of what came, and of the whole with that tail.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import exp, isfinite
from typing import Any

import numpy as np

Array = np.ndarray

EARLY = 0.3  # of the mean: an exit-age peak before it is a short cut
WHOLE = 0.9995  # share of tracer from which on nothing is left to carry on
LAST = 0.25  # share of the tracer's own span over which the fall of the exit age is looked at
FEWEST = 5  # points of it
SLOWEST = 0.4  # growth of that time from which on a mean would not exist
FINER = 8  # parts of the time between two points, that moments are summed over
RATHER = 0.5  # share recovered below which a tail tells too little


@dataclass(frozen=True)
class Moments:
    """How long things stay. tanks, peclet : of tanks in series and of axial dispersion with closed
    ends, None where none fits.
    """

    mean: float
    variance: float
    skewness: float
    peak: float

    @property
    def deviation(self) -> float:
        return float(max(self.variance, 0.0) ** 0.5)

    @property
    def tanks(self) -> float | None:
        return self.mean**2 / self.variance if self.variance > 0 else None

    @property
    def peclet(self) -> float | None:
        return peclet_of(self.variance / self.mean**2) if self.mean > 0 else None


@dataclass(frozen=True)
class Stay:
    """Curves over time (s): `cumulative` F (share of what came) and `exit_age` E (1/s).

    recovered : share of what was put in that was seen to leave by the end, None where what was put
    in is not known. came : moments of what came. whole : with the tail, None where none can be
    carried on. unsure : how far the mean of the whole may be off (s).
    """

    time: Array
    cumulative: Array
    exit_age: Array
    recovered: float | None
    came: Moments
    whole: Moments | None
    unsure: float
    notes: tuple[str, ...]

    @property
    def best(self) -> Moments:
        """Of the whole where it is known, else of what came."""
        return self.whole or self.came

    @property
    def sure(self) -> str:
        """In words, how far the mean can be trusted."""
        if self.whole is None:
            return "how much of the mean is missing is not known"
        if self.recovered is not None and self.recovered >= WHOLE:
            return "all that was put in was seen to leave"
        short = self.whole.mean - self.came.mean
        return (
            f"the mean of what came is {short:.3g} s short of the whole; that one may be off "
            f"by {self.unsure:.2g} s"
        )


def from_step(
    time: Array, value: Array, before: float, after: float | None, begin: float | None = None
) -> Stay:
    """value : what leaves over time (s) after the inlet went from `before` to `after` at `begin`,
    by default the first time. after : None where it is not known; then what leaves in the end
    stands for it and the recovered share is not told. Raises ValueError where there is no step.
    """
    if after is not None and after == before:
        raise ValueError("what enters does not change: there is no step")
    time, value = _clean(time, value, begin, before)
    known = after is not None
    top = float(value[-1]) if after is None else after
    if top == before:
        raise ValueError("nothing of the step has left yet")
    share = (value - before) / (top - before)
    seen = float(share[-1])
    if seen <= 0:
        raise ValueError("nothing of the step has left yet")
    cumulative = np.maximum.accumulate(np.clip(share / seen, 0.0, 1.0))
    return _stay(time, cumulative, min(seen, 1.0) if known else None)


def from_pulse(
    time: Array,
    value: Array,
    given: float | None = None,
    flow: float | None = None,
    inside: float | None = None,
    begin: float | None = None,
) -> Stay:
    """value : what leaves over time (s) after a pulse at `begin`, by default the first time.

    flow : what turns `value` into an amount per second; with it the amount put in, `given`, or the
    amount still `inside` at the end, tells the recovered share.
    """
    time, value = _clean(time, value, begin, 0.0)
    area = _smooth(time, value).antiderivative()(time)
    area -= area[0]
    if area[-1] <= 0:
        raise ValueError("nothing of the pulse has left yet")
    left, recovered = float(area[-1] * (flow or 1.0)), None
    if given:
        recovered = left / given
    elif flow is not None and inside is not None and left + inside > 0:
        recovered = left / (left + max(inside, 0.0))
    cumulative = np.maximum.accumulate(np.clip(area / area[-1], 0.0, 1.0))
    return _stay(time, cumulative, recovered)


def _clean(time: Array, value: Array, begin: float | None, before: float) -> tuple[Array, Array]:
    """Times count from `begin`; before the first point everything was as it had been."""
    good = np.isfinite(time) & np.isfinite(value)
    time, value = np.asarray(time, float)[good], np.asarray(value, float)[good]
    order = np.unique(time, return_index=True)[1]
    time, value = time[order], value[order]
    if begin is not None:
        later = time >= begin - 1e-9 * max(abs(begin), 1e-9)
        time, value = time[later], value[later]
        if time.size and time[0] > begin:
            time, value = np.append(begin, time), np.append(before, value)
    if time.size < 5:
        raise ValueError("the history has fewer than five points")
    return time - time[0], value


def _stay(time: Array, cumulative: Array, recovered: float | None) -> Stay:
    steps = np.diff(time)
    age = np.diff(cumulative) / steps
    middle = 0.5 * (time[1:] + time[:-1])
    raw = _raw_moments(time, cumulative)
    peak = float(middle[int(np.argmax(age))])
    came = _moments(raw, peak)
    notes = []
    whole: Moments | None = came
    unsure = 0.0
    if recovered is None or recovered < WHOLE:
        whole, unsure, share = _with_tail(time, age, middle, raw, peak, recovered)
        seen = share if recovered is None else recovered
        if whole is None:
            notes.append(
                f"{100 * seen:.0f} % of the tracer was seen to leave, too little to tell "
                "the rest: a longer run shows it, and a longer mean"
                if seen is not None
                else "how much has not left yet is not known: what leaves does not fall off at "
                "the end, or what was put in is not given"
            )
        elif seen is not None and seen < WHOLE:
            by = "" if recovered is not None else ", by the fall of the exit age"
            notes.append(
                f"{100 * seen:.3g} % of the tracer was seen to leave{by}: the mean of "
                f"what came is {100 * (1 - came.mean / whole.mean):.2g} % short"
            )
        if whole is not None and unsure > 0.05 * whole.mean:
            notes.append(
                "the exit age does not fall off as one exponential yet: a longer run "
                "makes the mean surer"
            )
    if peak < EARLY * (whole or came).mean:
        notes.append(
            f"the exit age peaks at {peak:.3g} s, {100 * peak / (whole or came).mean:.0f} "
            "% of the mean: part of the stream takes a short cut"
        )
    return Stay(
        time,
        cumulative,
        np.concatenate([age, age[-1:]]),
        recovered,
        came,
        whole,
        unsure,
        tuple(notes),
    )


def _smooth(time: Array, value: Array) -> Any:
    """A curve through all points that rises and falls only where they do."""
    from scipy.interpolate import PchipInterpolator  # loaded when it is wanted

    return PchipInterpolator(time, value)


def _raw_moments(time: Array, cumulative: Array) -> Array:
    """Moments about the origin, of order 0 to 3, of what has come, as if it had come smoothly from
    point to point: evenly would add a sixth of the square of a step to the variance.
    """
    parts = np.linspace(0.0, 1.0, FINER + 1)[:-1]
    fine = np.append((time[:-1, None] + parts * np.diff(time)[:, None]).ravel(), time[-1])
    came = np.diff(_smooth(time, cumulative)(fine))
    steps, middle = np.diff(fine), 0.5 * (fine[1:] + fine[:-1])
    weight = came / max(float(came.sum()), 1e-300)
    # within these short stretches it is even: their own spread belongs to the variance
    return np.array(
        [
            1.0,
            (weight * middle).sum(),
            (weight * (middle**2 + steps**2 / 12)).sum(),
            (weight * (middle**3 + middle * steps**2 / 4)).sum(),
        ]
    )


def _moments(raw: Array, peak: float) -> Moments:
    """raw : moments about the origin, of order 0 to 3."""
    mean, square, cube = (float(v) for v in raw[1:] / raw[0])
    variance = square - mean**2
    third = cube - 3 * mean * square + 2 * mean**3
    return Moments(mean, variance, third / variance**1.5 if variance > 0 else 0.0, peak)


def _with_tail(
    time: Array, age: Array, middle: Array, raw: Array, peak: float, recovered: float | None
) -> tuple[Moments | None, float, float | None]:
    """Moments with what is still to come, how far their mean may be off (s), and the share seen.

    age : of what came, its area 1. The tail begins at the last time with the exit age it has then;
    where the share recovered is known its area is known too.
    """
    fall, last, growth = _fall(middle, age)
    missing = None if recovered is None else (1 - recovered) / recovered
    if fall is None or (recovered is not None and recovered < RATHER):
        return None, 0.0, recovered
    by_slope = last * fall
    area = by_slope if missing is None else missing
    share = recovered if recovered is not None else 1 / (1 + area)
    if share < RATHER:
        return None, 0.0, share
    end = float(time[-1])
    tail = np.array(
        [
            1.0,
            end + fall,
            end**2 + 2 * end * fall + 2 * fall**2,
            end**3 + 3 * end**2 * fall + 6 * end * fall**2 + 6 * fall**3,
        ]
    )
    found = _moments(raw + area * tail, peak)
    # two ways to tell the same tail, from its area and from its fall; and one that falls off ever
    # more slowly, as it did last
    other = area / last if last > 0 else fall
    slower = area if missing is not None else area / (1 - growth)
    mean = (raw[1] + slower * (end + fall / (1 - 2 * growth))) / (raw[0] + slower)
    unsure = (
        share * area * min(abs(other - fall), 3 * fall)
        + abs(mean - found.mean)
        + 0.02 * share * area * fall
    )
    return found, float(unsure), share


def _fall(middle: Array, age: Array) -> tuple[float | None, float, float]:
    """Time (s) in which the exit age falls to 1/e at the end, None where it does not; the exit age
    (1/s) there; and by how much that time grows per second, 0 for an exponential.
    """
    span = middle[-1] - middle[int(np.argmax(age))]
    part = np.flatnonzero((middle >= middle[-1] - LAST * span) & (age > 0))
    if span <= 0 or part.size < FEWEST:
        return None, 0.0, 0.0
    slope, level = np.polyfit(middle[part] - middle[-1], np.log(age[part]), 1)
    growth = 0.0
    if slope < 0 and part.size >= 2 * FEWEST:
        early, late = (
            float(np.polyfit(middle[k], np.log(age[k]), 1)[0]) for k in np.array_split(part, 2)
        )
        if early < 0 and late < 0:
            growth = (1 / early - 1 / late) / (0.5 * (middle[part[-1]] - middle[part[0]]))
    return (
        (float(-1 / slope) if slope < 0 else None),
        float(np.exp(level)),
        float(np.clip(growth, 0.0, SLOWEST)),
    )


def peclet_of(spread: float) -> float | None:
    """u L / D of axial dispersion between closed ends from variance over mean squared; None where
    it is no smaller than that of a stirred tank. Levenspiel, from memory.
    """
    if not 0 < spread < 1 or not isfinite(spread):
        return None

    def over(peclet: float) -> float:
        return 2 / peclet - 2 / peclet**2 * (1 - exp(-peclet)) - spread

    from scipy.optimize import brentq  # loads slowly, and is seldom wanted

    low, high = 1e-3, 1e7
    return float(brentq(over, low, high)) if over(low) > 0 > over(high) else None
