"""How strong eddies are that come in: from an intensity and a size, a ratio of viscosities, or as they
are in a long duct.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.inflow import from_duct
from underkettle.engine.operators.wall_law import BETA_STAR

Array = np.ndarray

SHARE = 0.07  # of a hydraulic diameter, how large eddies in a duct are (common practice)
SLOWEST = 1e-3  # of the fastest speed that enters, below which intensity is of that


def entering(
    mesh: Mesh,
    conditions: Mapping[str, Given],
    passing: Array,
    speed: Array,
    nu: Array,
    t: float,
) -> tuple[Array, Array]:
    """Energy (J/kg) and rate (1/s) of what comes in through pieces of the outline; 1 and 1 elsewhere.

    passing : numbers of the pieces that a stream passes. speed (m/s), nu (m2/s) : (n,) of all.
    """
    pieces = mesh.pieces
    k, w = np.ones(pieces.j.size), np.ones(pieces.j.size)
    fastest = float(speed[passing].max(initial=0.0))
    place = pieces.place(t)
    for number, edge in enumerate(mesh.edges):
        rows = passing[pieces.edge[passing] == number]
        given = conditions[edge]
        if not rows.size:
            continue
        if given.kind == "developed":
            area = pieces.area[rows]
            mean = max(float((speed[rows] * area).sum() / area.sum()), 1e-12)
            thin = float((nu[rows] * area).sum() / area.sum())
            duct, away, half = from_duct(pieces, rows, rows, mesh.grid.round, mean, thin)
            k[rows] = np.interp(away, duct.away, duct.energy) * mean**2
            w[rows] = np.exp(np.interp(away, duct.away, np.log(duct.rate))) * mean / half
            continue
        if not given.has("intensity"):
            continue
        here = place[rows]
        part = given.values["intensity"].at(here)
        quick = np.maximum(speed[rows], SLOWEST * fastest + 1e-12)
        k[rows] = 1.5 * (part * quick) ** 2
        if given.has("ratio"):
            w[rows] = k[rows] / (nu[rows] * given.values["ratio"].at(here))
            continue
        size = (
            given.values["length"].at(here)
            if given.has("length")
            else SHARE * given.values["diameter"].at(here)
        )
        w[rows] = np.sqrt(k[rows]) / (BETA_STAR**0.25 * size)
    return k, w
