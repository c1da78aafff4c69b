"""Where an interface meets walls that cut cells, and what stands behind those. Kernels for the plane.

At each contact an arc passes through the wall at its angle and fits the pieces of the interface
nearby; what it encloses behind the wall is what slopes and heights see there. A straight line would
leave the curvature of the cells beside a contact a third off on any grid.

A row of `found` is a contact: place (m), along the wall towards the second fluid, the interface's
normal there, its bend (1/m), the angle (rad), the size of cells (m), how far off its cell's wall it
was found, in cells, and whether it is held between two angles.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import LEAST, ends, lean, parabola
from underkettle.engine.interface.polygons import (
    below,
    crossing,
    offset_of,
    within_circle,
)

X, Y, ALONG_X, ALONG_Y, NORMAL_X, NORMAL_Y, BEND, ANGLE, SIZE, OFF, HELD = range(11)
FIELDS = 11
CLEAR = 1e-6  # share of what is open of a cell, that tells it apart from one with a single fluid
APART = 2.5  # cells between contacts, at least
SEEN = 3.0  # cells from a contact to pieces that its arc is fitted to
NEXT = 1.5  # cells from a contact, within which pieces follow its arc
FROM, UP_TO = 0.9, 4.5  # cells off a wall, between which it tells the angle as it is
BAND = 9.0  # cells from a contact, within which its arc stands behind the wall
TURNS = 6
STIFFEST = 0.5  # bend of an arc, over one by the size of cells
STRAIGHT = 1e-4  # the same, below which it is taken as a line


@numba.njit(inline="always")
def _distance(one_x, one_y, two_x, two_y):
    return np.sqrt((one_x - two_x) ** 2 + (one_y - two_y) ** 2)


@kernel
def _faces_second(f, live, room, wx, wy, j, i, tx, ty):
    """+1 where (tx, ty) leads to the second fluid, -1 where it leads to the first."""
    for reach in range(1, 3):
        held = whole = 0.0
        for m in range(j - reach, j + reach + 1):
            for n in range(i - reach, i + reach + 1):
                if live[m, n]:
                    whole += room[m, n]
                    held += f[m, n] * room[m, n]
        mean, lean_ = held / whole, 0.0
        for m in range(j - reach, j + reach + 1):
            for n in range(i - reach, i + reach + 1):
                if live[m, n]:
                    away = (n - i) * tx * wx[i] + (m - j) * ty * wy[j]
                    lean_ += (f[m, n] - mean) * room[m, n] / whole * away
        if abs(lean_) > 1e-9 * wx[i]:
            return -1.0 if lean_ > 0.0 else 1.0
    return 1.0


@kernel
def _as_it_is(
    f, live, number, px, py, counts, a, b, c, ox, oy, wx, wy, j, i, x, y, sx, sy, tx, ty, size,
    least, most,
):  # fmt: skip
    """The angle (rad) that the interface meets a wall at, between two: of a parabola through the
    middles of its pieces off the wall. x, y : a place on the wall; sx, sy : its normal.
    """
    s0 = s1 = s2 = s3 = s4 = t0 = t1 = t2 = 0.0
    for m in range(max(1, j - 5), min(f.shape[0] - 1, j + 6)):
        for n in range(max(1, i - 5), min(f.shape[1] - 1, i + 6)):
            share = f[m, n]
            if not live[m, n] or number[m, n] >= 0 or share < CLEAR or share > 1.0 - CLEAR:
                continue
            if a[m, n] / wx[n] * tx + b[m, n] / wy[m] * ty <= 0.0:
                continue
            x0, y0, x1, y1 = ends(a[m, n], b[m, n], c[m, n])
            mx = (ox[n] + 0.5 * (x0 + x1) * wx[n] - x) / size
            my = (oy[m] + 0.5 * (y0 + y1) * wy[m] - y) / size
            away, along = mx * sx + my * sy, mx * tx + my * ty
            if away < FROM or away > UP_TO or abs(along) > 2.0 * UP_TO:
                continue
            s0 += 1.0
            s1 += away
            s2 += away**2
            s3 += away**3
            s4 += away**4
            t0 += along
            t1 += along * away
            t2 += along * away**2
    if s0 < 2.0:
        return 0.5 * (least + most)
    d, leads, _ = parabola(s0, s1, s2, s3, s4, t0, t1, t2)
    if s0 < 3.0 or d <= 0.3:  # a line
        d, leads = s0 * s2 - s1 * s1, s0 * t1 - s1 * t0
        if d < 1e-6:
            return 0.5 * (least + most)
    return min(most, max(least, 0.5 * np.pi + np.arctan(leads / d)))


@kernel
def _write(found, count, x, y, tx, ty, sx, sy, theta, bounds, size, off):
    """Note a contact. sx, sy : the wall's normal into the open space."""
    if count >= found.shape[0]:
        return count
    row = found[count]
    c, s = np.cos(theta), np.sin(theta)
    row[X], row[Y], row[ALONG_X], row[ALONG_Y] = x, y, tx, ty
    row[NORMAL_X], row[NORMAL_Y] = c * sx + s * tx, c * sy + s * ty
    row[BEND], row[ANGLE], row[SIZE], row[OFF] = 0.0, theta, size, off
    row[HELD] = 1.0 if theta > bounds[0] and theta < bounds[1] else 0.0
    return count + 1


@kernel
def find(
    f, live, room, number, rows, columns, px, py, counts, areas, chord, into, angle, a, b, c, ox,
    oy, wx, wy, slab, found, tried,
):  # fmt: skip
    """Look for contacts, one for each place, and write them to `found`; how many there are. angle :
    (n, 2), receding and advancing.
    """
    m = 0
    for k in range(rows.size):
        theta = angle[k, 0]
        if theta != theta:
            continue
        j, i = rows[k], columns[k]
        share = f[j, i]
        size = np.sqrt(wx[i] * wy[j])
        x0, y0 = ox[i] + chord[k, 0] * wx[i], oy[j] + chord[k, 1] * wy[j]
        x1, y1 = ox[i] + chord[k, 2] * wx[i], oy[j] + chord[k, 3] * wy[j]
        sx, sy = into[k, 0], into[k, 1]
        if share > CLEAR and share < 1.0 - CLEAR:
            way = _faces_second(f, live, room, wx, wy, j, i, -sy, sx)
            tx, ty = -sy * way, sx * way
            if angle[k, 1] > theta:
                theta = _as_it_is(
                    f, live, number, px, py, counts, a, b, c, ox, oy, wx, wy, j, i,
                    0.5 * (x0 + x1), 0.5 * (y0 + y1), sx, sy, tx, ty, size, theta, angle[k, 1],
                )  # fmt: skip
            nx, ny = (
                np.cos(theta) * sx + np.sin(theta) * tx,
                np.cos(theta) * sy + np.sin(theta) * ty,
            )
            p, q = nx * wx[i], ny * wy[j]
            level = offset_of(px[k], py[k], counts[k], share * areas[k], p, q, slab)
            level += nx * ox[i] + ny * oy[j]
            across = nx * (x1 - x0) + ny * (y1 - y0)
            length = _distance(x0, y0, x1, y1)
            at = 0.5 if abs(across) < 1e-12 * size else (level - nx * x0 - ny * y0) / across
            off = max(0.0, max(-at, at - 1.0)) * length / size
            at = min(1.5, max(-0.5, at))
            m = _write(
                tried, m, x0 + at * (x1 - x0), y0 + at * (y1 - y0), tx, ty, sx, sy, theta, angle[k],
                size, off,
            )  # fmt: skip
        elif share <= CLEAR:
            for dj in range(-1, 2):
                for di in range(-1, 2):
                    other = number[j + dj, i + di]
                    if other < 0 or f[j + dj, i + di] < 1.0 - CLEAR:
                        continue
                    v, u = j + dj, i + di
                    best, x, y = 1e300, 0.0, 0.0
                    for mine in range(2):
                        for theirs in range(2):
                            xa, ya = (x0, y0) if mine == 0 else (x1, y1)
                            xb = ox[u] + chord[other, 2 * theirs] * wx[u]
                            yb = oy[v] + chord[other, 2 * theirs + 1] * wy[v]
                            away = _distance(xa, ya, xb, yb)
                            if away < best:
                                best, x, y = away, 0.5 * (xa + xb), 0.5 * (ya + yb)
                    way = 1.0 if sy * di * wx[i] - sx * dj * wy[j] > 0.0 else -1.0
                    # the wall's tangent that leads from the full cell to this one
                    now = theta
                    if angle[k, 1] > theta:
                        now = _as_it_is(
                            f, live, number, px, py, counts, a, b, c, ox, oy, wx, wy, j, i, x, y,
                            sx, sy, -sy * way, sx * way, size, theta, angle[k, 1],
                        )  # fmt: skip
                    m = _write(
                        tried, m, x, y, -sy * way, sx * way, sx, sy, now, angle[k], size,
                        0.05 + best / size,
                    )  # fmt: skip
    count = 0
    for _ in range(m):
        best = -1
        for r in range(m):
            if tried[r, OFF] < 1e300 and (best < 0 or tried[r, OFF] < tried[best, OFF]):
                best = r
        if best < 0 or tried[best, OFF] > 1.0:
            break
        row = tried[best]
        alone = count < found.shape[0]
        for r in range(count):
            if _distance(row[X], row[Y], found[r, X], found[r, Y]) < APART * row[SIZE] and (
                row[ALONG_X] * found[r, ALONG_X] + row[ALONG_Y] * found[r, ALONG_Y] > 0.0
            ):
                alone = False
        if alone:
            found[count] = row
            count += 1
        row[OFF] = 1e300
    return count


@kernel
def _wall_at(x, y, j, i, number, first, last, walls, normals, ox, oy, wx, wy):
    """Whether a wall is near a place, its nearest point, and its normal into the open space there."""
    best, at_x, at_y, sx, sy = 1e300, x, y, 0.0, 1.0
    for m in range(max(0, j - 3), min(number.shape[0], j + 4)):
        for n in range(max(0, i - 3), min(number.shape[1], i + 4)):
            k = number[m, n]
            if k < 0:
                continue
            for p in range(first[k], last[k]):
                x0, y0 = ox[n] + walls[p, 0] * wx[n], oy[m] + walls[p, 1] * wy[m]
                dx, dy = (walls[p, 2] - walls[p, 0]) * wx[n], (walls[p, 3] - walls[p, 1]) * wy[m]
                t = ((x - x0) * dx + (y - y0) * dy) / (dx * dx + dy * dy)
                t = min(1.0, max(0.0, t))
                away = _distance(x, y, x0 + t * dx, y0 + t * dy)
                if away < best:
                    best, at_x, at_y = away, x0 + t * dx, y0 + t * dy
                    share = 2.0 * t if t < 0.5 else 2.0 * t - 1.0
                    one, two = (0, 2) if t < 0.5 else (2, 4)
                    sx = (1.0 - share) * normals[p, one] + share * normals[p, two]
                    sy = (1.0 - share) * normals[p, one + 1] + share * normals[p, two + 1]
    length = np.sqrt(sx * sx + sy * sy)
    return best < 1e299, at_x, at_y, sx / length, sy / length


@kernel
def _cell_of(at, low, width, begin):
    """The cell that a place along an axis lies in, from one nearby."""
    k = begin
    while k > 0 and at < low[k]:
        k -= 1
    while k < low.size - 1 and at >= low[k] + width[k]:
        k += 1
    return k


@kernel
def fit(
    f, live, number, px, py, counts, first, last, walls, normals, a, b, c, ox, oy, wx, wy, found,
    count,
):  # fmt: skip
    """Shift contacts along their walls, and bend their arcs, to fit the pieces of the interface."""
    for r in range(count):
        row = found[r]
        x, y, bend, size = row[X], row[Y], 0.0, row[SIZE]
        tx, ty, theta = row[ALONG_X], row[ALONG_Y], row[ANGLE]
        sine, cosine = np.sin(theta), np.cos(theta)
        nx, ny = row[NORMAL_X], row[NORMAL_Y]
        pieces = 0
        j, i = 1, 1
        for _ in range(TURNS):
            j, i = _cell_of(y, oy, wy, j), _cell_of(x, ox, wx, i)
            there, x, y, sx, sy = _wall_at(
                x, y, j, i, number, first, last, walls, normals, ox, oy, wx, wy
            )
            if not there:
                pieces = 0
                break
            way = 1.0 if -sy * tx + sx * ty > 0.0 else -1.0
            tx, ty = -sy * way, sx * way
            nx, ny = cosine * sx + sine * tx, cosine * sy + sine * ty
            s0 = s1 = s2 = t0 = t1 = 0.0
            pieces = 0
            reach = 5
            for m in range(max(1, j - reach), min(f.shape[0] - 1, j + reach + 1)):
                for n in range(max(1, i - reach), min(f.shape[1] - 1, i + reach + 1)):
                    share = f[m, n]
                    if not live[m, n] or share < CLEAR or share > 1.0 - CLEAR:
                        continue
                    p, q = a[m, n] / wx[n], b[m, n] / wy[m]
                    if p * nx + q * ny < 0.3 * np.sqrt(p * p + q * q):
                        continue
                    k = number[m, n]
                    if k >= 0:
                        ok, x0, y0, x1, y1 = crossing(
                            px[k], py[k], counts[k], a[m, n], b[m, n], c[m, n]
                        )
                        if not ok:
                            continue
                    else:
                        x0, y0, x1, y1 = ends(a[m, n], b[m, n], c[m, n])
                    dx, dy = (x1 - x0) * wx[n], (y1 - y0) * wy[m]
                    length2 = (dx * dx + dy * dy) / size**2
                    mx = (ox[n] + 0.5 * (x0 + x1) * wx[n] - x) / size
                    my = (oy[m] + 0.5 * (y0 + y1) * wy[m] - y) / size
                    away2 = mx * mx + my * my
                    if away2 > SEEN * SEEN:
                        continue
                    w = np.sqrt(length2) * np.exp(-0.5 * away2)
                    off, bow = nx * mx + ny * my, -0.5 * (away2 + length2 / 12.0)
                    s0 += w * sine * sine
                    s1 += w * sine * bow
                    s2 += w * bow * bow
                    t0 += w * sine * off
                    t1 += w * bow * off
                    pieces += 1
            if pieces == 0 or s0 <= 0.0:
                pieces = 0
                break
            left = s0 * s2 - s1 * s1
            if pieces >= 2 and left > 1e-4 * s0 * s2 and s2 > 1e-12:
                shift, bend = (t0 * s2 - s1 * t1) / left, (s0 * t1 - s1 * t0) / left
            else:
                shift, bend = t0 / s0, 0.0
            bend = min(STIFFEST, max(-STIFFEST, bend))
            shift = min(1.0, max(-1.0, shift))
            x, y = x + shift * tx * size, y + shift * ty * size
            if abs(shift) < 1e-10:
                break
        if pieces == 0:
            continue
        j, i = _cell_of(y, oy, wy, j), _cell_of(x, ox, wx, i)
        there, x, y, sx, sy = _wall_at(
            x, y, j, i, number, first, last, walls, normals, ox, oy, wx, wy
        )
        if there and _distance(x, y, row[X], row[Y]) < 3.0 * size:
            row[X], row[Y], row[ALONG_X], row[ALONG_Y] = x, y, tx, ty
            row[NORMAL_X], row[NORMAL_Y], row[BEND] = nx, ny, bend / size


@kernel
def extend(
    f, seen, number, rows, columns, px, py, counts, areas, ox, oy, wx, wy, found, count, room,
):  # fmt: skip
    """Write to `seen` how full whole cells are beside (rows, columns) and behind walls that cut them:
    of what is open, and of what the arc of the nearest contact encloses of what is closed.
    """
    x, y = np.empty(4), np.empty(4)
    ax, ay = np.empty(px.shape[1]), np.empty(px.shape[1])
    for cell in range(rows.size):
        j, i = rows[cell], columns[cell]
        k = number[j, i]
        mid_x, mid_y = ox[i] + 0.5 * wx[i], oy[j] + 0.5 * wy[j]
        best, near = -1, 1e300
        for r in range(count):
            away = _distance(mid_x, mid_y, found[r, X], found[r, Y]) / found[r, SIZE]
            if away < near:
                best, near = r, away
        if best < 0 or near > BAND:
            continue
        share = f[j, i]
        if k >= 0 and near > APART and (share <= CLEAR or share >= 1.0 - CLEAR):
            continue  # arcs close behind walls: what is pure here stays so
        row = found[best]
        at_x, at_y = row[X] - ox[i], row[Y] - oy[j]  # from the cell's low corner
        nx, ny, bend = row[NORMAL_X], row[NORMAL_Y], row[BEND]
        full = wx[i] * wy[j]
        x[0], x[1], x[2], x[3] = 0.0, wx[i], wx[i], 0.0
        y[0], y[1], y[2], y[3] = 0.0, 0.0, wy[j], wy[j]
        many = 0
        if k >= 0:
            many = counts[k]
            for p in range(many):
                ax[p], ay[p] = px[k, p] * wx[i], py[k, p] * wy[j]
        if abs(bend) * row[SIZE] < STRAIGHT:
            level = nx * at_x + ny * at_y
            held = below(x, y, 4, nx, ny, level, room)
            if many > 0:
                held -= below(ax, ay, many, nx, ny, level, room)
        else:
            mid_x, mid_y = at_x - nx / bend, at_y - ny / bend
            held = within_circle(x, y, 4, mid_x, mid_y, 1.0 / abs(bend))
            if many > 0:
                held -= within_circle(ax, ay, many, mid_x, mid_y, 1.0 / abs(bend))
            if bend < 0.0:
                held = full * (1.0 - (areas[k] if k >= 0 else 0.0)) - held
        opened = areas[k] if k >= 0 else 0.0
        held = min(1.0 - opened, max(0.0, held / full))
        value = held + (share * opened if k >= 0 else 0.0)
        seen[j, i] = 0.0 if value < LEAST else 1.0 if value > 1.0 - LEAST else value


@kernel
def reconstruct_cut(
    f, seen, rows, columns, px, py, counts, areas, ox, oy, wx, wy, found, count, room, a, b, c
):
    """Pieces in cells that walls cut: where a contact is near, along its arc."""
    for k in range(rows.size):
        j, i = rows[k], columns[k]
        share = f[j, i]
        if share <= LEAST or share >= 1.0 - LEAST:
            continue
        p, q = lean(seen, j, i)
        mid_x, mid_y = ox[i] + 0.5 * wx[i], oy[j] + 0.5 * wy[j]
        near = NEXT
        for r in range(count):
            dx, dy = mid_x - found[r, X], mid_y - found[r, Y]
            away = np.sqrt(dx * dx + dy * dy) / found[r, SIZE]
            if away < near:
                u = (found[r, NORMAL_X] + found[r, BEND] * dx) * wx[i]
                v = (found[r, NORMAL_Y] + found[r, BEND] * dy) * wy[j]
                size = abs(u) + abs(v)
                if size > 1e-3 * wx[i]:
                    near, p, q = away, u / size, v / size
        a[j, i], b[j, i] = p, q
        c[j, i] = offset_of(px[k], py[k], counts[k], share * areas[k], p, q, room)


@kernel
def patch(seen, live, rows, columns, ox, oy, wx, wy, found, count, bend, known, is_round, radius):
    """How the interface bends in cells beside walls where nothing else tells it: as it does next to
    them, or as the nearest contact's arc.
    """
    for cell in range(rows.size):
        for side in range(9):
            j, i = rows[cell] + side // 3 - 1, columns[cell] + side % 3 - 1
            share = seen[j, i]
            if not live[j, i] or known[j, i] or share < CLEAR or share > 1.0 - CLEAR:
                continue
            total, many = 0.0, 0
            for m in range(j - 1, j + 2):
                for n in range(i - 1, i + 2):
                    other = seen[m, n]
                    if known[m, n] and other > CLEAR and other < 1.0 - CLEAR:
                        total += bend[m, n]
                        many += 1
            if many > 0:
                bend[j, i], known[j, i] = total / many, True
                continue
            near = BAND
            for r in range(count):
                away = (
                    _distance(ox[i] + 0.5 * wx[i], oy[j] + 0.5 * wy[j], found[r, X], found[r, Y])
                    / found[r, SIZE]
                )
                if away < near:
                    near, bend[j, i], known[j, i] = away, found[r, BEND], True
                    if is_round and radius[j] > 0.5 * wy[j]:
                        bend[j, i] += found[r, NORMAL_Y] / radius[j]


@kernel
def pieces_cut(f, rows, columns, px, py, counts, a, b, c, into):
    """into[k] = (row, column, x, y, x, y): the ends of every piece, in cells, in cells that walls cut;
    how many there are.
    """
    k = 0
    for cell in range(rows.size):
        j, i = rows[cell], columns[cell]
        if f[j, i] <= LEAST or f[j, i] >= 1.0 - LEAST:
            continue
        ok, x0, y0, x1, y1 = crossing(px[cell], py[cell], counts[cell], a[j, i], b[j, i], c[j, i])
        if ok:
            into[k, 0], into[k, 1], into[k, 2], into[k, 3] = j, i, x0, y0
            into[k, 4], into[k, 5] = x1, y1
            k += 1
    return k
