"""Repeats of a step in which several act on each other, led to where they agree.

Each repeat turns what was there into what comes of it; several of them tell where that leads
(Anderson 1965, J. ACM 12, 547).
"""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping, Sequence

import numpy as np

Array = np.ndarray

DEPTH = 3  # repeats before the last that are looked back at
NEAR = 1e-2  # of their size, by which repeats may still differ where that begins
WILD = 3.0  # weights of repeats together, beyond which they tell nothing


class Agreeing:
    """What repeats began with and came to, of the arrays named."""

    def __init__(self, names: Sequence[str]) -> None:
        self.names = names
        self.sizes: list[float] = []
        self.came: list[Array] = []
        self.off: list[Array] = []
        self.apart = np.inf

    def lead(
        self, before: Mapping[str, Array], fields: MutableMapping[str, Array], apart: float
    ) -> None:
        """Let `fields` (in place) be what repeats seem to lead to. before : what the last began with,
        apart : by how much it changed that. Where that is much, or more than before, it is let alone.
        """
        worse, self.apart = apart > self.apart, apart
        if not self.names or apart > NEAR or worse:
            self.came, self.off = [], []
            return
        if not self.came:
            self.sizes = [max(float(np.abs(fields[n]).max()), 1e-300) for n in self.names]
        each = list(zip(self.names, self.sizes, strict=True))
        came = np.concatenate([fields[n].ravel() / size for n, size in each])
        off = came - np.concatenate([before[n].ravel() / size for n, size in each])
        self.came, self.off = [*self.came[-DEPTH:], came], [*self.off[-DEPTH:], off]
        if len(self.off) < 2:
            return
        steps = np.stack([off - o for o in self.off[:-1]], axis=1)
        weights = np.linalg.lstsq(steps, off, rcond=1e-6)[0]
        if not np.abs(weights).sum() < WILD:
            self.came, self.off = self.came[-1:], self.off[-1:]
            return
        led = came - sum(w * (came - c) for w, c in zip(weights, self.came[:-1], strict=True))
        first = 0
        for name, size in each:
            field = fields[name]
            field[...] = size * led[first : first + field.size].reshape(field.shape)
            first += field.size
