"""What stands beyond walls as an interface sees it that meets them at an angle. Kernels for the plane.

The height of the wall's own row of cells is carried on, along a straight line at the angle, into two
rows of cells behind the wall, which slopes and heights then read as any others. A wall may be met at
any angle between two (receding and advancing): at what the rows beside it say, as long as that lies
between them, which then neither pulls nor holds; at the nearer of them otherwise.
"""

from __future__ import annotations

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import share_below

BEHIND = 2  # rows of cells
NEAR, FAR = 5, 7  # cells along the wall that its row is summed over, and the line is drawn over
CLEAR = 1e-9


@kernel
def _row(f, whole, j, i, tj, ti, s):
    """Whether a row beside a wall goes from one fluid to the other, from which cell to which, and where
    it changes, all in cells from (j, i) along (tj, ti). s : +1 where the first fluid comes first.
    """
    low, high = 0, 1
    full, empty = (1.0, 0.0) if s > 0 else (0.0, 1.0)
    while (
        low > -NEAR
        and whole[j + (low - 1) * tj, i + (low - 1) * ti]
        and abs(f[j + low * tj, i + low * ti] - full) > CLEAR
    ):
        low -= 1
    while (
        high < NEAR + 1
        and whole[j + (high + 1) * tj, i + (high + 1) * ti]
        and abs(f[j + high * tj, i + high * ti] - empty) > CLEAR
    ):
        high += 1
    total = 0.0
    for at in range(low, high + 1):
        total += f[j + at * tj, i + at * ti]
    ends = abs(f[j + low * tj, i + low * ti] - full) <= CLEAR
    ends = ends and abs(f[j + high * tj, i + high * ti] - empty) <= CLEAR
    return ends, low, high, low + total if s > 0 else high + 1.0 - total


@kernel
def _as_it_is(f, whole, j, i, dj, di, tj, ti, s, height, slope, least, most):
    """The angle (rad) that rows beside a wall meet it at, between two. slope : of a cell along the wall
    over one across it; height : of the wall's own row.
    """
    if not (whole[j - dj, i - di] and whole[j - 2 * dj, i - 2 * di]):
        return 0.5 * (least + most)
    one, _, _, second = _row(f, whole, j - dj, i - di, tj, ti, s)
    two, _, _, third = _row(f, whole, j - 2 * dj, i - 2 * di, tj, ti, s)
    if not one:
        return 0.5 * (least + most)
    # how it leads to the second fluid away from the wall: of a parabola through three rows
    leads = s * slope * (3.0 * second - 2.0 * height - third if two else second - height)
    return min(most, max(least, 0.5 * np.pi + np.arctan(leads)))


@kernel
def meet_walls(f, live, whole, wx, wy, faces, angles, held, edges, at_x, at_y):
    """Fill cells behind walls. faces : (n, 4), row and column of a live cell and the step (rows,
    columns) into the wall beside it; angles : (n, 2), in the first fluid (rad), receding and advancing.
    whole : live cells that no wall cuts. held : set to 1 beside contacts that are held between both.
    edges : closed cells at edges that stand out, where rows along x and y read `at_x` and `at_y`.
    """
    rows, columns = f.shape
    for turn in range(2 * faces.shape[0]):
        k = turn // 2
        j, i, dj, di = faces[k]
        tj, ti = (1, 0) if dj == 0 else (0, 1)  # along the wall
        ends_here = turn % 2 == 1  # whether the wall ends between this cell and the one before it
        if ends_here:
            j, i = j - tj, i - ti
            if not whole[j, i] or not live[j + dj, i + di]:
                continue
        m, n = j + tj, i + ti
        if not whole[j, i] or not whole[m, n]:
            continue
        one, two = f[j, i] - 0.5, f[m, n] - 0.5
        if (one > 0.0) == (two > 0.0):
            continue
        s = 1.0 if one > two else -1.0
        _, low, high, height = _row(f, whole, j, i, tj, ti, s)
        # at the end of a wall it is met only beyond that: an interface held there is not bent
        if ends_here and height <= 1.0 + CLEAR:
            continue
        if live[m + dj, n + di] and (ends_here or height >= 1.0 - CLEAR):
            continue
        full, empty = (1.0, 0.0) if s > 0 else (0.0, 1.0)
        along, into = (wy[j], wx[i]) if dj == 0 else (wx[i], wy[j])
        theta = angles[k, 0]
        if angles[k, 1] > theta:
            theta = _as_it_is(
                f, whole, j, i, dj, di, tj, ti, s, height, along / into, theta, angles[k, 1]
            )
            if theta > angles[k, 0] and theta < angles[k, 1]:
                held[j, i] = held[m, n] = 1.0
        # the line's normal in cells: away from the wall, and along it
        p, q = np.cos(theta) * into, s * np.sin(theta) * along
        for way in (-1, 1):
            first, last = (low - 1, low - FAR) if way < 0 else (high + 1, high + FAR)
            at = 0 if way < 0 else 1
            while True:
                y, x = j + at * tj, i + at * ti
                if y < BEHIND or x < BEHIND or y >= rows - BEHIND or x >= columns - BEHIND:
                    break
                if live[y + dj, x + di] or not whole[y, x]:
                    break
                if (
                    way * (at - first) >= 0
                ):  # beyond what was summed: as long as nothing changes there
                    same = full if way < 0 else empty
                    if abs(f[y, x] - same) > CLEAR or way * (at - last) > 0:
                        break
                for layer in range(1, BEHIND + 1):
                    row, column = y + layer * dj, x + layer * di
                    if live[row, column]:
                        break
                    # share_below counts from the corner of the cell behind the wall, the wall's own
                    # normal first
                    share = share_below(p, q, p * (layer + 0.5) + q * (height - at))
                    if not edges[row, column]:
                        f[row, column] = share
                    elif dj == 0:
                        at_y[row, column] = share
                    else:
                        at_x[row, column] = share
                at += way
