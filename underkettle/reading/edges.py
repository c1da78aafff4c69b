"""Means on edges, by area or by what flows through them, and extremes."""

from __future__ import annotations

from typing import Any, cast

import numpy as np

from underkettle.engine.contract import Carrier
from underkettle.engine.marching.state import State
from underkettle.reading.seen import Seen

Array = np.ndarray


def edge_mean(mesh: Any, values: Array, edge: str) -> float | None:
    """Area mean on an edge, see `Mesh.on_outline`."""
    rows = mesh.pieces.of(mesh.edge_index(edge))
    value, area = mesh.on_outline(values, rows), mesh.pieces.area[rows]
    good = np.isfinite(value)
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
