"""Eddies as a stream feels them: they add to its viscosity, and walls drag by their own law.

A wall's stress is that of its law, looked at farther in (`Turbulence.friction`). It acts through the
legs of the velocities next to the wall, as what conducts there: over all of them the areas that they
look at add up to the wall's own, whatever its angle.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from underkettle.engine.contract import Given, Turbulence
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.wall_distance import from_walls
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.velocity import Nodes
from underkettle.engine.operators.wall_law import wall_viscosities
from underkettle.phenomena.flow.momentum import Component
from underkettle.phenomena.flow.rims import leading

Array = np.ndarray
Drags = tuple[Array | None, tuple[Array, Array] | None]

ACROSS = 0.999  # of a wall's normal along a component: it meets that wall, and is not dragged by it
WHOLE = 1 - 1e-9  # of a cell that no wall cuts
NEAREST = 0.05  # of the spacing, from a wall
TIED = 2.0  # times what passes at the local speed, by which slivers are tied to their neighbours
# of what the law makes of what conducts, within which the stress rules; a velocity nearer to a wall
# than half a cell stands for a whole one all the same, and may be quicker than the law by as much
LOW, HIGH, MIDDLE = 0.5, 2.0, 0.5


class Look:
    """How fast a stream is (m/s) at velocities of one component (flat numbers): the other is the mean
    of those of the four around each that there are.
    """

    def __init__(self, parts: Sequence[Component], axis: int, at: Array) -> None:
        other = parts[1 - axis].nodes
        there = (other.active | other.prescribed).astype(float)
        ahead, behind = ((there.shape[1], 1), (1, there.shape[1]))[axis]
        self.axis, self.at = axis, at
        self.around = np.stack([at, at - behind, at + ahead, at - behind + ahead])
        self.share = 1.0 / np.maximum(there.ravel()[self.around].sum(axis=0), 1.0)

    def speed(self, u: Array, v: Array) -> Array:
        """u, v : flat."""
        own, other = ((u, v), (v, u))[self.axis]
        return np.asarray(np.hypot(own[self.at], other[self.around].sum(axis=0) * self.share))


class Eddies:
    """What eddies do to the velocities of one mesh."""

    def __init__(
        self, mesh: Mesh, parts: Sequence[Component], conditions: Mapping[str, Given]
    ) -> None:
        self.mesh, self.parts = mesh, parts
        self.viscosity = np.zeros(mesh.shape[1:])
        self.slivers = [self._slivers(part.nodes) for part in parts]
        # legs, pieces, distances (m), and the least share of what the law makes of what conducts
        self.beside: list[tuple[Array, Array, Array, Array]] | None = None
        # at legs and in slivers of x velocities, then of y velocities; how fast it was (m/s) there when
        # eddies were taken over, one after the other
        self.looks: list[Look] = []
        self.slid = np.zeros(0)
        self.felt: tuple[Array, ...] = ()  # viscosity (Pa s) and friction speeds (m/s) as offered
        self.grain = np.zeros(0)
        whole = mesh.live[0] & (mesh.volume[0] > WHOLE * mesh.full_volume[0])
        near = mesh.grid.wrapped(whole)
        for axis in (0, 1):
            whole &= roll(near, 1, axis) & roll(near, -1, axis)
        self.away = mesh.grid.wrap(whole.astype(float))  # 1 in cells that have no wall beside them
        self.sticky = np.array([conditions[e].kind in ("wall", "moving wall") for e in mesh.edges])

    def take(
        self, offered: Turbulence, u: Array, v: Array, kept: tuple[Array, Array] | None = None
    ) -> bool:
        """Take over what is offered now, and how fast the stream is beside walls by then; whether it
        is anything new. Until it is, walls drag in proportion to that speed. kept : `viscosity` and
        `slid` as the state holds them, of what was taken over last: a run that goes on from there
        finds the same speeds again.
        """
        felt = offered.viscosity, offered.friction
        if self.felt and all(map(np.array_equal, self.felt, felt)):
            return False
        self.felt = offered.viscosity.copy(), offered.friction.copy()
        self.viscosity = self.mesh.grid.wrap(self.mesh.filled(offered.viscosity[0]))
        if self.beside is None:
            self._lay(offered)
        size = sum(look.at.size for look in self.looks)
        if kept is not None and kept[1].size == size and np.array_equal(kept[0], self.viscosity):
            self.slid = kept[1].copy()
        else:
            moves = u.ravel(), v.ravel()
            self.slid = np.concatenate([look.speed(*moves) for look in self.looks])
        return True

    def drags(self, density: Array, viscosity: Array) -> list[Drags]:
        """Of each component: what conducts along every leg (Pa s), NaN where no law does, and what ties
        velocities in slivers to their neighbours (N s/m).
        """
        found: list[Drags] = []
        friction = self.felt[1]
        assert self.beside is not None
        slid = np.split(self.slid, np.cumsum([look.at.size for look in self.looks])[:-1])
        for axis, (part, (leg, piece, away, low)) in enumerate(
            zip(self.parts, self.beside, strict=True)
        ):
            speeds, quick = slid[2 * axis : 2 * axis + 2]
            at = self.mesh.pieces.j[piece], self.mesh.pieces.i[piece]
            rho = density[at]
            nu, out = viscosity[at] / rho, np.zeros(leg.size)
            wall_viscosities(speeds, away, friction[piece], nu, self.grain[piece], low, HIGH, out)
            conducts = np.full(part.nodes.legs.row.size, np.nan)
            conducts[leg] = rho * out
            found.append((conducts, self._ties(part, density, quick)))
        return found

    def _ties(self, part: Component, density: Array, quick: Array) -> tuple[Array, Array] | None:
        """What mixes momentum between slivers and the neighbour that stands for most: what passes
        between cells at the speed there (quick, m/s).
        """
        to, way, link, wide = self.slivers[part.nodes.axis]
        if not to.size:
            return None
        ties = np.zeros(part.link_x.shape), np.zeros(part.link_x.shape)
        held = TIED * density.ravel()[to] * quick * wide
        for tie, axis in zip(ties, (1, 0), strict=True):
            np.add.at(tie.ravel(), link[way == axis], held[way == axis])
        return ties

    def _slivers(self, n: Nodes) -> tuple[Array, Array, Array, Array]:
        """Velocities whose middle is closed: the neighbour (flat number) that each is tied to, along
        which axis, by which link, and how wide (m2) that is.
        """
        grid = self.mesh.grid
        found = leading(self.mesh, n, n.off & n.unknown, n.active & ~n.off)
        row, column = np.nonzero(found[0] >= 0)
        to, way, link = (array[row, column] for array in found)
        level = (grid.centres(1) if n.axis == 0 else grid.faces(1))[row]
        across = np.where(way == 1, grid.widths(1)[row], grid.widths(0)[column])
        return to, way, link, across * grid.around(level)

    def _lay(self, offered: Turbulence) -> None:
        """Which legs end on walls that have a law, on which pieces, and how far off those are."""
        grid, pieces = self.mesh.grid, self.mesh.pieces
        self.grain = offered.grain.copy()
        lawful = offered.acts & self.sticky[pieces.edge]
        self.beside = []
        for part in self.parts:
            n = part.nodes
            legs, axis = n.legs, n.axis
            leg = np.zeros(0, np.int64)
            piece = np.zeros(0, np.int64)
            for edge in np.unique(pieces.edge[lawful]):
                mine = np.flatnonzero(legs.edge == edge)
                on = np.flatnonzero(lawful & (pieces.edge == edge))
                if mine.size:
                    near = from_walls(self.mesh, on, legs.x[mine], legs.y[mine])[1]
                    leg, piece = np.concatenate([leg, mine]), np.concatenate([piece, near])
            normal = np.abs((pieces.nx, pieces.ny)[axis][piece])
            leg, piece = leg[normal < ACROSS], piece[normal < ACROSS]
            x = (grid.faces(0) if axis == 0 else grid.centres(0))[legs.column[leg]]
            y = (grid.centres(1) if axis == 0 else grid.faces(1))[legs.row[leg]]
            # along the wall's normal: to the wall, or as far as the leg reaches that way
            away = (pieces.x[piece] - x) * pieces.nx[piece]
            away += (pieces.y[piece] - y) * pieces.ny[piece]
            reach = np.abs((legs.x[leg] - x) * pieces.nx[piece])
            reach += np.abs((legs.y[leg] - y) * pieces.ny[piece])
            wide = np.minimum(grid.widths(0)[legs.column[leg]], grid.widths(1)[legs.row[leg]])
            away = np.maximum(np.maximum(away, reach), NEAREST * wide)
            low = LOW * np.minimum(away / (MIDDLE * wide), 1.0)
            self.beside.append((leg, piece, away, low))
            at = np.ravel_multi_index((legs.row[leg], legs.column[leg]), n.active.shape)
            places = at, self.slivers[axis][0]
            self.looks += [Look(self.parts, axis, place) for place in places]
