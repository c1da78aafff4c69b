"""Means by what flows through a drawn line: mixing-cup values on inner sections."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import Carrier
from underkettle.engine.marching.state import State
from underkettle.reading.fields import cell_array
from underkettle.reading.sections import along_path, arc_points, line_points
from underkettle.reading.seen import Asked, Seen
from underkettle.reading.spans import SAMPLES, sized

Array = np.ndarray


def flowing(case: Seen) -> list[str]:
    """Fields of the stream's speed along x and y; none where no stream is solved for."""
    for owner in case.phenomena:
        if owner not in case.makers(Carrier):
            continue
        parts = {
            f.component[1]: n
            for n, (o, f) in case.fields().items()
            if o == owner and f.component is not None
        }
        if {0, 1} <= set(parts):
            return [parts[0], parts[1]]
    return []


def told_by_flow(
    case: Seen, model: Asked, values: Array, state: State, where: str, kind: str
) -> float | None:
    """Mean or spread of a field (ny, nx) along a line or an arc, weighted by the volume flow
    straight through it; None where the velocities are not known or nothing passes on balance.
    """
    try:
        parts = [case.field(n) for n in flowing(case)]
        speeds = [cell_array(field, mesh, state) for field, mesh in parts]
    except KeyError:
        return None
    sizes = sized(case, model, where)
    if model.line is not None:
        x, y, step = line_points(sizes[:2], sizes[2:], SAMPLES)
    else:
        x, y, step = arc_points(sizes[0], sizes[1], sizes[2], sizes[3], sizes[4], SAMPLES)
    grid = case.grid
    found, u, v = (along_path(f, grid.x, grid.y, x, y) for f in (values, *speeds))
    along = np.stack([np.gradient(x), np.gradient(y)]) / step
    flow = (v * along[0] - u * along[1]) * grid.around(y) * step  # through, from right to left
    good = np.isfinite(found) & np.isfinite(flow)
    total = float(flow[good].sum())
    if abs(total) <= 1e-9 * float(np.abs(flow[good]).sum()):
        return None
    mean = float((found[good] * flow[good]).sum()) / total
    if kind == "mean":
        return mean
    return max(float(((found[good] - mean) ** 2 * flow[good]).sum()) / total, 0.0) ** 0.5
