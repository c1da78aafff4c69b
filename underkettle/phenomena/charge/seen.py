"""What is seen of potentials: currents in the middle of cells, and the heat that they make."""

from __future__ import annotations

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import roll
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.surfaces import Surface

Array = np.ndarray


def _over(a: Array, b: Array) -> Array:
    return np.divide(a, b, out=np.zeros(np.shape(a)), where=b > 0)


def _axes(mesh: Mesh, c: Conductor) -> tuple[tuple[int, Array, Array, Array], ...]:
    """Array axis, links (S), widths of cells (m) and what conducts, along x and along y."""
    u, grid = c.unknown, mesh.grid
    return (
        (1, u.link_x, grid.widths(0)[None, :], u.along[0]),
        (0, u.link_y, grid.widths(1)[:, None], u.along[1]),
    )


def currents(mesh: Mesh, c: Conductor, potential: Array, legs: Array) -> tuple[Array, Array]:
    """A/m2 along x and y in the middle of cells: the mean over a cell of what passes its faces and
    walls, each by how far it lies from the middle. legs : A in through each.
    """
    u, grid, pieces = c.unknown, mesh.grid, mesh.pieces
    found = []
    for axis, link, width, _ in _axes(mesh, c):
        x, middle = 1 - axis, grid.centres(1 - axis)
        along = link * (roll(potential, 1, axis) - potential)
        moment = 0.5 * width * (along + roll(along, -1, axis))
        for cells, spot, inward in (
            (c.legs, (c.legs.x, c.legs.y)[x], legs),
            (u.cells, (pieces.x, pieces.y)[x], u.flux),
        ):
            at = cells.row, cells.column
            np.add.at(moment, at, inward * (middle[at[axis]] - spot))
        found.append(_over(moment, mesh.volume[0]))
    return found[0], found[1]


def conduction_heat(mesh: Mesh, c: Conductor, potential: Array, legs: Array) -> Array:
    """W in every cell by Joule: that between two cells is shared as what resists in them, so that all
    sums to voltage times current.
    """
    u, heat = c.unknown, np.zeros(potential.shape)
    for axis, link, width, conducts in _axes(mesh, c):
        resists = _over(width * np.ones(heat.shape), conducts)
        share = _over(resists, resists + roll(resists, 1, axis))
        made = link * (potential - roll(potential, 1, axis)) ** 2
        heat += share * made + roll((1.0 - share) * made, -1, axis)
    np.add.at(heat, (c.legs.row, c.legs.column), _over(legs**2, u.factor))
    given = np.flatnonzero(u.flux)
    hold = u.cells.factor[given] * u.conducting_at(given)
    np.add.at(heat, (u.cells.row[given], u.cells.column[given]), _over(u.flux[given] ** 2, hold))
    return heat


def surface_heat(s: Surface, pores: Array, walls: Array) -> Array:
    """W in every cell that reactions turn into heat: what passes times how far from balance. pores,
    walls : voltages (V) across it.
    """
    heat = np.zeros(s.cells.shape)
    heat[s.cells] = s.area * _lost(s, pores, False)
    made = s.wall_area * _lost(s, walls, True)
    np.add.at(heat, (s.into.legs.row[s.legs], s.into.legs.column[s.legs]), made)
    return heat


def _lost(s: Surface, across: Array, on_walls: bool) -> Array:
    """W/m2, charging apart."""
    plain = s.across(np.zeros(across.size), 0.0, on_walls)
    return np.asarray(plain.passes(across)[0] * (across - plain.balanced))
