"""The outline of the open space, met exactly by the grid.

Everything comes from two looks at the outline: where a straight scan line crosses it (openings,
and how far a velocity is from the next wall), and how the grid cuts it into pieces (wall areas,
normals, and volumes by the divergence theorem).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from underkettle.engine.mesh.grid import Grid

Array = np.ndarray


@dataclass(frozen=True)
class Outline:
    """Straight segments around the open space, which lies to the left of each.

    start, end : (n, 2) positions in m.  edge : (n,) index into `edges`, the edges' names; past
    their end where the vessel repeats and there is nothing but its other end: see `joined`.
    """

    start: Array
    end: Array
    edge: Array
    edges: tuple[str, ...]

    @cached_property
    def repeats(self) -> tuple[bool, bool]:
        """Whether the vessel repeats along x and along y."""
        gates = self.edge >= len(self.edges)
        along = np.abs(self.end - self.start)[gates]
        return bool((along[:, 1] > along[:, 0]).any()), bool((along[:, 0] > along[:, 1]).any())

    def rim(self, axis: int, high: bool) -> Array:
        """Which segments lie on the low or high rim of the box."""
        box = self.box
        at, near = box[axis + 2 * high], 1.7e-9 * max(box[2] - box[0], box[3] - box[1])
        return np.asarray(np.maximum(np.abs(self.start[:, axis] - at),
                                     np.abs(self.end[:, axis] - at)) <= near)

    def joined(self, axes: Sequence[int]) -> Outline:
        """The same outline where what lies on the rims along these axes is where it repeats."""
        gate = np.zeros(self.edge.size, bool)
        for axis in axes:
            gate |= self.rim(axis, False) | self.rim(axis, True)
        kept = tuple(e for k, e in enumerate(self.edges) if (~gate & (self.edge == k)).any())
        number = np.array([kept.index(e) if e in kept else len(kept) for e in self.edges])
        return Outline(self.start, self.end, np.where(gate, len(kept), number[self.edge]), kept)

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """low x, low y, high x, high y (m)."""
        points = np.concatenate([self.start, self.end])
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        return float(x0), float(y0), float(x1), float(y1)


def outline_from_rings(rings: Sequence[tuple[Array, Sequence[str]]]) -> Outline:
    """An outline from closed rings, each (n, 2) points with the edge name of each of n sides.

    The open space must lie to the left: outer rings run counter-clockwise, holes clockwise.
    """
    names: list[str] = []
    for _, sides in rings:
        names.extend(s for s in sides if s not in names)
    starts = np.concatenate([np.asarray(p, float) for p, _ in rings])
    ends = np.concatenate([np.roll(np.asarray(p, float), -1, axis=0) for p, _ in rings])
    edge = np.array([names.index(s) for _, sides in rings for s in sides], dtype=np.int64)
    return Outline(starts, ends, edge, tuple(names))


@dataclass(frozen=True)
class Pieces:
    """The outline cut by the grid: one row per piece, each within one cell.

    j, i : the open cell it bounds (padded index).  length : m.  area : m2, all the way round.
    nx, ny : unit normal out of the open space.  x, y : middle (m).  edge : index of its edge.
    axis : 0 or 1 if the piece lies on a grid line (its face is (face_j, face_i)), else -1.
    """

    j: Array
    i: Array
    length: Array
    area: Array
    nx: Array
    ny: Array
    x: Array
    y: Array
    edge: Array
    axis: Array
    face_j: Array
    face_i: Array

    def of(self, edge: int) -> Array:
        """Row numbers of one edge's pieces."""
        return np.flatnonzero(self.edge == edge)


@dataclass(frozen=True)
class Scan:
    """Open stretches along one scan line: low and high ends (m) and the edges they end on."""

    low: Array
    high: Array
    low_edge: Array
    high_edge: Array

    def covering(self, position: Array) -> Array:
        """Index of the stretch that holds each position, -1 where it is closed."""
        if self.low.size == 0:
            return np.full(np.shape(position), -1)
        k = np.searchsorted(self.low, position, side="right") - 1
        inside = (k >= 0) & (position < self.high[np.maximum(k, 0)])
        return np.where(inside, k, -1)

    def filled(self, nodes: Array, measure: Callable[[Array], Array] = np.asarray) -> Array:
        """Open length (m) up to each node, or what `measure` makes of it (its antiderivative)."""
        total = np.zeros(nodes.size)
        for a, b in zip(self.low, self.high, strict=True):
            total += measure(np.clip(nodes, a, b)) - measure(a)
        return total


def scan(outline: Outline, axis: int, at: float) -> Scan:
    """Open stretches along the line x = at (axis 0) or y = at (axis 1).

    Where the outline runs along the line itself, a point counts as open only if both sides are,
    and not even then where a plate of no thickness lies. Where the vessel repeats along the line,
    the stretches of one period on either side are there, too.
    """
    found = _within(outline, axis, at)
    return _on_and_on(found, outline, 1 - axis) if outline.repeats[1 - axis] else found


def _within(outline: Outline, axis: int, at: float) -> Scan:
    x0, y0, x1, y1 = outline.box
    nudge = 1.7e-9 * max(x1 - x0, y1 - y0)

    def lying_on(at: float) -> Array:
        reach = np.maximum(np.abs(outline.start[:, axis] - at), np.abs(outline.end[:, axis] - at))
        return reach <= nudge

    lying = lying_on(at)
    if not lying.any():
        return _crossings(outline, axis, at)
    low, high = (x0, x1) if axis == 0 else (y0, y1)
    sides = [_crossings(outline, axis, s) for s in (at - nudge, at + nudge) if low < s < high]
    if len(sides) == 1:  # the rim: what lies just inside
        if not outline.repeats[axis]:
            return sides[0]
        sides = [_crossings(outline, axis, s) for s in (high - nudge, low + nudge)]
        lying = (lying_on(low) | lying_on(high)) & (outline.edge < len(outline.edges))
    return _without(_both(*sides), outline, 1 - axis, np.flatnonzero(lying))


def _on_and_on(found: Scan, outline: Outline, along: int) -> Scan:
    """The same stretches one period further on either side, made one where they go on.

    An end that nothing goes on from, as where a wall just touches the rim, has edge -1.
    """
    low, high = outline.box[along], outline.box[along + 2]
    gate = len(outline.edges)
    rows = [(a + shift, b + shift, ea, eb) for shift in (low - high, 0.0, high - low)
            for a, b, ea, eb in zip(found.low, found.high, found.low_edge, found.high_edge,
                                    strict=True) if b > a]
    whole: list[tuple[float, float, int, int]] = []
    for a, b, ea, eb in rows:
        if whole and whole[-1][3] == gate and ea == gate:
            first = whole.pop()
            whole.append((first[0], b, first[2], eb))
        else:
            whole.append((a, b, ea, eb))
    return _table([(a, b, ea if ea < gate else -1, eb if eb < gate else -1)
                   for a, b, ea, eb in whole])


def _crossings(outline: Outline, axis: int, at: float) -> Scan:
    along = 1 - axis
    a, b = outline.start, outline.end
    hit = np.flatnonzero((a[:, axis] < at) != (b[:, axis] < at))
    share = (at - a[hit, axis]) / (b[hit, axis] - a[hit, axis])
    position = a[hit, along] + share * (b[hit, along] - a[hit, along])
    # where two meet, as on a plate, the one that ends a stretch comes before the one that begins it
    step = b[hit, axis] - a[hit, axis]
    begins = (step < 0) if axis == 1 else (step > 0)
    order = np.lexsort((begins, position))
    position, edges = position[order], outline.edge[hit][order]
    return Scan(position[0::2], position[1::2], edges[0::2], edges[1::2])


def _without(found: Scan, outline: Outline, along: int, lying: Array) -> Scan:
    """What is left open beside segments that lie on the line."""
    rows = list(zip(found.low, found.high, found.low_edge, found.high_edge, strict=True))
    for k in lying:
        a, b = sorted((outline.start[k, along], outline.end[k, along]))
        edge, left = int(outline.edge[k]), []
        for low, high, low_edge, high_edge in rows:
            if min(high, b) <= max(low, a):
                left.append((low, high, low_edge, high_edge))
                continue
            if low < a:
                left.append((low, a, low_edge, edge))
            if b < high:
                left.append((b, high, edge, high_edge))
        rows = left
    return _table(rows)


def _table(rows: Sequence[tuple[float, float, int, int]]) -> Scan:
    table = np.array(rows, float).reshape(-1, 4)
    return Scan(table[:, 0], table[:, 1], table[:, 2].astype(np.int64),
                table[:, 3].astype(np.int64))


def _both(p: Scan, q: Scan) -> Scan:
    rows = []
    for a, b, ea, eb in zip(p.low, p.high, p.low_edge, p.high_edge, strict=True):
        for c, d, ec, ed in zip(q.low, q.high, q.low_edge, q.high_edge, strict=True):
            if min(b, d) > max(a, c):
                rows.append((max(a, c), min(b, d), ea if a >= c else ec, eb if b <= d else ed))
    return _table(rows)


def cut_pieces(outline: Outline, grid: Grid) -> Pieces:
    """The outline cut at every grid line it crosses; see Pieces."""
    rows: list[Array] = []
    for a, b, edge in zip(outline.start, outline.end, outline.edge, strict=True):
        if edge < len(outline.edges):  # what repeats is no boundary
            rows.append(_cut_segment(a, b, int(edge), grid))
    table = np.concatenate(rows) if rows else np.zeros((0, 11))
    whole = table[:, [0, 1, 7, 8, 9, 10]].astype(np.int64)
    return Pieces(
        j=whole[:, 0], i=whole[:, 1], length=table[:, 2],
        area=table[:, 2] * grid.around(table[:, 6]), nx=table[:, 3],
        ny=table[:, 4], x=table[:, 5], y=table[:, 6], edge=whole[:, 2], axis=whole[:, 3],
        face_j=whole[:, 4], face_i=whole[:, 5],
    )


def _cut_segment(a: Array, b: Array, edge: int, grid: Grid) -> Array:
    """Rows (j, i, length, nx, ny, x, y, edge, axis, face_j, face_i) of one segment."""
    direction = b - a
    length = float(np.hypot(*direction))
    if length == 0.0:
        return np.zeros((0, 11))
    shares = [np.array([0.0, 1.0])]
    for axis, nodes in ((0, grid.x), (1, grid.y)):
        if direction[axis] != 0.0:
            s = (nodes - a[axis]) / direction[axis]
            shares.append(s[(s > 1e-12) & (s < 1 - 1e-12)])
    cuts = np.unique(np.concatenate(shares))
    keep = np.concatenate([[True], np.diff(cuts) > 1e-13])
    cuts = cuts[keep]
    middle = a + 0.5 * (cuts[1:] + cuts[:-1])[:, None] * direction
    normal = np.array([direction[1], -direction[0]]) / length
    small = 1e-7 * min(float(np.diff(grid.x).min()), float(np.diff(grid.y).min()))
    inside = middle - small * normal
    i = np.clip(np.searchsorted(grid.x, inside[:, 0], side="right"), 1, grid.nx)
    j = np.clip(np.searchsorted(grid.y, inside[:, 1], side="right"), 1, grid.ny)
    on = np.full(i.size, -1)
    face_j, face_i = j.copy(), i.copy()
    for axis, nodes in ((0, grid.x), (1, grid.y)):
        if abs(normal[1 - axis]) < 1e-12:
            k = int(np.argmin(np.abs(nodes - a[axis])))
            if abs(nodes[k] - a[axis]) < small:
                on[:] = axis
                (face_i if axis == 0 else face_j)[:] = k + 1
    n = i.size
    return np.column_stack([
        j, i, np.diff(cuts) * length, np.full(n, normal[0]), np.full(n, normal[1]),
        middle, np.full(n, edge), on, face_j, face_i,
    ])
