"""How fast a stream enters, place by place: given speeds, flows and developed profiles."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.mesh import Mesh, Pieces
from underkettle.quantities import Place

Array = np.ndarray


def inflow_speed(
    given: Given, pieces: Pieces, rows: Array, piece: Array, round_: bool, density: float, t: float
) -> Array:
    """Inflow speed (m/s) at `piece` of an edge made of `rows`; a given flow is met exactly."""
    area = pieces.area
    total = float(area[rows].sum())
    sign = -1.0 if given.kind == "drawn off" else 1.0
    size = next((n for n in ("volume_flow", "mass_flow") if given.has(n)), None)
    if size:
        flow = float(np.asarray(given.values[size].at(Place(t=t))))
        if size == "mass_flow":
            flow /= density
        mean = np.full(piece.size, sign * flow / total)
        everywhere = np.full(rows.size, sign * flow / total)
    else:
        speed = given.values["speed"]
        mean = sign * np.broadcast_to(speed.at(pieces.place(t)[piece]), piece.shape)
        everywhere = sign * np.broadcast_to(speed.at(pieces.place(t)[rows]), rows.shape)
    if not given.has("profile") or given.values["profile"] != "developed":
        return np.asarray(mean, float)
    upright = abs(pieces.nx[rows[0]]) > 0.5
    along = pieces.y if upright else pieces.x
    share = area[rows] / total
    reach = 0.5 * pieces.length[rows]
    low, high = float((along[rows] - reach).min()), float((along[rows] + reach).max())

    def shape(s: Array) -> Array:
        return np.maximum(developed(s, low, high, round_ and upright), 0.0)

    exact = float((shape(along[rows]) * share).sum())
    mean_speed = float((everywhere * share).sum())
    return np.asarray(shape(along[piece]) / exact * mean_speed)


def entering(
    mesh: Mesh, conditions: Mapping[str, Given], piece: Array, density: Array, t: float
) -> Array:
    """Speed into the vessel (m/s) at pieces of its outline. density : kg/m3 in cells."""
    pieces, speed = mesh.pieces, np.zeros(piece.size)
    for edge in np.unique(pieces.edge[piece]):
        rows, mine = pieces.of(int(edge)), pieces.edge[piece] == edge
        area = pieces.area[rows]
        here = density[pieces.j[rows], pieces.i[rows]]
        speed[mine] = inflow_speed(
            conditions[mesh.edges[edge]],
            pieces,
            rows,
            piece[mine],
            mesh.grid.round,
            float((here * area).sum() / area.sum()),
            t,
        )
    return speed


def held_pressures(mesh: Mesh, conditions: Mapping[str, Given], piece: Array, t: float) -> Array:
    """Pressures (Pa) that edges hold at pieces of the outline."""
    pieces, values = mesh.pieces, np.zeros(piece.size)
    place = pieces.place(t)
    for edge in np.unique(pieces.edge[piece]):
        mine = pieces.edge[piece] == edge
        given = conditions[mesh.edges[edge]].values["pressure"]
        values[mine] = np.broadcast_to(given.at(place[piece[mine]]), int(mine.sum()))
    return values


def developed(s: Array, low: float, high: float, round_: bool) -> Array:
    """The developed laminar profile between walls at low and high (m), to a common factor.

    Between plates, in a pipe (low = 0) or in an annulus: standard solutions of Poiseuille's flow.
    """
    if not round_:
        return np.asarray((s - low) * (high - s))
    if low <= 1e-9 * high:
        return np.asarray(high**2 - s**2)
    return np.asarray(high**2 - s**2 - (high**2 - low**2) * np.log(high / s) / np.log(high / low))
