"""Values between the nodes of a table of three coordinates."""

from __future__ import annotations

import numba

from underkettle.engine.compiled import kernel


@numba.njit
def _between(nodes, value, begin):
    """The node before a value and how far it is to the next; ends hold beyond. begin : a guess."""
    low, high = 0, nodes.size - 1
    if value <= nodes[0]:
        return 0, 0.0
    if value >= nodes[high]:
        return high - 1, 1.0
    if nodes[begin] <= value < nodes[begin + 1]:
        low = begin
    else:
        while high - low > 1:
            middle = (low + high) // 2
            if nodes[middle] <= value:
                low = middle
            else:
                high = middle
    return low, (value - nodes[low]) / (nodes[low + 1] - nodes[low])


@kernel
def look_up(first, second, third, table, a, b, c, rows, out):
    """out : (rows, n), by lines between nodes. table : (any, first, second, third) over nodes that
    rise; a, b, c : (n,) where to look; beyond its ends what holds there counts.
    """
    i, j, k = 0, 0, 0
    for p in range(a.size):
        i, u = _between(first, a[p], i)
        j, v = _between(second, b[p], j)
        k, w = _between(third, c[p], k)
        for r in range(rows.size):
            q = rows[r]
            near = (1.0 - v) * ((1.0 - w) * table[q, i, j, k] + w * table[q, i, j, k + 1]) + v * (
                (1.0 - w) * table[q, i, j + 1, k] + w * table[q, i, j + 1, k + 1]
            )
            if u > 0.0:
                far = (1.0 - v) * (
                    (1.0 - w) * table[q, i + 1, j, k] + w * table[q, i + 1, j, k + 1]
                ) + v * ((1.0 - w) * table[q, i + 1, j + 1, k] + w * table[q, i + 1, j + 1, k + 1])
                near += u * (far - near)
            out[r, p] = near
