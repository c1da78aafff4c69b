"""What is seen of a thing that only spreads: how it flows in the middle of cells, and what is lost."""

from __future__ import annotations

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.unknown import Unknown

Array = np.ndarray


def _over(a: Array, b: Array) -> Array:
    return np.divide(a, b, out=np.zeros(np.shape(a)), where=b > 0)


def _axes(mesh: Mesh, u: Unknown) -> tuple[tuple[int, Array, Array, Array], ...]:
    """Array axis, links, widths of cells (m) and what conducts, along x and along y."""
    grid = mesh.grid
    return (
        (1, u.link_x, grid.widths(0)[None, :], u.along[0]),
        (0, u.link_y, grid.widths(1)[:, None], u.along[1]),
    )


def flows(mesh: Mesh, u: Unknown, c: Array, legs: Array) -> tuple[Array, Array]:
    """Amount per m2 and s along x and y in the middle of cells: the mean over a cell of what passes its
    faces and walls, each by how far it lies from the middle. c : values; legs : in through each.
    """
    grid, pieces, found = mesh.grid, mesh.pieces, []
    for axis, link, width, _ in _axes(mesh, u):
        x, middle = 1 - axis, grid.centres(1 - axis)
        along = link * (roll(c, 1, axis) - c)
        moment = 0.5 * width * (along + roll(along, -1, axis))
        for cells, spot, inward in (
            (u.legs, (u.legs.x, u.legs.y)[x], legs),
            (u.cells, (pieces.x, pieces.y)[x], u.flux),
        ):
            at = cells.row, cells.column
            np.add.at(moment, at, inward * (middle[at[axis]] - spot))
        found.append(_over(moment, mesh.volume[0]))
    return found[0], found[1]


def lost(mesh: Mesh, u: Unknown, c: Array, legs: Array) -> Array:
    """What flows times what its value falls by, in every cell: between two cells it is shared as what
    resists in them, so that all sums to what edges bring times their value. c, legs : as of `flows`.
    """
    found = np.zeros(c.shape)
    for axis, link, width, conducts in _axes(mesh, u):
        resists = _over(width * np.ones(found.shape), conducts)
        share = _over(resists, resists + roll(resists, 1, axis))
        made = link * (c - roll(c, 1, axis)) ** 2
        found += share * made + roll((1.0 - share) * made, -1, axis)
    np.add.at(found, (u.legs.row, u.legs.column), _over(legs**2, u.factor))
    given = np.flatnonzero(u.flux)
    hold = u.cells.factor[given] * u.conducting_at(given)
    np.add.at(found, (u.cells.row[given], u.cells.column[given]), _over(u.flux[given] ** 2, hold))
    return found
