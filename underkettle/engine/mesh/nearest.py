"""Which cell of some is nearest."""

from __future__ import annotations

import numpy as np

Array = np.ndarray


def nearest(wanted: Array) -> tuple[Array, Array]:
    """Row and column of the wanted cell nearest to each cell, both of the shape of `wanted`."""
    from scipy.ndimage import distance_transform_edt  # loads slowly, and is seldom wanted

    j, i = distance_transform_edt(~wanted, return_distances=False, return_indices=True)
    return j, i
