"""Convection by limited second-order upwinding: what the stream carries out of each control volume.

Fluxes are volume flows (m3/s) through open faces, so what leaves one volume enters the next.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel


@numba.njit(inline="always")
def _limited(flow, uu, u, d, dd, fa, fs, ba, bs):
    """Flux of the carried value; uu, u lie before the plane, d, dd behind it."""
    forward = flow >= 0
    upwind = u if forward else d
    a = (d - u) * fa if forward else (u - d) * ba
    s = (u - uu) * fs if forward else (d - dd) * bs
    t = (2.0 * a + s) * (1.0 / 6.0)
    m = min(abs(s), min(abs(t), abs(a)))
    m = 0.0 if s * a <= 0 else (m if a > 0 else -m)
    return flow * (upwind + m)


# Loops along x run over slices of rows: with indices such as i - 2 the compiler would guard every
# access against wrapping round and could not vectorise (ten times slower).


# For the same reason rows of weights are taken before they are shifted: a shifted table has strides
# the compiler does not know.


@numba.njit(inline="always")
def _along(c, flow, out, w, first, n):
    """out[k] = flux between c[k + 1] and c[k + 2], for k < n; c, flow and out are shifted slices,
    `first` is the face at which the weights w start.
    """
    a, b, d, e = c[0:], c[1:], c[2:], c[3:]
    fa, fs, ba, bs = w[0][first:], w[1][first:], w[2][first:], w[3][first:]
    for k in range(n):
        out[k] = _limited(flow[k], a[k], b[k], d[k], e[k], fa[k], fs[k], ba[k], bs[k])


@numba.njit(inline="always")
def _across(c, row, flow, out, w, at, n):
    """out[k] = flux between rows `row` and `row` + 1 at column k + 1, weights of `at`."""
    p, q, r, s = c[row - 1, 1:], c[row, 1:], c[row + 1, 1:], c[row + 2, 1:]
    fa, fs, ba, bs = w[0, at], w[1, at], w[2, at], w[3, at]
    for k in range(n):
        out[k] = _limited(flow[k], p[k], q[k], r[k], s[k], fa, fs, ba, bs)


@kernel
def carry_scalar(c, flow_x, flow_y, out, wx, wy, along, lower, upper, repeats_x, repeats_y, ny, nx):
    """out = net outflow of c from each cell through inner faces (value m3/s).

    c, flow_x, flow_y, out : (ny + 3, nx + 3); wx, wy : weights of `stencil.cell_weights`;
    along, lower, upper : (nx + 3,) scratch. Flows on the rim of the grid are not read: boundaries
    are the caller's, unless the grid repeats; then c has its ghosts, and the rim is its high end.
    """
    along[:] = 0.0
    lower[:] = 0.0
    if repeats_y:
        _across(c, ny, flow_y[ny + 1, 1:], lower[1:], wy, ny + 1, nx)
    for j in range(1, ny + 1):
        _along(c[j], flow_x[j, 2:], along[2:], wx, 2, nx if repeats_x else nx - 1)
        if repeats_x:
            along[1] = along[nx + 1]
        if j < ny or repeats_y:
            _across(c, j, flow_y[j + 1, 1:], upper[1:], wy, j + 1, nx)
        else:
            upper[:] = 0.0
        for i in range(1, nx + 1):
            out[j, i] = along[i + 1] - along[i] + upper[i] - lower[i]
        for i in range(1, nx + 1):
            lower[i] = upper[i]


@kernel
def carry_faces(c, flow_x, flow_y, out_x, out_y, wx, wy, repeats_x, repeats_y, ny, nx):
    """out_x, out_y = what passes each inner west and south face (value m3/s); see carry_scalar."""
    for j in range(1, ny + 1):
        _along(c[j], flow_x[j, 2:], out_x[j, 2:], wx, 2, nx if repeats_x else nx - 1)
        if repeats_x:
            out_x[j, 1] = out_x[j, nx + 1]
        if j < ny or repeats_y:
            _across(c, j, flow_y[j + 1, 1:], out_y[j + 1, 1:], wy, j + 1, nx)
    if repeats_y:
        out_y[1, 1 : nx + 1] = out_y[ny + 1, 1 : nx + 1]


@kernel
def carry_u(
    u, flow_x, flow_y, out, inverse, wx, wy, along, lower, upper, repeats_x, repeats_y, ny, nx
):
    """out = acceleration (m/s2) by convection of the x velocity on faces 2..nx, and on those of
    the rim where the grid repeats.

    inverse : 1 / volume of the control volume around the face, 0 where no velocity lives;
    along, lower, upper : (nx + 3,) scratch. wx : face weights along x; wy : cell weights along y.
    """
    mean = np.zeros(nx + 3)
    last = nx + 1 if repeats_x else nx
    if repeats_y:
        for i in range(2, last + 1):
            mean[i] = 0.5 * (flow_y[ny + 1, i - 1] + flow_y[ny + 1, i])
        _across(u, ny, mean[1:], lower[1:], wy, ny + 1, last)
    else:
        for i in range(2, nx + 1):  # the rim, once
            f = 0.5 * (flow_y[1, i - 1] + flow_y[1, i])
            lower[i] = f * (u[0, i] if f >= 0 else u[1, i])
    for j in range(1, ny + 1):  # the row above the last one is a ghost that mirrors the wall
        row = flow_x[j, 1:]
        for k in range(nx):
            mean[k] = 0.5 * (row[k] + row[k + 1])
        _along(u[j], mean, along[1:], wx, 1, nx)
        left, right, shifted = flow_y[j + 1, 1:], flow_y[j + 1, 2:], mean[2:]
        for k in range(last - 1):
            shifted[k] = 0.5 * (left[k] + right[k])
        _across(u, j, mean[1:], upper[1:], wy, j + 1, last)
        if repeats_x:
            along[nx + 1] = along[1]
        ahead, behind, o, w = along[2:], along[1:], out[j, 2:], inverse[j, 2:]
        top, bottom = upper[2:], lower[2:]
        for k in range(last - 1):
            o[k] = (ahead[k] - behind[k] + top[k] - bottom[k]) * w[k]
        for i in range(1, last + 1):
            lower[i] = upper[i]
        if repeats_x:
            out[j, 1] = out[j, nx + 1]


@kernel
def carry_v(
    v, flow_x, flow_y, out, inverse, wx, wy, across, lower, upper, repeats_x, repeats_y, ny, nx
):
    """out = acceleration (m/s2) by convection of the y velocity on faces 2..ny, and on those of
    the rim where the grid repeats.

    wx : cell weights along x; wy : face weights along y; scratch as in `carry_u`.
    """
    for i in range(1, nx + 1):
        f = 0.5 * (flow_y[1, i] + flow_y[2, i])
        lower[i] = _limited(
            f, v[0, i], v[1, i], v[2, i], v[3, i], wy[0, 1], wy[1, 1], wy[2, 1], wy[3, 1]
        )
    mean, first = np.zeros(nx + 3), lower.copy()
    for j in range(2, ny + 2 if repeats_y else ny + 1):
        for i in range(1, nx + 1):
            mean[i] = 0.5 * (flow_y[j, i] + flow_y[j + 1, i])
        if j <= ny:
            _across(v, j, mean[1:], upper[1:], wy, j, nx)
        else:
            upper[:] = first
        for i in range(1, nx + 2):
            mean[i] = 0.5 * (flow_x[j - 1, i] + flow_x[j, i])
        _along(v[j], mean[2:], across[2:], wx, 2, nx if repeats_x else nx - 1)
        if repeats_x:
            across[1] = across[nx + 1]
        else:
            across[1] = mean[1] * (v[j, 0] if mean[1] >= 0 else v[j, 1])
            across[nx + 1] = mean[nx + 1] * (v[j, nx] if mean[nx + 1] >= 0 else v[j, nx + 1])
        east, west, o, w = across[2:], across[1:], out[j, 1:], inverse[j, 1:]
        top, bottom = upper[1:], lower[1:]
        for k in range(nx):
            o[k] = (top[k] - bottom[k] + east[k] - west[k]) * w[k]
        for i in range(1, nx + 1):
            lower[i] = upper[i]
    if repeats_y:
        out[1, 1 : nx + 1] = out[ny + 1, 1 : nx + 1]


@kernel
def carry_u_out(u, flow_x, flow_y, out, inverse, rows, columns, signs):
    """The same for x velocities on faces that are outlets: half a control volume each.

    signs : +1 where the vessel lies before the face, -1 where behind.
    """
    for k in range(rows.size):
        j, i, s = rows[k], columns[k], signs[k]
        cell = i - 1 if s > 0 else i
        inner = i - 1 if s > 0 else i + 1
        leaving = s * flow_x[j, i]
        entering = 0.5 * s * (flow_x[j, i] + flow_x[j, inner])
        total = leaving * u[j, i] - entering * (u[j, inner] if entering >= 0 else u[j, i])
        low, high = -0.5 * flow_y[j, cell], 0.5 * flow_y[j + 1, cell]
        total += low * (u[j, i] if low >= 0 else u[j - 1, i])
        total += high * (u[j, i] if high >= 0 else u[j + 1, i])
        out[j, i] = total * inverse[j, i]


@kernel
def carry_v_out(v, flow_x, flow_y, out, inverse, rows, columns, signs):
    """The same for y velocities."""
    for k in range(rows.size):
        j, i, s = rows[k], columns[k], signs[k]
        cell = j - 1 if s > 0 else j
        inner = j - 1 if s > 0 else j + 1
        leaving = s * flow_y[j, i]
        entering = 0.5 * s * (flow_y[j, i] + flow_y[inner, i])
        total = leaving * v[j, i] - entering * (v[inner, i] if entering >= 0 else v[j, i])
        low, high = -0.5 * flow_x[cell, i], 0.5 * flow_x[cell, i + 1]
        total += low * (v[j, i] if low >= 0 else v[j, i - 1])
        total += high * (v[j, i] if high >= 0 else v[j, i + 1])
        out[j, i] = total * inverse[j, i]


@kernel
def _courant_rate(flow_x, flow_y, volume, ny, nx):
    fastest = 0.0
    for j in range(1, ny + 1):
        west, east, south, north = flow_x[j, 1:], flow_x[j, 2:], flow_y[j, 1:], flow_y[j + 1, 1:]
        v = volume[j, 1:]
        for k in range(nx):
            leaving = (
                max(east[k], 0.0) + max(-west[k], 0.0) + max(north[k], 0.0) + max(-south[k], 0.0)
            )
            rate = leaving / v[k] if v[k] > 0 else 0.0
            fastest = max(fastest, rate)
    return fastest


def courant_rate(flow_x: np.ndarray, flow_y: np.ndarray, volume: np.ndarray) -> float:
    """The largest outflow of any cell over its volume (1/s); arrays (ny + 3, nx + 3)."""
    return float(_courant_rate(flow_x, flow_y, volume, volume.shape[0] - 3, volume.shape[1] - 3))
