"""One readout against another as both go on: its ways up and down, and what the last round encloses."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class Way:
    """From row `first` to row `last`, over rising places (`up`) or falling ones."""

    first: int
    last: int
    up: bool


def ways(x: Array) -> list[Way]:
    """The ways between where x (n) turns; places that stay belong to the way before."""
    step = np.sign(np.diff(x))
    moving = np.flatnonzero(step)
    if not moving.size:
        return []
    turns = moving[1:][step[moving[1:]] != step[moving[:-1]]]
    ends = [0, *turns.tolist(), x.size - 1]
    return [Way(a, b, bool(x[b] > x[a])) for a, b in pairwise(ends) if b > a]


@dataclass(frozen=True)
class Round:
    """Part of a curve that has come round. first : its first row; x, y : closed where it ends."""

    first: int
    x: Array
    y: Array


def last_round(x: Array, y: Array) -> Round | None:
    """The newest part of a curve that has come round: back to where it ends, going the same way.
    None where it has not.
    """
    found = ways(x)
    if len(found) < 2:
        return None
    end, up = x[-1], found[-1].up
    if len(found) == 2:  # up and down again, or down and up: round where it ends as it began
        return Round(0, x, y) if abs(end - x[0]) <= 1e-6 * np.ptp(x) else None
    before = found[-3]
    a, b = x[before.first : before.last], x[before.first + 1 : before.last + 1]
    over = (a <= end) & (end <= b) if up else (a >= end) & (end >= b)
    if not over.any():
        return None
    k = before.first + int(np.flatnonzero(over)[-1])
    part = (end - x[k]) / (x[k + 1] - x[k]) if x[k + 1] != x[k] else 1.0
    begins = y[k] + part * (y[k + 1] - y[k])
    closed = np.concatenate([[end], x[k + 1 :]]), np.concatenate([[begins], y[k + 1 :]])
    return Round(k + 1, *closed)


def enclosed(x: Array, y: Array) -> float:
    """What a closed curve goes round: the integral of y over x, by straight lines; positive where y is
    larger on the way up.
    """
    return float(np.sum(0.5 * (y[1:] + y[:-1]) * np.diff(x)))
