"""A sparse matrix made of pairs that are tied to each other, and of those that are held."""

from __future__ import annotations

from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import splu

Array = np.ndarray


class Tied:
    """Collects entries of a matrix of `size` unknowns: what leaves each where its value rises."""

    def __init__(self, size: int) -> None:
        self.size = size
        self.rows: list[Array] = []
        self.columns: list[Array] = []
        self.values: list[Array] = []

    def put(self, rows: Array, columns: Array, values: Array) -> None:
        """Add entries; those of a number below nought are of nobody."""
        on = (rows >= 0) & (columns >= 0)
        self.rows.append(rows[on])
        self.columns.append(columns[on])
        self.values.append(values[on])

    def hold(self, which: Array, ease: Array) -> None:
        """Add what ties unknowns to a value that is held."""
        self.put(which, which, ease)

    def tie(self, a: Array, b: Array, ease: Array) -> None:
        """Add what ties unknowns a to unknowns b; where b is below nought, a is held."""
        self.hold(a, ease)
        self.hold(b, ease)
        self.put(a, b, -ease)
        self.put(b, a, -ease)

    def matrix(self) -> sparse.csc_array:
        shape = self.size, self.size
        if not self.rows:
            return sparse.csc_array(shape)
        entries = (
            np.concatenate(self.values),
            (
                np.concatenate(self.rows),
                np.concatenate(self.columns),
            ),
        )
        return sparse.csc_array(sparse.coo_array(entries, shape=shape))


def factor_even(matrix: sparse.csc_array) -> Any:
    """Factors of an even matrix that is never below nought, so that it needs no pivots: half the work.
    Raises RuntimeError where it is singular.
    """
    return splu(matrix, "MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
