"""What edges have of the first fluid: how much of them it wets, and how thick it lies on them."""

from __future__ import annotations

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.two_fluids.naming import ME

Array = np.ndarray

NONE = 1e-6  # share of a cell, below which a film has ended


def thickness(mesh: Mesh, share: Array) -> Array:
    """How thick (m) the first fluid lies on every piece of the outline, straight off it: all there is
    until a cell holds none. share : of the first, (ny + 3, nx + 3).
    """
    p, grid = mesh.pieces, mesh.grid
    live = mesh.live[0]
    upright = np.abs(p.ny) > np.abs(p.nx)
    along = np.where(upright, p.ny, p.nx)
    step = np.where(along > 0.0, -1, 1)  # normals point out of the open space
    down, right = np.where(upright, step, 0), np.where(upright, 0, step)
    j, i, found = p.j.copy(), p.i.copy(), np.zeros(p.j.size)
    going = live[j, i]
    room = mesh.volume[0] / np.maximum(mesh.full_volume[0], 1e-300)
    for _ in range(max(grid.ny, grid.nx)):
        held = np.where(going, share[j, i], 0.0)
        going = held > NONE
        if not going.any():
            break
        width = np.where(upright, grid.widths(1)[j], grid.widths(0)[i])
        found += np.where(going, held * room[j, i] * width, 0.0)
        j, i = np.where(going, j + down, j), np.where(going, i + right, i)
        going &= (j >= 1) & (j <= grid.ny) & (i >= 1) & (i <= grid.nx)
        j, i = np.clip(j, 1, grid.ny), np.clip(i, 1, grid.nx)
        going &= live[j, i]
    return found * np.abs(along) / np.maximum(np.hypot(p.nx, p.ny), 1e-300)


def film(mesh: Mesh, state: State) -> Array:
    """Mean thickness (m) of the first fluid on every edge."""
    return _on_edges(mesh, thickness(mesh, state.fields[f"{ME}.first"][0]))


def wetted(mesh: Mesh, state: State) -> Array:
    """Share of every edge that the first fluid wets."""
    p = mesh.pieces
    return _on_edges(mesh, state.fields[f"{ME}.first"][0][p.j, p.i])


def _on_edges(mesh: Mesh, values: Array) -> Array:
    """Means over the area of every edge; NaN where it has none."""
    p, count = mesh.pieces, len(mesh.edges)
    area = np.bincount(p.edge, p.area, count)
    total = np.bincount(p.edge, p.area * values, count)
    return np.divide(total, area, out=np.full(count, np.nan), where=area > 0.0)
