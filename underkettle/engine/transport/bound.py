"""Members that what they are given ties to each other, as where they react: solved for at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from underkettle.engine.linear.blocks import Blocks
from underkettle.engine.transport.resting import Resting

Array = np.ndarray


class Knot:
    """Ties between members, as `Blocks` of what each does to itself and what all do to it.

    ties : (m, m, ny + 3, nx + 3), what each gains (value m3/s) per unit of every one's value.
    """

    def __init__(self, resting: Sequence[Resting]) -> None:
        first = resting[0]
        self.resting, self.live = resting, first.live
        self.blocks = Blocks(len(resting), first.shape, first.live)
        self.at = first.at
        self.right = np.zeros((len(resting), *first.shape))
        self.found = np.zeros_like(self.right)

    def tie(self, ties: Array) -> None:
        """Take over ties, and what each member was linearised to."""
        blocks = self.blocks
        np.multiply(ties, self.live, out=blocks.ties)
        for k, one in enumerate(self.resting):
            blocks.own[k] = one.lines.diagonal
            for way, link in enumerate(one.lines.neighbours):
                blocks.around[way, k] = link
        blocks.set_up()

    def pull(self, changes: Sequence[Array]) -> list[Array]:
        """By how much less each gains where all change."""
        ties = self.blocks.ties.reshape(len(changes), len(changes), -1)[:, :, self.at]
        return list(-np.einsum("ikp,kp->ip", ties, np.stack(changes)))

    def precondition(self, left: Sequence[Array]) -> list[Array]:
        """About the changes that take imbalances away."""
        for k, one in enumerate(left):
            self.right[k].ravel()[self.at] = one
        self.found[:] = 0.0
        self.blocks.sweep(self.right, self.found)
        return [f.ravel()[self.at].copy() for f in self.found]
