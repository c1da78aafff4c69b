"""What every reader of outlines gives."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class Drawn:
    """A closed line: points (n, 2) in the drawing's own unit, its name or layer, and what the side
    from each point to the next is called, "" where it has no name.
    """

    points: Array
    name: str = "outline"
    sides: tuple[str, ...] = ()
