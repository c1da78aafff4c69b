"""Small cut cells share what convection does to them with a larger neighbour.

An explicit step is as long as the full cells allow; a cell with little volume would overflow in
it. Its gain and its neighbour's are added and spread over both volumes: nothing is lost, and an
even field stays even.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from underkettle.engine.mesh import Mesh

Array = np.ndarray

SMALL = 0.5  # share of the full volume below which a cell is joined


@dataclass(frozen=True)
class Clusters:
    """Flat indices of joined cells, the cluster of each, and the clusters' volumes (m3)."""

    cell: Array
    cluster: Array
    volume: Array

    def spread(self, gain: Array, change: Array) -> None:
        """change = cluster's gain / cluster's volume on joined cells; arrays (ny + 3, nx + 3)."""
        if self.cell.size == 0:
            return
        total = np.bincount(self.cluster, gain.ravel()[self.cell], self.volume.size)
        change.ravel()[self.cell] = (total / self.volume)[self.cluster]


def join_small_cells(mesh: Mesh) -> Clusters:
    """Join each small live cell to the neighbour behind its largest open face."""
    volume, live = mesh.volume[0], mesh.live[0]
    small = live & (volume < SMALL * mesh.full_volume[0])
    width = volume.shape[1]
    pairs: list[tuple[int, int]] = []
    for j, i in np.argwhere(small):
        ways = [(mesh.open_x[0, j, i], (j, i - 1)), (mesh.open_x[0, j, i + 1], (j, i + 1)),
                (mesh.open_y[0, j, i], (j - 1, i)), (mesh.open_y[0, j + 1, i], (j + 1, i))]
        ways = [(a * (1.0 + volume[c]), c) for a, c in ways if a > 0 and live[c]]
        if ways:
            pairs.append((int(j) * width + int(i), int(max(ways)[1][0]) * width
                          + int(max(ways)[1][1])))
    if not pairs:
        none = np.zeros(0, np.int64)
        return Clusters(none, none, np.zeros(0))
    a, b = np.array(pairs).T
    cells = np.unique(np.concatenate([a, b]))
    p, q = np.searchsorted(cells, a), np.searchsorted(cells, b)
    graph = coo_array((np.ones(p.size), (p, q)), shape=(cells.size, cells.size))
    count, label = connected_components(graph, directed=False)
    return Clusters(cells, label, np.bincount(label, volume.ravel()[cells], count))
