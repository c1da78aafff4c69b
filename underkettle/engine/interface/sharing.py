"""How what lives in either of two fluids goes with them and spreads in them. Kernels for the plane.

What a face passes of a fluid takes along what that holds, so that nothing crosses the interface by
being carried. Arrays are those of the mesh, (ny + 3, nx + 3); pairs of them have the first fluid first.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

LEAST = 1e-12  # share of a cell, below which it holds none of a fluid
THIN = 0.05  # of a cell: as near as what conducts is taken to be


@numba.njit(inline="always")
def _share(share, side, j, i):
    """Of a fluid in a cell."""
    return share[j, i] if side == 0 else 1.0 - share[j, i]


@numba.njit(inline="always")
def _slope(value, own, before, at_before, after, at_after, is_before, is_after):
    """How a value rises per cell: between both neighbours (van Leer 1977, where they are as far), from
    the only one where the fluid ends. own, at_before, at_after : where middles of it are.
    """
    low = (value - before) / (own - at_before) if is_before else 0.0
    high = (after - value) / (at_after - own) if is_after else 0.0
    if is_before and is_after:
        return 2.0 * low * high / (low + high) if low * high > 0.0 else 0.0
    return low + high


@kernel
def take_along(values, share, centre, ends, live, room, flow, passed, brought, dt, upright, moved):
    """moved : amount that either fluid takes through every west (or, upright, south) face in dt.

    values : per volume of the fluid (2, ...); centre : where the middle of what a cell holds of it lies
    along the axis, from 0 to 1 (2, ...); ends : values where it ends; flow : m3/s, passed : m3 of the
    first fluid; brought : what comes from beyond, where no live cell stands before a face (2, ...).
    """
    _, rows, columns = values.shape
    for side in range(2):
        for j in range(1, rows - 1):
            for i in range(1, columns - 1):
                q = flow[j, i] * dt
                mine = passed[j, i] if side == 0 else q - passed[j, i]
                moved[side, j, i] = 0.0
                if q == 0.0 or mine == 0.0:
                    continue
                down, left = (1, 0) if upright else (0, 1)
                m, n = (j - down, i - left) if q > 0.0 else (j, i)
                if not live[m, n]:
                    moved[side, j, i] = mine * brought[side, j, i]
                    continue
                value = values[side, m, n]
                a, b = m - down, n - left
                c, d = m + down, n + left
                is_before = a >= 0 and b >= 0 and live[a, b] and _share(share, side, a, b) > LEAST
                is_after = live[c, d] and _share(share, side, c, d) > LEAST
                if is_before or is_after:
                    own = centre[side, m, n]
                    slope = _slope(
                        value,
                        own,
                        values[side, a, b],
                        centre[side, a, b] - 1.0,
                        values[side, c, d],
                        centre[side, c, d] + 1.0,
                        is_before,
                        is_after,
                    )
                    part = 0.5 * min(1.0, abs(q) / room[m, n])
                    off = (1.0 - part if q > 0.0 else part) - own
                    change = slope * off
                    if not (is_after if off > 0.0 else is_before):  # no further than where it ends
                        most = ends[side, m, n] - value
                        change = min(max(change, min(most, 0.0)), max(most, 0.0))
                    value += change
                moved[side, j, i] = mine * value


@kernel
def take_over(values, begun, share, after, live, held, room, flow, passed, moved, dt, upright, got):
    """values : what cells hold per volume of either fluid once faces have passed `moved`.

    begun : values when the step began, share : of the first fluid before this axis' turn, after :
    behind it, held : whether the first filled more than half when the step began. got : amounts of
    both, and m3 that either has too much of by that.
    """
    _, rows, columns = values.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            if not live[j, i]:
                continue
            m, n = (j + 1, i) if upright else (j, i + 1)
            swells = (flow[m, n] - flow[j, i]) * dt
            more = passed[j, i] - passed[m, n] + (swells if held[j, i] else 0.0)
            off = (share[j, i] - after[j, i]) * room[j, i] + more
            for side in range(2):
                amount = values[side, j, i] * _share(share, side, j, i) * room[j, i]
                amount += moved[side, j, i] - moved[side, m, n]
                if held[j, i] == (side == 0):
                    amount += begun[side, j, i] * swells
                got[side, j, i] = amount
            # what walls that cut cells made of it besides
            got[2, j, i], got[3, j, i] = off, -off


@kernel
def settle(got, after, live, room):
    """Let what cells hold of a fluid beyond what passed their faces come from neighbours that lost it.
    got : as `take_over` leaves it.
    """
    _, rows, columns = got.shape
    for side in range(2):
        for j in range(1, rows - 2):
            for i in range(1, columns - 2):
                lacks = -got[2 + side, j, i]
                if not live[j, i] or lacks <= LEAST * room[j, i]:
                    continue
                there = 0.0
                for m in range(max(1, j - 1), min(rows - 2, j + 2)):
                    for n in range(max(1, i - 1), min(columns - 2, i + 2)):
                        if live[m, n]:
                            there += max(0.0, got[2 + side, m, n])
                if there <= 0.0:
                    continue
                taken = min(1.0, lacks / there)
                got[2 + side, j, i] += taken * there
                for m in range(max(1, j - 1), min(rows - 2, j + 2)):
                    for n in range(max(1, i - 1), min(columns - 2, i + 2)):
                        over = got[2 + side, m, n]
                        if not live[m, n] or over <= 0.0 or (m == j and n == i):
                            continue
                        held = _share(after, side, m, n) * room[m, n] + over
                        gives = got[side, m, n] * taken * over / held
                        got[2 + side, m, n] -= taken * over
                        got[side, m, n] -= gives
                        got[side, j, i] += gives


@kernel
def divide(got, after, live, room, values):
    """values : of amounts, per volume of either fluid; specks of what a cell has none of go to the
    neighbour that holds most of it, or to the other fluid.
    """
    _, rows, columns = values.shape
    for side in range(2):
        for j in range(1, rows - 2):
            for i in range(1, columns - 2):
                if not live[j, i] or got[side, j, i] == 0.0:
                    continue
                if _share(after, side, j, i) > LEAST:
                    continue
                best, a, b = LEAST, -1, -1
                for m in range(max(1, j - 1), min(rows - 2, j + 2)):
                    for n in range(max(1, i - 1), min(columns - 2, i + 2)):
                        if live[m, n] and _share(after, side, m, n) > best:
                            best, a, b = _share(after, side, m, n), m, n
                if a >= 0:
                    got[side, a, b] += got[side, j, i]
                else:
                    got[1 - side, j, i] += got[side, j, i]
                got[side, j, i] = 0.0
    for side in range(2):
        for j in range(1, rows - 2):
            for i in range(1, columns - 2):
                part = _share(after, side, j, i)
                values[side, j, i] = (
                    got[side, j, i] / (part * room[j, i]) if live[j, i] and part > LEAST else 0.0
                )


# ---------------------------------------------------------------- what spreads

CENTRE_X, CENTRE_Y = 0, 2  # of either fluid, in cells; then what of the west, east, south and north
FACES, ACROSS, DEEP = 4, 8, 9  # side the first wets, the interface's length (m), how far off (m)
NORMAL = 11  # along x and y, out of the first
FACTS = 13


@numba.njit(inline="always")
def _wet(a, b, c, side):
    """How much of one side of a cell (west, east, south, north) lies where a x + b y <= c."""
    if side < 2:
        p, low = b, a * side
    else:
        p, low = a, b * (side - 2)
    # low + p s <= c on s from 0 to 1
    if abs(p) < 1e-14:
        return 1.0 if low <= c else 0.0
    s = (c - low) / p
    s = min(1.0, max(0.0, s))
    return s if p > 0.0 else 1.0 - s


@numba.njit(inline="always")
def _middle(a, b, c, flip):
    """Middle of the part of a cell where a x + b y <= c (flip: where it is more)."""
    area = x = y = 0.0
    weight, edge_x, edge_y = 0, 0.0, 0.0
    first_x = first_y = last_x = last_y = 0.0
    for k in range(4):
        x0, y0 = (1.0 if k == 1 or k == 2 else 0.0), (1.0 if k >= 2 else 0.0)
        x1, y1 = (1.0 if k < 2 else 0.0), (1.0 if k == 1 or k == 2 else 0.0)
        f0, f1 = a * x0 + b * y0 - c, a * x1 + b * y1 - c
        if flip:
            f0, f1 = -f0, -f1
        for turn in range(2):
            if turn == 0:
                if f0 > 0.0:
                    continue
                px, py = x0, y0
            else:
                if (f0 > 0.0) == (f1 > 0.0):
                    continue
                s = f0 / (f0 - f1)
                px, py = x0 + s * (x1 - x0), y0 + s * (y1 - y0)
            if weight == 0:
                first_x, first_y = px, py
            else:
                cross = last_x * py - px * last_y
                area += cross
                x += (last_x + px) * cross
                y += (last_y + py) * cross
            last_x, last_y = px, py
            edge_x += px
            edge_y += py
            weight += 1
    if weight == 0:
        return 0.5, 0.5
    cross = last_x * first_y - first_x * last_y
    area += cross
    x += (last_x + first_x) * cross
    y += (last_y + first_y) * cross
    if area < 1e-9:  # a sliver: the middle of its corners
        return edge_x / weight, edge_y / weight
    return x / (3.0 * area), y / (3.0 * area)


@kernel
def where_they_meet(values, deep, ratio, spreads, hinders, ends):
    """ends : values of either fluid beside the interface, so that as much comes there as leaves; where
    none passes, those of cells (2, ...). spreads : as in `link`.
    """
    _, rows, columns = values.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            ends[0, j, i], ends[1, j, i] = values[0, j, i], values[1, j, i]
            if deep[0, j, i] <= 0.0 and deep[1, j, i] <= 0.0:
                continue
            if spreads[0] <= 0.0 or spreads[1] <= 0.0:
                continue
            mine, theirs = deep[0, j, i] / spreads[0], deep[1, j, i] / spreads[1]
            passes = (values[0, j, i] / ratio - values[1, j, i]) / (mine + theirs + hinders)
            ends[0, j, i] -= ratio * passes * mine
            ends[1, j, i] += passes * theirs


@kernel
def survey(share, live, a, b, c, wide, tall, facts):
    """facts : where either fluid lies in cells; see `FACTS`. wide, tall : of cells (m)."""
    _, rows, columns = facts.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            if not live[j, i]:
                continue
            p, q, r = a[j, i], b[j, i], c[j, i]
            mine = share[j, i]
            if mine <= LEAST or mine >= 1.0 - LEAST:
                facts[:4, j, i] = 0.5
                facts[FACES : FACES + 4, j, i] = 1.0 if mine > 0.5 else 0.0
                facts[ACROSS : DEEP + 2, j, i] = 0.0
                continue
            for side in range(4):
                facts[FACES + side, j, i] = _wet(p, q, r, side)
            steep = np.hypot(p / wide[i], q / tall[j])
            facts[NORMAL, j, i], facts[NORMAL + 1, j, i] = p / wide[i] / steep, q / tall[j] / steep
            for side in range(2):
                x, y = _middle(p, q, r, side == 1)
                facts[CENTRE_X + side, j, i], facts[CENTRE_Y + side, j, i] = x, y
                facts[DEEP + side, j, i] = abs(p * x + q * y - r) / steep
            # the interface from side to side, by how its ends part the sides
            x = (facts[FACES + 1, j, i] - facts[FACES, j, i]) * tall[j]
            y = (facts[FACES + 3, j, i] - facts[FACES + 2, j, i]) * wide[i]
            facts[ACROSS, j, i] = np.hypot(x, y)


@numba.njit(inline="always")
def _near(side, axis, facts, m, n, j, i, before, own):
    """How far (m) the middles of a fluid in neighbouring cells are apart along an axis."""
    apart = (1.0 - facts[axis + side, m, n]) * before + facts[axis + side, j, i] * own
    return max(apart, THIN * (before + own))


@kernel
def link(live, facts, open_face, wide, spreads, hinders, upright, links):
    """What conducts between cells and those before them along an axis: first to first, second to
    second, first before to second here, second before to first here; links (4, ...), amount/s per unit.

    open_face : m2; wide : m, of cells along the axis; spreads : of either fluid (2,); hinders : what
    the interface adds to what both fluids hinder.
    """
    _, rows, columns = links.shape
    low, high = (FACES + 2, FACES + 3) if upright else (FACES, FACES + 1)
    axis = CENTRE_Y if upright else CENTRE_X
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            m, n = (j - 1, i) if upright else (j, i - 1)
            links[:, j, i] = 0.0
            area = open_face[j, i]
            if area <= 0.0 or not live[j, i] or not live[m, n]:
                continue
            before, own = (wide[m], wide[j]) if upright else (wide[n], wide[i])
            theirs, mine = facts[high, m, n], facts[low, j, i]
            both = min(theirs, mine)
            apart = _near(0, axis, facts, m, n, j, i, before, own)
            links[0, j, i] = area * both * spreads[0] / apart
            apart = _near(1, axis, facts, m, n, j, i, before, own)
            links[1, j, i] = area * (1.0 - max(theirs, mine)) * spreads[1] / apart
            if theirs == mine:
                continue
            one, two = (0, 1) if theirs > mine else (1, 0)
            away = max(1.0 - facts[axis + one, m, n], THIN) * before
            here = max(facts[axis + two, j, i], THIN) * own
            if spreads[one] > 0.0 and spreads[two] > 0.0:
                slow = away / spreads[one] + here / spreads[two] + hinders
                links[2 + one, j, i] = area * abs(theirs - mine) / slow


@kernel
def link_within(live, facts, depth, spreads, hinders, links):
    """What conducts across the interface within cells (amount/s per unit). depth : m, of cells across
    the sheet.
    """
    rows, columns = links.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            links[j, i] = 0.0
            if not live[j, i] or facts[ACROSS, j, i] <= 0.0:
                continue
            if spreads[0] > 0.0 and spreads[1] > 0.0:
                slow = facts[DEEP, j, i] / spreads[0] + facts[DEEP + 1, j, i] / spreads[1]
                links[j, i] = facts[ACROSS, j, i] * depth[j, i] / (slow + hinders)


@kernel
def steepen(u, facts, depth, within, spreads, rises):
    """rises : of u out of the first fluid (1/m), where an interface passes a cell (2, ...)."""
    rows, columns = within.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            rises[:, j, i] = 0.0
            area = facts[ACROSS, j, i] * depth[j, i]
            if area > 0.0 and within[j, i] > 0.0:
                passes = within[j, i] * (u[0, j, i] - u[1, j, i]) / area
                for side in range(2):
                    rises[side, j, i] = -passes / spreads[side]


@kernel
def straighten(rises, facts, links, size, upright, more):
    """more : what cells are given because middles of fluids on both sides of a face are not straight
    across from each other. rises : of `steepen`; links : of that axis; size : of cells across it (m).
    """
    _, rows, columns = more.shape
    along = 1 - int(upright)  # the axis that middles are off on
    for side in range(2):
        for j in range(1, rows - 1):
            for i in range(1, columns - 1):
                conducts = links[side, j, i]
                if conducts == 0.0:
                    continue
                m, n = (j - 1, i) if upright else (j, i - 1)
                rise, count = 0.0, 0
                if facts[ACROSS, m, n] > 0.0:
                    rise += rises[side, m, n] * facts[NORMAL + along, m, n]
                    count += 1
                if facts[ACROSS, j, i] > 0.0:
                    rise += rises[side, j, i] * facts[NORMAL + along, j, i]
                    count += 1
                if count == 0:
                    continue
                middle = CENTRE_X + side if upright else CENTRE_Y + side
                off = (facts[middle, j, i] - facts[middle, m, n]) * (
                    size[i] if upright else size[j]
                )
                given = conducts * rise / count * off
                more[side, m, n] -= given
                more[side, j, i] += given


@kernel
def lay_diagonal(holds, west, south, within, own):
    """own : what holds the unknowns of either fluid (2, ...): `holds`, and all that links them."""
    _, rows, columns = own.shape
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            for side in range(2):
                other = 1 - side
                # a link across starts in the fluid that it is named after
                own[side, j, i] = (
                    holds[side, j, i]
                    + within[j, i]
                    + west[side, j, i]
                    + west[side, j, i + 1]
                    + south[side, j, i]
                    + south[side, j + 1, i]
                    + west[2 + other, j, i]
                    + west[2 + side, j, i + 1]
                    + south[2 + other, j, i]
                    + south[2 + side, j + 1, i]
                )


@kernel
def pull(u, own, west, south, within, out):
    """out : the equations' left side for u (2, ...); the sum of u and that."""
    _, rows, columns = u.shape
    found = 0.0
    for side in range(2):
        other = 1 - side
        for j in range(1, rows - 2):
            for i in range(1, columns - 2):
                if own[side, j, i] == 0.0:
                    out[side, j, i] = 0.0
                    continue
                out[side, j, i] = (
                    own[side, j, i] * u[side, j, i]
                    - within[j, i] * u[other, j, i]
                    - west[side, j, i] * u[side, j, i - 1]
                    - west[side, j, i + 1] * u[side, j, i + 1]
                    - south[side, j, i] * u[side, j - 1, i]
                    - south[side, j + 1, i] * u[side, j + 1, i]
                    - west[2 + other, j, i] * u[other, j, i - 1]
                    - west[2 + side, j, i + 1] * u[other, j, i + 1]
                    - south[2 + other, j, i] * u[other, j - 1, i]
                    - south[2 + side, j + 1, i] * u[other, j + 1, i]
                )
                found += u[side, j, i] * out[side, j, i]
    return found


@numba.njit(inline="always")
def _ease(a, b, p, q, w):
    """What solves either fluid's equations of a cell by themselves, together."""
    if p > 0.0 and q > 0.0:
        d = p * q - w * w
        return (q * a + w * b) / d, (w * a + p * b) / d
    return (a / p if p > 0.0 else 0.0), (b / q if q > 0.0 else 0.0)


@kernel
def go(u, p, q, own, within, step, r, z):
    """Go a step along p, of which q is the equations' left side. r : what is left of them, z : that
    eased; the sum of the size of r, and of r z.
    """
    _, rows, columns = r.shape
    size = both = 0.0
    for j in range(1, rows - 2):
        for i in range(1, columns - 2):
            one, two = own[0, j, i], own[1, j, i]
            a = b = 0.0
            if one > 0.0:
                u[0, j, i] += step * p[0, j, i]
                a = r[0, j, i] - step * q[0, j, i]
            if two > 0.0:
                u[1, j, i] += step * p[1, j, i]
                b = r[1, j, i] - step * q[1, j, i]
            c, d = _ease(a, b, one, two, within[j, i])
            r[0, j, i], r[1, j, i], z[0, j, i], z[1, j, i] = a, b, c, d
            size += abs(a) + abs(b)
            both += a * c + b * d
    return size, both


@kernel
def turn_to(z, turn, p):
    """p : z, and what is left of the way before."""
    _, rows, columns = p.shape
    for side in range(2):
        for j in range(1, rows - 2):
            for i in range(1, columns - 2):
                p[side, j, i] = z[side, j, i] + turn * p[side, j, i]


@kernel
def crossed(u, west, south, within, out):
    """out : what comes over from the first fluid to the second in cells (amount/s)."""
    _, rows, columns = u.shape
    out[:] = 0.0
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            if i < columns - 2 and j < rows - 2:
                out[j, i] += within[j, i] * (u[0, j, i] - u[1, j, i])
            for axis in range(2):
                links = south if axis else west
                m, n = (j - 1, i) if axis else (j, i - 1)
                out[m, n] += links[2, j, i] * (u[0, m, n] - u[1, j, i])
                out[j, i] += links[3, j, i] * (u[0, j, i] - u[1, m, n])
