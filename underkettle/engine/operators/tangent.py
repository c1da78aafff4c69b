"""How the forces of limited convection change with the velocities: its exact derivative.

The branches of the limiter are those of a given field. Between two values next to each other the
flux f (u + m) changes by

    df V + f (a0 d0 + a1 d1 + a2 d2 + a3 d3)

where V is the value carried, d0 to d3 what the two values on either side change by, and df what the
flow does; V and f a are kept for every plane. Array index (j, i) stands for the plane behind the
value (j, i), along x or along y.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray


@numba.njit(inline="always")
def _freeze(f, uu, u, d, dd, fa, fs, ba, bs):
    """The value carried and the four weights, of a flow f from u to d."""
    if f >= 0:
        a, s = (d - u) * fa, (u - uu) * fs
    else:
        a, s = (u - d) * ba, (d - dd) * bs
    t = (2.0 * a + s) * (1.0 / 6.0)
    upwind = u if f >= 0 else d
    m, of_a, of_s = 0.0, 0.0, 0.0
    if s * a > 0:
        if abs(s) <= abs(t) and abs(s) <= abs(a):
            m, of_s = s, 1.0
        elif abs(t) <= abs(a):
            m, of_a, of_s = t, 2.0 / 6.0, 1.0 / 6.0
        else:
            m, of_a = a, 1.0
    if f >= 0:
        return (
            upwind + m,
            f * (-of_s * fs),
            f * (1.0 - of_a * fa + of_s * fs),
            f * (of_a * fa),
            0.0,
        )
    return (
        upwind + m,
        0.0,
        f * (of_a * ba),
        f * (1.0 - of_a * ba + of_s * bs),
        f * (-of_s * bs),
    )


@kernel
def _freeze_x(c, f, w, shift, value, weights, rows, columns):
    """Planes across x behind columns 1 to `columns`; w : weights of the plane, by column + shift."""
    for j in range(1, rows + 1):
        for i in range(1, columns + 1):
            k = i + shift
            value[j, i], weights[0, j, i], weights[1, j, i], weights[2, j, i], weights[3, j, i] = (
                _freeze(
                    f[j, i],
                    c[j, i - 1],
                    c[j, i],
                    c[j, i + 1],
                    c[j, i + 2],
                    w[0, k],
                    w[1, k],
                    w[2, k],
                    w[3, k],
                )
            )


@kernel
def _freeze_y(c, f, w, shift, value, weights, rows, columns):
    for j in range(1, rows + 1):
        k = j + shift
        for i in range(1, columns + 1):
            value[j, i], weights[0, j, i], weights[1, j, i], weights[2, j, i], weights[3, j, i] = (
                _freeze(
                    f[j, i],
                    c[j - 1, i],
                    c[j, i],
                    c[j + 1, i],
                    c[j + 2, i],
                    w[0, k],
                    w[1, k],
                    w[2, k],
                    w[3, k],
                )
            )


@kernel
def means_u(fx, fy, along, across, ny, nx):
    """Flows through the planes around x velocities: behind each along x, and along y."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 2):
            along[j, i] = 0.5 * (fx[j, i] + fx[j, i + 1])
    for j in range(ny + 1):
        for i in range(1, nx + 2):
            across[j, i] = 0.5 * (fy[j + 1, i - 1] + fy[j + 1, i])


@kernel
def means_v(fx, fy, along, across, ny, nx):
    """The same around y velocities; `along` is along y, `across` along x."""
    for j in range(1, ny + 2):
        for i in range(nx + 1):
            across[j, i] = 0.5 * (fx[j - 1, i + 1] + fx[j, i + 1])
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            along[j, i] = 0.5 * (fy[j, i] + fy[j + 1, i])


@kernel
def _carry(
    d, df_x, df_y, value_x, weights_x, value_y, weights_y, scale, out, repeats_x, repeats_y, ny, nx
):
    """out += scale x what more flows out of the volume around each value."""
    upper, lower, beside = np.zeros(nx + 3), np.zeros(nx + 3), np.zeros(nx + 3)
    p0, p1, p2, p3 = weights_x[0], weights_x[1], weights_x[2], weights_x[3]
    q0, q1, q2, q3 = weights_y[0], weights_y[1], weights_y[2], weights_y[3]
    for i in range(1, nx + 1):
        if repeats_y:
            lower[i] = (
                df_y[ny, i] * value_y[ny, i]
                + q0[ny, i] * d[ny - 1, i]
                + q1[ny, i] * d[ny, i]
                + q2[ny, i] * d[ny + 1, i]
                + q3[ny, i] * d[ny + 2, i]
            )
        else:
            lower[i] = df_y[0, i] * value_y[0, i] + q1[0, i] * d[0, i] + q2[0, i] * d[1, i]
    for j in range(1, ny + 1):
        f, v, a0, a1 = df_x[j, 1:], value_x[j, 1:], p0[j, 1:], p1[j, 1:]
        a2, a3 = p2[j, 1:], p3[j, 1:]
        c0, c1, c2, c3 = d[j], d[j, 1:], d[j, 2:], d[j, 3:]
        o = beside[1:]
        for k in range(nx):
            o[k] = f[k] * v[k] + a0[k] * c0[k] + a1[k] * c1[k] + a2[k] * c2[k] + a3[k] * c3[k]
        if repeats_x:
            beside[0] = beside[nx]
        else:
            beside[0] = df_x[j, 0] * value_x[j, 0] + p1[j, 0] * d[j, 0] + p2[j, 0] * d[j, 1]
        f, v, a0, a1 = df_y[j, 1:], value_y[j, 1:], q0[j, 1:], q1[j, 1:]
        a2, a3 = q2[j, 1:], q3[j, 1:]
        c0, c1, c2, c3 = d[j - 1, 1:], d[j, 1:], d[j + 1, 1:], d[j + 2, 1:]
        o = upper[1:]
        for k in range(nx):
            o[k] = f[k] * v[k] + a0[k] * c0[k] + a1[k] * c1[k] + a2[k] * c2[k] + a3[k] * c3[k]
        ahead, behind, top, bottom = beside[1:], beside, upper[1:], lower[1:]
        s, o = scale[j, 1:], out[j, 1:]
        for k in range(nx):
            o[k] += s[k] * (ahead[k] - behind[k] + top[k] - bottom[k])
        for i in range(1, nx + 1):
            lower[i] = upper[i]


@kernel
def _rim(c, f, value, weights, at, line):
    """Where nothing is limited: upwinding at plane `at` of a line (0: of rows, 1: of columns)."""
    count = c.shape[1] if line == 0 else c.shape[0]
    for k in range(1, count - 2):
        j, i = (at, k) if line == 0 else (k, at)
        m, n = (j + 1, i) if line == 0 else (j, i + 1)
        ahead = f[j, i] >= 0
        value[j, i] = c[j, i] if ahead else c[m, n]
        weights[0, j, i], weights[3, j, i] = 0.0, 0.0
        weights[1, j, i] = f[j, i] if ahead else 0.0
        weights[2, j, i] = 0.0 if ahead else f[j, i]


class Tangent:
    """The derivative of convection of one velocity component (axis 0: x, 1: y), frozen at a field.

    along, across : weights of the planes, as the convection itself takes them.
    scale : force (N) per flow of velocity (m4/s2), 0 where no velocity is solved for.
    """

    def __init__(
        self, axis: int, along: Array, across: Array, scale: Array, repeats: tuple[bool, bool]
    ) -> None:
        self.axis, self.repeats = axis, repeats
        self.wx, self.wy = (along, across) if axis == 0 else (across, along)
        shape = scale.shape
        self.ny, self.nx = shape[0] - 3, shape[1] - 3
        self.scale = scale
        self.flow_x, self.flow_y = np.zeros(shape), np.zeros(shape)
        self.change_x, self.change_y = np.zeros(shape), np.zeros(shape)
        self.value_x, self.value_y = np.zeros(shape), np.zeros(shape)
        self.weights_x, self.weights_y = np.zeros((4, *shape)), np.zeros((4, *shape))

    def _means(self, fx: Array, fy: Array, x: Array, y: Array) -> None:
        if self.axis == 0:
            means_u(fx, fy, x, y, self.ny, self.nx)
        else:
            means_v(fx, fy, y, x, self.ny, self.nx)

    def freeze(self, c: Array, fx: Array, fy: Array) -> None:
        """c : velocities with what lies beyond the rims; fx, fy : what passes every face."""
        self._means(fx, fy, self.flow_x, self.flow_y)
        # planes lie behind cells along the component, before faces across it
        shift_x, shift_y = (0, 1) if self.axis == 0 else (1, 0)
        ny, nx = self.ny, self.nx
        _freeze_x(c, self.flow_x, self.wx, shift_x, self.value_x, self.weights_x, ny, nx)
        _freeze_y(c, self.flow_y, self.wy, shift_y, self.value_y, self.weights_y, ny, nx)
        if self.axis == 0 and not self.repeats[1]:
            _rim(c, self.flow_y, self.value_y, self.weights_y, 0, 0)
        if self.axis == 1 and not self.repeats[0]:
            _rim(c, self.flow_x, self.value_x, self.weights_x, 0, 1)
            _rim(c, self.flow_x, self.value_x, self.weights_x, nx, 1)

    def add(self, d: Array, gx: Array, gy: Array, out: Array) -> None:
        """out += the change of the forces (N) where velocities change by d and flows by gx, gy."""
        self._means(gx, gy, self.change_x, self.change_y)
        _carry(
            d,
            self.change_x,
            self.change_y,
            self.value_x,
            self.weights_x,
            self.value_y,
            self.weights_y,
            self.scale,
            out,
            *self.repeats,
            self.ny,
            self.nx,
        )


class ScalarTangent:
    """The same for a cell value that given flows carry: what leaves each cell changes linearly.

    wx, wy : weights of `stencil.cell_weights`.
    """

    def __init__(self, wx: Array, wy: Array, shape: tuple[int, int], repeats: tuple[bool, bool]):
        self.wx, self.wy, self.repeats = wx, wy, repeats
        self.ny, self.nx = shape[0] - 3, shape[1] - 3
        self.none, self.one = np.zeros(shape), np.ones(shape)
        self.flow_x, self.flow_y = np.zeros(shape), np.zeros(shape)
        self.value = np.zeros(shape)
        self.weights_x, self.weights_y = np.zeros((4, *shape)), np.zeros((4, *shape))

    def freeze(self, c: Array, flow_x: Array, flow_y: Array) -> None:
        """c : values with their ghosts; flow_x, flow_y : through west and south faces."""
        x, y = self.flow_x, self.flow_y
        x[:, :-1], y[:-1] = flow_x[:, 1:], flow_y[1:]
        for flow, line, again in (
            (x, x[:, self.nx], self.repeats[0]),
            (y, y[self.ny], self.repeats[1]),
        ):
            flow[:1] = 0.0
            flow[:, :1] = 0.0
            if not again:
                line[:] = 0.0
        _freeze_x(c, x, self.wx, 1, self.value, self.weights_x, self.ny, self.nx)
        _freeze_y(c, y, self.wy, 1, self.value, self.weights_y, self.ny, self.nx)

    def add(self, d: Array, out: Array) -> None:
        """out += what more leaves each cell where values change by d."""
        _carry(
            d,
            self.none,
            self.none,
            self.none,
            self.weights_x,
            self.none,
            self.weights_y,
            self.one,
            out,
            *self.repeats,
            self.ny,
            self.nx,
        )


@kernel
def out_u(u, du, fx, gx, fy, gy, scale, out, rows, columns, signs):
    """The same for x velocities on faces that are outlets; see `convection.carry_u_out`."""
    for k in range(rows.size):
        j, i, s = rows[k], columns[k], signs[k]
        cell = i - 1 if s > 0 else i
        inner = i - 1 if s > 0 else i + 1
        entering, change = (
            0.5 * s * (fx[j, i] + fx[j, inner]),
            0.5 * s * (gx[j, i] + gx[j, inner]),
        )
        q = inner if entering >= 0 else i
        total = (
            s * (gx[j, i] * u[j, i] + fx[j, i] * du[j, i]) - change * u[j, q] - entering * du[j, q]
        )
        low, low_change = -0.5 * fy[j, cell], -0.5 * gy[j, cell]
        high, high_change = 0.5 * fy[j + 1, cell], 0.5 * gy[j + 1, cell]
        q = j if low >= 0 else j - 1
        total += low_change * u[q, i] + low * du[q, i]
        q = j if high >= 0 else j + 1
        total += high_change * u[q, i] + high * du[q, i]
        out[j, i] += total * scale[j, i]


@kernel
def out_v(v, dv, fx, gx, fy, gy, scale, out, rows, columns, signs):
    for k in range(rows.size):
        j, i, s = rows[k], columns[k], signs[k]
        cell = j - 1 if s > 0 else j
        inner = j - 1 if s > 0 else j + 1
        entering, change = (
            0.5 * s * (fy[j, i] + fy[inner, i]),
            0.5 * s * (gy[j, i] + gy[inner, i]),
        )
        q = inner if entering >= 0 else j
        total = (
            s * (gy[j, i] * v[j, i] + fy[j, i] * dv[j, i]) - change * v[q, i] - entering * dv[q, i]
        )
        low, low_change = -0.5 * fx[cell, i], -0.5 * gx[cell, i]
        high, high_change = 0.5 * fx[cell, i + 1], 0.5 * gx[cell, i + 1]
        q = i if low >= 0 else i - 1
        total += low_change * v[j, q] + low * dv[j, q]
        q = i if high >= 0 else i + 1
        total += high_change * v[j, q] + high * dv[j, q]
        out[j, i] += total * scale[j, i]


@kernel
def upwind(flow_x, flow_y, scale, on, w, e, s, n, h, repeats_x, repeats_y, ny, nx):
    """Coefficients of first-order upwinding that carries what comes in; from velocities that are
    given, or from beyond, it only holds.
    """
    for j in range(1, ny + 1):
        below = ny if j == 1 and repeats_y else j - 1
        for i in range(1, nx + 1):
            k = scale[j, i]
            w[j, i], e[j, i], s[j, i], n[j, i] = 0.0, 0.0, 0.0, 0.0
            if not on[j, i] or k == 0.0:
                continue
            before = nx if i == 1 and repeats_x else i - 1
            for q in range(4):
                if q == 0:
                    a, there = flow_x[j, before], on[j, i - 1]
                elif q == 1:
                    a, there = -flow_x[j, i], on[j, i + 1]
                elif q == 2:
                    a, there = flow_y[below, i], on[j - 1, i]
                else:
                    a, there = -flow_y[j, i], on[j + 1, i]
                a = k * max(a, 0.0)
                if not there:
                    h[j, i] += a
                elif q == 0:
                    w[j, i] = a
                elif q == 1:
                    e[j, i] = a
                elif q == 2:
                    s[j, i] = a
                else:
                    n[j, i] = a


@kernel
def upwind_out(fx, fy, scale, on, w, e, s, n, h, rows, columns, signs, across):
    """The same on faces that are outlets; across : of the y velocity."""
    for m in range(rows.size):
        j, i, sign = rows[m], columns[m], signs[m]
        k, back, step = scale[j, i], 1 if sign > 0 else 0, -1 if sign > 0 else 1
        if across:
            entering = 0.5 * sign * (fy[j, i] + fy[j + step, i])
            low, high = 0.5 * fx[j - back, i], -0.5 * fx[j - back, i + 1]
        else:
            entering = 0.5 * sign * (fx[j, i] + fx[j, i + step])
            low, high = 0.5 * fy[j, i - back], -0.5 * fy[j + 1, i - back]
        a = k * max(entering, 0.0)
        if across and on[j + step, i]:
            if sign > 0:
                s[j, i] = a
            else:
                n[j, i] = a
        elif not across and on[j, i + step]:
            if sign > 0:
                w[j, i] = a
            else:
                e[j, i] = a
        else:
            h[j, i] += a
        for q in range(2):
            a = k * max(low if q == 0 else high, 0.0)
            aside = 2 * q - 1
            if across:
                if not on[j, i + aside]:
                    h[j, i] += a
                elif q == 0:
                    w[j, i] = a
                else:
                    e[j, i] = a
            elif not on[j + aside, i]:
                h[j, i] += a
            elif q == 0:
                s[j, i] = a
            else:
                n[j, i] = a
