"""What passes a wall, place by place along it."""

from __future__ import annotations

from typing import Any, cast

import numpy as np

from underkettle.engine.contract import TellsWalls
from underkettle.engine.marching.state import State
from underkettle.quantities import dimension_of

Array = np.ndarray


def wall_quantities(case: Any) -> dict[str, str]:
    """Quantities whose flux through walls can be read -> dimension of the flux."""
    flows = {q: d for name, p in case.phenomena.items()
             for q, d in p.quantities(case.settings[name]).items()
             if q in p.wall_quantities(case.settings[name])}
    area = dimension_of("area")
    return {q: (dimension_of(d) / area).name for q, d in flows.items()}


def along_edge(case: Any, fields: dict[str, Array], quantity: str, edge: str,
               time: float = 0.0) -> dict[str, Array]:
    """Flux into the vessel through an edge (SI) where the grid feels it.

    fields : kept cell fields (ny, nx) by name. Returns distance along the edge, x, y (m) and flux;
    empty where the edge gives nothing by itself (sealed, or passed by a stream). Raises KeyError.
    """
    from underkettle.case.solve import build_solvers

    owner = next(name for name, p in case.phenomena.items()
                 if quantity in p.wall_quantities(case.settings[name]))
    solver = build_solvers(case)[owner]
    state = State(time=time)
    solver.start(state)
    grid = case.grid
    for name, (_, field) in case.fields().items():
        if field.arrays and field.arrays[0] in state.fields and name in fields:
            inner = state.fields[field.arrays[0]][0, 1 : grid.ny + 1, 1 : grid.nx + 1]
            inner[:] = np.nan_to_num(fields[name])
    x, y, index, flux = cast(TellsWalls, solver).wall_flux(quantity, state)
    mine = index == case.mesh_of(owner).edge_index(edge)
    distance = _distance(case.built.outline, case.mesh.edge_index(edge), x[mine], y[mine])
    order = np.argsort(distance, kind="stable")
    return {"distance": distance[order], "x": x[mine][order], "y": y[mine][order],
            "flux": flux[mine][order]}


def _distance(outline: Any, edge: int, x: Array, y: Array) -> Array:
    """Length (m) along an edge up to the point of it nearest to each position; from its low end."""
    rows = outline.edge == edge
    a, b = outline.start[rows], outline.end[rows]
    length = np.hypot(*(b - a).T)
    before = np.concatenate([[0.0], np.cumsum(length)[:-1]])
    best, away = np.zeros(x.size), np.full(x.size, np.inf)
    for k in range(len(a)):
        along = (b[k] - a[k]) / max(length[k], 1e-300)
        s = np.clip((x - a[k, 0]) * along[0] + (y - a[k, 1]) * along[1], 0.0, length[k])
        gap = np.hypot(x - a[k, 0] - s * along[0], y - a[k, 1] - s * along[1])
        nearer = gap < away
        best, away = np.where(nearer, before[k] + s, best), np.where(nearer, gap, away)
    first, last = a[0], b[-1]
    backwards = (last[0], last[1]) < (first[0], first[1])
    return length.sum() - best if backwards else best
