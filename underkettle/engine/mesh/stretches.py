"""Open stretches along many parallel scan lines at once, for laying out what lives on a grid."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh.boundary import Outline, Scan, crossed, nudge_of, scan, seen_along

Array = np.ndarray


@dataclass(frozen=True)
class Stretches:
    """Stretches of line k are rows first[k] to first[k + 1], rising: low and high ends (m) and the
    edges they end on (-1: none).
    """

    first: Array
    low: Array
    high: Array
    low_edge: Array
    high_edge: Array

    @property
    def table(self) -> tuple[Array, Array, Array, Array, Array]:
        """All of it, as kernels take it."""
        return self.first, self.low, self.high, self.low_edge, self.high_edge

    def line(self, k: int) -> Scan:
        """One line by itself."""
        mine = slice(int(self.first[k]), int(self.first[k + 1]))
        return Scan(self.low[mine], self.high[mine], self.low_edge[mine], self.high_edge[mine])

    def inside(self, positions: Array) -> Array:
        """Whether each position is open on each line: (lines, positions)."""
        found = np.zeros((self.first.size - 1, positions.size), np.bool_)
        _inside(self.first, self.low, self.high, np.asarray(positions, float), found)
        return found

    def filled(self, nodes: Array) -> Array:
        """Open length (m) between neighbouring nodes on each line: (lines, nodes - 1)."""
        found = np.zeros((self.first.size - 1, nodes.size - 1))
        _filled(self.first, self.low, self.high, np.asarray(nodes, float), found)
        return found

    def swept(self, nodes: Array) -> Array:
        """The same of y squared, times pi (m2): what a turned vessel has open across its axis."""
        found = np.zeros((self.first.size - 1, nodes.size - 1))
        low, high, at = (np.maximum(a, 0.0) ** 2 for a in (self.low, self.high, nodes))
        _filled(self.first, low, high, at, found)
        return np.pi * found


def scan_all(outline: Outline, axis: int, positions: Array) -> Stretches:
    """Open stretches along the lines x = position (axis 0) or y = position (axis 1), rising.

    As `scan` of each; lines that no part of the outline lies on are done together.
    """
    positions = np.asarray(positions, float)
    if outline.repeats[1 - axis]:
        return _from_scans([scan(outline, axis, float(at)) for at in positions])
    apart = _lain_on(outline, axis, positions)
    plain = np.flatnonzero(~apart)
    line, *ends = crossed(outline, axis, positions[plain])
    lines = plain[line[0::2]]
    rows = [lines, ends[0][0::2], ends[0][1::2], ends[1][0::2], ends[1][1::2]]
    special = np.flatnonzero(apart)
    if special.size:
        found = seen_along(outline, axis, positions[special])
        counts = [s.low.size for s in found]
        more = (
            np.repeat(special, counts),
            *(
                np.concatenate([getattr(s, name) for s in found])
                for name in ("low", "high", "low_edge", "high_edge")
            ),
        )
        rows = [np.concatenate(pair) for pair in zip(rows, more, strict=True)]
        order = np.argsort(rows[0], kind="stable")
        rows = [r[order] for r in rows]
    first = np.searchsorted(rows[0], np.arange(positions.size + 1))
    return _stretches(first, *rows[1:])


def _stretches(
    first: Array, low: Array, high: Array, low_edge: Array, high_edge: Array
) -> Stretches:
    return Stretches(
        first.astype(np.int64),
        np.ascontiguousarray(low, float),
        np.ascontiguousarray(high, float),
        low_edge.astype(np.int64),
        high_edge.astype(np.int64),
    )


def _from_scans(scans: list[Scan]) -> Stretches:
    first = np.concatenate([[0], np.cumsum([s.low.size for s in scans])])
    names = ("low", "high", "low_edge", "high_edge")
    return _stretches(first, *(np.concatenate([getattr(s, n) for s in scans]) for n in names))


def _lain_on(outline: Outline, axis: int, positions: Array) -> Array:
    """Which of the lines a part of the outline lies on."""
    nudge = nudge_of(outline)
    a, b = outline.start[:, axis], outline.end[:, axis]
    flat = np.flatnonzero(np.abs(a - b) <= 2 * nudge)
    low = np.searchsorted(positions, np.maximum(a, b)[flat] - nudge)
    high = np.searchsorted(positions, np.minimum(a, b)[flat] + nudge, side="right")
    covers = high > low
    change = np.bincount(low[covers], minlength=positions.size + 1)
    change -= np.bincount(high[covers], minlength=positions.size + 1)
    return np.cumsum(change)[: positions.size] > 0


@kernel
def _inside(first: Array, low: Array, high: Array, positions: Array, found: Array) -> None:
    for k in range(first.size - 1):
        m = 0
        for s in range(first[k], first[k + 1]):
            while m < positions.size and positions[m] < low[s]:
                m += 1
            while m < positions.size and positions[m] < high[s]:
                found[k, m] = True
                m += 1


@kernel
def _filled(first: Array, low: Array, high: Array, nodes: Array, found: Array) -> None:
    for k in range(first.size - 1):
        m = 0
        for s in range(first[k], first[k + 1]):
            while m > 0 and nodes[m] > low[s]:
                m -= 1
            while m + 1 < nodes.size and nodes[m] < high[s]:
                reach = min(nodes[m + 1], high[s]) - max(nodes[m], low[s])
                if reach > 0:
                    found[k, m] += reach
                m += 1


@kernel
def stretch_at(first: Array, low: Array, high: Array, line: int, position: float) -> int:
    """Row of the stretch of a line that holds a position; -1 where it is closed."""
    for s in range(first[line], first[line + 1]):
        if position < low[s]:
            return -1
        if position < high[s]:
            return s
    return -1
