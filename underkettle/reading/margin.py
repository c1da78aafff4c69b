"""How far a readout can be trusted, from its values on three grids."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import isfinite, log

FORMAL = 2.0  # order of the schemes on a smooth solution
LEAST = 0.5  # an observed order below it is taken for this
SAFETY, WIDE = 1.25, 3.0  # factors where the grids fall in line, and where they hardly do
COARSER = (2**-0.5, 0.5)  # grids that a margin adds to a run's own
TURNS = 60


@dataclass(frozen=True)
class Margin:
    """value +/- margin in the value's unit; `order` None where none shows; in words, why."""

    margin: float
    order: float | None
    says: str


def grid_margin(sizes: Sequence[float], values: Sequence[float]) -> Margin | None:
    """Grid-convergence index of the first of three values, finest grid first; None where a value
    is missing.

    sizes : a length of a cell on each grid, rising. After Celik et al. 2008, J. Fluids Eng. 130
    (from memory): observed order from three grids, index 1.25 e / (r^p - 1).
    """
    if len(values) != 3 or not all(isfinite(v) for v in values):
        return None
    near, far = values[1] - values[0], values[2] - values[1]
    scale = max(abs(v) for v in values)
    if abs(near) <= 1e-12 * scale and abs(far) <= 1e-12 * scale:
        return Margin(0.0, None, "the same on three grids")
    spread = max(values) - min(values)
    if near == 0 or far == 0 or near * far < 0:
        return Margin(spread, None, "the grids do not fall in line: all of their spread")
    r21, r32 = sizes[1] / sizes[0], sizes[2] / sizes[1]
    order = _order(near, far, r21, r32)
    if order < LEAST:
        return Margin(max(spread, WIDE * abs(near) / (r21**LEAST - 1)), order,
                      "hardly settles with the grid: order below a half")
    held = min(order, FORMAL)
    factor = SAFETY if order <= 1.5 * FORMAL else WIDE
    return Margin(factor * abs(near) / (r21**held - 1), order,
                  "grid-convergence index on three grids")


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
