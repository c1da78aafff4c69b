"""A line over points, with what its axes are: what is drawn of a side sum, a setting, a condition."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

Array = np.ndarray


@dataclass(frozen=True)
class Curve:
    """A picture: y over x with their labels and dimensions, not drawn where it is NaN; and points laid
    over it.
    """

    x: Array
    y: Array
    x_label: str
    x_dimension: str
    y_label: str
    y_dimension: str
    points: Sequence[tuple[float, float]] = ()
