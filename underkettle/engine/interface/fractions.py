"""Two fluids on a mesh as the share of every cell that the first one fills.

Arrays here are wider than those of the mesh: `RIM` more cells on every side, so that columns and slopes
need no case for walls. What stands beyond walls is what stands before them, or where the interface
meets a wall at an angle, what `wetting.py` says; beside and behind walls that cut cells, `contact.py`.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from underkettle.engine.contract.offers import Apart, Turn
from underkettle.engine.interface import contact
from underkettle.engine.interface.advance import (
    deal_out,
    fill,
    pass_cut,
    pass_faces,
    pool,
    trim,
)
from underkettle.engine.interface.bending import REACH, bends, pull
from underkettle.engine.interface.cuts import ROOM, Cuts
from underkettle.engine.interface.planes import pieces_of, reconstruct
from underkettle.engine.interface.wetting import meet_walls
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.nearest import nearest

Array = np.ndarray

RIM = REACH + 1
FITS = 2  # turns of arcs that are fitted to the interface, and of pieces that follow them
PARTS = 2  # of a step, that cells which walls cut are filled in
DEEP = int(contact.BAND)  # cells behind walls
SIDES = (0, 1), (0, -1), (1, 0), (-1, 0)  # rolled so, what is left, right, below, above


class Fractions:
    """share : (ny + 2 RIM, nx + 2 RIM), of what is open of the cells, and what stands around them;
    seen : the same as slopes and heights see it, of whole cells where walls cut them.

    passed_x, passed_y : m3 of the first fluid that the last step took through faces. bend : 1/m of the
    interface, where `known`. over : largest share by which a cell was over full.
    """

    def __init__(self, mesh: Mesh) -> None:
        grid = self.grid = mesh.grid
        self.mesh, self.ny, self.nx = mesh, grid.ny, grid.nx
        shape = self.ny + 2 * RIM, self.nx + 2 * RIM
        self.core = np.s_[RIM : RIM + self.ny, RIM : RIM + self.nx]
        self.faces = np.s_[RIM : RIM + self.ny + 1, RIM : RIM + self.nx + 1]
        self.share, self.a, self.b, self.c = (np.zeros(shape) for _ in range(4))
        self.flow_x, self.flow_y, self.brought_x, self.brought_y = (
            np.zeros(shape) for _ in range(4)
        )
        self.passed_x, self.passed_y = np.zeros(shape), np.zeros(shape)
        self.bend, self.known = np.zeros(shape), np.zeros(shape, bool)
        self.pull_x, self.pull_y = np.zeros(shape), np.zeros(shape)
        self.holds, self.held = False, np.zeros(shape)  # whether walls do, and where
        self.over = 0.0
        self.room = np.ones(shape)
        self.room[self.core] = mesh.volume[0][1 : self.ny + 1, 1 : self.nx + 1]
        self.live = np.zeros(shape, bool)
        self.live[self.core] = mesh.live[0][1 : self.ny + 1, 1 : self.nx + 1]
        self.own = self.live.copy()  # without what stands for others where the vessel repeats
        self._wrap(self.live)
        self._wrap(self.room)
        self.width_x, self.width_y = (
            _wider(grid.widths(axis)[1:-2], grid.repeats[axis]) for axis in (0, 1)
        )
        self.radius = np.pad(grid.centres(1)[1:-2], RIM)
        near = nearest(self.live)
        self.closed = np.nonzero(~self.live)
        self.beside = tuple(along[self.closed] for along in near)
        cuts = self.cuts = Cuts(mesh, RIM, shape)
        self._wrap(cuts.number)
        self.whole = self.live & (cuts.number < 0)
        self.seen = np.zeros(shape) if len(cuts) else self.share
        # what earlier parts of a step have passed along either axis; what tension sees
        self.before, self.colour = np.zeros((2, *shape)), np.zeros(shape)
        self.turns: list[Turn] = []  # what the last step was made of
        self.told = Apart(np.zeros(mesh.shape[1:]), np.zeros((3, *mesh.shape[1:])))
        self.spare = [_blank(mesh.shape[1:]) for _ in range(2 * PARTS if len(cuts) else 2)]
        self.low_x, self.low_y = (
            float(grid.faces(axis)[1]) - float(width[:RIM].sum()) + np.cumsum(width) - width
            for axis, width in ((0, self.width_x), (1, self.width_y))
        )
        self.contacts, self.tried = (
            np.zeros((64, contact.FIELDS)),
            np.zeros((9 * len(cuts) + 8, contact.FIELDS)),
        )
        self.met = 0  # how many contacts there are
        self.slab, self.room_to_cut = np.zeros((2, ROOM)), np.zeros((2, ROOM))
        self.behind = self._behind(near)
        # closed cells at edges that stand out, the live ones beside them along x and y, and what rows
        # along either axis read there: what lies off it
        self.edges, self.off_x, self.off_y = self._edges()
        self.at_x, self.at_y = np.zeros((2, *shape))
        self.has_edges = bool(self.edges.any())
        self.along_x: Array = np.zeros(shape) if self.has_edges else self.seen
        self.along_y: Array = np.zeros(shape) if self.has_edges else self.seen
        self.walls, self.angles = np.zeros((0, 4), np.int64), np.zeros((0, 2))
        # along either axis, which pieces of the outline stand across it and where their faces are here
        self.outward = mesh.pieces.outward
        self.rims = [
            (mine, (j + RIM - 1, i + RIM - 1)) for mine, (j, i) in map(mesh.pieces.faces, (0, 1))
        ]

    def _edges(self) -> tuple[Array, tuple[Array, Array], tuple[Array, Array]]:
        """Closed cells that a live one stands beside along both axes, and the one along x, along y."""
        sides = [np.roll(self.live, (down, right), (0, 1)) for down, right in SIDES]
        one = [sides[0] ^ sides[1], sides[2] ^ sides[3]]
        edges = ~self.live & one[0] & one[1]
        near_cuts = self.cuts.number >= 0
        for down, right in SIDES:
            near_cuts = near_cuts | np.roll(near_cuts, (down, right), (0, 1))
        edges &= ~near_cuts
        edges[:1] = edges[-1:] = False
        edges[:, :1] = edges[:, -1:] = False
        j, i = np.nonzero(edges)
        left, below = sides[0][j, i], sides[2][j, i]
        return edges, (j, np.where(left, i - 1, i + 1)), (np.where(below, j - 1, j + 1), i)

    def _behind(self, near: tuple[Array, Array]) -> tuple[Array, Array]:
        """Rows and columns of cells that walls cut, and of closed ones behind such walls. near : of the
        live cell that is nearest to each.
        """
        cut = self.cuts.number >= 0
        around = cut.copy()
        for down in (-1, 0, 1):
            for right in (-1, 0, 1):
                around |= np.roll(cut, (down, right), (0, 1))
        flat = self.mesh.pieces.axis >= 0
        around[self.mesh.pieces.j[flat] + RIM - 1, self.mesh.pieces.i[flat] + RIM - 1] = False
        around |= cut
        rows, columns = np.indices(cut.shape)
        deep = np.maximum(np.abs(near[0] - rows), np.abs(near[1] - columns))
        found = np.nonzero(cut | (~self.live & around[near] & (deep <= DEEP)))
        return found[0].copy(), found[1].copy()

    def set_angles(self, receding: Array, advancing: Array | None = None) -> None:
        """The angle (rad, in the first fluid) at every piece of the outline, NaN where none is; those
        that it recedes and advances at, or both at once.
        """
        pieces = self.mesh.pieces
        angles = np.stack([receding, receding if advancing is None else advancing], axis=1)
        mine = np.flatnonzero((pieces.axis >= 0) & ~np.isnan(receding))
        up, step = pieces.axis[mine], self.outward[mine]
        cells = pieces.j[mine] + RIM - 1, pieces.i[mine] + RIM - 1
        self.walls = np.stack([*cells, up * step, (1 - up) * step], axis=1).astype(np.int64)
        self.angles = np.asarray(angles[mine], float)
        self.cuts.angle[:] = angles[self.cuts.chief]
        self.holds = bool((angles[:, 1] > angles[:, 0]).any())

    def _wrap(self, values: Array) -> None:
        for axis, count in ((1, self.nx), (0, self.ny)):
            if self.grid.repeats[1 - axis]:
                line = np.moveaxis(values, axis, 0)
                line[:RIM] = line[count : count + RIM]
                line[RIM + count :] = line[RIM : 2 * RIM]

    def take(self, share: Array) -> None:
        """Take over shares of the mesh's cells, (ny + 3, nx + 3)."""
        self.share[self.core] = share[1 : self.ny + 1, 1 : self.nx + 1]
        self.look()

    def give(self, share: Array) -> None:
        """Write them there, ghosts included where the vessel repeats."""
        share[1 : self.ny + 1, 1 : self.nx + 1] = self.share[self.core]
        self.grid.wrap(share)

    def look(self) -> None:
        """What stands around the cells, and the pieces in them, as shares are now."""
        self._wrap(self.share)
        self.share[self.closed] = self.share[self.beside]
        if len(self.cuts):
            self.seen[:] = self.share
        if self.has_edges:
            self.at_x[self.edges] = self.share[self.off_y]
            self.at_y[self.edges] = self.share[self.off_x]
        if self.holds:
            self.held[:] = 0.0
        if self.walls.size:
            meet_walls(
                self.seen,
                self.live,
                self.whole,
                self.width_x,
                self.width_y,
                self.walls,
                self.angles,
                self.held,
                self.edges,
                self.at_x,
                self.at_y,
            )
        if self.has_edges:
            self.seen[self.edges] = 0.5 * (self.at_x[self.edges] + self.at_y[self.edges])
        if len(self.cuts):
            self._meet_cuts()
        else:
            reconstruct(self.seen, self.live, self.a, self.b, self.c)
        for values in (self.a, self.b, self.c):
            self._wrap(values)

    @property
    def _places(self) -> tuple[Array, Array, Array, Array]:
        return self.low_x, self.low_y, self.width_x, self.width_y

    def _meet_cuts(self) -> None:
        """Pieces in cells that walls cut, and what stands behind those walls."""
        cuts, places, planes = self.cuts, self._places, (self.a, self.b, self.c)
        shapes = cuts.shapes
        if self.holds:  # pieces off walls tell at which angle they are met
            reconstruct(self.seen, self.live, *planes)
        self.met = contact.find(
            self.share,
            self.live,
            self.room,
            cuts.number,
            *cuts.cells,
            *shapes,
            cuts.chord,
            cuts.into,
            cuts.angle,
            *planes,
            *places,
            self.slab,
            self.contacts,
            self.tried,
        )
        for turn in range(FITS + 1):
            if turn > 0:
                contact.fit(
                    self.share,
                    self.live,
                    cuts.number,
                    *shapes[:3],
                    cuts.first,
                    cuts.last,
                    cuts.ends,
                    cuts.normals,
                    *planes,
                    *places,
                    self.contacts,
                    self.met,
                )
            contact.extend(
                self.share,
                self.seen,
                cuts.number,
                *self.behind,
                *shapes,
                *places,
                self.contacts,
                self.met,
                self.slab,
            )
            self._wrap(self.seen)
            # of whole cells as slopes see them, then of what is open of those that walls cut
            reconstruct(self.seen, self.live, *planes)
            contact.reconstruct_cut(
                self.share,
                self.seen,
                *cuts.cells,
                *shapes,
                *places,
                self.contacts,
                self.met,
                self.slab,
                *planes,
            )
            if not self.met:
                break
        for row in self.contacts[: self.met][self.contacts[: self.met, contact.HELD] > 0.0]:
            i = int(np.searchsorted(self.low_x, row[contact.X])) - 1
            j = int(np.searchsorted(self.low_y, row[contact.Y])) - 1
            near = np.s_[j - 1 : j + 2, i - 1 : i + 2]
            self.held[near][cuts.number[near] >= 0] = 1.0

    def set_flows(self, x: Array, y: Array, through: Array, brought: Array) -> None:
        """Take over m3/s through faces (ny + 3, nx + 3) and out of every piece of the outline; and the
        share of the first fluid in what pieces let in.
        """
        rows, columns = np.s_[1 : self.ny + 2], np.s_[1 : self.nx + 2]
        self.flow_x[self.faces], self.flow_y[self.faces] = x[rows, columns], y[rows, columns]
        for (mine, at), flow, share in zip(
            self.rims, (self.flow_x, self.flow_y), (self.brought_x, self.brought_y), strict=True
        ):
            flow[at], share[at] = self.outward[mine] * through[mine], brought[mine]
            self._wrap(flow)

    def advance(self, dt: float, first_upright: bool) -> None:
        """Carry the first fluid through a time (s), one axis after the other."""
        self.turns = []
        if not len(self.cuts):
            self._sweep(dt, first_upright)
            return
        for before in self.before:
            before[:] = 0.0
        for part in range(PARTS):
            self._sweep(dt / PARTS, first_upright == (part % 2 == 0))
            for before, passed in zip(self.before, (self.passed_x, self.passed_y), strict=True):
                before += passed
        self.passed_x[:], self.passed_y[:] = self.before

    def _sweep(self, dt: float, first_upright: bool) -> None:
        cuts, held = self.cuts, self.share > 0.5
        for upright in (first_upright, not first_upright):
            flow, brought, passed = (
                (self.flow_y, self.brought_y, self.passed_y)
                if upright
                else (self.flow_x, self.brought_x, self.passed_x)
            )
            pass_faces(
                self.share,
                self.live,
                self.a,
                self.b,
                self.c,
                flow,
                self.room,
                brought,
                dt,
                upright,
                passed,
            )
            if len(cuts):
                pass_cut(
                    self.share,
                    *cuts.cells,
                    *cuts.shapes,
                    self.a,
                    self.b,
                    self.c,
                    flow,
                    self.room,
                    dt,
                    upright,
                    passed,
                    self.slab,
                    self.room_to_cut,
                )
            self._wrap(passed)
            self._tell(upright, dt, flow, passed, held)
            fill(self.share, self.live, held, flow, self.room, passed, dt, upright)
            if len(cuts):
                pool(
                    self.share,
                    self.seen,
                    self.room,
                    cuts.number,
                    *cuts.cells,
                    cuts.partner,
                    *cuts.shapes,
                    self.a,
                    self.b,
                    *self._places,
                    self.slab,
                )
                deal_out(self.share, self.own, self.room, *cuts.cells)
            if upright != first_upright:
                self.over = float(trim(self.share, self.own))
            self.look()

    def _tell(self, upright: bool, dt: float, flow: Array, passed: Array, held: Array) -> None:
        """Keep what a turn is made of, before cells take it over."""
        turn = self.spare[len(self.turns)]
        turn = turn._replace(upright=upright, span=dt)
        self.on_mesh(flow, turn.flow)
        self.on_mesh(passed, turn.passed)
        self.on_cells(self.share, turn.share)
        self._planes(turn.planes)
        self.on_cells(held, turn.held)
        self.turns.append(turn)

    def apart(self) -> Apart:
        """Where both fluids are and how the last step took them there, until they are carried on."""
        self.give(self.told.share)
        self._planes(self.told.planes)
        return replace(self.told, turns=tuple(self.turns))

    def _planes(self, out: Array) -> None:
        """Write a, b, c of the pieces in cells to (3, ny + 3, nx + 3)."""
        for values, where in zip((self.a, self.b, self.c), out, strict=True):
            self.on_cells(values, where)

    def bends(self) -> None:
        """Work out how the interface bends, and how that pulls at faces, per surface tension (1/m2)."""
        cuts, colour = self.cuts, self.share
        if self.has_edges:
            for along, told in ((self.along_x, self.at_x), (self.along_y, self.at_y)):
                along[:] = self.seen
                along[self.edges] = told[self.edges]
        bends(
            self.seen,
            self.along_x,
            self.along_y,
            self.live,
            self.a,
            self.b,
            self.c,
            self.width_x,
            self.width_y,
            self.grid.round,
            self.radius,
            self.bend,
            self.known,
        )
        if len(cuts):
            contact.patch(
                self.seen,
                self.live,
                *cuts.cells,
                *self._places,
                self.contacts,
                self.met,
                self.bend,
                self.known,
                self.grid.round,
                self.radius,
            )
            # what the second fluid holds alone, what stands behind the wall does not pull at
            colour = self.colour
            colour[:] = self.share
            mixed = (colour > contact.CLEAR) & (colour < 1.0 - contact.CLEAR) & (cuts.number >= 0)
            colour[mixed] = self.seen[mixed]
        self._wrap(self.bend)
        self._wrap(self.known)
        pull(
            colour,
            self.live,
            self.bend,
            self.known,
            self.width_x,
            self.width_y,
            self.pull_x,
            self.pull_y,
        )

    def holding(self, x: Array, y: Array) -> None:
        """Write to faces (ny + 3, nx + 3) whether walls hold the interface beside them."""
        self._wrap(self.held)
        for axis, out in ((1, x), (0, y)):
            self.on_mesh(np.maximum(self.held, np.roll(self.held, 1, axis)), out)

    def volume(self) -> float:
        """m3 of the first fluid."""
        live = self.live[self.core]
        return float((self.share[self.core] * self.room[self.core])[live].sum())

    def all_volume(self) -> float:
        """m3 of both."""
        return float(self.room[self.core][self.live[self.core]].sum())

    def through(self, passed_x: Array, passed_y: Array) -> Array:
        """What has passed faces, as what went out of every piece of the outline."""
        found = np.zeros(self.mesh.pieces.j.size)
        for (mine, at), passed in zip(self.rims, (passed_x, passed_y), strict=True):
            found[mine] = self.outward[mine] * passed[at]
        return found

    def on_cells(self, values: Array, out: Array) -> None:
        """Write what stands in cells to (ny + 3, nx + 3)."""
        out[1 : self.ny + 1, 1 : self.nx + 1] = values[self.core]
        self.grid.wrap(out)

    def on_mesh(self, faces: Array, out: Array) -> None:
        """Write what stands on faces to (ny + 3, nx + 3)."""
        out[1 : self.ny + 2, 1 : self.nx + 2] = faces[self.faces]
        self.grid.wrap(out)

    def pieces(self) -> Array:
        """Ends of every piece of the interface, x, y, x, y (m), and its cell (row, column)."""
        cuts = self.cuts
        found = np.zeros((int(self.own.sum()) + len(cuts), 6))
        whole = self.own & self.whole
        many = pieces_of(self.share, whole, self.a, self.b, self.c, found)
        if len(cuts):
            planes = self.a, self.b, self.c
            many += contact.pieces_cut(
                self.share, *cuts.cells, *cuts.shapes[:3], *planes, found[many:]
            )
        found = found[:many]
        j, i = (found[:, k].astype(int) - RIM + 1 for k in (0, 1))
        grid = self.grid
        x, y = (
            [
                grid.faces(axis)[at] + found[:, 2 + axis + 2 * end] * grid.widths(axis)[at]
                for end in (0, 1)
            ]
            for axis, at in ((0, i), (1, j))
        )
        return np.stack([x[0], y[0], x[1], y[1], j, i], axis=1)


def _blank(shape: tuple[int, ...]) -> Turn:
    flow, passed, share = np.zeros((3, *shape))
    return Turn(False, 0.0, flow, passed, share, np.zeros((3, *shape)), np.zeros(shape, bool))


def _wider(widths: Array, repeats: bool) -> Array:
    """Widths of the cells, and of as many before and behind them as the rim has."""
    if repeats:
        return np.concatenate([widths[-RIM:], widths, widths[:RIM]])
    return np.concatenate([np.full(RIM, widths[0]), widths, np.full(RIM, widths[-1])])
