"""What a stream carries of its motion along an opening, where it enters through it.

At an open edge that is its own (no gradient there); from still surroundings and through an inflow
it comes straight, with nothing along the edge. At walls nothing crosses.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.mesh import Mesh
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
