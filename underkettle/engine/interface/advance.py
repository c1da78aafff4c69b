"""How the first fluid moves through faces, one axis after the other. Kernels for the plane.

After Weymouth & Yue 2010: what a face passes is cut out of the cell it comes from; what a sweep swells
a cell by counts by the fluid that filled more than half of it when the step began, so that no cell is
ever over full, and both sweeps together keep the volume of a stream that closes.
"""

from __future__ import annotations

import numba

from underkettle.engine.compiled import kernel
from underkettle.engine.interface.planes import LEAST, share_below


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
