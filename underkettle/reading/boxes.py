"""What is in a drawn box: extremes, mean and integral of a field over its open volume."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class InBox:
    """Of one field in SI; total is its integral over volume (m3)."""

    mean: float
    low: float
    high: float
    total: float


Box = tuple[float, float, float, float]


def ordered(box: Sequence[float]) -> Box:
    """Low x, low y, high x, high y of a box told by any two opposite corners."""
    a, b, c, d = box
    return min(a, c), min(b, d), max(a, c), max(b, d)


def shares(nodes: Array, low: float, high: float) -> Array:
    """How much of each cell along one direction lies between low and high (0 to 1)."""
    inside = np.minimum(nodes[1:], high) - np.maximum(nodes[:-1], low)
    return np.clip(inside / np.diff(nodes), 0.0, 1.0)


def part_of(volume: Array, x: Array, y: Array, box: tuple[float, float, float, float]) -> Array:
    """Open volume (m3) of each cell (ny, nx) that lies in a box.

    x, y : grid lines (m). box : low x, low y, high x, high y (m). In a cell that a wall cuts the
    open part counts as even.
    """
    return volume * shares(y, box[1], box[3])[:, None] * shares(x, box[0], box[2])[None, :]


@dataclass(frozen=True)
class BoxBalance:
    """Of one quantity, per s: what passes each side, in and out of the box, and what edges, walls
    and sources in it give and take; `box` (m) as it fell on the grid's lines.
    """

    box: tuple[float, float, float, float]
    inflow: dict[str, float]
    outflow: dict[str, float]
    given: float
    taken: float

    @property
    def left(self) -> float:
        """What is stored per s; at rest, the gap."""
        return sum(self.inflow.values()) + self.given - sum(self.outflow.values()) - self.taken

    @property
    def net(self) -> float:
        """What leaves through the sides less what enters."""
        return sum(self.outflow.values()) - sum(self.inflow.values())

    @property
    def relative(self) -> float:
        scale = max(sum(self.inflow.values()), sum(self.outflow.values()), self.given, self.taken)
        return abs(self.left) / scale if scale > 0 else 0.0


def cells_of(nodes: Array, low: float, high: float) -> tuple[int, int]:
    """First and one past the last cell between the grid lines nearest to low and high; one at
    least.
    """
    first = int(np.argmin(np.abs(nodes[:-1] - low)))
    return first, max(first + 1, int(np.argmin(np.abs(nodes - high))))


def box_balance(
    crossing: Any, x: Array, y: Array, box: tuple[float, float, float, float]
) -> BoxBalance:
    """crossing : an engine `Crossing`; x, y : grid lines (m); box : low x, low y, high x, high y
    (m), moved to the nearest grid lines so that it closes.
    """
    i0, i1 = cells_of(x, box[0], box[2])
    j0, j1 = cells_of(y, box[1], box[3])
    rows, columns = slice(j0 + 1, j1 + 1), slice(i0 + 1, i1 + 1)
    inward = {
        "left": crossing.x[rows, i0 + 1],
        "right": -crossing.x[rows, i1 + 1],
        "bottom": crossing.y[j0 + 1, columns],
        "top": -crossing.y[j1 + 1, columns],
    }
    gained = crossing.gained[rows, columns]
    return BoxBalance(
        (float(x[i0]), float(y[j0]), float(x[i1]), float(y[j1])),
        {side: float(np.maximum(f, 0.0).sum()) for side, f in inward.items()},
        {side: float(np.maximum(-f, 0.0).sum()) for side, f in inward.items()},
        float(np.maximum(gained, 0.0).sum()),
        float(np.maximum(-gained, 0.0).sum()),
    )


def in_box(values: Array, part: Array) -> InBox | None:
    """values : (ny, nx), NaN where closed. None where nothing of the box is open."""
    here = np.isfinite(values) & (part > 0)
    if not here.any():
        return None
    v, w = values[here], part[here]
    total = float((v * w).sum())
    return InBox(total / float(w.sum()), float(v.min()), float(v.max()), total)
