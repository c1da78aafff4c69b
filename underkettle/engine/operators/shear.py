"""Shear where viscosity is not the same everywhere. Kernels for the plane.

Arrays are (ny + 3, nx + 3) with ghosts; rows and columns before the first count as the last.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray


EVEN, AT_MATTER, SHARP = 0, 1, 2  # how viscosity goes from one cell to the next


@numba.njit(inline="always")
def corner(a, b, c, d):
    """The viscosity between four cells that an interface passes."""
    return 4.0 / (1.0 / a + 1.0 / b + 1.0 / c + 1.0 / d)


@kernel
def lay_shear(viscosity, volume, plain_x, plain_y, upright, jumps, link_x, link_y, here):
    """What links each velocity to the one before it along x and y (N s/m), and the viscosity at each
    velocity (Pa s); velocities of one component on faces across y (upright) or x.

    plain_x, plain_y : the links for a viscosity of 1 Pa s. Links along the component cross a cell;
    those across lead from one row of cells to the next: the mean of four; where viscosity `jumps`
    from one cell to the next, as resistances in a row (AT_MATTER) or as those of all four (SHARP, at
    an interface, see `corner`).
    """
    rows, columns = viscosity.shape
    last = columns - 1
    for j in range(rows):
        down = j - 1 if j > 0 else rows - 1
        for i in (0, columns):  # the first by itself: before it comes the last
            if i == 0:
                n, shift = 1, 0
                own, own_before = viscosity[j], viscosity[j, last:]
                below, below_before = viscosity[down], viscosity[down, last:]
                room, held = volume[j], volume[down] if upright else volume[j, last:]
            else:
                n, shift = last, 1
                own, own_before = viscosity[j, 1:], viscosity[j]
                below, below_before = viscosity[down, 1:], viscosity[down]
                room, held = volume[j, 1:], volume[down, 1:] if upright else volume[j]
            behind, aside = (below, own_before) if upright else (own_before, below)
            to, out = (plain_y, link_y) if upright else (plain_x, link_x)
            beside, over = (plain_x, link_x) if upright else (plain_y, link_y)
            to, out, beside, over = (
                to[j, shift:],
                out[j, shift:],
                beside[j, shift:],
                over[j, shift:],
            )
            at = here[j, shift:]
            for k in range(n):
                out[k] = to[k] * behind[k]
            if jumps == SHARP:
                for k in range(n):
                    over[k] = beside[k] * corner(own[k], behind[k], aside[k], below_before[k])
            elif jumps == AT_MATTER:
                for k in range(n):
                    one, two = own[k] + behind[k], aside[k] + below_before[k]
                    over[k] = beside[k] * (one * two / (one + two))
            else:
                for k in range(n):
                    one, two = own[k] + behind[k], aside[k] + below_before[k]
                    over[k] = beside[k] * (0.25 * (one + two))
            for k in range(n):
                one, two, first, second = own[k], behind[k], held[k], room[k]
                both = two if second <= 0.0 else 0.5 * (one + two)
                at[k] = one if first <= 0.0 else both


@numba.njit(inline="always")
def _slope(before, here, after, h_before, h, h_after):
    """Central difference of cell values over unequal widths."""
    up = (after - here) / (0.5 * (h + h_after))
    down = (here - before) / (0.5 * (h + h_before))
    return (up * (h + h_before) + down * (h + h_after)) / (2.0 * h + h_before + h_after)


@kernel
def turn_shear(u, v, viscosity, swell, counts, hx, hy, along_x, along_y, ny, nx):
    """grad(mu) . (grad u)^T in cells (N/m3) along x and y, less what swelling (1/s) takes off; the
    rest of the stress is linear in each component, or part of the pressure. counts : 0 in cells that
    are left out. u, v : with ghosts.
    """
    for j in range(1, ny + 1):
        gb, g, ga = hy[j - 1], hy[j], hy[j + 1]
        h_w, h_p, h_e = hx, hx[1:], hx[2:]
        m_w, m_p, m_e = viscosity[j], viscosity[j, 1:], viscosity[j, 2:]
        m_s, m_n, on, off = viscosity[j - 1, 1:], viscosity[j + 1, 1:], counts[j, 1:], swell[j, 1:]
        v_w, v_p, v_e = v[j], v[j, 1:], v[j, 2:]
        v_nw, v_n, v_ne = v[j + 1], v[j + 1, 1:], v[j + 1, 2:]
        u_p, u_e, u_s, u_se = u[j, 1:], u[j, 2:], u[j - 1, 1:], u[j - 1, 2:]
        u_n, u_ne = u[j + 1, 1:], u[j + 1, 2:]
        out_x, out_y = along_x[j, 1:], along_y[j, 1:]
        for k in range(nx):
            hb, h, ha = h_w[k], h_p[k], h_e[k]
            mu_x = on[k] * _slope(m_w[k], m_p[k], m_e[k], hb, h, ha)
            mu_y = on[k] * _slope(m_s[k], m_p[k], m_n[k], gb, g, ga)
            west, middle, east = v_w[k] + v_nw[k], v_p[k] + v_n[k], v_e[k] + v_ne[k]
            south, centre, north = u_s[k] + u_se[k], u_p[k] + u_e[k], u_n[k] + u_ne[k]
            u_x, v_y = (u_e[k] - u_p[k]) / h, (v_n[k] - v_p[k]) / g
            across = 0.5 * _slope(west, middle, east, hb, h, ha)
            out_x[k] = mu_x * (u_x - off[k]) + mu_y * across
            across = 0.5 * _slope(south, centre, north, gb, g, ga)
            out_y[k] = mu_y * (v_y - off[k]) + mu_x * across


@numba.njit(inline="always")
def _corners(below, above, out, nx):
    """Viscosities at the corners between two rows of cells, before each but the first."""
    below_on, above_on = below[1:], above[1:]
    for k in range(nx + 1):
        out[k] = corner(below[k], below_on[k], above[k], above_on[k])


@kernel
def turn_sharp(
    u, v, viscosity, hx, hy, along, faces, on_x, on_y, volume_x, volume_y, force_x, force_y, ny, nx
):
    """The turned part of shear (N) on west and south faces where viscosity jumps: what its difference
    from that at the face itself adds, at the same corners as `lay_shear` where it is SHARP, so that
    shear across an interface is one number on both its sides.

    along, faces : of y, what areas grow with, at the middle of cells and at their south faces (the
    radius where the vessel is round, else 1). on_x, on_y : faces that it acts on, volume_x, volume_y :
    theirs (m3); no face that acts lies on the axis.
    """
    over_x, over_y = np.zeros(nx + 3), np.zeros(ny + 3)
    for i in range(nx + 3):
        over_x[i] = 1.0 / hx[i] if hx[i] > 0.0 else 0.0
    for j in range(ny + 3):
        over_y[j] = 1.0 / hy[j] if hy[j] > 0.0 else 0.0
    corners = np.zeros((2, nx + 1))  # of the level below a row, and of that above it, in turn
    _corners(viscosity[0], viscosity[1], corners[1], nx)
    for j in range(1, ny + 2):
        low, top = corners[j % 2], corners[(j + 1) % 2]
        mu_w, mu_p, mu_s = viscosity[j], viscosity[j, 1:], viscosity[j - 1, 1:]
        u_w, u_p, u_e, u_s, u_se = u[j], u[j, 1:], u[j, 2:], u[j - 1, 1:], u[j - 1, 2:]
        v_w, v_p, v_nw, v_n, v_s = v[j], v[j, 1:], v[j + 1], v[j + 1, 1:], v[j - 1, 1:]
        thin_w, thin, wide_w, wide = over_x, over_x[1:], hx, hx[1:]
        if j <= ny:
            _corners(mu_w, viscosity[j + 1], top, nx)
            acts, volume, force = on_x[j, 1:], volume_x[j, 1:], force_x[j, 1:]
            upper, lower, over = faces[j + 1], faces[j], over_y[j] / along[j]
            for k in range(nx + 1):
                here = 0.5 * (mu_w[k] + mu_p[k])
                pull = (mu_p[k] - here) * (u_e[k] - u_p[k]) * thin[k]
                pull -= (mu_w[k] - here) * (u_p[k] - u_w[k]) * thin_w[k]
                turn = upper * (top[k] - here) * (v_n[k] - v_nw[k])
                turn -= lower * (low[k] - here) * (v_p[k] - v_w[k])
                on = 2.0 if acts[k] else 0.0
                force[k] = on * volume[k] / (wide[k] + wide_w[k]) * (pull + turn * over)
        acts, volume, force = on_y[j, 1:], volume_y[j, 1:], force_y[j, 1:]
        after, before = along[j] * over_y[j], along[j - 1] * over_y[j - 1]
        over, right = 1.0 / faces[j] if faces[j] != 0.0 else 0.0, low[1:]
        deep = 2.0 / (hy[j] + hy[j - 1])
        for k in range(nx):
            here = 0.5 * (mu_s[k] + mu_p[k])
            pull = after * (mu_p[k] - here) * (v_n[k] - v_p[k])
            pull -= before * (mu_s[k] - here) * (v_p[k] - v_s[k])
            turn = (right[k] - here) * (u_e[k] - u_se[k]) - (low[k] - here) * (u_p[k] - u_s[k])
            on = deep if acts[k] else 0.0
            force[k] = on * volume[k] * (pull * over + turn * thin[k])


@kernel
def onto_faces(cells, upright, volume, out, ny, nx):
    """out : the mean of the two cells beside each face, times its volume (m3)."""
    for j in range(1, ny + 2):
        for i in range(1, nx + 2):
            before = cells[j - 1, i] if upright else cells[j, i - 1]
            out[j, i] = 0.5 * (cells[j, i] + before) * volume[j, i]
