"""How far a readout can be trusted, from its values on three grids or from how it swings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite, log

import numpy as np

FIRST, FORMAL = 1.0, 2.0  # order of the schemes: where walls cut cells, on a smooth solution
SLOW, QUICK = 0.6, 1.6  # shares of them beyond which grids are too coarse to tell an order
SAFETY, WIDE = 1.25, 3.0  # factors where the grids fall in line, and where they hardly do
COARSER = (2**-0.5, 0.5)  # grids that a margin adds to a run's own
TURNS = 60
LATER = 0.5  # of a history: the part that a mean is taken over
CROSSINGS = 8  # of the mean, from which a history swings about it
RESOLVED = 4  # rows from one crossing to the next: what alternates from step to step is no swing
BATCHES = 10
DRIFT = 0.5  # of the deviation: a half may differ from the other by as much
T_VALUE = 2.26  # 95 % of Student's distribution with nine degrees of freedom


@dataclass(frozen=True)
class Margin:
    """value +/- margin in the value's unit; `order` None where none shows; in words, why."""

    margin: float
    order: float | None
    says: str


def grid_margin(
    sizes: Sequence[float], values: Sequence[float], formal: float = FORMAL
) -> Margin | None:
    """Grid-convergence index of the first of three values, finest grid first; None where a value
    is missing.

    sizes : a length of a cell on each grid, rising. formal : the order that the method can have,
    FIRST where walls cut cells. After Celik et al. 2008, J. Fluids Eng. 130 (from memory):
    observed order from three grids, index 1.25 e / (r^p - 1); the order it is worked out with is
    held between FIRST and the formal one, whatever three values happen to give.
    """
    if len(values) != 3 or not all(isfinite(v) for v in values):
        return None
    near, far = values[1] - values[0], values[2] - values[1]
    scale = max(abs(v) for v in values)
    if abs(near) <= 1e-12 * scale and abs(far) <= 1e-12 * scale:
        return Margin(0.0, None, "the same on three grids")
    spread = max(values) - min(values)
    r21, r32 = sizes[1] / sizes[0], sizes[2] / sizes[1]
    first = abs(near) / (r21**FIRST - 1)
    if near == 0 or far == 0 or near * far < 0:
        return Margin(
            max(spread, SAFETY * first),
            None,
            "the grids do not fall in line: all of their spread, or what first order would leave",
        )
    order = _order(near, far, r21, r32)
    held = min(max(order, FIRST), formal)
    margin = SAFETY * abs(near) / (r21**held - 1)
    if order < SLOW * FIRST:
        return Margin(
            max(spread, WIDE * first),
            order,
            "hardly settles with the grid: these grids are too coarse to tell an order",
        )
    if order > QUICK * formal:
        return Margin(
            max(margin, spread),
            order,
            f"changes faster with the grid than its method "
            f"(order {formal:g}) can: these grids are too coarse to tell an order",
        )
    return Margin(
        margin,
        order,
        "grid-convergence index on three grids"
        + ("" if held == order else f", worked out with order {held:g}"),
    )


def _order(near: float, far: float, r21: float, r32: float) -> float:
    """Observed order, by fixed point where the ratios of the grids differ."""
    order, ratio = FORMAL, log(abs(far / near))
    for _ in range(TURNS):
        if r21**order <= 1 or r32**order <= 1:
            return 0.0
        shift = log((r21**order - 1) / (r32**order - 1))
        onward = abs(ratio + shift) / log(r21)
        if ratio + shift < 0:
            return 0.0
        if abs(onward - order) < 1e-10:
            return onward
        order = min(max(0.5 * (order + onward), 1e-3), 20.0)
    return order


@dataclass(frozen=True)
class Sampled:
    """Mean of a history that swings, since a time (s), with the margin of sampling (95 %)."""

    mean: float
    margin: float
    deviation: float
    since: float
    crossings: int


def sampled(time: np.ndarray, value: np.ndarray) -> Sampled | None:
    """The later half of a history as mean and margin; None where it does not swing about a mean.

    The margin is that of ten batch means, each longer than a swing, so that neighbouring values
    that resemble each other do not count as independent (batch means: Law and Kelton, from memory).
    """
    keep = np.isfinite(value)
    t, v = np.asarray(time, float)[keep], np.asarray(value, float)[keep]
    if t.size < 4 * BATCHES or t[-1] <= t[0]:
        return None
    since = t[-1] - LATER * (t[-1] - t[0])
    even = np.linspace(since, t[-1], 200 * BATCHES)
    w = np.interp(even, t, v)
    mean, deviation = float(w.mean()), float(w.std())
    if deviation <= 1e-9 * max(abs(mean), float(np.abs(w).max())):
        return None
    own = v[t >= since]
    crossings = int((np.diff(np.sign(own - mean)) != 0).sum())
    halves = w.reshape(2, -1).mean(axis=1)
    drifts = abs(halves[1] - halves[0]) > DRIFT * deviation
    if drifts or not CROSSINGS <= crossings <= own.size / RESOLVED:
        return None
    batches = w.reshape(BATCHES, -1).mean(axis=1)
    margin = T_VALUE * float(batches.std(ddof=1)) / BATCHES**0.5
    return Sampled(mean, margin, deviation, float(since), crossings)
