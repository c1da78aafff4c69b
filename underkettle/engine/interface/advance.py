"""How the first fluid moves through faces, one axis after the other. Kernels for the plane.

After Weymouth & Yue 2010: what a face passes is cut out of the cell it comes from; what a sweep swells
a cell by counts by the fluid that filled more than half of it when the step began, so that no cell is
ever over full, and both sweeps together keep the volume of a stream that closes.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import LEAST, lean, share_below
from underkettle.engine.interface.polygons import below, between, swept

OVER = 1e-13  # of a cell: what it holds too much or too little of is left
ROUNDS = 20


@numba.njit(inline="always")
def _given(share, a, b, c, part, upright):
    """The share of the first fluid in what leaves a cell through one face. part : of the cell, positive
    through its high face.
    """
    if share <= LEAST:
        return 0.0
    if share >= 1.0 - LEAST:
        return 1.0
    width = abs(part)
    if upright:
        return share_below(a, b * width, c - b * (1.0 - width) if part > 0.0 else c)
    return share_below(a * width, b, c - a * (1.0 - width) if part > 0.0 else c)


@kernel
def pass_faces(f, live, a, b, c, flow, room, brought, dt, upright, passed):
    """passed : m3 of the first fluid through every west (or, upright, south) face in dt.

    flow : m3/s through faces; room : m3 of cells; brought : share of the first fluid in what comes from
    beyond, where no live cell stands before a face.
    """
    rows, columns = f.shape
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            q = flow[j, i] * dt
            if q == 0.0:
                passed[j, i] = 0.0
                continue
            if q > 0.0:
                row, column = (j - 1, i) if upright else (j, i - 1)
            else:
                row, column = j, i
            if not live[row, column]:
                passed[j, i] = q * brought[j, i]
                continue
            share = f[row, column]
            passed[j, i] = q * _given(
                share,
                a[row, column],
                b[row, column],
                c[row, column],
                q / room[row, column],
                upright,
            )


@kernel
def fill(f, live, held, flow, room, passed, dt, upright):
    """Take over what faces have passed. held : whether a cell was more than half full of the first
    fluid when the step began.
    """
    rows, columns = f.shape
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            if live[j, i]:
                row, column = (j + 1, i) if upright else (j, i + 1)
                more = passed[j, i] - passed[row, column]
                if held[j, i]:
                    more += (flow[row, column] - flow[j, i]) * dt
                f[j, i] += more / room[j, i]


@kernel
def trim(f, live):
    """Take what is left over of a fluid out of cells; the largest share by which one was over full."""
    worst = 0.0
    rows, columns = f.shape
    for j in range(1, rows - 1):
        for i in range(1, columns - 1):
            if live[j, i]:
                share = f[j, i]
                if share < LEAST:
                    worst = max(worst, -share)
                    f[j, i] = 0.0
                elif share > 1.0 - LEAST:
                    worst = max(worst, share - 1.0)
                    f[j, i] = 1.0
    return worst


@kernel
def pass_cut(
    f, rows, columns, px, py, counts, areas, a, b, c, flow, room, dt, upright, passed, slab, cut
):
    """The same of what leaves cells that walls cut."""
    for k in range(rows.size):
        j, i = rows[k], columns[k]
        share = f[j, i]
        for high in range(2):
            row, column = (j + high, i) if upright else (j, i + high)
            q = flow[row, column] * dt
            if q == 0.0 or (q > 0.0) != (high == 1):
                continue
            part = q / room[j, i]
            if share <= LEAST or share >= 1.0 - LEAST:
                passed[row, column] = 0.0 if share <= LEAST else q
                continue
            held = -1.0
            if abs(part) < 1.0 - 1e-9:
                held = swept(
                    px[k], py[k], counts[k], areas[k], part, upright,
                    a[j, i], b[j, i], c[j, i], slab, cut,
                )  # fmt: skip
            passed[row, column] = q * (held if held >= 0.0 else share)


@kernel
def _held(k, j, i, px, py, counts, areas, p, q, level, ox, oy, wx, wy, cut):
    """The share of what is open of a cell where p x + q y <= level, all in m. k : its row, or -1."""
    a, b, c = p * wx[i], q * wy[j], level - p * ox[i] - q * oy[j]
    if k < 0:
        return share_below(a, b, c)
    return below(px[k], py[k], counts[k], a, b, c, cut) / areas[k]


@kernel
def pool(
    f, seen, room, number, rows, columns, partner, px, py, counts, areas, a, b, ox, oy, wx, wy, cut
):
    """Deal what small cells and their partners hold out between them by one plane, where a small one
    holds more than it can, or less than nothing.
    """
    for k in range(rows.size):
        j, i = rows[k], columns[k]
        m, n = partner[k]
        if m < 0 or (f[j, i] >= -OVER and f[j, i] <= 1.0 + OVER):
            continue
        mine, theirs = room[j, i], room[m, n]
        held = f[j, i] * mine + f[m, n] * theirs
        if held <= 0.0 or held >= mine + theirs:
            first = 0.0 if held <= 0.0 else 1.0
            f[j, i], f[m, n] = first, (held - first * mine) / theirs
            continue
        if f[m, n] > LEAST and f[m, n] < 1.0 - LEAST:
            p, q = a[m, n] / wx[n], b[m, n] / wy[m]
        else:
            p, q = lean(seen, m, n)
            p, q = p / wx[n], q / wy[m]
        other = number[m, n]
        low, high = 1e300, -1e300
        for corner in range(4):
            x, y = corner % 2, corner // 2
            for at in (
                p * (ox[i] + x * wx[i]) + q * (oy[j] + y * wy[j]),
                p * (ox[n] + x * wx[n]) + q * (oy[m] + y * wy[m]),
            ):
                low, high = min(low, at), max(high, at)
        off_low, off_high, level = -held, mine + theirs - held, low
        for turn in range(80):
            level = between(turn, low, high, off_low, off_high)
            own = _held(k, j, i, px, py, counts, areas, p, q, level, ox, oy, wx, wy, cut)
            its = _held(other, m, n, px, py, counts, areas, p, q, level, ox, oy, wx, wy, cut)
            off = own * mine + its * theirs - held
            if abs(off) < OVER * theirs:
                break
            if off < 0.0:
                low, off_low = level, off
            else:
                high, off_high = level, off
        own = min(1.0, max(0.0, own))
        own = min(held / mine, max(own, (held - theirs) / mine))
        f[j, i], f[m, n] = own, (held - own * mine) / theirs


@kernel
def deal_out(f, live, room, rows, columns):
    """Give what cells beside walls hold too much or too little of to their neighbours, by how much
    these have room for.
    """
    wanted = np.zeros(9)
    for _ in range(ROUNDS):
        bad = 0
        for cell in range(rows.size):
            for side in range(9):
                j, i = rows[cell] + side // 3 - 1, columns[cell] + side % 3 - 1
                if not live[j, i]:
                    continue
                share = f[j, i]
                over = share if share < -OVER else share - 1.0 if share > 1.0 + OVER else 0.0
                if over == 0.0:
                    continue
                bad += 1
                total = 0.0
                for near in range(9):
                    m, n = j + near // 3 - 1, i + near % 3 - 1
                    wanted[near] = 0.0
                    if near == 4 or not live[m, n]:
                        continue
                    has = f[m, n] if over < 0.0 else 1.0 - f[m, n]
                    wanted[near] = max(0.0, has) * room[m, n] * (1.0 if near % 2 else 0.1)
                    total += wanted[near]
                if total <= 0.0:
                    continue
                f[j, i] -= over
                for near in range(9):
                    m, n = j + near // 3 - 1, i + near % 3 - 1
                    if wanted[near] > 0.0:
                        f[m, n] += over * room[j, i] * wanted[near] / total / room[m, n]
        if bad == 0:
            break
