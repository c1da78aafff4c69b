"""What walls leave open of the cells that they cut, as polygons, and the walls in them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from underkettle.engine.interface.polygons import area
from underkettle.engine.mesh import Mesh

Array = np.ndarray

FEW = 8  # pieces of a wall that bends little within a cell
MOST = 24  # corners of what is open of a cell
ROOM = 2 * MOST + 8  # corners of what is cut out of it
WHOLE = 1e-9  # share of a cell that may be closed in one that counts as open
ALIKE, ROUGHLY = 1e-3, 0.2  # share of a cell, by which its polygon may differ from its volume
NEAR = 1e-7  # of a cell: nearer points are one
EVENLY = np.cos(np.radians(10.0))  # of the angle between pieces that go on as one
BENDS = np.cos(np.radians(30.0))  # of the angle between walls, beyond which they meet in a corner
SMALL = 0.5  # of a cell: less is pooled with a neighbour where it is over full

Points = list[tuple[float, float]]


class Cuts:
    """Cells that walls cut, a row each; rows and columns are those of arrays with a rim.

    number : of each cell's row, -1 where none cuts it. x, y : (n, MOST) corners of what is open, of
    which there are `count`, in cells. area : (n,) of it, of a cell. chord : (n, 4) ends of the wall,
    in cells; into : (n, 2) its normal into the open space. first, last : rows of its pieces of wall:
    ends (x, y, x, y, in cells) and normals there and in the middle (m, 6). own : (m,) numbers of the
    mesh's pieces. partner : row and column of the cell that a small one is pooled with, -1 for none.
    split : cells (row, column of the mesh) that walls leave more than one opening of. rim : by how much
    those arrays are wider than the mesh.
    """

    def __init__(self, mesh: Mesh, rim: int, shape: tuple[int, int]) -> None:
        grid, self.rim = mesh.grid, rim
        self.number = np.full(shape, -1, np.int64)
        volume, full = mesh.volume[0], mesh.full_volume[0]
        wide, high = grid.widths(0), grid.widths(1)
        rows: list[tuple[int, int]] = []
        corners: list[Points] = []
        walls: list[Array] = []
        self.split: list[tuple[int, int]] = []
        turned = _Normals(mesh)
        for j, i, k, groups, ends, opened in _opened(mesh):
            if opened is None:
                self.split.append((j, i))
                continue
            rows.append((j, i))
            corners.append(opened)
            normals = turned(k)
            first, last = ([int(group[at]) for group in groups] for at in (0, -1))
            middle = [int(group[group.size // 2]) for group in groups]
            walls.append(
                np.column_stack(
                    [ends, normals[first, :2], normals[middle, 2:4], normals[last, 4:], k[middle]]
                )
            )
        n = len(rows)
        at_j, at_i = (np.array([r[axis] for r in rows], np.int64) for axis in (0, 1))
        self.row, self.column = at_j + rim - 1, at_i + rim - 1
        self.number[self.row, self.column] = np.arange(n)
        self.count = np.array([len(c) for c in corners], np.int64)
        self.x, self.y = np.zeros((n, MOST)), np.zeros((n, MOST))
        for row, points in enumerate(corners):
            self.x[row, : len(points)], self.y[row, : len(points)] = np.array(points).T
        self.area = np.array([_area(c) for c in corners])
        self.cells = self.row, self.column
        self.shapes = self.x, self.y, self.count, self.area
        sizes = np.array([len(w) for w in walls], np.int64)
        self.last = np.cumsum(sizes)
        self.first = self.last - sizes
        table = np.concatenate(walls) if n else np.zeros((0, 11))
        self.ends, self.normals = table[:, :4].copy(), table[:, 4:10].copy()
        self.own = table[:, 10].astype(np.int64)
        self.angle = np.full((n, 2), np.nan)  # receding and advancing (rad)
        self.chord, self.into, self.chief = self._chords(wide[at_i], high[at_j])
        live = np.zeros(shape, bool)
        live[rim : rim + grid.ny, rim : rim + grid.nx] = mesh.live[0][1:-2, 1:-2]
        self.partner = self._partners(live, np.asarray(volume / full), rim)

    def __len__(self) -> int:
        return int(self.row.size)

    def row_of(self, j: int, i: int) -> int:
        """The row of a cell (row, column of the mesh), -1 where none cuts it."""
        m, n = j + self.rim - 1, i + self.rim - 1
        inside = 0 <= m < self.number.shape[0] and 0 <= n < self.number.shape[1]
        return int(self.number[m, n]) if inside else -1

    def _chords(self, wide: Array, high: Array) -> tuple[Array, Array, Array]:
        """Ends and normal of the wall in each cell, of its longest piece where it has a corner; and
        which of the mesh's pieces is the longest.
        """
        n = len(self)
        chord, into, chief = np.zeros((n, 4)), np.zeros((n, 2)), np.zeros(n, np.int64)
        for k in range(n):
            mine = slice(self.first[k], self.last[k])
            ends, normals = self.ends[mine], self.normals[mine, 2:4]
            size = np.array([wide[k], high[k]])
            length = np.hypot(*((ends[:, 2:] - ends[:, :2]) * size).T)
            longest = int(length.argmax())
            chief[k] = self.own[mine][longest]
            if (normals @ normals.T).min() >= BENDS:
                middle = 0.5 * (ends[0, :2] + ends[-1, 2:])
                near = np.hypot(*((0.5 * (ends[:, :2] + ends[:, 2:]) - middle) * size).T).argmin()
                chord[k] = *ends[0, :2], *ends[-1, 2:]
                into[k] = normals[near]
            else:
                chord[k], into[k] = ends[longest], normals[longest]
        return chord, into, chief

    def _partners(self, live: Array, share: Array, rim: int) -> Array:
        """See above: of the two neighbours that its wall looks at the one it looks at most, by what
        is open of that.
        """
        found = np.full((len(self), 2), -1, np.int64)
        for k, (j, i) in enumerate(zip(self.row, self.column, strict=True)):
            if share[j - rim + 1, i - rim + 1] >= SMALL:
                continue
            best = 0.0
            for axis, along in enumerate(self.into[k]):
                step = 1 if along > 0 else -1
                m, n = (j, i + step) if axis == 0 else (j + step, i)
                if live[m, n] and abs(along) * share[m - rim + 1, n - rim + 1] > best:
                    best = abs(along) * share[m - rim + 1, n - rim + 1]
                    found[k] = m, n
        return found


def split_cells(mesh: Mesh) -> list[tuple[int, int]]:
    """Cells (row, column) that walls leave more than one opening of, or end within."""
    return [(j, i) for j, i, *_, opened in _opened(mesh) if opened is None]


def _opened(
    mesh: Mesh,
) -> Iterator[tuple[int, int, Array, list[Array], Array, Points | None]]:
    """Cells that walls cut: row and column, numbers of their pieces of wall, those taken together as
    one, ends of these (n, 4) in cells, and what they leave open; None where that is not one piece.
    """
    grid, p = mesh.grid, mesh.pieces
    share = mesh.volume[0] / np.maximum(mesh.full_volume[0], 1e-300)
    slanted = np.flatnonzero(p.axis < 0)
    cell = p.j[slanted] * mesh.shape[2] + p.i[slanted]
    order = np.argsort(cell, kind="stable")
    slanted, cell = slanted[order], cell[order]
    at, starts, counts = np.unique(cell, return_index=True, return_counts=True)
    wide, high = grid.widths(0), grid.widths(1)
    left, low = grid.faces(0), grid.faces(1)
    for key, begin, many in zip(at.tolist(), starts, counts, strict=True):
        j, i = divmod(key, mesh.shape[2])
        if not mesh.live[0, j, i] or share[j, i] > 1.0 - WHOLE:
            continue
        k = slanted[begin : begin + many]
        x, y = (p.x[k] - left[i]) / wide[i], (p.y[k] - low[j]) / high[j]
        dx, dy = (
            0.5 * along * p.length[k] / size
            for along, size in ((-p.ny[k], wide[i]), (p.nx[k], high[j]))
        )
        ends = np.stack([x - dx, y - dy, x + dx, y + dy], axis=1)
        groups = _groups(ends, np.stack([p.nx[k], p.ny[k]], axis=1))
        ends = np.array([[*ends[g[0], :2], *ends[g[-1], 2:]] for g in groups])
        opened = opening(ends)
        if opened is not None:
            # in round vessels volumes weigh by radius: nearly alike is all that can be asked for
            off = abs(_area(opened) - share[j, i])
            if len(opened) > MOST or off > (ROUGHLY if grid.round else ALIKE):
                opened = None
        yield j, i, k, groups, ends, opened


def _groups(ends: Array, normals: Array) -> list[Array]:
    """Numbers of pieces of wall that are taken as one: each by itself where there are few, and
    otherwise such as go on nearly straight.
    """
    every = np.arange(len(ends))
    if every.size <= FEW:
        return list(every[:, None])
    goes_on = np.abs(ends[1:, :2] - ends[:-1, 2:]).max(axis=1) <= NEAR
    goes_on &= (normals[1:] * normals[:-1]).sum(axis=1) >= EVENLY
    runs = np.split(every, np.flatnonzero(~goes_on) + 1)
    return [group for run in runs for group in np.array_split(run, min(FEW, run.size))]


def _area(points: Points) -> float:
    return float(area(*np.array(points).T.copy(), len(points)))


class _Normals:
    """Normals into the open space at the begin, the middle and the end of pieces: of walls that bend
    little from one side to the next they turn evenly from the middle of one to the next's.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.mesh, outline = mesh, mesh.outline
        self.step = outline.end - outline.start
        self.length = np.hypot(*self.step.T)
        self.length[self.length == 0.0] = 1.0
        own = self.own = np.stack([-self.step[:, 1], self.step[:, 0]], axis=1)
        own /= self.length[:, None]
        self.corners = []
        for other in _joined(outline.start, outline.end):
            near = own[np.maximum(other, 0)]
            smooth = (other >= 0) & ((near * own).sum(axis=1) >= BENDS)
            smooth &= outline.edge[np.maximum(other, 0)] == outline.edge
            mean = np.where(smooth[:, None], own + near, own)
            size = np.maximum(np.hypot(*mean.T), 1e-300)
            self.corners.append(mean / size[:, None])

    def __call__(self, pieces: Array) -> Array:
        """(n, 6) of numbers of pieces."""
        outline, p = self.mesh.outline, self.mesh.pieces
        found = np.zeros((pieces.size, 6))
        for row, k in enumerate(pieces):
            at = np.array([p.x[k], p.y[k]]) - outline.start
            along = (at * self.step).sum(axis=1) / self.length
            off = np.abs((at * self.own).sum(axis=1))
            off += np.maximum(-along, 0) + np.maximum(along - self.length, 0)
            off[outline.edge != p.edge[k]] = np.inf
            s = int(off.argmin())
            for end, shift in enumerate((-0.5, 0.0, 0.5)):
                t = np.clip((along[s] + shift * p.length[k]) / self.length[s], 0.0, 1.0)
                one, two = self.corners[0][s], self.own[s]
                if t >= 0.5:
                    one, two = self.own[s], self.corners[1][s]
                share = 2.0 * t if t < 0.5 else 2.0 * t - 1.0
                mean = (1.0 - share) * one + share * two
                found[row, 2 * end : 2 * end + 2] = mean / np.hypot(*mean)
        return found


def _joined(start: Array, end: Array) -> tuple[Array, Array]:
    """Which segment ends where each begins, and which begins where it ends; -1 for none."""
    scale = float(np.ptp(np.concatenate([start, end]), axis=0).max()) or 1.0
    first, last = (
        list(map(tuple, np.rint(place / scale * 1e9).astype(np.int64))) for place in (start, end)
    )
    begins, ends = ({key: k for k, key in enumerate(keys)} for keys in (first, last))
    before, after = [ends.get(key, -1) for key in first], [begins.get(key, -1) for key in last]
    return np.array(before, np.int64), np.array(after, np.int64)


def opening(ends: Array) -> Points | None:
    """What walls leave open of the unit square, counter-clockwise; None where that is not one piece.

    ends : (n, 4) x, y, x, y of pieces of wall, the open space to the left of each.
    """
    chains = _chains(ends.tolist())
    marks = []
    for chain in chains:
        begin, end = _around(chain[0]), _around(chain[-1])
        if begin is None or end is None:
            return None
        marks.append((begin, end))
    found: Points = []
    left, k = set(range(len(chains))), 0
    while True:
        left.discard(k)
        found += chains[k]
        out = marks[k][1]
        ways = [((marks[m][0] - out) % 4.0, m) for m in [*left, 0]]
        # what ends where it began goes round all of the cell, or round nothing
        way, k = min(
            (way if way > NEAR else way + 4.0 * (m == 0 and not left), m) for way, m in ways
        )
        corner = np.floor(out + NEAR) + 1.0
        while corner < out + way - NEAR:
            found.append([(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)][int(corner) % 4])
            corner += 1.0
        if k == 0:
            break
    if left:
        return None
    return _apart(found)


def _apart(points: Points) -> Points:
    """Without points that lie on the one before them."""
    kept: Points = []
    for point in points:
        if not kept or max(abs(point[0] - kept[-1][0]), abs(point[1] - kept[-1][1])) > NEAR:
            kept.append(point)
    if len(kept) > 1 and max(abs(a - b) for a, b in zip(kept[0], kept[-1], strict=True)) <= NEAR:
        kept.pop()
    return kept


def _chains(pieces: Sequence[Sequence[float]]) -> list[Points]:
    """Pieces joined where one begins where another ends."""
    chains: list[Points] = [[(a, b), (c, d)] for a, b, c, d in pieces]
    joined = True
    while joined:
        joined = False
        for a in range(len(chains)):
            for b in range(len(chains)):
                if (
                    a != b
                    and max(
                        abs(chains[a][-1][0] - chains[b][0][0]),
                        abs(chains[a][-1][1] - chains[b][0][1]),
                    )
                    <= NEAR
                ):
                    chains[a] += chains[b][1:]
                    del chains[b]
                    joined = True
                    break
            if joined:
                break
    return chains


def _around(point: tuple[float, float]) -> float | None:
    """How far round the unit square from (0, 0) a point lies, counter-clockwise; None for off it."""
    x, y = point
    near = 1e-6
    if abs(y) < near and -near <= x <= 1 + near:
        return float(np.clip(x, 0.0, 1.0)) % 4.0
    if abs(x - 1) < near and -near <= y <= 1 + near:
        return 1.0 + float(np.clip(y, 0.0, 1.0))
    if abs(y - 1) < near and -near <= x <= 1 + near:
        return 2.0 + 1.0 - float(np.clip(x, 0.0, 1.0))
    if abs(x) < near and -near <= y <= 1 + near:
        return (3.0 + 1.0 - float(np.clip(y, 0.0, 1.0))) % 4.0
    return None
