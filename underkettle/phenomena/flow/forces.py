"""Forces on what stands in the stream, by the balance of momentum over a box around it.

Summing pressures and shears at cut cells falls a few per cent short; the momentum that enters a
box and does not leave it is what the body takes up, to second order. Where no box fits around a wall
alone, as along the vessel's own or one side of a bar, they are summed if it cuts no cell: pressure
carried on to the wall, and what the velocities beside it are dragged with.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh

Array = np.ndarray

LARGEST_MARGIN = 12  # cells between the body and the box


def edge_forces(mesh: Mesh, state: State, density: Array, viscosity: Array, axis: int) -> Array:
    """Force (N) of the stream along `axis` on each edge, pressure counted as it is told; NaN of
    openings, of walls that cut cells where no box fits around one, and across the axis of round
    vessels.

    density, viscosity : in cells, (ny + 3, nx + 3).
    """
    u, v, p = (state.fields[f"flow.{n}"][0] for n in ("u", "v", "p"))
    if mesh.grid.round and axis == 1:
        return np.full(len(mesh.edges), np.nan)
    if "flow.stirred" in state.fields:
        viscosity = viscosity + state.fields["flow.stirred"]
    rubbed = state.fields["flow.rubbed"]
    forces = np.where(rubbed[2] > 0, np.nan, rubbed[axis] + pressed(mesh, p, axis))
    for k in range(len(mesh.edges)):
        box = box_around(mesh, k)
        if box is None and (mesh.pieces.axis[mesh.pieces.of(k)] < 0).any():
            forces[k] = np.nan
        if box is not None:
            now = (u, v)[axis]
            before = state.fields[f"flow.{('u', 'v')[axis]}_before"][0]
            dt = state.numbers.get("flow.dt", 0.0)
            rate = density * (now - before) / dt if dt > 0 else None
            forces[k] = _force(mesh, box, u, v, p, density, viscosity, axis, rate)
    return forces


def pressed(mesh: Mesh, p: Array, axis: int) -> Array:
    """Force (N) of the pressure (Pa) along `axis` on each edge, see `Mesh.on_outline`."""
    pieces = mesh.pieces
    told = np.where(mesh.live[0], p, np.nan)[1:-2, 1:-2]
    normal = (pieces.nx, pieces.ny)[axis]
    force = mesh.on_outline(told) * normal * pieces.area
    return np.bincount(pieces.edge, force, len(mesh.edges))


def box_around(mesh: Mesh, edge: int) -> tuple[int, int, int, int] | None:
    """First and last rows and columns of a box of cells whose rim lies in the open stream."""
    pieces = mesh.pieces
    rows = pieces.of(edge)
    grid, full = mesh.grid, mesh.full_volume[0]
    closed = mesh.volume[0] < full * (1 - 1e-9)
    j0, j1 = int(pieces.j[rows].min()), int(pieces.j[rows].max())
    i0, i1 = int(pieces.i[rows].min()), int(pieces.i[rows].max())
    for m in range(2, LARGEST_MARGIN + 1):
        a, b, c, d = j0 - m, j1 + m, i0 - m, i1 + m
        if a < 2 or c < 2 or b > grid.ny - 1 or d > grid.nx - 1:
            return None
        rim = np.zeros(closed.shape, bool)
        rim[a - 1 : b + 2, c - 1 : d + 2] = True
        rim[a + 1 : b, c + 1 : d] = False
        if not (rim & closed).any():
            inside = (pieces.j >= a) & (pieces.j <= b) & (pieces.i >= c) & (pieces.i <= d)
            return (a, b, c, d) if (pieces.edge[inside] == edge).all() else None
    return None


def _force(
    mesh: Mesh,
    box: tuple[int, int, int, int],
    u: Array,
    v: Array,
    p: Array,
    density: Array,
    viscosity: Array,
    axis: int,
    rate: Array | None,
) -> float:
    """What enters through the rim and is not stored: pressure, momentum and shear (N)."""
    a, b, c, d = box
    hx, hy = mesh.grid.widths(0), mesh.grid.widths(1)
    x, y = mesh.grid.centres(0), mesh.grid.centres(1)
    total = 0.0
    thick = np.ptp(viscosity) > 0  # else the turned part of shear adds nothing
    j = slice(a, b + 1)
    push: Any
    for col, sign in ((c, 1.0), (d + 1, -1.0)):  # faces across x, entering along +x first
        area = mesh.open_x[0][j, col]
        near = hx[col] / (hx[col - 1] + hx[col])
        if axis == 0:
            face = u[j, col]
            slope = (u[j, col + 1] - u[j, col - 1]) / (hx[col] + hx[col - 1])
            push = near * p[j, col - 1] + (1 - near) * p[j, col]
        else:
            before = 0.5 * (v[j, col - 1] + v[a + 1 : b + 2, col - 1])
            after = 0.5 * (v[j, col] + v[a + 1 : b + 2, col])
            face, push = near * before + (1 - near) * after, 0.0
            slope = (after - before) / (x[col] - x[col - 1])
        carried = _between(density, near, j, col, 1) * u[j, col] * face
        if thick:
            wide = y[a + 1 : b + 2] - y[a - 1 : b]
            turned = slope if axis == 0 else (u[a + 1 : b + 2, col] - u[a - 1 : b, col]) / wide
            slope = slope + turned
        shear = _between(viscosity, near, j, col, 1) * slope
        total += sign * float((area * (carried + push - shear)).sum())
    i = slice(c, d + 1)
    for row, sign in ((a, 1.0), (b + 1, -1.0)):
        area = mesh.open_y[0][row, i]
        near = hy[row] / (hy[row - 1] + hy[row])
        if axis == 1:
            face = v[row, i]
            slope = (v[row + 1, i] - v[row - 1, i]) / (hy[row] + hy[row - 1])
            push = near * p[row - 1, i] + (1 - near) * p[row, i]
        else:
            before = 0.5 * (u[row - 1, i] + u[row - 1, c + 1 : d + 2])
            after = 0.5 * (u[row, i] + u[row, c + 1 : d + 2])
            face, push = near * before + (1 - near) * after, 0.0
            slope = (after - before) / (y[row] - y[row - 1])
        carried = _between(density, near, row, i, 0) * v[row, i] * face
        if thick:
            wide = x[c + 1 : d + 2] - x[c - 1 : d]
            turned = slope if axis == 1 else (v[row, c + 1 : d + 2] - v[row, c - 1 : d]) / wide
            slope = slope + turned
        shear = _between(viscosity, near, row, i, 0) * slope
        total += sign * float((area * (carried + push - shear)).sum())
    if rate is not None:
        shifted = np.roll(rate, -1, axis=1 - axis)
        cells = (slice(a, b + 1), slice(c, d + 1))
        total -= float((0.5 * (rate + shifted)[cells] * mesh.volume[0][cells]).sum())
    return total


def _between(values: Array, near: float, row: Any, column: Any, turn: int) -> Array:
    """Cell values on the faces before (row, column)."""
    before = values[row, column - 1] if turn else values[row - 1, column]
    return np.asarray(near * before + (1 - near) * values[row, column])
