"""A grid that knows its open areas, open volumes, walls and zones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from functools import cached_property
from typing import Any, Literal, NamedTuple

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh.boundary import Outline, Pieces, cut_pieces
from underkettle.engine.mesh.divide import Divide, screen_faces, zone_faces
from underkettle.engine.mesh.grid import Grid
from underkettle.engine.mesh.nearest import nearest
from underkettle.engine.mesh.stretches import Stretches, scan_all
from underkettle.quantities import Place

Array = np.ndarray


NEAR = 1e-3  # of the finest cell, within which pieces that cut cells lie in the same place
SHIFTED = {"j": (1, 0), "face_j": (1, 0), "i": (0, 1), "face_i": (0, 1)}  # with rows, columns


class Window(NamedTuple):
    """Cells from row j0 to j1 and column i0 to i1, padded indices, ends included."""

    j0: int
    j1: int
    i0: int
    i1: int

    @property
    def cells(self) -> tuple[slice, slice]:
        return slice(self.j0, self.j1 + 1), slice(self.i0, self.i1 + 1)

    def wider(self, by: int, grid: Grid) -> Window:
        """With so many more cells on each side, as far as the grid reaches."""
        return Window(
            max(1, self.j0 - by),
            min(grid.ny, self.j1 + by),
            max(1, self.i0 - by),
            min(grid.nx, self.i1 + by),
        )


@dataclass(frozen=True)
class Mesh:
    """Everything the operators need to know about the vessel.

    open_x, open_y : open area (m2) of each cell's west and south face; closed faces are 0.
    volume         : open volume (m3) of each cell.
    zone           : 0 outside the open space, else 1 + index into `zones`; `drawn` also there.
    pieces         : the outline cut by the grid (walls, nozzles, everything that is a boundary).
    screens        : thin sheets inside, as lines through points (n, 2), m.
    window         : cells outside which it is `like` another, where only parts of it have moved.
    All arrays have the grid's padded shape (1, ny + 3, nx + 3). Where the vessel repeats, faces on
    the rim are open and ghosts hold what lies at the other end; `live` knows no ghosts.
    """

    grid: Grid
    outline: Outline
    open_x: Array
    open_y: Array
    volume: Array
    zone: Array
    zones: tuple[str, ...]
    pieces: Pieces
    drawn: Array
    screens: Mapping[str, Array] = field(default_factory=dict)
    like: Mesh | None = field(default=None, repr=False)
    window: Window | None = None
    _stretches: dict[tuple[int, str], Stretches] = field(default_factory=dict, repr=False)
    _divides: dict[str, Divide] = field(default_factory=dict, repr=False)

    @property
    def shape(self) -> tuple[int, int, int]:
        return self.grid.shape

    @property
    def edges(self) -> tuple[str, ...]:
        return self.outline.edges

    @cached_property
    def live(self) -> Array:
        """Cells that take part: some open volume and at least one way in or out."""
        ways = np.zeros(self.shape)
        ways[:, :-1, :-1] += self.open_x[:, :-1, :-1] + self.open_x[:, :-1, 1:]
        ways[:, :-1, :-1] += self.open_y[:, :-1, :-1] + self.open_y[:, 1:, :-1]
        inside = np.zeros(self.shape, bool)
        inside[:, 1 : self.grid.ny + 1, 1 : self.grid.nx + 1] = True
        return inside & (ways > 0) & (self.volume > 0)

    @property
    def cells(self) -> int:
        """The number of cells that take part."""
        return int(self.live.sum())

    @cached_property
    def cuts(self) -> int:
        """How many cells walls cut, or meet off the grid's lines."""
        return int(
            np.unique(
                self.pieces.j[self.pieces.axis < 0] * self.shape[2]
                + self.pieces.i[self.pieces.axis < 0]
            ).size
        )

    @cached_property
    def there(self) -> Array:
        """Live cells, and the ghosts that stand for some."""
        return self.grid.wrapped(self.live)

    @cached_property
    def number(self) -> Array:
        """Running number of each live cell, in its ghosts too; -1 elsewhere. (ny + 3, nx + 3)"""
        index = np.full(self.shape[1:], -1, np.int64)
        index[self.live[0]] = np.arange(self.cells)
        return self.grid.wrap(index)

    @cached_property
    def nearest(self) -> tuple[Array, Array]:
        """Row and column of the open cell nearest to each cell, (ny + 3, nx + 3) both."""
        return nearest(self.live[0])

    def filled(self, values: Array) -> Array:
        """A copy of cell values (ny + 3, nx + 3); closed cells hold what the nearest open one does."""
        found, (closed, near) = values.copy(), self._shut
        found[closed] = values[near]
        return found

    @cached_property
    def _shut(self) -> tuple[tuple[Array, ...], tuple[Array, ...]]:
        """Closed cells, and the open one nearest to each."""
        closed = np.nonzero(~self.live[0])
        return closed, tuple(along[closed] for along in self.nearest)

    def on_outline(self, values: Array, rows: Array | slice = slice(None)) -> Array:
        """Cell values (ny, nx), NaN where closed, on pieces of the outline: of one on a grid line
        carried on from the two cells next to it, elsewhere the cell's own.
        """
        pieces = self.pieces
        j, i = pieces.j[rows] - 1, pieces.i[rows] - 1
        value = values[j, i]
        for axis, normal in ((0, pieces.nx[rows]), (1, pieces.ny[rows])):
            h = self.grid.widths(axis)[1:-2]
            step = np.sign(normal).astype(int)
            j2, i2 = (j, i - step) if axis == 0 else (j - step, i)
            inside = (j2 >= 0) & (i2 >= 0) & (j2 < values.shape[0]) & (i2 < values.shape[1])
            inside &= pieces.axis[rows] == axis
            k, k2 = (i, i2) if axis == 0 else (j, j2)
            second = values[np.where(inside, j2, 0), np.where(inside, i2, 0)]
            inside &= np.isfinite(second)
            near, far = h[k], h[np.where(inside, k2, 0)]
            value = np.where(inside, value + (value - second) * near / (near + far), value)
        return np.asarray(value)

    def matching(self, other: Mesh) -> Array:
        """For each piece of the outline its number in another mesh of the same grid, -1 if it has
        none there. Pieces that cut cells are known by where they lie.
        """
        finest = NEAR * self.grid.finest

        def keys(mesh: Mesh) -> list[tuple[Any, ...]]:
            p = mesh.pieces
            cuts = p.axis < 0
            at = (
                np.where(cuts, np.rint(along / finest), face).astype(np.int64)
                for along, face in ((p.y, p.face_j), (p.x, p.face_i))
            )
            return list(
                zip(
                    (mesh.edges[e] for e in p.edge),
                    p.axis.tolist(),
                    *(a.tolist() for a in at),
                    p.j.tolist(),
                    p.i.tolist(),
                    strict=True,
                )
            )

        if other is self:
            return np.arange(self.pieces.j.size)
        place = {key: k for k, key in enumerate(keys(other))}
        return np.array([place.get(key, -1) for key in keys(self)], dtype=np.int64)

    @cached_property
    def full_volume(self) -> Array:
        return (self.grid.strip[:, None] * self.grid.widths(0)[None, :])[None]

    @property
    def open_volume(self) -> Array:
        """Open volume (m3) of each cell, (ny, nx), without ghosts."""
        return self.volume[0, 1 : self.grid.ny + 1, 1 : self.grid.nx + 1]

    @cached_property
    def pocket(self) -> Array:
        """Label (from 1) of the connected pocket of open space each live cell belongs to."""
        label = np.zeros(self.shape[1:], np.int64)
        _flood(self.live[0], self.open_x[0], self.open_y[0], *self.grid.repeats, label)
        return label[None]

    def stretches(self, axis: int, through: Literal["faces", "centres"]) -> Stretches:
        """Open stretches along the lines x = position (axis 0) or y = position (axis 1): the grid's
        lines, or those through the middles of its cells.
        """
        if (axis, through) not in self._stretches:
            lines = (self.grid.x, self.grid.y)[axis]
            if through == "centres":
                lines = self.grid.centres(axis)[1 : lines.size]
            self._stretches[axis, through] = scan_all(self.outline, axis, lines)
        return self._stretches[axis, through]

    def part(self, window: Window) -> Mesh:
        """The cells of a window by themselves, with the whole outline: what is laid out on it holds
        two cells inside its rim.
        """
        j0, j1, i0, i1 = window
        grid = Grid(
            self.grid.x[i0 - 1 : i1 + 1],
            self.grid.y[j0 - 1 : j1 + 1],
            self.grid.depth,
            self.grid.round,
        )
        cut = (slice(None), slice(j0 - 1, j1 + 3), slice(i0 - 1, i1 + 3))
        p = self.pieces
        mine = np.flatnonzero((p.j >= j0) & (p.j <= j1) & (p.i >= i0) & (p.i <= i1))
        pieces = Pieces(
            **{
                f.name: getattr(p, f.name)[mine]
                - SHIFTED.get(f.name, (0, 0))[0] * (j0 - 1)
                - SHIFTED.get(f.name, (0, 0))[1] * (i0 - 1)
                for f in fields(Pieces)
            }
        )
        return Mesh(
            grid,
            self.outline,
            self.open_x[cut].copy(),
            self.open_y[cut].copy(),
            self.volume[cut].copy(),
            self.zone[cut].copy(),
            self.zones,
            pieces,
            self.drawn[cut],
        )

    def edge_index(self, name: str) -> int:
        return self.outline.edges.index(name)

    def edge_area(self, name: str) -> float:
        """Area (m2) of an edge."""
        return float(self.pieces.area[self.pieces.of(self.edge_index(name))].sum())

    def zone_cells(self, name: str) -> Array:
        return (self.zone == 1 + self.zones.index(name)) & self.live

    def divide(self, name: str) -> Divide:
        """The faces of a screen, or of where two zones meet ("bed-space"), remembered. Raises
        KeyError.
        """
        if name not in self._divides:
            openings = self.open_x[0], self.open_y[0]
            if name in self.screens:
                found = screen_faces(self.grid, openings, self.screens[name])
            else:
                one, dash, other = name.partition("-")
                if not dash or one not in self.zones or other not in self.zones:
                    raise KeyError(name)
                sides = 1 + self.zones.index(one), 1 + self.zones.index(other)
                found = zone_faces(self.grid, openings, self.there[0], self.zone[0], sides)
            self._divides[name] = found
        return self._divides[name]

    def place(self, t: float = 0.0) -> Place:
        """The middle of every cell, broadcastable to (ny + 3, nx + 3), at a time (s)."""
        return Place(x=self.grid.centres(0)[None, :], y=self.grid.centres(1)[:, None], t=t)

    def cell_centres(self) -> tuple[Array, Array]:
        """x and y (m) of every cell, broadcastable to the padded shape."""
        return self.grid.centres(0)[None, None, :], self.grid.centres(1)[None, :, None]


@kernel
def _flood(
    live: Array, open_x: Array, open_y: Array, repeats_x: bool, repeats_y: bool, label: Array
) -> None:
    """Number (from 1) cells that open ways join, in the order in which they are met."""
    ny, nx = live.shape[0] - 3, live.shape[1] - 3
    stack = np.empty((ny * nx, 2), np.int64)
    found = 0
    for j0 in range(1, ny + 1):
        for i0 in range(1, nx + 1):
            if not live[j0, i0] or label[j0, i0]:
                continue
            found += 1
            label[j0, i0] = found
            stack[0, 0], stack[0, 1] = j0, i0
            left = 1
            while left:
                left -= 1
                j, i = stack[left, 0], stack[left, 1]
                for way in range(4):
                    if way == 0:
                        opening, m, k = open_x[j, i], j, i - 1
                    elif way == 1:
                        opening, m, k = open_x[j, i + 1], j, i + 1
                    elif way == 2:
                        opening, m, k = open_y[j, i], j - 1, i
                    else:
                        opening, m, k = open_y[j + 1, i], j + 1, i
                    if opening <= 0:
                        continue
                    if repeats_x:
                        k = (k - 1) % nx + 1
                    if repeats_y:
                        m = (m - 1) % ny + 1
                    inside = 1 <= m <= ny and 1 <= k <= nx
                    if inside and live[m, k] and not label[m, k]:
                        label[m, k] = found
                        stack[left, 0], stack[left, 1] = m, k
                        left += 1


def build_mesh(
    grid: Grid,
    outline: Outline,
    zones: Mapping[str, Outline | None],
    screens: Mapping[str, Array] | None = None,
    like: Mesh | None = None,
    window: Window | None = None,
) -> Mesh:
    """Lay `outline` on `grid`. Zones come in rising order of precedence; None means everywhere.

    screens : thin sheets, as lines through points (n, 2), m. like : a mesh of the same grid, edges
    and zones that differs within a window of cells at most.
    """
    nx, ny = grid.nx, grid.ny
    if grid.repeats != outline.repeats:
        raise ValueError("grid and outline do not repeat alike")
    if like is None or window is None or any(grid.repeats):
        like, window = None, Window(1, ny, 1, nx)
    open_x, open_y = (
        (np.zeros(grid.shape), np.zeros(grid.shape))
        if like is None
        else (like.open_x.copy(), like.open_y.copy())
    )
    upright = scan_all(outline, 0, grid.x[window.i0 - 1 : window.i1 + 1])
    wide = upright.swept(grid.y) if grid.round else grid.depth * upright.filled(grid.y)
    open_x[0, 1 : ny + 1, window.i0 : window.i1 + 2] = wide.T
    flat = scan_all(outline, 1, grid.y[window.j0 - 1 : window.j1 + 1])
    level = grid.around(grid.y[window.j0 - 1 : window.j1 + 1])
    open_y[0, window.j0 : window.j1 + 2, 1 : nx + 1] = flat.filled(grid.x) * level[:, None]
    pieces = cut_pieces(outline, grid)
    # faces on the rim are boundaries, whatever lies behind them, unless the vessel repeats
    x0, y0, x1, y1 = outline.box
    tiny = 1e-9 * max(x1 - x0, y1 - y0)
    if not grid.repeats[0]:
        open_x[0, :, 1:-1][:, (grid.x <= x0 + tiny) | (grid.x >= x1 - tiny)] = 0.0
    if not grid.repeats[1]:
        open_y[0, 1:-1][(grid.y <= y0 + tiny) | (grid.y >= y1 - tiny)] = 0.0
    open_x[0][open_x[0] < 1e-9 * grid.strip[:, None]] = 0.0
    full_y = grid.around(grid.faces(1))[:, None] * grid.widths(0)[None, :]
    open_y[0][open_y[0] < 1e-9 * full_y] = 0.0
    volume = grid.wrap(_volumes(grid, open_x, pieces))
    grid.wrap(open_x), grid.wrap(open_y)
    if like is None:
        drawn = np.zeros(grid.shape, np.int64)
        for number, shape in enumerate(zones.values(), start=1):
            drawn[_inside(grid, shape)] = number
    else:
        drawn = like.drawn
    zone = grid.wrap(np.where(volume > 0, drawn, 0))
    across = {} if like is not None else {(0, "faces"): upright, (1, "faces"): flat}
    return Mesh(
        grid,
        outline,
        open_x,
        open_y,
        volume,
        zone,
        tuple(zones),
        pieces,
        drawn,
        dict(screens or {}),
        like,
        window if like is not None else None,
        across,
    )


def _volumes(grid: Grid, open_x: Array, pieces: Pieces) -> Array:
    """Open volumes (m3) by the divergence theorem: the sum of x n_x dA around each cell.

    x is taken from the cell's own centre, which keeps the difference of large terms small.
    """
    face, centre = grid.faces(0), grid.centres(0)
    volume = np.zeros(grid.shape)
    inner = slice(1, grid.nx + 1)
    west = open_x[0, :, inner] * (face[inner] - centre[inner])
    east = open_x[0, :, 2 : grid.nx + 2] * (face[2 : grid.nx + 2] - centre[inner])
    volume[0, :, inner] = east - west
    np.add.at(
        volume[0], (pieces.j, pieces.i), (pieces.x - centre[pieces.i]) * pieces.nx * pieces.area
    )
    if grid.round:  # the radius changes along a slanted piece
        turn = np.pi / 6 * pieces.length**3 * pieces.nx**2 * pieces.ny
        np.add.at(volume[0], (pieces.j, pieces.i), -turn)
    full = grid.strip[:, None] * grid.widths(0)[None, :]
    volume[0][volume[0] < 1e-9 * full] = 0.0
    return np.minimum(volume, full[None])


def _inside(grid: Grid, shape: Outline | None) -> Array:
    if shape is None:
        return np.ones(grid.shape, bool)
    inside = np.zeros(grid.shape, bool)
    lines = scan_all(shape, 0, grid.centres(0)[1 : grid.nx + 1])
    inside[0, :, 1 : grid.nx + 1] = lines.inside(grid.centres(1)).T
    return inside
