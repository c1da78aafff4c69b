"""Two equations for what eddies hold and how fast they turn over, on cells that walls may cut.

Each is written for the values themselves, flows closing:

    sum over neighbours of (flow in + spread) (x_P - x_nb) + h x_P = b

upwind, every sink in h >= 0 and every source in b >= 0, so that values stay above nought whatever
the step (an M-matrix). Flows are of mass (kg/s). Kernels for the plane.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.wall_law import BETA_STAR

Array = np.ndarray

FLAT = 3e-3  # of a value from one cell to the next: less is not worth a higher order


@numba.njit(inline="always")
def held_energy(w, k, m, made, rate):
    """What holds k in a cell (kg/s) and makes it (J/s). m : kg; made : production (m2/s3); rate : of a
    mass term (1/s).
    """
    return m * (BETA_STAR * w + rate), m * (made + rate * k)


@numba.njit(inline="always")
def held_rate(w, m, wears, grows, more, rate):
    """The same of omega: it wears by `wears` omega^2 (taken along its tangent), grows by `grows` (1/s2,
    not below nought) and by `more`, which what it holds takes where it is below.
    """
    hold = m * (2.0 * wears * w + max(-more, 0.0) / w + rate)
    return hold, m * (grows + wears * w * w + max(more, 0.0) + rate * w)


def corners(on_x, on_y, gap_x, gap_y, beside):
    """What slopes across count for: of x velocities up a corner, of y velocities along it (1/m), and
    of the four corners of each cell together the share of their sum that is their mean. One that is
    not known counts as none, or `beside` a wall not at all. on_x, on_y : 1.0 where a face has a
    velocity; gap_x, gap_y : from centre i - 1 to centre i (m).
    """
    up, along = on_x * roll(on_x, 1, 0), on_y * roll(on_y, 1, 1)
    shares = []
    for known in (up, along):
        ahead = roll(known, -1, 1)
        count = known + ahead + roll(known, -1, 0) + roll(ahead, -1, 0)
        shares.append(np.where(beside, 1.0 / np.maximum(count, 1.0), 0.25))
    return up / gap_y[:, None], along / gap_x, *shares


@kernel
def strain(u, v, up, along, share_u, share_v, hx, hy, live, radius, round_, square, ny, nx):
    """square : twice the rate of strain squared (1/s2) in cells, from velocities on faces; up, along,
    share_u, share_v : see `corners`. live : 1.0 in cells that hold anything.
    """
    inverse = 1.0 / hx[1:]
    for j in range(1, ny + 1):
        over = 1.0 / hy[j]
        below, west, east, above = u[j - 1, 1:], u[j, 1:], u[j, 2:], u[j + 1, 1:]
        below_east, above_east = u[j - 1, 2:], u[j + 1, 2:]
        before, south, north, after = v[j], v[j, 1:], v[j + 1, 1:], v[j, 2:]
        before_north, after_north = v[j + 1], v[j + 1, 2:]
        up_sw, up_se, up_nw, up_ne = up[j, 1:], up[j, 2:], up[j + 1, 1:], up[j + 1, 2:]
        on_sw, on_se, on_nw, on_ne = along[j, 1:], along[j, 2:], along[j + 1, 1:], along[j + 1, 2:]
        part_u, part_v, on, out = share_u[j, 1:], share_v[j, 1:], live[j, 1:], square[j, 1:]
        for k in range(nx):
            ux, vy = (east[k] - west[k]) * inverse[k], (north[k] - south[k]) * over
            uy = up_sw[k] * (west[k] - below[k]) + up_se[k] * (east[k] - below_east[k])
            uy += up_nw[k] * (above[k] - west[k]) + up_ne[k] * (above_east[k] - east[k])
            vx = on_sw[k] * (south[k] - before[k]) + on_nw[k] * (north[k] - before_north[k])
            vx += on_se[k] * (after[k] - south[k]) + on_ne[k] * (after_north[k] - north[k])
            both = part_u[k] * uy + part_v[k] * vx
            out[k] = on[k] * (2.0 * (ux * ux + vy * vy) + both * both)
        if round_:
            for i in range(1, nx + 1):
                turned = 0.5 * (v[j, i] + v[j + 1, i]) / radius[j]
                square[j, i] += live[j, i] * 2.0 * turned * turned


@kernel
def cross(k, w, live, on_x, on_y, hx, hy, out, ny, nx):
    """grad k . grad w in cells; beyond a closed face lies what lies here. on_x, on_y : 1.0 where a
    face is open; live : 1.0 in cells that hold anything.
    """
    before, after, over = np.zeros(nx), np.zeros(nx), np.zeros(nx)
    for i in range(nx):
        h = hx[i + 1]
        before[i], after[i], over[i] = h / (h + hx[i]), h / (h + hx[i + 2]), 1.0 / (h * h)
    for j in range(1, ny + 1):
        low, high = hy[j] / (hy[j] + hy[j - 1]), hy[j] / (hy[j] + hy[j + 1])
        square = 1.0 / (hy[j] * hy[j])
        k_w, k_p, k_e, k_s, k_n = k[j], k[j, 1:], k[j, 2:], k[j - 1, 1:], k[j + 1, 1:]
        w_w, w_p, w_e, w_s, w_n = w[j], w[j, 1:], w[j, 2:], w[j - 1, 1:], w[j + 1, 1:]
        on_w, on_e, on_s, on_n = on_x[j, 1:], on_x[j, 2:], on_y[j, 1:], on_y[j + 1, 1:]
        on, line = live[j, 1:], out[j, 1:]
        for i in range(nx):
            a, b = k_p[i], w_p[i]
            west, east = on_w[i] * before[i], on_e[i] * after[i]
            south, north = on_s[i] * low, on_n[i] * high
            kx = east * (k_e[i] - a) - west * (k_w[i] - a)
            wx = east * (w_e[i] - b) - west * (w_w[i] - b)
            ky = north * (k_n[i] - a) - south * (k_s[i] - a)
            wy = north * (w_n[i] - b) - south * (w_s[i] - b)
            line[i] = on[i] * (kx * wx * over[i] + ky * wy * square)


@kernel
def fill(
    free,
    flow_x,
    flow_y,
    links_x,
    links_y,
    spread,
    hx,
    hy,
    w,
    e,
    s,
    n,
    vw,
    ve,
    vs,
    vn,
    ny,
    nx,
):
    """What couples cells: flows in (w, e, s, n) and spreading (vw, ve, vs, vn), kg/s; nothing in cells
    whose value is fixed (free : 1.0 in all others). spread : Pa s in cells, on faces their mean.
    Returns the largest sum of a cell.
    """
    largest = 0.0
    own, before, after = np.zeros(nx), np.zeros(nx), np.zeros(nx)
    for k in range(nx):  # what the mean on a face takes of either cell
        own[k] = hx[k + 1]
        before[k], after[k] = 1.0 / (hx[k + 1] + hx[k]), 1.0 / (hx[k + 1] + hx[k + 2])
    for j in range(1, ny + 1):
        below, here, above = hy[j - 1], hy[j], hy[j + 1]
        low, high = 1.0 / (here + below), 1.0 / (here + above)
        d_w, d_p, d_e = spread[j], spread[j, 1:], spread[j, 2:]
        d_s, d_n, on = spread[j - 1, 1:], spread[j + 1, 1:], free[j, 1:]
        f_w, f_e, f_s, f_n = flow_x[j, 1:], flow_x[j, 2:], flow_y[j, 1:], flow_y[j + 1, 1:]
        l_w, l_e, l_s, l_n = links_x[j, 1:], links_x[j, 2:], links_y[j, 1:], links_y[j + 1, 1:]
        h_w, h_e = hx, hx[2:]
        a_w, a_e, a_s, a_n = w[j, 1:], e[j, 1:], s[j, 1:], n[j, 1:]
        b_w, b_e, b_s, b_n = vw[j, 1:], ve[j, 1:], vs[j, 1:], vn[j, 1:]
        for k in range(nx):
            a_w[k], a_e[k] = on[k] * max(f_w[k], 0.0), on[k] * max(-f_e[k], 0.0)
            a_s[k], a_n[k] = on[k] * max(f_s[k], 0.0), on[k] * max(-f_n[k], 0.0)
        for k in range(nx):
            d, h = d_p[k], own[k]
            b_w[k] = on[k] * l_w[k] * (d_w[k] * h + d * h_w[k]) * before[k]
            b_e[k] = on[k] * l_e[k] * (d_e[k] * h + d * h_e[k]) * after[k]
            b_s[k] = on[k] * l_s[k] * (d_s[k] * here + d * below) * low
            b_n[k] = on[k] * l_n[k] * (d_n[k] * here + d * above) * high
        for k in range(nx):
            flows = a_w[k] + a_e[k] + a_s[k] + a_n[k]
            largest = max(largest, flows + b_w[k] + b_e[k] + b_s[k] + b_n[k])
    return largest


@kernel
def out_of_balance(live, x, least, d, w, e, s, n, b, left, ny, nx):
    """left : what each cell still gains, b - d x + what its neighbours add. Returns the root of the
    mean square of that over what holds the cell times its value (that of the mean at least times
    `least`). live : 1.0 in cells that hold anything.
    """
    mean, count = 0.0, 0.0
    for j in range(1, ny + 1):
        on, here = live[j, 1:], x[j, 1:]
        for k in range(nx):
            mean += on[k] * here[k]
            count += on[k]
    floor = least * mean / max(count, 1.0)
    total = 0.0
    for j in range(1, ny + 1):
        west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
        dd, ww, ee, ss, nn = d[j, 1:], w[j, 1:], e[j, 1:], s[j, 1:], n[j, 1:]
        given, on, rest = b[j, 1:], live[j, 1:], left[j, 1:]
        for k in range(nx):
            r = given[k] - dd[k] * here[k] + ww[k] * west[k] + ee[k] * east[k]
            r = on[k] * (r + ss[k] * south[k] + nn[k] * north[k])
            rest[k] = r
            share = r / (dd[k] * max(here[k], floor) + 1e-300)
            total += share * share
    return np.sqrt(total / max(count, 1.0))


def nothing_before(there):
    """Faces between cells that are there, with none before them: rows, columns, and 1 where that is
    so for a stream along the axis, -1 against it; (3, n) of faces across x, and of those across y.
    """
    found = []
    for axis in (1, 0):
        both = there & roll(there, 1, axis)
        edges = np.zeros_like(there)
        ends = edges.swapaxes(0, axis)
        ends[[0, 1, -1]] = True  # beyond the array nothing is
        lone = both & (~roll(roll(there, 1, axis), 1, axis) | edges)
        lone_back = both & (~roll(there, -1, axis) | edges)
        faces = [np.nonzero(one) for one in (lone, lone_back)]
        ways = [np.full(one[0].size, way) for one, way in zip(faces, (1, -1), strict=True)]
        rows, columns = (np.concatenate([one[k] for one in faces]) for k in (0, 1))
        found.append(np.stack([rows, columns, np.concatenate(ways)]))
    return found[0], found[1]


@numba.njit(inline="always")
def _more(s, a, here, width, over):
    """What is added to the value on a face beyond first-order upwinding, from slopes before and beyond:
    of third order where they are alike, less where they differ, nothing where they differ in sign;
    smooth, so that turns settle (van Albada, van Leer & Roberts 1982). over : one over the width.
    """
    least = FLAT * here * over
    even = 2.0 * max(s * a, 0.0) / (s * s + a * a + least * least + 1e-300)
    third = even * (1.0 / 3.0)
    return 0.25 * width * even * ((1.0 - third) * s + (1.0 + third) * a)


@numba.njit(inline="always")
def _turned(here, more):
    """What adding to one over a value adds to the value."""
    return -more / (here * (here + more) + 1e-300)


@numba.njit(inline="always")
def _from(up, before, beyond):
    """Of what lies on either side, what a stream comes from (up : 1.0 or 0.0): a choice would not
    vectorise.
    """
    return up * before + (1.0 - up) * beyond


@numba.njit(inline="always")
def _lone(x, y, j, i, jt, it, gap_before, gap, width, inverse):
    """The same where nothing lies before: that is taken to go on, bent to stay above nought."""
    own, rise = x[j, i], (x[jt, it] - x[j, i]) * gap_before / gap
    before = own * own / (own + rise) if rise > 0.0 else own - rise
    if inverse:
        before = 1.0 / before
    s, a = (y[j, i] - before) / gap_before, (y[jt, it] - y[j, i]) / gap
    more = _more(s, a, y[j, i], width, 1.0 / width)
    return _turned(y[j, i], more) if inverse else more


@kernel
def sharpen(
    x, inverse, flow_x, flow_y, there, hx, hy, gap_x, gap_y, lone_x, lone_y, out, room, ny, nx
):
    """out : what cells gain by convection of higher order beyond upwinding (value kg/s). x has its
    ghosts; there (1.0 in cells that are), too, where the grid repeats. inverse : what is carried
    sharply is one over the value, which grows evenly away from walls where that is omega. lone_x,
    lone_y : see `nothing_before`. room : three arrays as x to work in.
    """
    y, across, upward = room[0], room[1], room[2]
    rows, columns = x.shape
    for j in range(rows):
        for i in range(columns):
            y[j, i] = there[j, i] / (x[j, i] + (1.0 - there[j, i])) if inverse else x[j, i]
    over_x, over_y = 1.0 / gap_x, 1.0 / gap_y
    thin_x, thin_y = 1.0 / hx, 1.0 / hy
    slope, low, here, high = np.zeros(columns), np.zeros(nx), np.zeros(nx), np.zeros(nx)
    for j in range(1, ny + 1):
        one, two, three = y[j], y[j, 1:], over_x[1:]
        steep = slope[1:]
        for k in range(columns - 1):  # through face k + 1
            steep[k] = (two[k] - one[k]) * three[k]
        # faces from the second on: k + 2
        cell, cell_on, wide, wide_on = y[j, 1:], y[j, 2:], hx[1:], hx[2:]
        thin, thin_on = thin_x[1:], thin_x[2:]
        before, at, beyond = slope[1:], slope[2:], slope[3:]
        flow, on, on_before, carried = flow_x[j, 2:], there[j, 2:], there[j, 1:], across[j, 2:]
        for k in range(nx):
            up = 1.0 if flow[k] > 0.0 else 0.0
            s, own = _from(up, before[k], -beyond[k]), _from(up, cell[k], cell_on[k])
            width, over = _from(up, wide[k], wide_on[k]), _from(up, thin[k], thin_on[k])
            more = _more(s, _from(up, at[k], -at[k]), own, width, over)
            carried[k] = on[k] * on_before[k] * flow[k] * (_turned(own, more) if inverse else more)
    for j in range(2, ny + 2):
        cell, cell_on, deep, deep_on = y[j - 1, 1:], y[j, 1:], hy[j - 1], hy[j]
        second, third = y[j - 2, 1:], y[j + 1, 1:]
        below, between, above = over_y[j - 1], over_y[j], over_y[j + 1]
        thin_low, thin_high = thin_y[j - 1], thin_y[j]
        for k in range(nx):
            low[k] = (cell[k] - second[k]) * below
            here[k] = (cell_on[k] - cell[k]) * between
            high[k] = (third[k] - cell_on[k]) * above
        flow, on, on_before, carried = flow_y[j, 1:], there[j, 1:], there[j - 1, 1:], upward[j, 1:]
        for k in range(nx):
            up = 1.0 if flow[k] > 0.0 else 0.0
            s, own = _from(up, low[k], -high[k]), _from(up, cell[k], cell_on[k])
            width, over = _from(up, deep, deep_on), _from(up, thin_low, thin_high)
            more = _more(s, _from(up, here[k], -here[k]), own, width, over)
            carried[k] = on[k] * on_before[k] * flow[k] * (_turned(own, more) if inverse else more)
    for k in range(lone_x.shape[1]):
        j, i = lone_x[0, k], lone_x[1, k]
        if j < 1 or j > ny or i < 2 or i > nx + 1 or flow_x[j, i] * lone_x[2, k] <= 0.0:
            continue
        b, t, gap = (i - 1, i, gap_x[i - 1]) if lone_x[2, k] > 0 else (i, i - 1, gap_x[i + 1])
        across[j, i] = flow_x[j, i] * _lone(x, y, j, b, j, t, gap, gap_x[i], hx[b], inverse)
    for k in range(lone_y.shape[1]):
        j, i = lone_y[0, k], lone_y[1, k]
        if i < 1 or i > nx or j < 2 or j > ny + 1 or flow_y[j, i] * lone_y[2, k] <= 0.0:
            continue
        b, t, gap = (j - 1, j, gap_y[j - 1]) if lone_y[2, k] > 0 else (j, j - 1, gap_y[j + 1])
        upward[j, i] = flow_y[j, i] * _lone(x, y, b, i, t, i, gap, gap_y[j], hy[b], inverse)
    for i in range(1, nx + 1):  # the other end of a grid that repeats, or nothing
        upward[1, i] = there[0, i] * upward[ny + 1, i]
    for j in range(1, ny + 1):
        across[j, 1] = there[j, 0] * across[j, nx + 1]
        west, east, south, north = across[j, 1:], across[j, 2:], upward[j, 1:], upward[j + 1, 1:]
        line = out[j, 1:]
        for k in range(nx):
            line[k] = west[k] - east[k] + south[k] - north[k]


@kernel
def take_in(more, x, free, hold, source, ny, nx):
    """What sharper convection brings counts as made; what it takes as what holds values, so that none
    falls below nought. more : of the former kernel, 0 from here on in cells that are not free.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            more[j, i] *= free[j, i]
            source[j, i] += max(more[j, i], 0.0)
            hold[j, i] += max(-more[j, i], 0.0) / (x[j, i] + 1e-300)
