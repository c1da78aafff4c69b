"""What stands beyond walls as an interface sees it that meets them at an angle. Kernels for the plane.

The height of the wall's own row of cells is carried on, along a straight line at the angle, into two
rows of cells behind the wall, which slopes and heights then read as any others.
"""

from __future__ import annotations

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import share_below

BEHIND = 2  # rows of cells
NEAR, FAR = 5, 7  # cells along the wall that its row is summed over, and the line is drawn over
CLEAR = 1e-9


@kernel
def meet_walls(f, live, whole, wx, wy, faces, angles):
    """Fill cells behind walls. faces : (n, 4), row and column of a live cell and the step (rows,
    columns) into the wall beside it; angles : in the first fluid (rad), one each. whole : live cells
    that no wall cuts.
    """
    rows, columns = f.shape
    for k in range(faces.shape[0]):
        j, i, dj, di = faces[k]
        tj, ti = (1, 0) if dj == 0 else (0, 1)  # along the wall
        m, n = j + tj, i + ti
        if not whole[j, i] or not whole[m, n] or live[m + dj, n + di]:
            continue
        one, two = f[j, i] - 0.5, f[m, n] - 0.5
        if (one > 0.0) == (two > 0.0):
            continue
        s = 1.0 if one > two else -1.0
        # the height of the wall's row, from where it is full to where it is empty
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
        height = low + total if s > 0 else high + 1.0 - total
        along, into = (wy[j], wx[i]) if dj == 0 else (wx[i], wy[j])
        theta = angles[k]
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
                    f[row, column] = share_below(p, q, p * (layer + 0.5) + q * (height - at))
                at += way
