"""Looking up fields at points and along lines."""

from __future__ import annotations

import numpy as np

Array = np.ndarray


def at_points(values: Array, x_centres: Array, y_centres: Array, x: Array, y: Array) -> Array:
    """Bilinear values between cell centres; closed cells (NaN) are left out of the mean.

    values : (ny, nx). x, y : positions (m). Outside the grid or in closed cells: NaN.
    """
    nx, ny = x_centres.size, y_centres.size
    i = np.clip(np.searchsorted(x_centres, x) - 1, 0, max(nx - 2, 0))
    j = np.clip(np.searchsorted(y_centres, y) - 1, 0, max(ny - 2, 0))
    i2, j2 = np.minimum(i + 1, nx - 1), np.minimum(j + 1, ny - 1)

    def share(c: Array, k: Array, k2: Array, p: Array) -> Array:
        gap = np.where(k2 > k, c[k2] - c[k], 1.0)
        return np.clip((p - c[k]) / gap, 0.0, 1.0)

    s, t = share(x_centres, i, i2, x), share(y_centres, j, j2, y)
    total, weight = np.zeros(np.shape(x)), np.zeros(np.shape(x))
    for jj, ii, w in (
        (j, i, (1 - s) * (1 - t)),
        (j, i2, s * (1 - t)),
        (j2, i, (1 - s) * t),
        (j2, i2, s * t),
    ):
        v = values[jj, ii]
        good = np.isfinite(v)
        total += np.where(good, w * np.where(good, v, 0.0), 0.0)
        weight += np.where(good, w, 0.0)
    return np.where(weight > 1e-9, total / np.maximum(weight, 1e-300), np.nan)


def cell_of(nodes: Array, position: Array) -> Array:
    """Index of the cell that holds each position, -1 outside."""
    k = np.searchsorted(nodes, position, side="right") - 1
    k = np.where(position == nodes[-1], nodes.size - 2, k)
    return np.where((k >= 0) & (k < nodes.size - 1), k, -1)


def line_points(
    start: tuple[float, ...], end: tuple[float, ...], count: int
) -> tuple[Array, Array, float]:
    """Middles of `count` even pieces of a line (m), and the length of one."""
    s = (np.arange(count) + 0.5) / count
    (x0, y0), (x1, y1) = start, end
    return x0 + s * (x1 - x0), y0 + s * (y1 - y0), float(np.hypot(x1 - x0, y1 - y0)) / count


def arc_points(
    x: float, y: float, radius: float, begin: float, end: float, count: int
) -> tuple[Array, Array, float]:
    """The same of an arc around (x, y) from angle `begin` to `end` (rad, from x towards y)."""
    angle = begin + (np.arange(count) + 0.5) / count * (end - begin)
    return (
        x + radius * np.cos(angle),
        y + radius * np.sin(angle),
        abs(radius * (end - begin)) / count,
    )


def along_path(values: Array, x_nodes: Array, y_nodes: Array, x: Array, y: Array) -> Array:
    """Values (ny, nx) at points, between cell centres; NaN in closed cells and outside."""
    value = at_points(
        values, 0.5 * (x_nodes[1:] + x_nodes[:-1]), 0.5 * (y_nodes[1:] + y_nodes[:-1]), x, y
    )
    i, j = cell_of(x_nodes, x), cell_of(y_nodes, y)
    closed = (i < 0) | (j < 0)
    closed |= ~np.isfinite(values[np.maximum(j, 0), np.maximum(i, 0)])
    value[closed] = np.nan
    return value


def along_line(
    values: Array,
    x_nodes: Array,
    y_nodes: Array,
    start: tuple[float, float],
    end: tuple[float, float],
    count: int | None = None,
) -> dict[str, Array]:
    """A profile from start to end (m): distance, x, y and value, NaN in closed cells.

    A line along x or y without `count` is sampled at the cell centres it passes, so that no
    interpolation along it blurs the profile.
    """
    xc, yc = 0.5 * (x_nodes[1:] + x_nodes[:-1]), 0.5 * (y_nodes[1:] + y_nodes[:-1])
    (x0, y0), (x1, y1) = start, end
    if count is None and x0 == x1:
        y = yc[(yc > min(y0, y1)) & (yc < max(y0, y1))]
        y = y if y1 > y0 else y[::-1]
        x = np.full(y.size, x0)
    elif count is None and y0 == y1:
        x = xc[(xc > min(x0, x1)) & (xc < max(x0, x1))]
        x = x if x1 > x0 else x[::-1]
        y = np.full(x.size, y0)
    else:
        s = np.linspace(0.0, 1.0, count or 200)
        x, y = x0 + s * (x1 - x0), y0 + s * (y1 - y0)
    value = along_path(values, x_nodes, y_nodes, x, y)
    return {"distance": np.hypot(x - x0, y - y0), "x": x, "y": y, "value": value}


def along_arc(
    values: Array,
    x_nodes: Array,
    y_nodes: Array,
    x: float,
    y: float,
    radius: float,
    begin: float,
    end: float,
    count: int = 200,
) -> dict[str, Array]:
    """A profile along an arc: distance from its beginning (m), x, y and value."""
    px, py, step = arc_points(x, y, radius, begin, end, count)
    return {
        "distance": (np.arange(count) + 0.5) * step,
        "x": px,
        "y": py,
        "value": along_path(values, x_nodes, y_nodes, px, py),
    }
