"""What a carried thing holds where its capacity follows its own value: heat by a cp of temperature."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.quantities import NOWHERE

Array = np.ndarray

STEP, HIGHEST = 0.25, 6000.0  # in units of the value: between nodes, and where the table ends


class Content:
    """The integral of a capacity over the value, from an origin, over the capacity there.

    law : a quantity that reads what is `called`. Straight lines between nodes in both directions, so
    that a value comes back from what it holds to rounding. Values from 0 to 6000; beyond, the last
    slope goes on.
    """

    def __init__(self, law: Any, called: str, origin: float) -> None:
        self.nodes = np.arange(0.0, HIGHEST + STEP, STEP)
        found = np.asarray(law.at(NOWHERE, {called: self.nodes}), float)
        ratio = np.broadcast_to(found, self.nodes.shape) / float(
            np.asarray(law.at(NOWHERE, {called: origin}))
        )
        # laws may mean nothing far from where they are used: the nearest sound value goes on there
        sound = np.isfinite(ratio) & (ratio > 0)
        ratio = np.interp(self.nodes, self.nodes[sound], ratio[sound])
        steps = 0.5 * (ratio[1:] + ratio[:-1]) * STEP
        total = np.concatenate([[0.0], np.cumsum(steps)])
        self.held = total - np.interp(origin, self.nodes, total)
        self.slopes = np.append(steps, steps[-1]) / STEP

    def of(self, value: Array) -> Array:
        """What is held, in units of the value."""
        k = np.clip((np.nan_to_num(value) / STEP).astype(np.int64), 0, self.nodes.size - 2)
        return np.asarray(self.held[k] + self.slopes[k] * (value - self.nodes[k]))

    def value(self, held: Array) -> Array:
        """The value that holds so much."""
        k = np.clip(np.searchsorted(self.held, held, side="right") - 1, 0, self.nodes.size - 2)
        return np.asarray(self.nodes[k] + (held - self.held[k]) / self.slopes[k])

    def slope(self, value: Array) -> Array:
        """What more is held per value, there."""
        k = np.clip((np.nan_to_num(value) / STEP).astype(np.int64), 0, self.nodes.size - 2)
        return np.asarray(self.slopes[k])
