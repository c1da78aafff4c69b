"""The reduced way: potentials as a few shapes that are solved for once, and scaled.

The shapes are what conductors do where surfaces take their current evenly, where each edge that is
joined feeds it, and where nothing flows. What is best made of them is found by Galerkin's method:
currents balance as wholes, and cells of a surface still pass what the voltage there lets them.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import scipy.linalg as dense
import scipy.sparse as sparse
from scipy.sparse.csgraph import connected_components

from underkettle.engine.linear.tied import factor_even

Array = np.ndarray

ALIKE = 1e-9  # of a shape that is left beside the others, below which it is one of them


def shapes_of(linear: sparse.csc_array, sources: Sequence[Array]) -> Array:
    """Orthonormal shapes (size, k) of a network without its surfaces. sources : currents (size, A)
    that it is fed by, each of which gives a shape; what nothing holds gives back evenly as much.
    """
    size = linear.shape[0]
    count, of = connected_components(linear, directed=False)
    excess = np.abs(np.asarray(linear.sum(axis=1)).ravel()) > 1e-12 * linear.diagonal()
    held = np.bincount(of, excess, count) > 0
    pins = np.array([int(np.flatnonzero(of == part)[-1]) for part in range(count)])
    weight = linear.diagonal()[pins]
    pinned = np.zeros(size)
    pinned[pins[~held]] = weight[~held]
    lu = factor_even(sparse.csc_array(linear + sparse.diags_array(pinned)))
    found: list[Array] = [np.asarray(of == part, float) for part in range(count)]
    for source in sources:
        for part in range(count):
            own = np.where(of == part, source, 0.0)
            if not own.any():
                continue
            if not held[part]:  # what is pinned takes what comes
                own[pins[part]] -= own.sum()
            found.append(lu.solve(own))
    return _apart(found)


def _apart(found: Sequence[Array]) -> Array:
    """Orthonormal, without those that others make up."""
    kept: list[Array] = []
    for shape in found:
        whole = np.linalg.norm(shape)
        if whole == 0.0:
            continue
        left = shape / whole
        for _ in range(2):  # twice is enough (Parlett 1980)
            for one in kept:
                left = left - (one @ left) * one
        if np.linalg.norm(left) > ALIKE:
            kept.append(left / np.linalg.norm(left))
    return np.stack(kept, axis=1)


def scaled(matrix: Array, right: Array) -> Array:
    """How much there is of each shape: a small even system."""
    return np.asarray(dense.solve(matrix, right, assume_a="sym"))
