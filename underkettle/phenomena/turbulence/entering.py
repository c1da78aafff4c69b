"""How strong eddies are that come in: from an intensity and a size, a ratio of viscosities, or as they
are in a long duct.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.inflow import from_duct
from underkettle.engine.operators.wall_law import BETA_STAR

Array = np.ndarray

SHARE = 0.07  # of a hydraulic diameter, how large eddies in a duct are (common practice)
SLOWEST = 1e-3  # of the fastest speed that enters, below which intensity is of that
SAID = ("intensity", "length", "diameter", "ratio")


def by_intensity(said: Mapping[str, Any], speed: Any, nu: Any) -> tuple[Any, Any]:
    """Energy (J/kg) and rate (1/s) of eddies. said : their intensity, and a ratio of viscosities, a
    length (m) or the diameter of a duct (m); speed : m/s; nu : m2/s.
    """
    energy = 1.5 * (said["intensity"] * speed) ** 2
    if "ratio" in said:
        return energy, energy / (nu * said["ratio"])
    size = said["length"] if "length" in said else SHARE * said["diameter"]
    return energy, np.sqrt(energy) / (BETA_STAR**0.25 * size)


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
        quick = np.maximum(speed[rows], SLOWEST * fastest + 1e-12)
        said = {n: given.values[n].at(here) for n in SAID if given.has(n)}
        k[rows], w[rows] = by_intensity(said, quick, nu[rows])
    return k, w
