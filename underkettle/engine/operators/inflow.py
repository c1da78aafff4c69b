"""How fast a stream enters, place by place: given speeds, flows and developed profiles."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.contract.streams import TURBULENT_PROFILE, UNIFORM
from underkettle.engine.mesh import Mesh, Pieces
from underkettle.engine.operators.ducts import Developed, developed_duct
from underkettle.quantities import Place

Array = np.ndarray


def across(pieces: Pieces, rows: Array) -> tuple[Array, float, float]:
    """Where pieces lie along the opening that `rows` make (m), and where that begins and ends."""
    along = pieces.y if abs(pieces.nx[rows[0]]) > 0.5 else pieces.x
    reach = 0.5 * pieces.length[rows]
    return along, float((along[rows] - reach).min()), float((along[rows] + reach).max())


def from_duct(
    pieces: Pieces, rows: Array, piece: Array, round_: bool, speed: float, nu: float
) -> tuple[Developed, Array, float]:
    """What comes from a long turbulent duct as wide as the opening that `rows` make, at a mean
    speed (m/s), nu in m2/s: its rows; how far from its wall `piece` lie, over half of it; and that
    half (m).
    """
    along, low, high = across(pieces, rows)
    pipe = round_ and abs(pieces.nx[rows[0]]) > 0.5 and low <= 1e-9 * high
    half = high if pipe else 0.5 * (high - low)
    found = developed_duct(speed * (2 if pipe else 4) * half / nu, pipe)
    away = high - along[piece] if pipe else np.minimum(along[piece] - low, high - along[piece])
    return found, np.clip(away / half, found.away[0], 1.0), half


def inflow_speed(
    given: Given,
    pieces: Pieces,
    rows: Array,
    piece: Array,
    round_: bool,
    density: float,
    viscosity: float,
    t: float,
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
    profile = given.values["profile"] if given.has("profile") else UNIFORM
    if profile == UNIFORM:
        return np.asarray(mean, float)
    share = area[rows] / total
    mean_speed = float((everywhere * share).sum())
    if profile == TURBULENT_PROFILE:
        duct, away, _ = from_duct(pieces, rows, rows, round_, abs(mean_speed), viscosity / density)
        own = np.interp(away, duct.away, duct.speed)
        number = np.zeros(pieces.j.size, np.int64)
        number[rows] = np.arange(rows.size)
        return np.asarray(own[number[piece]] / float((own * share).sum()) * mean_speed)
    along, low, high = across(pieces, rows)
    upright = abs(pieces.nx[rows[0]]) > 0.5

    def shape(s: Array) -> Array:
        return np.maximum(developed(s, low, high, round_ and upright), 0.0)

    exact = float((shape(along[rows]) * share).sum())
    return np.asarray(shape(along[piece]) / exact * mean_speed)


def entering(
    mesh: Mesh,
    conditions: Mapping[str, Given],
    piece: Array,
    density: Array,
    t: float,
    viscosity: Array | None = None,
) -> Array:
    """Speed into the vessel (m/s) at pieces of its outline. density : kg/m3 in cells; viscosity : Pa s,
    which only a stream needs that comes from a turbulent duct.
    """
    pieces, speed = mesh.pieces, np.zeros(piece.size)
    for edge in np.unique(pieces.edge[piece]):
        rows, mine = pieces.of(int(edge)), pieces.edge[piece] == edge
        area = pieces.area[rows]
        here = density[pieces.j[rows], pieces.i[rows]]
        thick = here if viscosity is None else viscosity[pieces.j[rows], pieces.i[rows]]
        speed[mine] = inflow_speed(
            conditions[mesh.edges[edge]],
            pieces,
            rows,
            piece[mine],
            mesh.grid.round,
            float((here * area).sum() / area.sum()),
            float((thick * area).sum() / area.sum()),
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
