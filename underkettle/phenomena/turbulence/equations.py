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

Array = np.ndarray

FLAT = 3e-3  # of a value from one cell to the next: less is not worth a higher order


@kernel
def strain(u, v, on_x, on_y, hx, hy, gap_x, gap_y, live, beside, radius, round_, square, ny, nx):
    """square : twice the rate of strain squared (1/s2) in cells, from velocities on faces.

    on_x, on_y : 1.0 where a face has a velocity. gap_x, gap_y : from centre i - 1 to centre i (m).
    Slopes across are means of those at the four corners; one that is not known counts as none, or
    beside a wall not at all.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                square[j, i] = 0.0
                continue
            ux = (u[j, i + 1] - u[j, i]) / hx[i]
            vy = (v[j + 1, i] - v[j, i]) / hy[j]
            uy, vx, known_u, known_v = 0.0, 0.0, 0.0, 0.0
            for step in range(2):
                a, b = j + step, j + step - 1
                for face in range(2):
                    both = on_x[a, i + face] * on_x[b, i + face]
                    uy += both * (u[a, i + face] - u[b, i + face]) / gap_y[a]
                    known_u += both
                a, b = i + step, i + step - 1
                for face in range(2):
                    both = on_y[j + face, a] * on_y[j + face, b]
                    vx += both * (v[j + face, a] - v[j + face, b]) / gap_x[a]
                    known_v += both
            uy /= max(known_u, 1.0) if beside[j, i] else 4.0
            vx /= max(known_v, 1.0) if beside[j, i] else 4.0
            turned = 0.5 * (v[j, i] + v[j + 1, i]) / radius[j] if round_ else 0.0
            square[j, i] = 2.0 * (ux * ux + vy * vy + turned * turned) + (uy + vx) ** 2


@kernel
def cross(k, w, live, open_x, open_y, hx, hy, out, ny, nx):
    """grad k . grad w in cells; beyond a closed face lies what lies here."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if not live[j, i]:
                out[j, i] = 0.0
                continue
            a, b = k[j, i], w[j, i]
            ke, kw, kn, ks = a, a, a, a
            we, ww, wn, ws = b, b, b, b
            if open_x[j, i] > 0.0:
                s = hx[i] / (hx[i] + hx[i - 1])
                kw, ww = a + s * (k[j, i - 1] - a), b + s * (w[j, i - 1] - b)
            if open_x[j, i + 1] > 0.0:
                s = hx[i] / (hx[i] + hx[i + 1])
                ke, we = a + s * (k[j, i + 1] - a), b + s * (w[j, i + 1] - b)
            if open_y[j, i] > 0.0:
                s = hy[j] / (hy[j] + hy[j - 1])
                ks, ws = a + s * (k[j - 1, i] - a), b + s * (w[j - 1, i] - b)
            if open_y[j + 1, i] > 0.0:
                s = hy[j] / (hy[j] + hy[j + 1])
                kn, wn = a + s * (k[j + 1, i] - a), b + s * (w[j + 1, i] - b)
            out[j, i] = (ke - kw) * (we - ww) / hx[i] ** 2 + (kn - ks) * (wn - ws) / hy[j] ** 2


@kernel
def fill(
    live,
    fixed,
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
    whose value is fixed. spread : Pa s in cells, on faces their mean.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            w[j, i], e[j, i], s[j, i], n[j, i] = 0.0, 0.0, 0.0, 0.0
            vw[j, i], ve[j, i], vs[j, i], vn[j, i] = 0.0, 0.0, 0.0, 0.0
            if not live[j, i] or fixed[j, i]:
                continue
            d, h, g = spread[j, i], hx[i], hy[j]
            w[j, i] = max(flow_x[j, i], 0.0)
            e[j, i] = max(-flow_x[j, i + 1], 0.0)
            s[j, i] = max(flow_y[j, i], 0.0)
            n[j, i] = max(-flow_y[j + 1, i], 0.0)
            vw[j, i] = links_x[j, i] * (spread[j, i - 1] * h + d * hx[i - 1]) / (h + hx[i - 1])
            ve[j, i] = links_x[j, i + 1] * (spread[j, i + 1] * h + d * hx[i + 1]) / (h + hx[i + 1])
            vs[j, i] = links_y[j, i] * (spread[j - 1, i] * g + d * hy[j - 1]) / (g + hy[j - 1])
            vn[j, i] = links_y[j + 1, i] * (spread[j + 1, i] * g + d * hy[j + 1]) / (g + hy[j + 1])


@kernel
def out_of_balance(live, fixed, x, least, h, b, w, e, s, n, vw, ve, vs, vn, left, ny, nx):
    """left : what each cell still gains. Returns the root of the mean square of that over what holds
    the cell times its value (that of the mean at least times `least`), fixed cells left out.
    """
    mean, count = 0.0, 0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            if live[j, i]:
                mean += x[j, i]
                count += 1
    floor = least * mean / max(count, 1)
    total = 0.0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            left[j, i] = 0.0
            if not live[j, i]:
                continue
            aw, ae = w[j, i] + vw[j, i], e[j, i] + ve[j, i]
            as_, an = s[j, i] + vs[j, i], n[j, i] + vn[j, i]
            holds = h[j, i] + aw + ae + as_ + an
            r = b[j, i] - holds * x[j, i]
            r += aw * x[j, i - 1] + ae * x[j, i + 1] + as_ * x[j - 1, i] + an * x[j + 1, i]
            left[j, i] = r
            if not fixed[j, i] and holds > 0.0:
                rel = r / (holds * max(x[j, i], floor))
                total += rel * rel
    return np.sqrt(total / max(count, 1))


@numba.njit(inline="always")
def _beyond(flow, before, here, there, gap_before, gap, width, known, inverse):
    """What passes a face beyond first-order upwinding: of third order where slopes are alike, less
    where they differ, nothing where they differ in sign; smooth, so that turns settle (van Albada,
    van Leer & Roberts 1982). known : whether anything lies before. inverse : slopes
    are those of one over the value, which grows evenly away from walls where the value is omega.
    """
    if not known:
        rise = (there - here) * gap_before / gap
        before = here * here / (here + rise) if rise > 0.0 else here - rise  # stays above nought
    if inverse:
        before, here, there = 1.0 / before, 1.0 / here, 1.0 / there
    s, a = (here - before) / gap_before, (there - here) / gap
    if s * a <= 0.0:
        return 0.0
    least = FLAT * here / width
    even = 2.0 * s * a / (s * s + a * a + least * least)
    more = 0.25 * width * even * ((1.0 - even / 3.0) * s + (1.0 + even / 3.0) * a)
    return flow * (1.0 / (here + more) - 1.0 / here) if inverse else flow * more


@kernel
def sharpen(x, inverse, flow_x, flow_y, live, hx, hy, gap_x, gap_y, out, ny, nx):
    """out : what cells gain by convection of higher order beyond upwinding (value kg/s). x has its
    ghosts; live, too, where the grid repeats.
    """
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            out[j, i] = 0.0
    for j in range(1, ny + 1):
        for i in range(1, nx + 2):
            f = flow_x[j, i]
            if f == 0.0 or not (live[j, i] and live[j, i - 1]):
                continue
            if f > 0.0:
                known = i > 1 and live[j, i - 2]
                more = _beyond(
                    f,
                    x[j, i - 2],
                    x[j, i - 1],
                    x[j, i],
                    gap_x[i - 1],
                    gap_x[i],
                    hx[i - 1],
                    known,
                    inverse,
                )
            else:
                more = _beyond(
                    f,
                    x[j, i + 1],
                    x[j, i],
                    x[j, i - 1],
                    gap_x[i + 1],
                    gap_x[i],
                    hx[i],
                    live[j, i + 1],
                    inverse,
                )
            if i <= nx:
                out[j, i] += more
            if i > 1:
                out[j, i - 1] -= more
    for j in range(1, ny + 2):
        for i in range(1, nx + 1):
            f = flow_y[j, i]
            if f == 0.0 or not (live[j, i] and live[j - 1, i]):
                continue
            if f > 0.0:
                known = j > 1 and live[j - 2, i]
                more = _beyond(
                    f,
                    x[j - 2, i],
                    x[j - 1, i],
                    x[j, i],
                    gap_y[j - 1],
                    gap_y[j],
                    hy[j - 1],
                    known,
                    inverse,
                )
            else:
                more = _beyond(
                    f,
                    x[j + 1, i],
                    x[j, i],
                    x[j - 1, i],
                    gap_y[j + 1],
                    gap_y[j],
                    hy[j],
                    live[j + 1, i],
                    inverse,
                )
            if j <= ny:
                out[j, i] += more
            if j > 1:
                out[j - 1, i] -= more
