"""Where velocities live on a cut grid, and what holds each of them.

A velocity exists only where the middle of its face is open. Its viscous operator is a symmetric
difference on the full control volume: a link to each neighbour that carries a velocity, and a leg
to the wall where none does. A leg is as long as the true distance to the wall along the grid line,
but never below `SHORTEST` of the spacing. Everything else in the momentum balance acts on the
stretch between the middles of its links and legs, which makes the difference exact for a parabola
at a wall anywhere between two velocities while the matrix stays symmetric.

Where a stream does not stick to walls (it slips, or a wall law drags it), that would lose what passes
faces whose middle is closed, and a wall that crosses the grid would brake it. There every open face
has a velocity, and those beside walls stand for all that is open around them: a stream that slips
along a straight wall at any angle keeps its velocity to round-off. Where an interface is carried along
walls that a stream does stick to, faces whose middle is closed have velocities, too, so that nothing is
left behind there; they follow their neighbours and rub at the wall, and the others never feel them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.stretches import stretch_at
from underkettle.engine.operators.stencil import roll
from underkettle.quantities import Place

Array = np.ndarray

SHORTEST = 0.05
MARGIN = 2  # cells from the rim of a part of a mesh on which what is laid out there holds
PASSING = ("row", "column", "sign", "piece")
LAID = (
    "area",
    "inner",
    "active",
    "unknown",
    "prescribed",
    "link_x",
    "link_y",
    "volume",
    "hoop",
    "carried",
    "distance",
    "side",
)
WALL, SLIP, IN, OUT = range(4)  # roles, as kernels know them
CODES = {"wall": WALL, "slip": SLIP, "in": IN, "out": OUT}
NARROW = 1e-7  # of a face: less is closed where velocities slip past walls
OFF = 0.25  # of the spacing: how far a velocity whose middle is closed is taken to be from its wall
LEAST_SHARE = 1e-6  # the same, where a stream does not stick to walls
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
    follow_*  : links by which a velocity follows another one (lead_*) that does not feel it.
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
    follow_row: Array
    follow_column: Array
    lead_row: Array
    lead_column: Array
    follow_factor: Array
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
    off: Array

    @property
    def behind_outlets(self) -> tuple[Array, Array]:
        """Rows and columns of the cells that outlet faces belong to."""
        back = (self.out_sign > 0).astype(np.int64)
        return self.out_row - back * self.axis, self.out_column - back * (1 - self.axis)

    def passing(self, velocity: Array) -> Iterator[tuple[tuple[Array, Array], Array, Array]]:
        """Of inlets and of outlets: faces, pieces of the outline, and speed outward (m/s)."""
        for row, column, piece, sign in (
            (self.in_row, self.in_column, self.in_piece, self.in_sign),
            (self.out_row, self.out_column, self.out_piece, self.out_sign),
        ):
            yield (row, column), piece, sign * velocity[row, column]


def velocity_nodes(
    mesh: Mesh,
    axis: int,
    roles: Mapping[str, EdgeRole],
    slips: bool = False,
    slivers: bool = False,
) -> Nodes:
    """Lay out one velocity component (axis 0: x, 1: y) for these roles of the edges. slips : whether
    the stream does not stick to walls. slivers : whether it sticks, and faces whose middle is closed
    are to pass something.
    """
    grid = mesh.grid
    ny, nx = grid.ny, grid.nx
    shape = (ny + 3, nx + 3)
    opening = (mesh.open_x if axis == 0 else mesh.open_y)[0]
    along, across = grid.widths(axis), grid.widths(1 - axis)
    half = np.zeros(along.size)
    half[1:] = 0.5 * (along[1:] + along[:-1])
    half[0] = half[1]

    def spread(a: Array, b: Array) -> Array:
        """Outer product with `a` along the component's axis and `b` across it."""
        return np.outer(b, a) if axis == 0 else np.outer(a, b)

    middle = middle_open(mesh, axis)
    inner = np.where(middle, opening, 0.0)
    shares = np.zeros(shape)
    if slips or slivers:
        whole = spread(np.ones(along.size), across)
        whole = whole * grid.around(grid.centres(1) if axis == 0 else grid.faces(1))[:, None]
        inner = np.where(middle | (opening > NARROW * whole), opening, 0.0)
        np.divide(opening, whole, out=shares, where=whole > 0)
    off = (inner > 0) & ~middle
    area = inner.copy()
    prescribed = np.zeros(shape, bool)
    role_of = np.array([CODES[roles[name].role] for name in mesh.edges], np.int64)
    openings = _openings(mesh, axis, role_of)
    out_row, out_column, out_sign, outlet = (openings[f"out_{n}"] for n in PASSING)
    for way, own in (("out", outlet), ("in", openings["in_piece"])):
        area[openings[f"{way}_row"], openings[f"{way}_column"]] = mesh.pieces.area[own]
    prescribed[openings["in_row"], openings["in_column"]] = True
    active = inner > 0
    active[out_row, out_column] = True
    active = grid.wrap(active & ~prescribed)
    carries = active | prescribed
    extent = (
        ny + int(axis == 1 and not grid.repeats[1]),
        nx + int(axis == 0 and not grid.repeats[0]),
    )
    unknown = np.zeros(shape, bool)
    unknown[1 : extent[0] + 1, 1 : extent[1] + 1] = True

    length_along = spread(half, np.ones(across.size))  # between the pressures on either side
    back = (out_sign > 0).astype(np.int64)
    beside = out_row - back * axis, out_column - back * (1 - axis)  # the cells before outlets
    length_along[out_row, out_column] = 0.5 * along[beside[1 - axis]]
    level = grid.centres(1) if axis == 0 else grid.faces(1)
    around = grid.around(level)[:, None]
    full = length_along * spread(np.ones(along.size), across) * around
    v = mesh.volume[0]
    cut = 0.5 * (v + roll(v, 1, 1 - axis))
    cut[out_row, out_column] = 0.5 * v[beside]
    carried = np.zeros(shape)
    share = np.maximum(cut, SMALLEST_SHARE * full)
    carried[active] = 1.0 / share[active]
    grid.wrap(carried)

    build = _Links(mesh, axis, role_of, active, carries, length_along, off, slips, shares, slivers)
    volume = grid.wrap(build.volume(level))
    if slips or slivers:
        here = active & (inner > 0) & (off | slips)
        volume = grid.wrap(np.where(here, length_along * inner, volume))
        least = np.maximum(volume, LEAST_SHARE * full)
        carried = grid.wrap(np.where(here, 1.0 / np.where(here, least, 1.0), carried))
    length_along = grid.wrap(length_along)
    unknown &= active
    return Nodes(
        axis=axis,
        area=area,
        inner=inner,
        active=active,
        unknown=unknown,
        prescribed=prescribed,
        link_x=grid.wrap(build.links[axis]),
        link_y=grid.wrap(build.links[1 - axis]),
        **build.fixed(unknown),
        **build.following(unknown),
        volume=np.where(active, volume, 0.0),
        hoop=_hoop(mesh, axis, active, volume, level),
        carried=carried,
        distance=length_along,
        side=np.where(active, volume / length_along, 0.0),
        legs=build.legs(unknown),
        **openings,
        extent=extent,
        off=off & active,
    )


def _openings(mesh: Mesh, axis: int, role_of: Array) -> dict[str, Array]:
    """Faces of one component that are outlets and inlets; see Nodes."""
    pieces, found = mesh.pieces, {}
    normal = pieces.nx if axis == 0 else pieces.ny
    lying = np.flatnonzero(pieces.axis == axis)
    roles = role_of[pieces.edge[lying]]
    for way, role in (("out", OUT), ("in", IN)):
        own = lying[roles == role]
        found[f"{way}_row"], found[f"{way}_column"] = pieces.face_j[own], pieces.face_i[own]
        found[f"{way}_sign"], found[f"{way}_piece"] = np.sign(normal[own]), own
    return found


def relaid(mesh: Mesh, old: Nodes, roles: Mapping[str, EdgeRole]) -> Nodes:
    """One component on a mesh, of which `old` is the layout on the one that it is `like`: only what
    lies within its window is laid out anew.
    """
    assert mesh.window is not None
    window = mesh.window.wider(2 * MARGIN, mesh.grid)
    new = velocity_nodes(mesh.part(window), old.axis, roles)
    j0, j1, i0, i1 = window
    # as far out as the part of a mesh holds, or to the rim that it shares with the whole
    rows = 0 if j0 == 1 else MARGIN, j1 - j0 + (4 if j1 == mesh.grid.ny else 2 - MARGIN)
    columns = 0 if i0 == 1 else MARGIN, i1 - i0 + (4 if i1 == mesh.grid.nx else 2 - MARGIN)
    down, left = j0 - 1, i0 - 1
    small = slice(*rows), slice(*columns)
    large = (
        slice(rows[0] + down, rows[1] + down),
        slice(columns[0] + left, columns[1] + left),
    )
    fields: dict[str, Any] = {}
    for name in LAID:
        fields[name] = getattr(old, name).copy()
        fields[name][large] = getattr(new, name)[small]

    def outside(row: Array, column: Array) -> Array:
        mine = (row >= large[0].start) & (row < large[0].stop)
        return np.flatnonzero(~(mine & (column >= large[1].start) & (column < large[1].stop)))

    def inside(row: Array, column: Array) -> Array:
        mine = (row >= rows[0]) & (row < rows[1])
        return np.flatnonzero(mine & (column >= columns[0]) & (column < columns[1]))

    def both(one: Array, two: Array, kept: Array, fresh: Array, shift: int = 0) -> Array:
        return np.concatenate([one[kept], two[fresh] + shift])

    kept, fresh = outside(old.legs.row, old.legs.column), inside(new.legs.row, new.legs.column)
    legs = Legs(
        both(old.legs.row, new.legs.row, kept, fresh, down),
        both(old.legs.column, new.legs.column, kept, fresh, left),
        *(
            both(getattr(old.legs, n), getattr(new.legs, n), kept, fresh)
            for n in ("factor", "edge", "x", "y")
        ),
    )
    kept, fresh = outside(old.fixed_row, old.fixed_column), inside(new.fixed_row, new.fixed_column)
    for name, shift in (
        ("fixed_row", down),
        ("fixed_column", left),
        ("from_row", down),
        ("from_column", left),
        ("fixed_factor", 0),
    ):
        fields[name] = both(getattr(old, name), getattr(new, name), kept, fresh, shift)
    role_of = np.array([CODES[roles[name].role] for name in mesh.edges], np.int64)
    fields |= _openings(mesh, old.axis, role_of)
    return replace(old, **fields, legs=legs)


def sliver_share(mesh: Mesh, n: Nodes) -> Array:
    """Volume of each velocity over half of a full cell's, 1 at most: what of its convection a step in
    time may take that is made for cells of that size.
    """
    grid, along, across = mesh.grid, mesh.grid.widths(n.axis), mesh.grid.widths(1 - n.axis)
    level = grid.centres(1) if n.axis == 0 else grid.faces(1)
    full = n.distance * (np.outer(across, np.ones(along.size)) if n.axis == 0 else across[None, :])
    full = full * grid.around(level)[:, None]
    share = np.divide(n.volume, SMALLEST_SHARE * full, out=np.ones(full.shape), where=full > 0)
    return np.where(n.active, np.minimum(share, 1.0), 1.0)


def _hoop(mesh: Mesh, axis: int, active: Array, volume: Array, level: Array) -> Array:
    """Volume over radius squared (m): times viscosity, what shear around the axis holds back."""
    hoop = np.zeros(active.shape)
    if axis == 1 and mesh.grid.round:
        np.divide(volume, level[:, None] ** 2, out=hoop, where=active)
    return hoop


def middle_open(mesh: Mesh, axis: int) -> Array:
    """Whether the middle of each face (of component `axis`) lies in the open space."""
    grid = mesh.grid
    result = np.zeros((grid.ny + 3, grid.nx + 3), bool)
    inside = mesh.stretches(axis, "faces").inside(grid.centres(1 - axis))
    if axis == 0:
        result[:, 1 : grid.nx + 2] = inside.T
    else:
        result[1 : grid.ny + 2, :] = inside
    return grid.wrap(result)


class _Links:
    """Links and legs, in the component's own (across, along) frame."""

    def __init__(
        self,
        mesh: Mesh,
        axis: int,
        role_of: Array,
        active: Array,
        carries: Array,
        lengths: Array,
        off: Array,
        slips: bool,
        shares: Array,
        slivers: bool,
    ) -> None:
        grid, self.mesh, self.axis = mesh.grid, mesh, axis
        wall = _wall_beside(mesh, axis) if off.any() else np.full(off.shape, -1, np.int64)
        slanted = np.zeros(off.shape, bool)
        if slips:
            on = mesh.pieces.axis < 0
            slanted[mesh.pieces.j[on], mesh.pieces.i[on]] = True
        active, carries, lengths, off, wall, slanted, shares = (
            np.ascontiguousarray(self._turned(a))
            for a in (active, carries, lengths, off, wall, slanted, shares)
        )
        along, across = np.zeros(active.shape), np.zeros(active.shape)
        # distances to the next velocity or wall on either side: low, high
        self.along = np.stack([lengths, lengths])
        widths = grid.widths(1 - axis)
        self.across = np.stack([np.repeat(widths[:, None], active.shape[1], 1)] * 2)
        most = 4 * int(np.count_nonzero(active)) + 1
        self.leg, self.leg_at = np.empty((3, most), np.int64), np.empty((3, most))
        self.tie, self.tie_factor = np.empty((4, most), np.int64), np.empty(most)
        self.follow, self.follow_factor = np.empty((4, most), np.int64), np.empty(most)
        nodes_at = grid.faces(axis)
        count = _lay(
            axis == 0,
            grid.round,
            grid.depth,
            1e-7 * float(np.diff(nodes_at[1:-1]).min()),
            nodes_at,
            grid.centres(1 - axis),
            widths,
            lengths,
            active,
            carries,
            off,
            shares,
            slivers,
            wall,
            slanted,
            role_of,
            mesh.stretches(axis, "faces").table,
            mesh.stretches(1 - axis, "centres").table,
            along,
            across,
            self.along,
            self.across,
            self.leg,
            self.leg_at,
            self.tie,
            self.tie_factor,
            self.follow,
            self.follow_factor,
        )
        self.count: tuple[int, int, int] = count
        self.links = [np.ascontiguousarray(self._turned(a)) for a in (along, across)]

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
        m, k, edge = self.leg[:, : self.count[0]]
        row, column = (m, k) if self.axis == 0 else (k, m)
        mine = np.flatnonzero(unknown[row, column])
        factor, along, across = self.leg_at[:, mine]
        x, y = (along, across) if self.axis == 0 else (across, along)
        return Legs(row[mine], column[mine], factor, edge[mine], x, y)

    def fixed(self, unknown: Array) -> dict[str, Array]:
        names = "fixed_row", "fixed_column", "from_row", "from_column", "fixed_factor"
        return self._one_way(unknown, names, self.tie[:, : self.count[1]], self.tie_factor)

    def following(self, unknown: Array) -> dict[str, Array]:
        names = "follow_row", "follow_column", "lead_row", "lead_column", "follow_factor"
        return self._one_way(unknown, names, self.follow[:, : self.count[2]], self.follow_factor)

    def _one_way(
        self, unknown: Array, names: tuple[str, ...], rows: Array, factor: Array
    ) -> dict[str, Array]:
        m, k, m2, k2 = rows if self.axis == 0 else rows[[1, 0, 3, 2]]
        mine = np.flatnonzero(unknown[m, k])
        found = (m[mine], k[mine], m2[mine], k2[mine], factor[mine])
        return dict(zip(names, found, strict=True))


def _wall_beside(mesh: Mesh, axis: int) -> Array:
    """The edge of the longest piece of the outline in the cells on either side of each face; -1 where
    there is none.
    """
    pieces = mesh.pieces
    order = np.argsort(pieces.length, kind="stable")
    edge, length = np.full(mesh.shape[1:], -1, np.int64), np.zeros(mesh.shape[1:])
    edge[pieces.j[order], pieces.i[order]] = pieces.edge[order]
    length[pieces.j[order], pieces.i[order]] = pieces.length[order]
    before, longer = roll(edge, 1, 1 - axis), roll(length, 1, 1 - axis)
    return np.where(longer > length, before, edge)


@numba.njit(inline="always")
def _around(round_, depth, y):
    return 2 * np.pi * abs(y) if round_ else depth


@kernel
def _lay(
    flat,
    round_,
    depth,
    tiny,
    nodes_at,
    centres,
    widths,
    lengths,
    active,
    carries,
    off,
    shares,
    slivers,
    wall,
    slanted,
    role_of,
    faces,
    middles,
    link_along,
    link_across,
    along,
    across,
    leg,
    leg_at,
    tie,
    tie_factor,
    follow,
    follow_factor,
):
    """Links to neighbours, and legs to walls where there are none; how many legs, ties and links of
    velocities that follow others there are.

    Arrays are (across, along); flat : the component runs along x. faces, middles : stretches on the
    grid's lines across the component, and along it through the middles of cells. along, across :
    (2, ...) distances to what holds a velocity below and above. leg : m, k, edge; leg_at : factor,
    place along and across. tie : m, k of a velocity and of the given one beside it; follow : of one
    that follows and of the one it follows. shares : of each face that is open.
    """
    legs, ties, follows = 0, 0, 0
    last_m, last_k = centres.size - 3, nodes_at.size - 2
    for turn in range(2):
        tangential = turn == 0
        table = faces if tangential else middles
        first, low, high, low_edge, high_edge = table
        for m in range(1, last_m + 1):
            for k in range(1, last_k + 1):
                if not active[m, k]:
                    continue
                line = k - 1 if tangential else m - 1
                at = centres[m] if tangential else nodes_at[k]
                width = lengths[m, k] if tangential else widths[m]
                level = centres[m] if flat else nodes_at[k]
                for step in (-1, 1):
                    m2, k2 = (m + step, k) if tangential else (m, k + step)
                    if tangential:
                        other_at = centres[m2]
                        here = stretch_at(first, low, high, line, at)
                        there = stretch_at(first, low, high, line, other_at)
                    else:
                        other_at = nodes_at[k2]
                        here = stretch_at(first, low, high, line, at + step * tiny)
                        there = stretch_at(first, low, high, line, other_at - step * tiny)
                    gap = abs(other_at - at)
                    shift = 0.5 * step if tangential == flat else 0.0
                    loose = off[m, k] or off[m2, k2]  # its middle lies behind the wall
                    apart = slivers and off[m, k] != off[m2, k2]
                    if apart and off[m, k] and active[m2, k2]:
                        around = _around(round_, depth, level + shift * gap)
                        far = gap * (0.5 + 0.5 * shares[m, k]) if tangential else gap
                        follow[0, follows], follow[1, follows] = m, k
                        follow[2, follows], follow[3, follows] = m2, k2
                        follow_factor[follows] = width * around / far
                        follows += 1
                        continue
                    if active[m2, k2] and not apart and (loose or (here >= 0 and here == there)):
                        around = _around(round_, depth, level + shift * gap)
                        link = link_across if tangential else link_along
                        link[max(m, m2), max(k, k2)] = width * around / gap
                        continue
                    if off[m, k]:
                        length, edge = OFF * gap, wall[m, k]
                        if slivers:  # as far as the middle of what is open
                            length = max(0.5 * shares[m, k], SHORTEST) * gap
                        if carries[m2, k2] or edge < 0 or role_of[edge] != WALL:
                            continue
                    else:
                        if not tangential and here < 0:
                            continue  # nothing but the outside lies there: an outlet face
                        if here >= 0 and here == there and carries[m2, k2] and not apart:
                            tie[0, ties], tie[1, ties], tie[2, ties], tie[3, ties] = m, k, m2, k2
                            around = _around(round_, depth, level + shift * gap)
                            tie_factor[ties] = width * around / gap
                            ties += 1
                            continue
                        length, edge = gap, -1
                        if here >= 0:
                            end = high[here] if step > 0 else low[here]
                            edge = high_edge[here] if step > 0 else low_edge[here]
                            length = min(abs(end - at), gap)
                        role = role_of[edge] if edge >= 0 else WALL
                        if tangential and role in (SLIP, OUT):
                            continue
                        if role == SLIP and slanted[m, k if step > 0 else k - 1]:
                            continue  # what meets it slips along
                        length = max(length, SHORTEST * gap)
                    side = 0 if step < 0 else 1
                    if tangential:
                        across[side, m, k] = length
                    else:
                        along[side, m, k] = length
                    leg[0, legs], leg[1, legs], leg[2, legs] = m, k, edge
                    around = _around(round_, depth, level + shift * length)
                    leg_at[0, legs] = width * around / length
                    leg_at[1, legs] = nodes_at[k] + (0.0 if tangential else step * length)
                    leg_at[2, legs] = centres[m] + (step * length if tangential else 0.0)
                    legs += 1
    return legs, ties, follows
