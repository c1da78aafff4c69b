"""What passes a wall, place by place along it."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np

from underkettle.engine.contract import AtWalls
from underkettle.engine.marching.state import State
from underkettle.quantities import dimension_of
from underkettle.reading.seen import Seen

Array = np.ndarray

STEEPEST = 0.7  # of the normal along the axis that a wall which cuts cells is read by


def wall_quantities(case: Seen) -> dict[str, str]:
    """Quantities whose flux through walls can be read -> dimension of the flux."""
    area = dimension_of("area")
    return {
        n: (dimension_of(q.dimension) / area).name
        for n, q in case.quantities.items()
        if q.name in case.phenomena[q.owner].wall_quantities(case.settings[q.owner])
    }


def owner_of(case: Seen, quantity: str) -> str:
    """The phenomenon that tells a quantity's flux at walls. Raises KeyError."""
    found = case.quantities[quantity]
    if found.name not in case.phenomena[found.owner].wall_quantities(case.settings[found.owner]):
        raise KeyError(quantity)
    return str(found.owner)


def field_of(case: Seen, quantity: str) -> str:
    """The field whose difference drives a quantity's flux at walls: the one its owner solves for."""
    owner = owner_of(case, quantity)
    fields = [f.name for f in case.phenomena[owner].fields(case.settings[owner]) if f.arrays]
    own = case.quantities[quantity].name
    return str(case.fields().key(f"{owner}.{own if own in fields else fields[0]}"))


def at_edge(case: Seen, state: State, quantity: str, edge: str) -> AtWalls:
    """What is felt at one edge; empty where it gives nothing by itself. Raises KeyError."""
    owner = owner_of(case, quantity)
    found = case.at_walls(quantity, state)
    mine = found.edge == case.mesh_of(owner).edge_index(edge)
    return AtWalls(*(getattr(found, f.name)[mine] for f in dataclasses.fields(found)))


def state_of(case: Seen, fields: dict[str, Array], quantity: str, time: float) -> State:
    """A state as far as kept cell fields (ny, nx) tell it, for what is felt at walls. Raises
    LookupError where they do not hold all of it.
    """
    state = State(time=time)
    for name, (owner, field) in case.fields().items():
        if (
            field.arrays
            and field.where == "cell"
            and (
                name not in fields
                or (
                    not field.partly
                    and np.isnan(fields[name][case.mesh_of(owner).live[0, 1:-2, 1:-2]]).any()
                )
            )
        ):
            raise LookupError(f"the frames of this run do not hold all of {field.says}")
    for name in case.phenomena:
        case.reader(name).start(state)
    grid = case.grid
    for name, (_, field) in case.fields().items():
        if field.arrays and name in fields:
            whole = state.fields.setdefault(field.arrays[0], np.zeros(grid.shape))
            whole[0, 1 : grid.ny + 1, 1 : grid.nx + 1] = np.nan_to_num(fields[name])
    return state


def wall_area(case: Seen, quantity: str, edge: str) -> float:
    """The area (m2) of an edge as its pieces have it: walls that cut cells are felt along both
    axes, so that what is felt there has more of it.
    """
    mesh = case.mesh_of(owner_of(case, quantity))
    return float(mesh.pieces.area[mesh.pieces.of(mesh.edge_index(edge))].sum())


def along_edge(case: Seen, state: State, quantity: str, edge: str) -> dict[str, Array]:
    """Flux into the vessel through an edge (SI) where the grid feels it.

    Returns distance along the edge, x, y (m), area, flux, value at the wall and what conducts
    there; empty where the edge gives nothing by itself (sealed, or passed by a stream). Areas are
    those at the wall and add up to the edge's; flux x area adds up to what passes. Raises KeyError.
    """
    found = at_edge(case, state, quantity, edge)
    outline = case.outline_of(edge)
    distance = _distance(outline, edge, found.x, found.y)
    order = np.argsort(distance, kind="stable")
    line = {
        "distance": distance[order],
        **{n: getattr(found, n)[order] for n in ("x", "y", "area", "flux", "value", "conducts")},
    }
    if not found.area.size:
        return line
    mesh = case.mesh_of(owner_of(case, quantity))
    rows = mesh.pieces.of(mesh.edge_index(edge))
    amount = line["flux"] * line["area"]
    if (mesh.pieces.axis[rows] < 0).any():
        line = _straight_through(outline, edge, line, found.axis[order].astype(int))
        line["area"] = _shares(mesh, outline, edge, rows, line["distance"])
        told, size = line["flux"] * line["area"], np.abs(line["flux"] * line["area"]).sum()
        if size > 0:  # what is felt in all tells how much it is, these where
            line["flux"] = line["flux"] + np.abs(line["flux"]) * (amount.sum() - told.sum()) / size
        return line
    line["area"] = _shares(mesh, outline, edge, rows, line["distance"])
    line["flux"] = np.divide(
        amount, line["area"], out=np.zeros(amount.size), where=line["area"] > 0
    )
    return line


def along_edges(case: Seen, state: State, quantity: str) -> Array:
    """Flux into the vessel (SI) as it lies on its edges: pieces (n, 5) of from x, y to x, y (m) and
    the flux there. Raises KeyError.
    """
    found = [np.zeros((0, 5))]
    for edge in case.places("edge"):
        line = along_edge(case, state, quantity, edge)
        if line["flux"].size:
            found.append(_pieces(line["distance"], np.stack([line["x"], line["y"]]), line["flux"]))
    return np.concatenate(found)


def _pieces(distance: Array, at: Array, value: Array) -> Array:
    """Each place (2, n) with half the way to its neighbours along a line; none to one that lies
    further off than the line is long between them, as across an opening.
    """
    step = np.diff(distance)
    joined = np.hypot(*np.diff(at)) <= 1.5 * step + 1e-12
    middle = 0.5 * (at[:, 1:] + at[:, :-1])
    start, end = at.copy(), at.copy()
    start[:, 1:] = np.where(joined, middle, start[:, 1:])
    end[:, :-1] = np.where(joined, middle, end[:, :-1])
    return np.column_stack([*start, *end, value])


def _shares(mesh: Any, outline: Any, edge: str, rows: Array, distance: Array) -> Array:
    """Area (m2) of the pieces of an edge that are nearest to each place along it."""
    at = _distance(outline, edge, mesh.pieces.x[rows], mesh.pieces.y[rows])
    nearest = np.searchsorted(0.5 * (distance[1:] + distance[:-1]), at)
    return np.bincount(nearest, mesh.pieces.area[rows], distance.size)


def _straight_through(
    outline: Any, edge: str, line: dict[str, Array], axis: Array
) -> dict[str, Array]:
    """A wall that cuts cells: what is felt along x or y is a part of the flux through the wall, as
    large as the wall's normal has of that axis; only the larger part of the two is told.
    """
    normal = _normals(outline, edge, line["x"], line["y"])
    part = np.where(axis < 0, 1.0, np.abs(normal[np.clip(axis, 0, 1), np.arange(axis.size)]))
    told = (part >= STEEPEST) & (axis < 2)
    straight = {n: line[n][told] for n in line}
    straight["flux"] = line["flux"][told] / part[told]
    return straight


def _normals(outline: Any, edge: str, x: Array, y: Array) -> Array:
    """Unit normal (2, n) of an edge at the segment of it nearest to each place."""
    rows = outline.segments(edge)
    a, b = outline.start[rows], outline.end[rows]
    length = np.maximum(np.hypot(*(b - a).T), 1e-300)
    best, away = np.zeros(x.size, int), np.full(x.size, np.inf)
    for k in range(len(a)):
        along = (b[k] - a[k]) / length[k]
        s = np.clip((x - a[k, 0]) * along[0] + (y - a[k, 1]) * along[1], 0.0, length[k])
        gap = np.hypot(x - a[k, 0] - s * along[0], y - a[k, 1] - s * along[1])
        best, away = np.where(gap < away, k, best), np.minimum(away, gap)
    return np.asarray(np.stack([b[best, 1] - a[best, 1], a[best, 0] - b[best, 0]]) / length[best])


def transfer(found: Any, reference: float, length: float | None) -> Array:
    """Local transfer coefficient (SI), or with a length (m) the Nusselt or Sherwood number.

    found : rows with `flux`, `value` and `conducts`, as along_edge or at_edge give them.
    """
    flux, value, conducts = (
        found[n] if isinstance(found, dict) else getattr(found, n)
        for n in ("flux", "value", "conducts")
    )
    drive = value - reference
    scale = length / conducts if length is not None else 1.0
    return np.divide(flux * scale, drive, out=np.full(flux.shape, np.nan), where=drive != 0)


def _distance(outline: Any, edge: str, x: Array, y: Array) -> Array:
    """Length (m) along an edge up to the point of it nearest to each position; from its low end."""
    rows = outline.segments(edge)
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
