"""One velocity component: its implicit viscous solve and its boundary values."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np

from underkettle.engine.contract import Given
from underkettle.engine.linear import Helmholtz
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.shear import EVEN, SHARP, lay_shear
from underkettle.engine.operators.stencil import cell_weights, face_weights, roll
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray

ROOT, MANTISSA, BIAS = np.sqrt(2.0), 52, 1023  # of the numbers of IEEE 754


class Component:
    """Arrays and operators of one velocity component on one mesh.

    Density (kg/m3) and viscosity (Pa s) are cell arrays; constant ones are applied once. whole : the
    control volumes beside walls reach them.
    """

    def __init__(self, mesh: Mesh, nodes: Nodes, whole: bool = False) -> None:
        self.mesh, self.nodes, self.whole = mesh, nodes, whole
        shape = nodes.active.shape
        grid = mesh.grid
        self.along_weights = face_weights(grid, nodes.axis)
        self.across_weights = cell_weights(grid, 1 - nodes.axis)
        self.link_x, self.link_y = np.zeros(shape), np.zeros(shape)
        self.held = np.zeros(shape)  # legs and links to given velocities, on the diagonal (N s/m)
        self.pull = np.zeros(shape)  # the same times the given velocities (N)
        self.mass = np.zeros(shape)  # density x volume (kg)
        self.mobility = np.zeros(shape)  # 1 / (density x distance)
        self.moves = self.mobility  # the same, less where it is held back
        self.share: Array | None = None  # of the mobility that is left there
        self.power = np.zeros(0, np.int64)  # of two, that the share is one over
        self.pores: Array | None = None  # open share of its control volumes; None where all is open
        self.opening = nodes.area.copy()  # area, times density where mass is what must close
        self.lightness = nodes.carried.copy()  # nodes.carried, over density likewise
        self.carried = np.zeros(shape)
        self.cautious: Array | None = None  # share of it that a step in time may take of slivers
        self.gradient, self.right = np.zeros(shape), np.zeros(shape)
        self.scratch = tuple(np.zeros(grid.nx + 3) for _ in range(3))
        self.here = np.zeros(shape)  # viscosity at velocities (Pa s)
        # what masses follow from
        self.weighed: tuple[Array, tuple[bool, bool], Array | None] | None = None
        self.implicit = Helmholtz(self.link_x, self.link_y, nodes.extent, grid.repeats)
        self._rate = -1.0
        self.speeds: Mapping[str, tuple[float, float]] = {}  # of edges that move (m/s)
        self.leg_viscosity = np.zeros(nodes.legs.row.size)
        self.leg_speed = np.zeros(nodes.legs.row.size)  # of the walls they end on (m/s)
        self.sticks: Array | None = (
            None  # share of it that is left where a stream slips by a length
        )
        self.fixed_viscosity = np.zeros(nodes.fixed_row.size)
        self.follow_viscosity = np.zeros(nodes.follow_row.size)

    def set_medium(
        self,
        density: Array,
        viscosity: Array,
        closes: bool,
        jumps: int = EVEN,
        on_legs: Array | None = None,
        ties: tuple[Array, Array] | None = None,
    ) -> None:
        """Take over density and viscosity; both (ny + 3, nx + 3). closes : continuity is of mass, not
        of volume. jumps : how viscosity goes from one cell to the next; where that is SHARP, mass is
        what carries momentum, though continuity is of volume. on_legs : what conducts momentum to
        walls (Pa s), NaN where that is the stream's viscosity. ties : what ties velocities to those
        before them along x and y, beyond viscosity (N s/m).
        """
        n = self.nodes
        weighed = (density, (closes, closes or jumps == SHARP), self.pores)
        if not self._is_weighed(*weighed):
            self._weigh(*weighed)
        self.moves = self.mobility if self.share is None else self.mobility * self.share
        here = self.here
        lay_shear(
            viscosity,
            self.mesh.volume[0],
            n.link_x,
            n.link_y,
            n.axis == 1,
            jumps,
            self.link_x,
            self.link_y,
            here,
        )
        if ties is not None:
            self.link_x += ties[0]
            self.link_y += ties[1]
        self.mesh.grid.wrap(self.link_x)
        self.mesh.grid.wrap(self.link_y)
        if on_legs is None:
            self.leg_viscosity = self._at_legs(here)
        else:
            plain = here[n.legs.row, n.legs.column]
            self.leg_viscosity = np.where(np.isnan(on_legs), plain, on_legs)
        if self.sticks is not None:
            self.leg_viscosity = self.leg_viscosity * self.sticks
        self.fixed_viscosity = here[n.fixed_row, n.fixed_column]
        self.held[:] = 0.0
        np.add.at(self.held, (n.legs.row, n.legs.column), n.legs.factor * self.leg_viscosity)
        if self.mesh.grid.round:
            self.held += here * n.hoop
        np.add.at(self.held, (n.fixed_row, n.fixed_column), n.fixed_factor * self.fixed_viscosity)
        self.follow_viscosity = here[n.follow_row, n.follow_column]
        np.add.at(
            self.held, (n.follow_row, n.follow_column), n.follow_factor * self.follow_viscosity
        )
        self._rate = -1.0

    def following(self, velocity: Array) -> Array | None:
        """What draws velocities along (N) that follow others; None where none does."""
        n = self.nodes
        if not n.follow_row.size:
            return None
        found = np.zeros(velocity.shape)
        force = n.follow_factor * self.follow_viscosity * velocity[n.lead_row, n.lead_column]
        np.add.at(found, (n.follow_row, n.follow_column), force)
        return found

    def let_slip(self, lengths: Mapping[int, float]) -> None:
        """Let the stream slip along edges (numbers) by lengths (m): it rests that far behind the wall,
        so that what drags over a distance d is less by d over d and the length (Navier 1823).
        """
        away = np.hypot(*self._reach())
        behind = np.zeros(away.size)
        for edge, length in lengths.items():
            behind[self.nodes.legs.edge == edge] = length
        self.sticks = away / (away + behind) if behind.any() else None

    def _places(self) -> tuple[Array, Array]:
        """x of columns and y of rows of its velocities (m)."""
        grid, axis = self.mesh.grid, self.nodes.axis
        x = grid.faces(0) if axis == 0 else grid.centres(0)
        return x, grid.centres(1) if axis == 0 else grid.faces(1)

    def _reach(self) -> tuple[Array, Array]:
        """How far off along x and y walls are met by legs (m)."""
        legs, (x, y) = self.nodes.legs, self._places()
        return legs.x - x[legs.column], legs.y - y[legs.row]

    def _is_weighed(self, density: Array, by_mass: tuple[bool, bool], pores: Array | None) -> bool:
        """Whether what follows from density stands already."""
        if self.weighed is None or self.weighed[1] != by_mass or self.weighed[2] is not pores:
            return False
        return np.array_equal(self.weighed[0], density)

    def _weigh(self, density: Array, by_mass: tuple[bool, bool], pores: Array | None) -> None:
        """Masses, openings and what pressure moves, for this density (kg/m3). by_mass : what must
        close, and what carries momentum.
        """
        n = self.nodes
        turn = 1 - n.axis
        self.weighed = density.copy(), by_mass, pores
        on_face = 0.5 * (density + roll(density, 1, axis=turn))
        inner = np.where(n.out_sign > 0, -1, 0)
        inside = n.out_row + inner * n.axis, n.out_column + inner * (1 - n.axis)
        on_face[n.out_row, n.out_column] = density[inside]
        closes, carries = by_mass
        if closes:
            np.multiply(n.area, on_face, out=self.opening)
        if carries:
            np.divide(n.carried, on_face, out=self.lightness, where=n.carried > 0)
        self.mesh.grid.wrap(on_face)
        np.multiply(on_face, n.volume, out=self.mass)  # nothing where it is not active
        np.divide(1.0, on_face * n.distance, out=self.mobility, where=n.active)
        if pores is not None:
            self.mass /= pores
            self.mobility *= pores

    def _at_legs(self, here: Array) -> Array:
        """Viscosity carried on to the middle of each leg, geometrically; here : at velocities."""
        legs = self.nodes.legs
        at = here[legs.row, legs.column]
        if np.ptp(here) == 0.0:
            return np.asarray(at)
        row, column, reach, gap = self._inland
        share = np.clip(0.5 * reach / np.where(gap > 0, gap, np.inf), 0.0, 1.0)
        return np.asarray(at * (at / here[row, column]) ** share)

    def set_walls(self, conditions: Mapping[str, Given], velocity: Array, t: float) -> None:
        """Work out what walls and given velocities pull with at time t (s)."""
        n = self.nodes
        name = "x_speed" if n.axis == 0 else "y_speed"
        speeds = np.zeros(n.legs.row.size)
        for k, edge in enumerate(self.mesh.edges):
            given = conditions[edge]
            if given.has(name):
                mine = n.legs.edge == k
                speeds[mine] = given.values[name].at(n.legs.place(t)[mine])
            if edge in self.speeds:
                speeds[n.legs.edge == k] += self.speeds[edge][n.axis]
        self.leg_speed = speeds
        self.pull[:] = 0.0
        np.add.at(
            self.pull, (n.legs.row, n.legs.column), n.legs.factor * self.leg_viscosity * speeds
        )
        np.add.at(
            self.pull,
            (n.fixed_row, n.fixed_column),
            n.fixed_factor * self.fixed_viscosity * velocity[n.from_row, n.from_column],
        )

    def beside_moving(self) -> tuple[Array, Array]:
        """Faces (flat indices) within parts that move, next to velocities, and how fast those move
        along this component (m/s): what comes off a wall comes at its speed.
        """
        n = self.nodes
        speed = np.array([self.speeds.get(e, (0.0, 0.0))[n.axis] for e in self.mesh.edges])
        moves = np.array([e in self.speeds for e in self.mesh.edges], bool)
        k = np.flatnonzero(moves[n.legs.edge] & (n.legs.edge >= 0))
        row, column = n.legs.row[k], n.legs.column[k]
        off_x, off_y = (off[k] for off in self._reach())
        along_x = np.abs(off_x) > np.abs(off_y)
        row = np.where(along_x, row, row + np.sign(off_y).astype(np.int64))
        column = np.where(along_x, column + np.sign(off_x).astype(np.int64), column)
        inside = ~(n.active | n.prescribed)[row, column]
        at = np.ravel_multi_index((row[inside], column[inside]), n.active.shape)
        return at, speed[n.legs.edge[k][inside]]

    @cached_property
    def _inland(self) -> tuple[Array, Array, Array, Array]:
        """Of every leg: row and column of the velocity beyond its own as seen from the wall, how far
        off the wall its own is, and how far both are apart (m).
        """
        legs, (x, y), (reach_x, reach_y) = self.nodes.legs, self._places(), self._reach()
        along_x = np.abs(reach_x) > np.abs(reach_y)
        row = np.where(along_x, legs.row, legs.row - np.sign(reach_y).astype(np.int64))
        column = np.where(along_x, legs.column - np.sign(reach_x).astype(np.int64), legs.column)
        gap = np.where(along_x, np.abs(x[column] - x[legs.column]), np.abs(y[row] - y[legs.row]))
        return row, column, np.maximum(np.abs(reach_x), np.abs(reach_y)), gap

    @cached_property
    def _rubs(self) -> tuple[Array, Array, Array, Array, Array]:
        """What drags pieces of the outline on grid lines along this component: legs, their velocities
        and those beyond (flat numbers), and what the stress at the wall counts of either (m). A piece
        has the stress of the velocities at its ends that have a leg on its edge.
        """
        n, pieces, legs = self.nodes, self.mesh.pieces, self.nodes.legs
        at = pieces.faces(1 - n.axis)[0]
        shape = (len(self.mesh.edges) + 1, *n.active.shape)
        keys = np.ravel_multi_index((legs.edge + 1, legs.row, legs.column), shape)
        order = np.argsort(keys, kind="stable")
        ends = np.full((2, at.size), -1)
        for end in (0, 1) if keys.size else ():
            place = pieces.j[at] + end * n.axis, pieces.i[at] + end * (1 - n.axis)
            wanted = np.ravel_multi_index((pieces.edge[at] + 1, *place), shape)
            found = order[np.minimum(np.searchsorted(keys[order], wanted), keys.size - 1)]
            ends[end] = np.where(keys[found] == wanted, found, -1)
        known = ends >= 0
        each = pieces.area[at] / np.maximum(known.sum(axis=0), 1)
        area = np.bincount(ends[known], np.broadcast_to(each, ends.shape)[known], keys.size)
        k = np.flatnonzero(area)
        row, column, near, gap = (values[k] for values in self._inland)
        bends = (n.active | n.prescribed)[row, column] & (not self.whole and self.sticks is None)
        share = np.where(bends, near / np.where(bends, gap, 1.0), 0.0)
        own, beyond = (
            np.ravel_multi_index(place, n.active.shape)
            for place in ((legs.row[k], legs.column[k]), (row, column))
        )
        counts = area[k] * (1.0 + share) / near, area[k] * share / (near + gap)
        return k, own, beyond, *counts

    def dragged(self, velocity: Array) -> Array:
        """Force (N) that drags each edge along this component, of the pieces that lie on grid lines.
        Where control volumes reach the wall, what their legs drag with is all; else those end half
        way, and the stress at the wall is that of the parabola through both velocities nearest to it.
        """
        k, own, beyond, counts, counts_beyond = self._rubs
        speed, moves = self.leg_speed[k], velocity.ravel()
        slope = counts * (moves[own] - speed) - counts_beyond * (moves[beyond] - speed)
        edge = self.nodes.legs.edge[k]
        return np.bincount(edge, self.leg_viscosity[k] * slope, len(self.mesh.edges))

    @property
    def weighs(self) -> Array:
        """Density times volume (kg): what gravity acts on, whatever its inertia in pores."""
        return self.mass if self.pores is None else self.mass * self.pores

    def hold(self, rate: float, falls: Array | None) -> bool:
        """Take over what holds velocities back (N s/m) beside a time term (1/s), in coarse steps, so
        that it seldom changes; whether it has.
        """
        if falls is None:
            changed, self.share = self.share is not None, None
        else:
            held = np.divide(falls, self.mass, out=np.zeros(falls.shape), where=self.mass > 0)
            held *= ROOT / rate
            held += ROOT
            power = held.view(np.int64) >> MANTISSA  # to the nearest power of two
            changed = self.share is None or not np.array_equal(power, self.power)
            if changed:
                self.power, self.share = power, np.exp2(BIAS - power)
        if changed:
            self.moves = self.mobility if self.share is None else self.mobility * self.share
        return changed

    def set_rate(self, rate: float, drag: Array | None = None) -> None:
        """Fill the diagonal for a time term of `rate` (1/s) and a linear drag (kg/s)."""
        if rate == self._rate and drag is None:
            return
        np.multiply(self.mass, rate, out=self.implicit.d)
        self.implicit.d += self.held
        if drag is not None:
            self.implicit.d += drag
        self.implicit.changed()
        self._rate = rate if drag is None else -1.0
