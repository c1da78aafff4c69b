"""Many small explicit steps of convection, diffusion and decay together, in one call.

Steps of second order in s stages: s - 1 Euler steps, one more, and a share 1/s of where it all
began (Shu and Osher's form of the methods of Spiteri and Ruuth 2002, from memory). They are bounded
where an Euler step is, so that each evaluation but one brings as much time as that allows, and err
by 1/(6 (s - 1)) of the cube of the step. Small cut cells are implicit, all of them exactly.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.operators.convection import _limited, carry_scalar

SLACK = 1e-9  # of a value, that may lie beyond its bounds
NOTHING = 1e-120  # what decays for long would end in subnormal numbers, a hundred times slower


@kernel
def _solve_small(right, y, order, back, lower, upper):
    """right becomes the solution; lower, upper : (pointers, rows, values) of columns; y : scratch."""
    count = right.size
    for k in range(count):
        y[order[k]] = right[k]
    start, row, value = lower  # unit diagonal, first in its column
    for k in range(count):
        for at in range(start[k], start[k + 1]):
            if row[at] > k:
                y[row[at]] -= value[at] * y[k]
    start, row, value = upper
    for k in range(count - 1, -1, -1):
        for at in range(start[k], start[k + 1]):
            if row[at] == k:
                y[k] /= value[at]
        for at in range(start[k], start[k + 1]):
            if row[at] < k:
                y[row[at]] -= value[at] * y[k]
    for k in range(count):
        right[k] = y[back[k]]


@kernel
def _beyond(values, lines, weights, flow, more):
    """more[f] = how far limited upwinding carries the value at a face beyond the upwind one."""
    for f in range(flow.size):
        way = 1.0 if flow[f] >= 0 else -1.0
        upwind = values[lines[1, f]] if flow[f] >= 0 else values[lines[2, f]]
        a, b, c, d = (
            values[lines[0, f]],
            values[lines[1, f]],
            values[lines[2, f]],
            values[lines[3, f]],
        )
        fa, fs, ba, bs = weights[0, f], weights[1, f], weights[2, f], weights[3, f]
        more[f] = way * _limited(way, a, b, c, d, fa, fs, ba, bs) - upwind


@kernel
def _solve_stage(values, arriving, small, more, part, right, y):
    """right = what small cells become where so much (`part`) of `more` leaves them."""
    cell, hold, given, before, after, near, far, flow, link, at, passing, piece = small[0]
    for k in range(cell.size):
        right[k] = hold[k] * values[cell[k]] + given[k]
    for f in range(flow.size):
        b, a, size = near[f], far[f], abs(flow[f])  # numbers of small cells, or -1
        if a >= 0 and b < 0:
            right[a] += link[f] * values[before[f]]
        if b >= 0 and a < 0:
            right[b] += link[f] * values[after[f]]
        forward = flow[f] >= 0
        giver, taker = (b, a) if forward else (a, b)
        if giver >= 0:
            right[giver] -= size * part[f] * more[f]
            if taker >= 0:
                right[taker] += size * part[f] * more[f]
        elif taker >= 0:
            right[taker] += size * (values[before[f] if forward else after[f]] + more[f])
    for k in range(at.size):
        right[at[k]] += max(-passing[k], 0.0) * arriving[piece[k]]
    _solve_small(right, y, small[1], small[2], small[3], small[4])


@kernel
def _reach(values, arriving, small, more, right, lowest, highest):
    """The least and the largest value around each small cell, of what comes in, and its own."""
    cell, _, given, before, after, near, far, flow, link, at, passing, piece = small[0]
    walls = small[7]
    for k in range(cell.size):
        lowest[k] = highest[k] = values[cell[k]]
        if walls[k] > 0:  # what walls pull it to
            pull = given[k] / walls[k]
            lowest[k], highest[k] = min(lowest[k], pull), max(highest[k], pull)
        elif given[k] > 0:
            highest[k] = np.inf
        elif given[k] < 0:
            lowest[k] = -np.inf
    for f in range(flow.size):
        if flow[f] == 0 and link[f] == 0:
            continue
        b, a, forward = near[f], far[f], flow[f] >= 0
        vb = right[b] if b >= 0 else values[before[f]] + (more[f] if forward else 0.0)
        va = right[a] if a >= 0 else values[after[f]] + (0.0 if forward else more[f])
        if a >= 0:
            lowest[a], highest[a] = min(lowest[a], vb), max(highest[a], vb)
        if b >= 0:
            lowest[b], highest[b] = min(lowest[b], va), max(highest[b], va)
    for k in range(at.size):
        if passing[k] < 0:
            come, n = arriving[piece[k]], at[k]
            lowest[n], highest[n] = min(lowest[n], come), max(highest[n], come)


@kernel
def _small_stage(values, out, arriving, small, right, rest):
    """What small cells become, into `right`; what they exchange with others, added to `out`.

    Upwinding is implicit, what the limiter adds to it is of the old values: all of it, unless a
    value would leave the reach of those around it or a face value that of the cells it joins.
    """
    cell, _, _, before, after, near, far, flow, link, _, _, _ = small[0]
    (y, low, lowest, highest, share), (more, part, none) = rest
    _beyond(values, small[5], small[6], flow, more)
    part[:] = 1.0
    _solve_stage(values, arriving, small, more, part, right, y)
    _reach(values, arriving, small, more, right, lowest, highest)
    held = False
    for f in range(flow.size):  # what flows on stays between the cells it flows between
        giver, taker = (near[f], far[f]) if flow[f] >= 0 else (far[f], near[f])
        if giver >= 0 and more[f] != 0.0:
            there = after[f] if flow[f] >= 0 else before[f]
            ahead = (right[taker] if taker >= 0 else values[there]) - right[giver]
            if abs(more[f]) > abs(ahead) * (1.0 + SLACK) or ahead * more[f] < 0:
                part[f] = abs(ahead / more[f]) if ahead * more[f] > 0 else 0.0
                held = True
    for k in range(cell.size):
        slack = SLACK * (abs(right[k]) + NOTHING)
        if right[k] < lowest[k] - slack or right[k] > highest[k] + slack:
            held = True
    if held:
        _solve_stage(values, arriving, small, more, none, low, y)
        for k in range(cell.size):
            share[k] = 1.0
            least, most = min(lowest[k], low[k]), max(highest[k], low[k])
            if right[k] > most:
                share[k] = (most - low[k]) / (right[k] - low[k])
            elif right[k] < least:
                share[k] = (low[k] - least) / (low[k] - right[k])
        for f in range(flow.size):
            for n in (near[f], far[f]):
                if n >= 0:
                    part[f] = min(part[f], share[n])
        _solve_stage(values, arriving, small, more, part, right, y)
    for f in range(flow.size):
        b, a, forward = near[f], far[f], flow[f] >= 0
        vb = right[b] if b >= 0 else values[before[f]]
        va = right[a] if a >= 0 else values[after[f]]
        beyond = more[f] * (part[f] if (b if forward else a) >= 0 else 1.0)
        passes = flow[f] * ((vb if forward else va) + beyond) + link[f] * (vb - va)
        out[before[f]] += passes
        out[after[f]] -= passes


# More than a few arrays in one loop, and the compiler no longer proves that they lie apart, which it
# must before it vectorises; hence short loops over rows that stay in the first cache.


@numba.njit(inline="always")
def _spreads(j, c, comes, ax, ay, nx):
    """comes[k] = what diffusion brings to each cell of a row."""
    west, here, east, south, north = c[j], c[j, 1:], c[j, 2:], c[j - 1, 1:], c[j + 1, 1:]
    aw, ae, a_s, an = ax[j, 1:], ax[j, 2:], ay[j, 1:], ay[j + 1, 1:]
    for k in range(nx):
        v = here[k]
        along = aw[k] * (west[k] - v) + ae[k] * (east[k] - v)
        comes[k] = along + a_s[k] * (south[k] - v) + an[k] * (north[k] - v)


@numba.njit(inline="always")
def _gathers(j, c, comes, out, holding, given, nx):
    """comes[k] += what sources bring, less what decays and flows out."""
    here, o, h, g = c[j, 1:], out[j, 1:], holding[j, 1:], given[j, 1:]
    for k in range(nx):
        comes[k] += g[k] - h[k] * here[k] - o[k]


@numba.njit(inline="always")
def _goes(j, c, comes, target, gain, nx):
    """target = c + gain x what comes in."""
    here, n, t = c[j, 1:], gain[j, 1:], target[j, 1:]
    for k in range(nx):
        t[k] = here[k] + n[k] * comes[k]


@numba.njit(inline="always")
def _ends(j, c, comes, target, gain, share, nx):
    """target = (1 - share) target + share (c + gain x what comes in)."""
    here, n, t = c[j, 1:], gain[j, 1:], target[j, 1:]
    rest = 1.0 - share
    for k in range(nx):
        after = rest * t[k] + share * (here[k] + n[k] * comes[k])
        t[k] = 0.0 if abs(after) <= NOTHING else after  # what is not a number stays so


@numba.njit(inline="always")
def _adds(j, c, mean, nx):
    here, m = c[j, 1:], mean[j, 1:]
    for k in range(nx):
        m[k] += here[k]


@kernel
def step_stage(now, target, mean, come, share, reads):
    """target = (1 - share) target + share (now + an Euler step from there); mean += now.

    Arrays : (ny + 3, nx + 3). come : value of what comes in through each piece. reads : what all
    stages of a step read: scratch, flows and links (x, y), what holds, what is given, the step over
    what a cell holds (0 in small cells); pieces : cell (flat) and what passes outward; fill : dead
    cells and ghosts, and whose value they show; small : tables of the small cells; right : as many;
    rest : scratch, five of cells and three of their faces, the last nothing; weights of convection;
    scratch rows; repeats, ny, nx.
    """
    out, flows, links, holding, given, gain, pieces, fill, small = reads[:9]
    right, rest, weights, scratch, repeats, ny, nx = reads[9:]
    place, through = pieces
    along, lower, upper = scratch
    flat_out, values, cell = out.ravel(), now.ravel(), small[0][0]
    for k in range(fill[0].size):
        values[fill[0][k]] = values[fill[1][k]]
    carry_scalar(
        now,
        flows[0],
        flows[1],
        out,
        weights[0],
        weights[1],
        along,
        lower,
        upper,
        repeats[0],
        repeats[1],
        ny,
        nx,
    )
    for k in range(through.size):
        v = values[place[k]] if through[k] >= 0 else come[k]
        flat_out[place[k]] += through[k] * v
    if cell.size:
        _small_stage(values, flat_out, come, small, right, rest)
    for j in range(1, ny + 1):
        _spreads(j, now, along, links[0], links[1], nx)
        _gathers(j, now, along, out, holding, given, nx)
        if share == 1.0:  # nothing of what was there before, to the last bit
            _goes(j, now, along, target, gain, nx)
        else:
            _ends(j, now, along, target, gain, share, nx)
        _adds(j, now, mean, nx)
    if cell.size:
        after, told = target.ravel(), mean.ravel()
        for k in range(cell.size):
            more = right[k] - values[cell[k]]
            after[cell[k]] += share * more
            told[cell[k]] += more


@kernel
def stride(c, work, mean, arriving, steps, stages, reads):
    """c after `steps` steps; mean gathers the values at which all acted, which count alike.

    work : two arrays like c. arriving : (1, pieces), or one row for each beginning of a stage and
    one for the end. reads : see `step_stage`.
    """
    moves = arriving.shape[0] > 1
    for s in range(steps):
        now = c
        for stage in range(stages):
            last = stage == stages - 1
            target = c if last else work[stage % 2]
            come = arriving[(s * (stages - 1) + stage) if moves else 0]
            step_stage(now, target, mean, come, (stages - 1.0) / stages if last else 1.0, reads)
            now = target
