"""Kernels of the incremental projection: right sides, divergence, correction."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray


def lay_pressure(
    nodes: Sequence[Nodes], factors: Sequence[Array], ax: Array, ay: Array, d: Array
) -> None:
    """Faces and diagonal of the operator that gives net outflows of cells for their pressures.
    factors : of each component, what flows through a face per jump of pressure.
    """
    ny, nx = ax.shape[0] - 3, ax.shape[1] - 3
    d[:] = 0.0
    for n, a, factor in zip(nodes, (ax, ay), factors, strict=True):
        a[:] = np.where(n.inner > 0, factor, 0.0)
        line = n.out_column if n.axis == 0 else n.out_row
        rim = (line == 1) | (line == (nx if n.axis == 0 else ny) + 1)
        at = n.out_row, n.out_column
        a[at[0][rim], at[1][rim]] = factor[at][rim]  # the ghost behind the rim holds zero
        cell = n.behind_outlets
        np.add.at(d, (cell[0][~rim], cell[1][~rim]), factor[at][~rim])


@kernel
def momentum_right(
    now, before, carried, carried_before, mass, gradient, extra, out, b0, b1, e0, e1, ny, nx
):
    """out = mass (b0 now - b1 before - e0 carried + e1 carried_before) - gradient + extra.

    mass : density x volume / 1 (kg); carried : accelerations (m/s2); gradient, extra : forces (N);
    b0, b1 in 1/s. `carried_before` takes over `carried`.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            n = carried[j, i]
            out[j, i] = (
                mass[j, i]
                * (b0 * now[j, i] - b1 * before[j, i] - e0 * n + e1 * carried_before[j, i])
                - gradient[j, i]
                + extra[j, i]
            )
            carried_before[j, i] = n


@kernel
def pressure_force_x(p, area, out, ny, nx):
    """out = area (p_i - p_i-1) on inner x faces (N); area is the full control-volume area.

    The low rim is taken along for grids that repeat; elsewhere it is the caller's.
    """
    for j in range(1, ny + 1):
        before, here, a, o = p[j], p[j, 1:], area[j, 1:], out[j, 1:]
        for k in range(nx):
            o[k] = a[k] * (here[k] - before[k])


@kernel
def pressure_force_y(p, area, out, ny, nx):
    """out = area (p_j - p_j-1) on inner y faces (N)."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            out[j, i] = area[j, i] * (p[j, i] - p[j - 1, i])


def pressure_force(p: Array, n: Nodes, out: Array) -> None:
    """Pressure force (N) on the inner faces of one component; outlets are the caller's."""
    along = pressure_force_x if n.axis == 0 else pressure_force_y
    along(p, n.side, out, p.shape[0] - 3, p.shape[1] - 3)


def outlet_force(p: Array, n: Nodes, outside: Array | float, out: Array) -> None:
    """The same on outlet faces. outside : pressures (Pa) behind them."""
    at = n.out_row, n.out_column
    out[at] = n.side[at] * n.out_sign * (outside - p[n.behind_outlets])


@kernel
def divergence(u, v, area_x, area_y, out, factor, ny, nx):
    """out = factor x net volume outflow of each cell; returns the largest flow through a face."""
    most = np.zeros(nx)  # one per column: a single maximum would not vectorise
    for j in range(1, ny + 1):
        uw, ue, aw, ae = u[j, 1:], u[j, 2:], area_x[j, 1:], area_x[j, 2:]
        vs, vn, bs, bn = v[j, 1:], v[j + 1, 1:], area_y[j, 1:], area_y[j + 1, 1:]
        o = out[j, 1:]
        for k in range(nx):
            east, north = ue[k] * ae[k], vn[k] * bn[k]
            o[k] = factor * (east - uw[k] * aw[k] + north - vs[k] * bs[k])
            through = max(abs(east), abs(north))
            most[k] = through if through > most[k] else most[k]
    return most.max()


@kernel
def correct_x(u, q, mobility, factor, first, ny, nx):
    """u -= factor x mobility x (q_i - q_i-1) on faces `first` (1 where the grid repeats, else 2)
    to nx.
    """
    for j in range(1, ny + 1):
        before, here, m, o = q[j, first - 1 :], q[j, first:], mobility[j, first:], u[j, first:]
        for k in range(nx + 1 - first):
            o[k] -= factor * m[k] * (here[k] - before[k])


@kernel
def correct_y(v, q, mobility, factor, first, ny, nx):
    for j in range(first, ny + 1):
        for i in range(1, nx + 1):
            v[j, i] -= factor * mobility[j, i] * (q[j, i] - q[j - 1, i])


@kernel
def raise_pressure(p, q, right, rotate, share, ny, nx):
    """p += q + share rotate right: the correction and its viscous share (rotational form)."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            p[j, i] += q[j, i] + share * rotate[j, i] * right[j, i]


@kernel
def level(values, inside, count):
    """Take the mean over `count` cells off them; inside : 1 there, else 0."""
    flat, mine = values.ravel(), inside.ravel()
    total = 0.0
    for k in range(flat.size):
        total += flat[k] * mine[k]
    mean = total / count
    for k in range(flat.size):
        flat[k] -= mean * mine[k]


@kernel
def extrapolate(now, before):
    """now = 2 now - before, and before takes over now."""
    a, b = now.ravel(), before.ravel()
    for k in range(a.size):
        v = a[k]
        a[k] = 2.0 * v - b[k]
        b[k] = v
