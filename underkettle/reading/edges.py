"""Means on edges, by area or by what flows through them, and extremes."""

from __future__ import annotations

from typing import Any, cast

import numpy as np

from underkettle.engine.contract import Carrier
from underkettle.engine.marching.state import State
from underkettle.reading.seen import Seen

Array = np.ndarray


def edge_mean(mesh: Any, values: Array, edge: str) -> float | None:
    """Area mean on an edge. On an edge along a grid line the value is carried on from the two
    cells next to it; elsewhere the cell's own value is taken.
    """
    pieces = mesh.pieces
    rows = pieces.of(mesh.edge_index(edge))
    j, i = pieces.j[rows] - 1, pieces.i[rows] - 1
    value = values[j, i]
    for axis, normal in ((0, pieces.nx[rows]), (1, pieces.ny[rows])):
        h = mesh.grid.widths(axis)[1:-2]
        step = np.sign(normal).astype(int)
        j2, i2 = (j, i - step) if axis == 0 else (j - step, i)
        inside = (j2 >= 0) & (i2 >= 0) & (j2 < values.shape[0]) & (i2 < values.shape[1])
        inside &= pieces.axis[rows] == axis
        k, k2 = (i, i2) if axis == 0 else (j, j2)
        second = values[np.where(inside, j2, 0), np.where(inside, i2, 0)]
        inside &= np.isfinite(second)
        near, far = h[k], h[np.where(inside, k2, 0)]
        value = np.where(inside, value + (value - second) * near / (near + far), value)
    good = np.isfinite(value)
    area = pieces.area[rows]
    if not good.any():
        return None
    return float((value[good] * area[good]).sum() / area[good].sum())


def flow_mean(case: Seen, values: Array, edge: str, state: State) -> float | None:
    """Mean weighted by the flow that leaves through the edge, or comes, where more comes than leaves:
    mass where density varies.
    """
    pieces = case.mesh.pieces
    rows = pieces.of(case.mesh.edge_index(edge))
    for solver_name in case.makers(Carrier):
        for what in case.meetings[solver_name].provides:
            if what.kind is not Carrier:
                continue
            carrier = cast(Carrier, case.reader(solver_name).offer(what, state))
            through = (carrier.mass or carrier.volume).through[rows]
            weight = np.maximum(through if through.sum() >= 0 else -through, 0.0)
            if weight.sum() <= 0:
                return None
            value = values[pieces.j[rows] - 1, pieces.i[rows] - 1]
            good = np.isfinite(value)
            return float((value[good] * weight[good]).sum() / weight[good].sum())
    return None


def edge_extreme(mesh: Any, values: Array, edge: str, sign: float) -> float | None:
    """The largest (sign 1) or smallest (-1) value of the cells along an edge."""
    pieces = mesh.pieces
    rows = pieces.of(mesh.edge_index(edge))
    found = values[pieces.j[rows] - 1, pieces.i[rows] - 1]
    found = found[np.isfinite(found)]
    return float(sign * (sign * found).max()) if found.size else None
