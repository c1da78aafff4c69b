"""What is in a drawn box: extremes, mean and integral of a field over its open volume."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class InBox:
    """Of one field in SI; total is its integral over volume (m3)."""

    mean: float
    low: float
    high: float
    total: float


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


def in_box(values: Array, part: Array) -> InBox | None:
    """values : (ny, nx), NaN where closed. None where nothing of the box is open."""
    here = np.isfinite(values) & (part > 0)
    if not here.any():
        return None
    v, w = values[here], part[here]
    total = float((v * w).sum())
    return InBox(total / float(w.sum()), float(v.min()), float(v.max()), total)
