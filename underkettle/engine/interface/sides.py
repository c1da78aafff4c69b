"""What lives in either of two fluids that do not mix: a value in each, which goes along with its fluid,
spreads in it, and crosses the interface until both are at rest with each other.

Where both meet the first one's value is `ratio` times the second's (a partition, a Henry constant, 1 of
temperatures). Carrying is explicit, in the fluids' own turns; what spreads is implicit and of first
order in time, straight between the middles of what cells hold of a fluid.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.engine.contract.offers import Apart, Turn
from underkettle.engine.contract.solving import StepFailed
from underkettle.engine.interface import sharing
from underkettle.engine.mesh import Mesh

Array = np.ndarray

TURNS, STRAIGHT = 20, 0.02  # of what is not straight across, and the change that ends them
NEAR, CLOSE, MOST = 1e-5, 1e-11, 400  # of what stands on the right is left; turns to get there
THIN = 0.05  # of a cell: as near as a wall is taken to be


@dataclass(frozen=True)
class Nature:
    """How one thing lives in both fluids.

    ratio : of the first one's value to the second's at rest. spreads : amount/(s m) per unit of either
    value; holds : amount per m3 and unit. hinders : over what an interface lets pass, (s m2)/amount per
    unit of the second's value; 0 where it hinders nothing, infinite where nothing crosses.
    """

    ratio: float
    spreads: tuple[float, float]
    holds: tuple[float, float] = (1.0, 1.0)
    hinders: float = 0.0


class Sides:
    """Values in either fluid (2, ny + 3, nx + 3) through a step. share : of the first, as it is now."""

    def __init__(self, mesh: Mesh) -> None:
        grid = self.grid = mesh.grid
        self.mesh, self.pieces = mesh, mesh.pieces
        shape = mesh.shape[1:]
        self.own = mesh.live[0]
        self.live = grid.wrap(self.own.copy())
        self.room = np.where(self.live, grid.wrap(mesh.volume[0].copy()), 1.0)
        self.wide, self.tall = grid.widths(0), grid.widths(1)
        self.depth = mesh.full_volume[0] / (self.tall[:, None] * self.wide[None, :])
        self.share = np.zeros(shape)
        self.moved, self.begun, self.centre, self.deep, self.ends = np.zeros((5, 2, *shape))
        self.u, self.right, self.left, self.eased = np.zeros((4, 2, *shape))
        self.along, self.pulled = np.zeros((2, 2, *shape))
        self.brought_x, self.brought_y = np.zeros((2, 2, *shape))
        self.rises, self.more = np.zeros((2, 2, *shape))
        self.got = np.zeros((4, *shape))
        self.facts = np.zeros((sharing.FACTS, *shape))
        self.west, self.south = np.zeros((2, 4, *shape))
        self.within = np.zeros(shape)
        self.holding, self.diagonal = np.zeros((2, 2, *shape))
        pieces = self.pieces
        is_high = np.where(pieces.axis == 0, pieces.face_i > pieces.i, pieces.face_j > pieces.j)
        self.outward = np.where(is_high, 1.0, -1.0)
        self.rims = [
            (mine, (pieces.face_j[mine], pieces.face_i[mine]))
            for mine in (np.flatnonzero(pieces.axis == axis) for axis in (0, 1))
        ]
        self.is_cut = bool((pieces.axis < 0).any())
        self.before_walls = self._before_walls()

    def _before_walls(self) -> Array:
        """How far (m) the middles of cells are from the pieces that bound them."""
        p, (x, y) = self.pieces, self.mesh.cell_centres()
        j, i = p.j, p.i
        x, y = (np.broadcast_to(c, self.mesh.shape)[0][j, i] for c in (x, y))
        off = np.abs((p.x - x) * p.nx + (p.y - y) * p.ny)
        least = THIN * np.minimum(self.wide[i], self.tall[j])
        return np.maximum(off, least)

    # ------------------------------------------------------------ carried

    def carry(self, values: Array, nature: Nature, now: Apart, brought: Array) -> Array:
        """Take values through the turns that fluids have taken. brought : what pieces let in, per m3 of
        either fluid (2, n). Amounts (2, n) that went out through every piece.
        """
        out = np.zeros((2, self.pieces.j.size))
        for (mine, at), where in zip(self.rims, (self.brought_x, self.brought_y), strict=True):
            for side in range(2):
                where[side][at] = brought[side, mine]
        turns = now.turns
        for k, turn in enumerate(turns):
            if k % 2 == 0:
                self.begun[:] = values
            after = turns[k + 1].share if k + 1 < len(turns) else now.share
            self._turn(values, nature, turn, after)
            mine, at = self.rims[1 if turn.upright else 0]
            out[:, mine] += self.outward[mine] * self.moved[:, at[0], at[1]]
        return out

    def _turn(self, values: Array, nature: Nature, turn: Turn, after: Array) -> None:
        brought = self.brought_y if turn.upright else self.brought_x
        span, upright = turn.span, turn.upright
        sharing.middles(
            turn.share,
            self.own,
            *turn.planes,
            self.wide,
            self.tall,
            upright,
            self.centre,
            self.deep,
        )
        both = np.array([nature.ratio * nature.spreads[0], nature.spreads[1]])
        sharing.where_they_meet(values, self.deep, nature.ratio, both, nature.hinders, self.ends)
        self.wrap(self.centre)
        self.wrap(self.ends)
        sharing.take_along(
            values, turn.share, self.centre, self.ends, self.live, self.room, turn.flow, turn.passed,
            brought, span, upright, self.moved,
        )  # fmt: skip
        if self.grid.repeats[1 if upright else 0]:  # its first faces see less than its last
            faces = self.moved.swapaxes(1, 2) if not upright else self.moved
            faces[:, 1] = faces[:, self.grid.ny + 1 if upright else self.grid.nx + 1]
        self.got[:] = 0.0
        sharing.take_over(
            values, self.begun, turn.share, after, self.own, turn.held, self.room, turn.flow,
            turn.passed, self.moved, span, upright, self.got,
        )  # fmt: skip
        if self.is_cut:
            sharing.settle(self.got, after, self.own, self.room)
        sharing.divide(self.got, after, self.own, self.room, values)
        self.wrap(values)

    def wrap(self, values: Array) -> None:
        """Fill what stands for others where the vessel repeats."""
        self.grid.wrap(values)

    # ------------------------------------------------------------ spread

    def survey(self, now: Apart) -> None:
        """Take over where both fluids are."""
        self.share[:] = now.share
        sharing.survey(now.share, self.own, *now.planes, self.wide, self.tall, self.facts)
        for fact in self.facts:
            self.grid.wrap(fact)

    def volumes(self) -> tuple[Array, Array]:
        """m3 of either fluid in cells."""
        first = np.where(self.own, self.share * self.room, 0.0)
        return first, np.where(self.own, self.room, 0.0) - first

    def spread(
        self,
        values: Array,
        nature: Nature,
        dt: float,
        lost: Array,
        walls: tuple[Array, Array],
    ) -> tuple[Array, Array, Array]:
        """Let values spread through a step. lost : 1/s that goes in either fluid (2, ny + 3, nx + 3);
        walls : value of the second fluid that pieces hold it at (n), and whether they do.

        Returns amounts: from the first to the second in every cell, into the vessel through pieces, and
        what went (2, ny + 3, nx + 3).
        """
        ratio = nature.ratio
        both = np.array([ratio * nature.spreads[0], nature.spreads[1]])
        for upright, links in ((False, self.west), (True, self.south)):
            face = (self.mesh.open_y if upright else self.mesh.open_x)[0]
            widths = self.tall if upright else self.wide
            sharing.link(
                self.share,
                self.live,
                self.facts,
                face,
                widths,
                both,
                nature.hinders,
                upright,
                links,
            )
        sharing.link_within(self.own, self.facts, self.depth, both, nature.hinders, self.within)
        u, lives = self.u, []
        kept = self.volumes()
        for side, scale in ((0, ratio), (1, 1.0)):
            amount = scale * nature.holds[side] * kept[side]
            lives.append(amount > 0.0)
            self.holding[side] = amount / dt
            u[side] = values[side] / scale
        self.right[:] = self.holding * u
        for side in range(2):
            self.holding[side] *= 1.0 + dt * lost[side]
        felt = self._feel_walls(walls, both)
        self._cut_off(lives)
        sharing.lay_diagonal(self.holding, self.west, self.south, self.within, self.diagonal)
        for side in range(2):
            np.copyto(self.diagonal[side], 0.0, where=~lives[side])
        self._settle(both)
        crossed = np.zeros(self.share.shape)
        sharing.crossed(u, self.west, self.south, self.within, crossed)
        j, i = self.pieces.j, self.pieces.i
        into = dt * sum(felt[side] * (walls[0] - u[side, j, i]) for side in range(2))
        went = np.zeros(u.shape)
        for side, scale in ((0, ratio), (1, 1.0)):
            went[side] = dt * lost[side] * (scale * nature.holds[side] * kept[side] * u[side])
            values[side] = np.where(lives[side], scale * u[side], 0.0)
        self.wrap(values)
        return dt * np.where(self.own, crossed, 0.0), into, went

    def _feel_walls(self, walls: tuple[Array, Array], both: Array) -> list[Array]:
        """Take over what pieces hold values at; what conducts to either fluid (2 of (n))."""
        p = self.pieces
        first = self.share[p.j, p.i]
        felt = []
        for side, part in ((0, first), (1, 1.0 - first)):
            conducts = np.where(walls[1], both[side] * part * p.area / self.before_walls, 0.0)
            np.add.at(self.holding[side], (p.j, p.i), conducts)
            np.add.at(self.right[side], (p.j, p.i), conducts * walls[0])
            felt.append(conducts)
        return felt

    def _cut_off(self, lives: Sequence[Array]) -> None:
        """Leave out what links nothing, as where a fluid holds none of it."""
        there = [self.grid.wrap(np.array(each)) for each in lives]
        for axis, links in ((1, self.west), (0, self.south)):
            before = [np.roll(each, 1, axis) for each in there]
            links[0] *= before[0] & there[0]
            links[1] *= before[1] & there[1]
            links[2] *= before[0] & there[1]
            links[3] *= before[1] & there[0]
        self.within *= there[0] & there[1]

    def _settle(self, both: Array) -> None:
        """Solve, with what comes of middles that are not straight across from each other as it is."""
        plain, before = self.right.copy(), np.zeros(self.more.shape)
        for turn in range(TURNS):
            before[:] = self.more if turn else 0.0
            sharing.steepen(self.u, self.facts, self.depth, self.within, both, self.rises)
            self.wrap(self.rises)
            self.more[:] = 0.0
            sharing.straighten(self.rises, self.facts, self.west, self.tall, False, self.more)
            sharing.straighten(self.rises, self.facts, self.south, self.wide, True, self.more)
            self.more[:, ~self.own] = 0.0  # of faces that stand twice each cell counts its own once
            off = float(np.abs(self.more - before).sum())
            self.right[:] = plain + self.more
            if turn and off <= STRAIGHT * float(np.abs(self.more).sum()):
                break
            self._solve(NEAR)
        self._solve(CLOSE)

    def _solve(self, close: float) -> None:
        """By conjugate gradients, both fluids of a cell at once, until `close` of the right is left."""
        u, r, z, p, q = self.u, self.left, self.eased, self.along, self.pulled
        matrix, eases = (
            (self.diagonal, self.west, self.south, self.within),
            (self.diagonal, self.within),
        )
        aim = close * float(np.abs(self.right).sum())
        self.wrap(u)
        sharing.pull(u, *matrix, r)
        size, rho = sharing.begin(self.right, *eases, r, z)
        p[:] = z
        for _ in range(MOST):
            if size <= aim:
                self.wrap(u)
                return
            self.wrap(p)
            step = rho / sharing.pull(p, *matrix, q)
            before = rho
            size, rho = sharing.go(u, p, q, *eases, step, r, z)
            sharing.turn_to(z, rho / before, p)
        raise StepFailed(
            "what lives in both fluids",
            "the whole vessel",
            f"it does not settle within {MOST} turns: it spreads too far in one step",
        )
