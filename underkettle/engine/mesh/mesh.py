"""A grid that knows its open areas, open volumes, walls and zones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

import numpy as np
from scipy.ndimage import distance_transform_edt
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from underkettle.engine.mesh.boundary import Outline, Pieces, cut_pieces
from underkettle.engine.mesh.divide import Divide, screen_faces, zone_faces
from underkettle.engine.mesh.grid import Grid
from underkettle.engine.mesh.stretches import Stretches, scan_all
from underkettle.quantities import Place

Array = np.ndarray


@dataclass(frozen=True)
class Mesh:
    """Everything the operators need to know about the vessel.

    open_x, open_y : open area (m2) of each cell's west and south face; closed faces are 0.
    volume         : open volume (m3) of each cell.
    zone           : 0 outside the open space, else 1 + index into `zones`.
    pieces         : the outline cut by the grid (walls, nozzles, everything that is a boundary).
    screens        : thin sheets inside, as lines through points (n, 2), m.
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
    screens: Mapping[str, Array] = field(default_factory=dict)
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
        j, i = distance_transform_edt(~self.live[0], return_distances=False, return_indices=True)
        return j, i

    def matching(self, other: Mesh) -> Array:
        """For each piece of the outline its number in another mesh of the same grid, -1 if it has
        none there. Only pieces on grid lines are looked for.
        """

        def keys(mesh: Mesh) -> list[tuple[Any, ...]]:
            p = mesh.pieces
            return list(
                zip(
                    (mesh.edges[e] for e in p.edge),
                    p.axis.tolist(),
                    p.face_j.tolist(),
                    p.face_i.tolist(),
                    p.j.tolist(),
                    p.i.tolist(),
                    strict=True,
                )
            )

        if other is self:
            return np.arange(self.pieces.j.size)
        place = {key: k for k, key in enumerate(keys(other)) if key[1] >= 0}
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
        index, pairs = self.number[None], []
        for opening, step in ((self.open_x, (0, 0, 1)), (self.open_y, (0, 1, 0))):
            before = np.roll(index, (step[1], step[2]), axis=(1, 2))
            linked = (opening > 0) & (index >= 0) & (before >= 0)
            linked[:, 0], linked[:, :, 0] = False, False
            pairs.append(np.stack([index[linked], before[linked]]))
        a, b = np.concatenate(pairs, axis=1)
        links = coo_array((np.ones(a.size), (a, b)), shape=(self.cells, self.cells))
        label = connected_components(links, directed=False)[1]
        result = np.zeros(self.shape, np.int64)
        result[self.live] = label + 1
        return result

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


def build_mesh(
    grid: Grid,
    outline: Outline,
    zones: Mapping[str, Outline | None],
    screens: Mapping[str, Array] | None = None,
) -> Mesh:
    """Lay `outline` on `grid`. Zones come in rising order of precedence; None means everywhere.

    screens : thin sheets, as lines through points (n, 2), m.
    """
    nx, ny = grid.nx, grid.ny
    if grid.repeats != outline.repeats:
        raise ValueError("grid and outline do not repeat alike")
    open_x, open_y = np.zeros(grid.shape), np.zeros(grid.shape)
    across = {(axis, "faces"): scan_all(outline, axis, (grid.x, grid.y)[axis]) for axis in (0, 1)}
    upright = across[0, "faces"]
    wide = upright.swept(grid.y) if grid.round else grid.depth * upright.filled(grid.y)
    open_x[0, 1 : ny + 1, 1 : nx + 2] = wide.T
    flat = across[1, "faces"].filled(grid.x) * grid.around(grid.y)[:, None]
    open_y[0, 1 : ny + 2, 1 : nx + 1] = flat
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
    zone = np.zeros(grid.shape, np.int64)
    for number, shape in enumerate(zones.values(), start=1):
        zone[_inside(grid, shape)] = number
    zone[volume <= 0] = 0
    grid.wrap(zone)
    return Mesh(
        grid,
        outline,
        open_x,
        open_y,
        volume,
        zone,
        tuple(zones),
        pieces,
        dict(screens or {}),
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
