"""The open cells of a case as quadrilaterals, for formats that know no closed ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.case.case import Case

Array = np.ndarray


@dataclass(frozen=True)
class OpenCells:
    """points (n, 3) in m, corners (m, 4), live (ny, nx) and the open share of each open cell."""

    points: Array
    corners: Array
    live: Array
    share: Array

    @property
    def count(self) -> int:
        return len(self.corners)


def open_cells(case: Case, stood: Sequence[Case] = ()) -> OpenCells:
    """Those open as drawn, or as the case stood at any time where parts of it moved."""
    mesh, grid = case.mesh, case.grid
    inner = (0, slice(1, grid.ny + 1), slice(1, grid.nx + 1))
    live = mesh.live[inner].copy()
    for other in stood:
        live |= other.mesh.live[inner]
    rows, columns = np.nonzero(live)
    width = grid.x.size
    corner = rows * width + columns
    every = np.stack([corner, corner + 1, corner + 1 + width, corner + width], axis=1)
    used, corners = np.unique(every, return_inverse=True)
    points = np.stack([grid.x[used % width], grid.y[used // width], np.zeros(used.size)], axis=1)
    share = (mesh.volume[inner] / np.maximum(mesh.full_volume[inner], 1e-300))[live]
    return OpenCells(points, corners.reshape(every.shape).astype("i8"), live, share)
