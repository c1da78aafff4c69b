"""Where velocities live on a cut grid, and what holds each of them.

A velocity exists only where the middle of its face is open. Its viscous operator is a symmetric
difference on the full control volume: a link to each neighbour that carries a velocity, and a leg
to the wall where none does. A leg is as long as the true distance to the wall along the grid line,
but never below `SHORTEST` of the spacing. Everything else in the momentum balance acts on the
stretch between the middles of its links and legs, which makes the difference exact for a parabola
at a wall anywhere between two velocities while the matrix stays symmetric.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.boundary import Scan
from underkettle.quantities import Place

Array = np.ndarray

SHORTEST = 0.05
SMALLEST_SHARE = 0.5  # convection divides by at least this share of the full volume


@dataclass(frozen=True)
class EdgeRole:
    """What an edge does to the velocity: "wall", "slip", "in" or "out"."""

    role: str


@dataclass
class Legs:
    """Walls felt by velocities: node (row, column), factor area / distance (m), edge index, and
    where the wall is met (m).
    """

    row: Array
    column: Array
    factor: Array
    edge: Array
    x: Array
    y: Array

    def place(self, t: float = 0.0) -> Place:
        """Where the walls are met, at a time (s)."""
        return Place(x=self.x, y=self.y, t=t)


@dataclass
class Nodes:
    """The velocities of one component. Arrays are (ny + 3, nx + 3).

    area      : open area (m2) of faces that carry a velocity, boundary faces included.
    inner     : the same without boundary faces.
    active    : velocities to be solved for. prescribed : faces whose velocity is given.
    link_x, link_y : area / distance (m) to the west and south neighbour velocity.
    fixed_*   : links from an active velocity (row, column) to a prescribed one (from_*).
    hoop      : see `_hoop`.
    volume    : control volume (m3) between neighbours and walls. carried : 1 / volume for
                convection (open volume, at least half the full one), 0 if not active.
    distance  : distance (m) between the pressures on either side. unknown : active, ghosts left
                out (where the grid repeats, the face on its high rim is the one on its low rim).
    out_*     : outlet faces, with sign +1 if the vessel lies before the face.
    extent    : unknowns along y and x.
    """

    axis: int
    area: Array
    inner: Array
    active: Array
    unknown: Array
    prescribed: Array
    link_x: Array
    link_y: Array
    fixed_row: Array
    fixed_column: Array
    from_row: Array
    from_column: Array
    fixed_factor: Array
    volume: Array
    hoop: Array
    carried: Array
    distance: Array
    side: Array
    legs: Legs
    out_row: Array
    out_column: Array
    out_sign: Array
    out_piece: Array
    in_row: Array
    in_column: Array
    in_sign: Array
    in_piece: Array
    extent: tuple[int, int]


def velocity_nodes(mesh: Mesh, axis: int, roles: Mapping[str, EdgeRole]) -> Nodes:
    """Lay out one velocity component (axis 0: x, 1: y) for these roles of the edges."""
    grid = mesh.grid
    ny, nx = grid.ny, grid.nx
    shape = (ny + 3, nx + 3)
    opening = (mesh.open_x if axis == 0 else mesh.open_y)[0]
    along, across = grid.widths(axis), grid.widths(1 - axis)
    nodes_at = grid.faces(axis)
    half = np.zeros(along.size)
    half[1:] = 0.5 * (along[1:] + along[:-1])
    half[0] = half[1]

    def spread(a: Array, b: Array) -> Array:
        """Outer product with `a` along the component's axis and `b` across it."""
        return np.outer(b, a) if axis == 0 else np.outer(a, b)

    middle_open = _middle_open(mesh, axis)
    inner = np.where(middle_open, opening, 0.0)
    area = inner.copy()
    prescribed = np.zeros(shape, bool)
    outlets: list[tuple[int, int, float, int]] = []
    inlets: list[tuple[int, int, float, int]] = []
    pieces = mesh.pieces
    normal = pieces.nx if axis == 0 else pieces.ny
    for k in np.flatnonzero(pieces.axis == axis):
        role = roles[mesh.edges[pieces.edge[k]]].role
        j, i = int(pieces.face_j[k]), int(pieces.face_i[k])
        if role in ("in", "out"):
            area[j, i] = pieces.area[k]
            (outlets if role == "out" else inlets).append((j, i, float(np.sign(normal[k])), int(k)))
            prescribed[j, i] = role == "in"
    out = np.array(outlets, dtype=float).reshape(-1, 4)
    inlet = np.array(inlets, dtype=float).reshape(-1, 4)
    active = inner > 0
    active[out[:, 0].astype(int), out[:, 1].astype(int)] = True
    active = grid.wrap(active & ~prescribed)
    carries = active | prescribed
    extent = (
        ny + int(axis == 1 and not grid.repeats[1]),
        nx + int(axis == 0 and not grid.repeats[0]),
    )
    unknown = np.zeros(shape, bool)
    unknown[1 : extent[0] + 1, 1 : extent[1] + 1] = True

    length_along = spread(half, np.ones(across.size))  # between the pressures on either side
    for j, i in out[:, :2].astype(int):
        cell = _cell_of_outlet(out, j, i, axis)
        length_along[j, i] = 0.5 * along[cell]
    level = grid.centres(1) if axis == 0 else grid.faces(1)
    around = grid.around(level)[:, None]
    full = length_along * spread(np.ones(along.size), across) * around
    v = mesh.volume[0]
    before = np.roll(v, 1, axis=1 - axis)
    cut = 0.5 * (v + before)
    for j, i, _s, _ in out:
        cell = _cell_of_outlet(out, int(j), int(i), axis)
        cut[int(j), int(i)] = 0.5 * (v[int(j), cell] if axis == 0 else v[cell, int(i)])
    carried = np.zeros(shape)
    share = np.maximum(cut, SMALLEST_SHARE * full)
    carried[active] = 1.0 / share[active]
    grid.wrap(carried)

    build = _Links(mesh, axis, roles, active, prescribed, carries, length_along, nodes_at)
    build.across_lines()
    build.along_lines()
    volume = grid.wrap(build.volume(level))
    length_along = grid.wrap(length_along)
    unknown &= active
    return Nodes(
        axis=axis,
        area=area,
        inner=inner,
        active=active,
        unknown=unknown,
        prescribed=prescribed,
        link_x=grid.wrap(build.link_x),
        link_y=grid.wrap(build.link_y),
        **build.fixed(unknown),
        volume=np.where(active, volume, 0.0),
        hoop=_hoop(mesh, axis, active, volume, level),
        carried=carried,
        distance=length_along,
        side=np.where(active, volume / length_along, 0.0),
        legs=build.legs(unknown),
        out_row=out[:, 0].astype(np.int64),
        out_column=out[:, 1].astype(np.int64),
        out_sign=out[:, 2].copy(),
        out_piece=out[:, 3].astype(np.int64),
        in_row=inlet[:, 0].astype(np.int64),
        in_column=inlet[:, 1].astype(np.int64),
        in_sign=inlet[:, 2].copy(),
        in_piece=inlet[:, 3].astype(np.int64),
        extent=extent,
    )


def _hoop(mesh: Mesh, axis: int, active: Array, volume: Array, level: Array) -> Array:
    """Volume over radius squared (m): times viscosity, what shear around the axis holds back."""
    hoop = np.zeros(active.shape)
    if axis == 1 and mesh.grid.round:
        np.divide(volume, level[:, None] ** 2, out=hoop, where=active)
    return hoop


def _cell_of_outlet(out: Array, j: int, i: int, axis: int) -> int:
    row = out[(out[:, 0] == j) & (out[:, 1] == i)][0]
    k = i if axis == 0 else j
    return k - 1 if row[2] > 0 else k


def _middle_open(mesh: Mesh, axis: int) -> Array:
    """Whether the middle of each face (of component `axis`) lies in the open space."""
    grid = mesh.grid
    result = np.zeros((grid.ny + 3, grid.nx + 3), bool)
    nodes = grid.x if axis == 0 else grid.y
    across = grid.centres(1 - axis)
    for k, at in enumerate(nodes, start=1):
        inside = mesh.scan(axis, float(at)).covering(across) >= 0
        if axis == 0:
            result[:, k] = inside
        else:
            result[k, :] = inside
    return grid.wrap(result)


class _Links:
    """Collects links and legs line by line, in the component's own (along, across) frame."""

    def __init__(
        self,
        mesh: Mesh,
        axis: int,
        roles: Mapping[str, EdgeRole],
        active: Array,
        prescribed: Array,
        carries: Array,
        length_along: Array,
        nodes_at: Array,
    ) -> None:
        self.mesh, self.axis, self.nodes_at = mesh, axis, nodes_at
        self.link_x, self.link_y = np.zeros(active.shape), np.zeros(active.shape)
        # views in the (across, along) frame
        turn = (lambda a: a) if axis == 0 else (lambda a: a.T)
        self.active, self.prescribed, self.carries = turn(active), turn(prescribed), turn(carries)
        self.length_along = turn(length_along)
        self.link_along = turn(self.link_x if axis == 0 else self.link_y)
        self.link_across = turn(self.link_y if axis == 0 else self.link_x)
        self.roles = [roles[name].role for name in mesh.edges]
        # distances to the next velocity or wall on either side: (low, high) x (along, across)
        across = mesh.grid.widths(1 - axis)
        self.along = np.stack([self.length_along, self.length_along])
        self.across = np.stack([np.repeat(across[:, None], self.active.shape[1], 1)] * 2)
        self._legs: list[tuple[int, int, float, int, float, float]] = []
        self._fixed: list[tuple[int, int, int, int, float]] = []

    def across_lines(self) -> None:
        """Neighbours and walls on either side, along the line through a column of faces."""
        grid = self.mesh.grid
        centres = grid.centres(1 - self.axis)
        count = centres.size - 3
        for k in range(1, self.nodes_at.size - 1):
            if not self.active[:, k].any():
                continue
            line = self.mesh.scan(self.axis, float(self.nodes_at[k]))
            stretch = line.covering(centres)
            width = self.length_along[:, k]
            m = np.flatnonzero(self.active[1 : count + 1, k]) + 1
            for step in (-1, 1):
                gap = np.abs(centres[m + step] - centres[m])
                plain = (stretch[m] >= 0) & (stretch[m] == stretch[m + step])
                plain &= self.active[m + step, k]
                middle = (
                    0.5 * (centres[m] + centres[m + step])
                    if self.axis == 0
                    else (np.full(m.size, self.nodes_at[k]))
                )
                factor = width[m] * grid.around(middle) / gap
                self.link_across[np.maximum(m, m + step)[plain], k] = factor[plain]
                for r in np.flatnonzero(~plain):
                    n = int(m[r])
                    self._pair(
                        n,
                        k,
                        n + step,
                        k,
                        width[n],
                        float(gap[r]),
                        line,
                        int(stretch[n]),
                        int(stretch[n + step]),
                        step,
                        float(centres[n]),
                        tangential=True,
                    )

    def along_lines(self) -> None:
        """Neighbours and walls ahead and behind, along the row through the faces' middles."""
        grid = self.mesh.grid
        centres = grid.centres(1 - self.axis)
        width = grid.widths(1 - self.axis)
        tiny = 1e-7 * float(np.diff(self.nodes_at[1:-1]).min())
        last = self.nodes_at.size - 2
        for m in range(1, centres.size - 2):
            row = np.flatnonzero(self.active[m, 1 : last + 1]) + 1
            if row.size == 0:
                continue
            line = self.mesh.scan(1 - self.axis, float(centres[m]))
            for step in (-1, 1):
                here = line.covering(self.nodes_at + step * tiny)
                there = line.covering(self.nodes_at - step * tiny)
                gap = np.abs(self.nodes_at[row + step] - self.nodes_at[row])
                plain = (here[row] >= 0) & (here[row] == there[row + step])
                plain &= self.active[m, row + step]
                middle = (
                    np.full(row.size, centres[m])
                    if self.axis == 0
                    else (0.5 * (self.nodes_at[row] + self.nodes_at[row + step]))
                )
                factor = width[m] * grid.around(middle) / gap
                self.link_along[m, np.maximum(row, row + step)[plain]] = factor[plain]
                for r in np.flatnonzero(~plain):
                    k = int(row[r])
                    if here[k] < 0:
                        continue  # nothing but the outside lies there: an outlet face
                    self._pair(
                        m,
                        k,
                        m,
                        k + step,
                        width[m],
                        float(gap[r]),
                        line,
                        int(here[k]),
                        int(there[k + step]),
                        step,
                        float(self.nodes_at[k]),
                        tangential=False,
                    )

    def _pair(
        self,
        m: int,
        k: int,
        m2: int,
        k2: int,
        width: float,
        distance: float,
        line: Scan,
        stretch: int,
        other: int,
        step: int,
        at: float,
        tangential: bool,
    ) -> None:
        if stretch >= 0 and other == stretch and self.carries[m2, k2]:
            factor = width * self._around(m, k, step, tangential, distance) / distance
            self._fixed.append((m, k, m2, k2, factor))  # a velocity that carries but is not solved
            return
        leg, edge = distance, -1
        if stretch >= 0:
            end = line.high[stretch] if step > 0 else line.low[stretch]
            edge = int((line.high_edge if step > 0 else line.low_edge)[stretch])
            leg = min(abs(float(end) - at), distance)
        if tangential and edge >= 0 and self.roles[edge] in ("slip", "out"):
            return
        leg = max(leg, SHORTEST * distance)
        reach = self.across if tangential else self.along
        reach[0 if step < 0 else 1, m, k] = leg
        around = self._around(m, k, step, tangential, leg)
        along, across = at, float(self.mesh.grid.centres(1 - self.axis)[m])
        if tangential:
            along, across = float(self.nodes_at[k]), at
        along, across = (along, across + step * leg) if tangential else (along + step * leg, across)
        x, y = (along, across) if self.axis == 0 else (across, along)
        self._legs.append((m, k, width * around / leg, edge, x, y))

    def _around(self, m: int, k: int, step: int, tangential: bool, length: float) -> float:
        """How far the vessel reaches out of the plane at the middle of a link or leg (m)."""
        grid = self.mesh.grid
        y = float(grid.centres(1)[m] if self.axis == 0 else self.nodes_at[k])
        if tangential == (self.axis == 0):  # it runs along y
            y += 0.5 * step * length
        return float(grid.around(y))

    def volume(self, level: Array) -> Array:
        """Between the middles of what holds a velocity on either side (m3); level: its y."""
        along, across = self.along, self.across
        turned = across if self.axis == 0 else along
        shift = self._turned(0.25 * (turned[1] - turned[0]))
        stretch = self._turned(0.25 * (along[0] + along[1]) * (across[0] + across[1]))
        return stretch * self.mesh.grid.around(level[:, None] + shift)

    def _turned(self, a: Array) -> Array:
        return a if self.axis == 0 else a.T

    def legs(self, unknown: Array) -> Legs:
        table = np.array(self._legs, dtype=float).reshape(-1, 6)
        m, k = table[:, 0].astype(np.int64), table[:, 1].astype(np.int64)
        row, column = (m, k) if self.axis == 0 else (k, m)
        mine = unknown[row, column]
        row, column, table = row[mine], column[mine], table[mine]
        return Legs(
            row,
            column,
            table[:, 2].copy(),
            table[:, 3].astype(np.int64),
            table[:, 4].copy(),
            table[:, 5].copy(),
        )

    def fixed(self, unknown: Array) -> dict[str, Array]:
        table = np.array(self._fixed, dtype=float).reshape(-1, 5)
        m, k, m2, k2 = (table[:, c].astype(np.int64) for c in range(4))
        if self.axis == 1:
            m, k, m2, k2 = k, m, k2, m2
        mine = unknown[m, k]
        return {
            "fixed_row": m[mine],
            "fixed_column": k[mine],
            "from_row": m2[mine],
            "from_column": k2[mine],
            "fixed_factor": table[mine, 4],
        }
