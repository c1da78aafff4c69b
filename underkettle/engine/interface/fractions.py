"""Two fluids on a mesh as the share of every cell that the first one fills.

Arrays here are wider than those of the mesh: `RIM` more cells on every side, so that columns and slopes
need no case for walls. What stands beyond walls is what stands before them, or where the interface
meets a wall at an angle, what `wetting.py` says.
"""

from __future__ import annotations

import numpy as np

from underkettle.engine.interface.advance import fill, pass_faces, trim
from underkettle.engine.interface.bending import REACH, bends, pull
from underkettle.engine.interface.planes import pieces_of, reconstruct
from underkettle.engine.interface.wetting import meet_walls
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.nearest import nearest

Array = np.ndarray

RIM = REACH + 1
WHOLE = 1e-9  # of a cell, that may be closed in one that counts as open


class Fractions:
    """share : (ny + 2 RIM, nx + 2 RIM), of the cells and what stands around them.

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
        self.walls, self.angles = np.zeros((0, 4), np.int64), np.zeros(0)
        # of pieces of the outline: +1 where they face out along their axis, -1 where against it; and
        # along either axis, which they are and where their faces stand here
        pieces = mesh.pieces
        is_high = np.where(pieces.axis == 0, pieces.face_i > pieces.i, pieces.face_j > pieces.j)
        self.outward = np.where(is_high, 1, -1)
        self.rims = [
            (mine, (pieces.face_j[mine] + RIM - 1, pieces.face_i[mine] + RIM - 1))
            for mine in (np.flatnonzero(pieces.axis == axis) for axis in (0, 1))
        ]

    def cut(self) -> Array:
        """Cells (row, column of the mesh) that walls cut, which it cannot follow."""
        volume, full = self.mesh.volume[0], self.mesh.full_volume[0]
        return np.argwhere(self.mesh.live[0] & (volume < full * (1.0 - WHOLE)))

    def set_angles(self, angles: Array) -> None:
        """The angle (rad, in the first fluid) at every piece of the outline; NaN where none is."""
        pieces = self.mesh.pieces
        mine = np.flatnonzero((pieces.axis >= 0) & ~np.isnan(angles))
        up, step = pieces.axis[mine], self.outward[mine]
        cells = pieces.j[mine] + RIM - 1, pieces.i[mine] + RIM - 1
        self.walls = np.stack([*cells, up * step, (1 - up) * step], axis=1).astype(np.int64)
        self.angles = np.asarray(angles[mine], float)

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
        if self.walls.size:
            meet_walls(self.share, self.live, self.width_x, self.width_y, self.walls, self.angles)
        reconstruct(self.share, self.live, self.a, self.b, self.c)
        for values in (self.a, self.b, self.c):
            self._wrap(values)

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
        held = self.share > 0.5
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
            self._wrap(passed)
            fill(self.share, self.live, held, flow, self.room, passed, dt, upright)
            if upright != first_upright:
                self.over = float(trim(self.share, self.own))
            self.look()

    def bends(self) -> None:
        """Work out how the interface bends, and how that pulls at faces, per surface tension (1/m2)."""
        bends(
            self.share,
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
        self._wrap(self.bend)
        self._wrap(self.known)
        pull(
            self.share,
            self.live,
            self.bend,
            self.known,
            self.width_x,
            self.width_y,
            self.pull_x,
            self.pull_y,
        )

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
        found = np.zeros((int(self.own.sum()), 6))
        found = found[: pieces_of(self.share, self.own, self.a, self.b, self.c, found)]
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


def _wider(widths: Array, repeats: bool) -> Array:
    """Widths of the cells, and of as many before and behind them as the rim has."""
    if repeats:
        return np.concatenate([widths[-RIM:], widths, widths[:RIM]])
    return np.concatenate([np.full(RIM, widths[0]), widths, np.full(RIM, widths[-1])])
