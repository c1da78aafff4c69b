"""What a stream carries of its motion along an opening, where it enters through it.

At an open edge that is its own (no gradient there); from still surroundings and through an inflow
it comes straight, with nothing along the edge. At walls nothing crosses; where a stream does not
stick to walls that cut the grid, what lies behind a closed face there moves as its neighbour does, so
that what passes the cells between them brings the stream's own motion, and none is lost there.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray

OWN = ("outflow", "open edge", "drawn off")  # kinds at which the stream goes on as it is


def beyond(
    mesh: Mesh, along: Nodes, across: Nodes, conditions: Mapping[str, Given]
) -> tuple[Array, Array, Array]:
    """Velocities just outside openings, as flat indices into (ny + 3, nx + 3): where they are, the
    one inside that each follows, and the share of it: 1 at open edges, 0 where it comes straight.

    along : the component that is carried; across : the one that crosses the openings.
    """
    width = mesh.shape[2]
    share, count, source = (np.zeros(mesh.shape[1] * width) for _ in range(3))
    for row, column, sign, piece in (
        (across.in_row, across.in_column, across.in_sign, across.in_piece),
        (across.out_row, across.out_column, across.out_sign, across.out_piece),
    ):
        if not row.size:
            continue
        own = np.array([conditions[mesh.edges[e]].kind in OWN for e in mesh.pieces.edge[piece]])
        before = (sign > 0).astype(np.int64)  # the vessel lies before the face
        step = width if across.axis == 1 else 1
        face = row * width + column
        inside, outside = face - before * step, face - (1 - before) * step
        for shift in (0, 1 if across.axis == 1 else width):  # both ends of the cell
            np.add.at(share, outside + shift, own.astype(float))
            np.add.at(count, outside + shift, 1.0)
            source[outside + shift] = inside + shift
    lives = (along.active | along.prescribed | (along.area > 0)).ravel()
    at = np.flatnonzero((count > 0) & ~lives)
    return at, source[at].astype(np.int64), share[at] / count[at]


def behind_walls(mesh: Mesh, n: Nodes, but: Array) -> tuple[Array, Array, Array]:
    """The same for closed faces of one component beside cells that walls cut, each following the
    neighbour that stands for most. but : flat indices that follow something already.
    """
    pieces, shape = mesh.pieces, mesh.shape[1:]
    cut, flat = np.zeros(shape, bool), np.zeros(shape, bool)
    slanted = pieces.axis < 0
    cut[pieces.j[slanted], pieces.i[slanted]] = True
    flat[pieces.face_j[pieces.axis == n.axis], pieces.face_i[pieces.axis == n.axis]] = True
    cut = mesh.grid.wrap(cut)
    near = mesh.grid.wrap(cut | roll(cut, 1, 1 - n.axis))
    dead = near & ~flat & ~(n.active | n.prescribed)
    dead.ravel()[but] = False
    dead[:, [0, -1]], dead[[0, -1]] = False, False
    source, _, _ = leading(mesh, n, dead, n.active)
    source = mesh.grid.wrap(source).ravel()
    at = np.flatnonzero(source >= 0)
    return at, source[at], np.ones(at.size)


def leading(mesh: Mesh, n: Nodes, of: Array, among: Array) -> tuple[Array, Array, Array]:
    """For faces of one component (`of`) the neighbour that stands for most `among` some: its number,
    flat and no ghost's, -1 where there is none; the axis it lies along, 0 for y; the number of the face
    whose link joins both.
    """
    shape = of.shape
    best = np.zeros(shape)
    source, way, link = (np.full(shape, -1, np.int64) for _ in range(3))
    number = mesh.grid.wrap(np.arange(shape[0] * shape[1]).reshape(shape))
    size = np.where(among, n.volume, 0.0)
    for axis, step in ((0, 1), (0, -1), (1, 1), (1, -1)):
        beside, whose = roll(size, step, axis), roll(number, step, axis)
        better = of & (beside > best)
        best[better], source[better], way[better] = beside[better], whose[better], axis
        link[better] = (number if step > 0 else whose)[better]
    return source, way, link


def hand_on(forces: Array, at: Array, to: Array) -> None:
    """Give (in place) what closed faces would get of momentum to the velocities that they follow, so
    that none is lost. at, to : flat indices.
    """
    if at.size:
        flat = forces.reshape(-1)
        np.add.at(flat, to, flat[at])
        flat[at] = 0.0


def within(n: Nodes, at: Array) -> Array:
    """Which flat indices are no ghosts."""
    row, column = np.divmod(at, n.active.shape[1])
    return (row >= 1) & (row <= n.extent[0]) & (column >= 1) & (column <= n.extent[1])
