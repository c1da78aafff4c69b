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

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh.grid import Grid
from underkettle.quantities import Place

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
        return np.asarray(
            np.maximum(np.abs(self.start[:, axis] - at), np.abs(self.end[:, axis] - at)) <= near
        )

    def joined(self, axes: Sequence[int]) -> Outline:
        """The same outline where what lies on the rims along these axes is where it repeats."""
        gate = np.zeros(self.edge.size, bool)
        for axis in axes:
            gate |= self.rim(axis, False) | self.rim(axis, True)
        count = len(self.edges)
        had = np.bincount(self.edge, minlength=count) > 0
        there = ~had | (np.bincount(self.edge[~gate], minlength=count) > 0)
        kept = tuple(e for e, k in zip(self.edges, there, strict=False) if k)
        number = np.where(there, np.cumsum(there) - 1, len(kept))[: len(self.edges)]
        return Outline(self.start, self.end, np.where(gate, len(kept), number[self.edge]), kept)

    @cached_property
    def _grouped(self) -> dict[str, Array]:
        """Numbers of the segments of each edge, in their order."""
        order = np.argsort(self.edge, kind="stable")
        ends = np.searchsorted(self.edge[order], np.arange(len(self.edges) + 1))
        return {name: order[a:b] for name, a, b in zip(self.edges, ends, ends[1:], strict=False)}

    def segments(self, edge: str) -> Array:
        """Numbers of the segments of an edge. Raises KeyError."""
        return self._grouped[edge]

    @cached_property
    def _across(self) -> tuple[tuple[Array, Array, float, Array], ...]:
        """For each axis: short segments by their low end, those ends, how long the longest of them
        is, and the few that are longer.
        """
        found = []
        for axis in (0, 1):
            low = np.minimum(self.start[:, axis], self.end[:, axis])
            reach = np.abs(self.end[:, axis] - self.start[:, axis])
            short = reach <= 8 * float(np.median(reach)) + 1e-12 * float(reach.max(initial=0.0))
            order = np.flatnonzero(short)
            order = order[np.argsort(low[order], kind="stable")]
            found.append(
                (order, low[order], float(reach[order].max(initial=0.0)), np.flatnonzero(~short))
            )
        return tuple(found)

    def around(self, axis: int, at: float, nudge: float) -> Array:
        """Rising numbers of the segments that may come within `nudge` (m) of a line across an
        axis.
        """
        order, low, longest, rest = self._across[axis]
        first = np.searchsorted(low, at - nudge - longest * (1 + 1e-9))
        last = np.searchsorted(low, at + nudge, side="right")
        return np.sort(np.concatenate([order[first:last], rest]))

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """low x, low y, high x, high y (m)."""
        points = np.concatenate([self.start, self.end])
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        return float(x0), float(y0), float(x1), float(y1)


def outline_from_rings(
    rings: Sequence[tuple[Array, Sequence[str]]], edges: Sequence[str] = ()
) -> Outline:
    """An outline from closed rings, each (n, 2) points with the edge name of each of n sides.

    The open space must lie to the left: outer rings run counter-clockwise, holes clockwise.
    edges : names that come first, whether they have any side or not.
    """
    names: dict[str, int] = {name: k for k, name in enumerate(edges)}
    for _, sides in rings:
        for side in sides:
            names.setdefault(side, len(names))
    starts = np.concatenate([np.asarray(p, float) for p, _ in rings])
    ends = np.concatenate([np.roll(np.asarray(p, float), -1, axis=0) for p, _ in rings])
    edge = np.array([names[s] for _, sides in rings for s in sides], dtype=np.int64)
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

    def place(self, t: float = 0.0) -> Place:
        """The middle of every piece, at a time (s)."""
        return Place(x=self.x, y=self.y, t=t)

    @cached_property
    def outward(self) -> Array:
        """+1 of pieces on grid lines that face out along their axis, -1 of those against it."""
        is_high = np.where(self.axis == 0, self.face_i > self.i, self.face_j > self.j)
        return np.where(is_high, 1, -1)

    def faces(self, axis: int) -> tuple[Array, tuple[Array, Array]]:
        """Row numbers of the pieces on grid lines across an axis; rows and columns of their faces."""
        mine = self._across[axis]
        return mine, (self.face_j[mine], self.face_i[mine])

    @cached_property
    def _across(self) -> tuple[Array, Array]:
        return np.flatnonzero(self.axis == 0), np.flatnonzero(self.axis == 1)

    def of(self, edge: int) -> Array:
        """Row numbers of one edge's pieces; not to be written to."""
        return self._of_edges[edge] if 0 <= edge < len(self._of_edges) else self._none

    @cached_property
    def _of_edges(self) -> tuple[Array, ...]:
        many = int(self.edge.max(initial=-1)) + 1
        return tuple(np.flatnonzero(self.edge == edge) for edge in range(many))

    @cached_property
    def _none(self) -> Array:
        return np.zeros(0, np.int64)


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


def nudge_of(outline: Outline) -> float:
    """How near to a line (m) what runs along it is taken to lie on it."""
    x0, y0, x1, y1 = outline.box
    return float(1.7e-9 * max(x1 - x0, y1 - y0))


def _within(outline: Outline, axis: int, at: float) -> Scan:
    return seen_along(outline, axis, np.array([at]))[0]


def seen_along(outline: Outline, axis: int, positions: Array) -> list[Scan]:
    """Open stretches along lines at rising positions, whether parts of the outline lie on them or
    not, within one period.
    """
    x0, y0, x1, y1 = outline.box
    nudge = nudge_of(outline)
    low, high = (x0, x1) if axis == 0 else (y0, y1)

    def lying_on(at: float) -> Array:
        """Numbers of segments that run along the line."""
        near = outline.around(axis, at, 2 * nudge)
        reach = np.maximum(
            np.abs(outline.start[near, axis] - at), np.abs(outline.end[near, axis] - at)
        )
        return near[reach <= nudge]

    lying = [lying_on(at) for at in positions]
    looks: list[list[float]] = []
    for k, at in enumerate(positions):
        if not lying[k].size:
            looks.append([float(at)])
            continue
        sides = [float(s) for s in (at - nudge, at + nudge) if low < s < high]
        if len(sides) == 1 and outline.repeats[axis]:  # the rim, where it goes on
            sides = [high - nudge, low + nudge]
            both = np.union1d(lying_on(low), lying_on(high))
            lying[k] = both[outline.edge[both] < len(outline.edges)]
        looks.append(sides)
    every = np.unique([s for sides in looks for s in sides])
    line, position, edges = crossed(outline, axis, every)
    first = np.searchsorted(line, np.arange(every.size + 1))
    plain = {}
    for k, at in enumerate(every.tolist()):
        mine = slice(int(first[k]), int(first[k + 1]))
        p, e = position[mine], edges[mine]
        plain[at] = Scan(p[0::2], p[1::2], e[0::2], e[1::2])
    found = []
    for sides, on in zip(looks, lying, strict=True):
        if len(sides) == 1:  # nothing lies there, or it is the rim: what lies just inside
            found.append(plain[sides[0]])
        else:
            found.append(_without(_both(*(plain[s] for s in sides)), outline, 1 - axis, on))
    return found


def _on_and_on(found: Scan, outline: Outline, along: int) -> Scan:
    """The same stretches one period further on either side, made one where they go on.

    An end that nothing goes on from, as where a wall just touches the rim, has edge -1.
    """
    low, high = outline.box[along], outline.box[along + 2]
    gate = len(outline.edges)
    rows = [
        (a + shift, b + shift, ea, eb)
        for shift in (low - high, 0.0, high - low)
        for a, b, ea, eb in zip(found.low, found.high, found.low_edge, found.high_edge, strict=True)
        if b > a
    ]
    whole: list[tuple[float, float, int, int]] = []
    for a, b, ea, eb in rows:
        if whole and whole[-1][3] == gate and ea == gate:
            first = whole.pop()
            whole.append((first[0], b, first[2], eb))
        else:
            whole.append((a, b, ea, eb))
    return _table(
        [(a, b, ea if ea < gate else -1, eb if eb < gate else -1) for a, b, ea, eb in whole]
    )


def crossed(outline: Outline, axis: int, positions: Array) -> tuple[Array, Array, Array]:
    """Where the outline crosses lines at rising positions: number of the line, place along it (m)
    and edge, in order; of each line every other one begins a stretch.
    """
    a, b = outline.start, outline.end
    low, high = np.minimum(a[:, axis], b[:, axis]), np.maximum(a[:, axis], b[:, axis])
    first = np.searchsorted(positions, low, side="right")
    count = np.searchsorted(positions, high, side="right") - first
    segment = np.repeat(np.arange(count.size), count)
    line = np.arange(segment.size) - np.repeat(np.cumsum(count) - count - first, count)
    begin, step = a[segment], b[segment] - a[segment]
    share = (positions[line] - begin[:, axis]) / step[:, axis]
    place = begin[:, 1 - axis] + share * step[:, 1 - axis]
    # where two meet, as on a plate, the one that ends a stretch comes before the one that begins it
    begins = (step[:, axis] < 0) if axis == 1 else (step[:, axis] > 0)
    order = np.lexsort((begins, place, line))
    return line[order], place[order], outline.edge[segment][order]


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
    return Scan(
        table[:, 0], table[:, 1], table[:, 2].astype(np.int64), table[:, 3].astype(np.int64)
    )


def _both(p: Scan, q: Scan) -> Scan:
    rows = []
    for a, b, ea, eb in zip(p.low, p.high, p.low_edge, p.high_edge, strict=True):
        for c, d, ec, ed in zip(q.low, q.high, q.low_edge, q.high_edge, strict=True):
            if min(b, d) > max(a, c):
                rows.append((max(a, c), min(b, d), ea if a >= c else ec, eb if b <= d else ed))
    return _table(rows)


def cut_pieces(outline: Outline, grid: Grid) -> Pieces:
    """The outline cut at every grid line it crosses; see Pieces."""
    kept = outline.edge < len(outline.edges)  # what repeats is no boundary
    start, end, edge = outline.start[kept], outline.end[kept], outline.edge[kept]
    most = int((2 + _lines_between(start, end, grid)).sum())
    whole, table = np.zeros((6, most), np.int64), np.zeros((5, most))
    count = _cut(start, end, edge, grid.x, grid.y, whole, table)
    whole, table = whole[:, :count], table[:, :count]
    return Pieces(
        j=whole[0],
        i=whole[1],
        length=table[0],
        area=table[0] * grid.around(table[4]),
        nx=table[1],
        ny=table[2],
        x=table[3],
        y=table[4],
        edge=whole[2],
        axis=whole[3],
        face_j=whole[4],
        face_i=whole[5],
    )


def _lines_between(start: Array, end: Array, grid: Grid) -> Array:
    """At least as many grid lines as lie between the ends of each segment."""
    found = np.zeros(len(start), np.int64)
    for axis, nodes in ((0, grid.x), (1, grid.y)):
        low, high = (f(start[:, axis], end[:, axis]) for f in (np.minimum, np.maximum))
        found += (
            np.searchsorted(nodes, high, side="right") - np.searchsorted(nodes, low, side="left")
        ).clip(0)
    return found


@kernel
def _before(nodes: Array, at: float) -> int:
    """How many of the rising nodes lie at or before a place."""
    low, high = 0, nodes.size
    while low < high:
        middle = (low + high) // 2
        if nodes[middle] <= at:
            low = middle + 1
        else:
            high = middle
    return low


@kernel
def _cut(
    start: Array, end: Array, edge: Array, x: Array, y: Array, whole: Array, table: Array
) -> int:
    """Cut segments where they cross lines x and y; how many pieces there are.

    whole : (6, n) row, column, edge, axis of the grid line a piece lies on (-1: none) and its face;
    table : (5, n) length, unit normal to the right, middle.
    """
    nx, ny = x.size - 1, y.size - 1
    small = x[nx] - x[0]
    for m in range(nx):
        small = min(small, x[m + 1] - x[m])
    for m in range(ny):
        small = min(small, y[m + 1] - y[m])
    small *= 1e-7
    cuts = np.empty(x.size + y.size + 2)
    count = 0
    for k in range(edge.size):
        ax, ay = start[k, 0], start[k, 1]
        dx, dy = end[k, 0] - ax, end[k, 1] - ay
        length = np.sqrt(dx * dx + dy * dy)
        if length == 0.0:
            continue
        cuts[0], n = 0.0, 1
        for axis in range(2):
            nodes, a, d = (x, ax, dx) if axis == 0 else (y, ay, dy)
            if d == 0.0:
                continue
            for m in range(
                max(_before(nodes, min(a, a + d)) - 1, 0), _before(nodes, max(a, a + d))
            ):
                s = (nodes[m] - a) / d
                if 1e-12 < s < 1 - 1e-12:
                    place = n
                    while cuts[place - 1] > s:
                        cuts[place] = cuts[place - 1]
                        place -= 1
                    cuts[place] = s
                    n += 1
        cuts[n] = 1.0
        n += 1
        ux, uy = dy / length, -dx / length
        on, line = -1, 0
        for axis in range(2):
            nodes, a, across = (x, ax, uy) if axis == 0 else (y, ay, ux)
            if abs(across) < 1e-12:
                m = max(_before(nodes, a) - 1, 0)
                if m + 1 < nodes.size and nodes[m + 1] - a < a - nodes[m]:
                    m += 1
                if abs(nodes[m] - a) < small:
                    on, line = axis, m + 1
        before = cuts[0]
        for m in range(1, n):
            if cuts[m] - before <= 1e-13:
                continue
            middle = 0.5 * (cuts[m] + before)
            mx, my = ax + middle * dx, ay + middle * dy
            i = min(max(_before(x, mx - small * ux), 1), nx)
            j = min(max(_before(y, my - small * uy), 1), ny)
            whole[0, count], whole[1, count], whole[2, count], whole[3, count] = j, i, edge[k], on
            whole[4, count] = line if on == 1 else j
            whole[5, count] = line if on == 0 else i
            table[0, count] = (cuts[m] - before) * length
            table[1, count], table[2, count] = ux, uy
            table[3, count], table[4, count] = mx, my
            count += 1
            before = cuts[m]
    return count
