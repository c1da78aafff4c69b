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

    @property
    def both(self) -> Array:
        """amount/(s m) per unit of the second's value, in either fluid."""
        return np.array([self.ratio * self.spreads[0], self.spreads[1]])


class Living:
    """One such thing on a mesh: its values in either fluid (2, ny + 3, nx + 3), and what places make of
    it. brought : what pieces let in, per m3 of either fluid (2, n); held : value of the second fluid
    that pieces hold it at, where `holds` (n); lost : 1/s that goes in either (2, ny + 3, nx + 3).
    """

    def __init__(self, mesh: Mesh, nature: Nature) -> None:
        count, shape = mesh.pieces.j.size, mesh.shape[1:]
        self.nature = nature
        self.values, self.begun, self.lost = np.zeros((3, 2, *shape))
        self.brought, self.gone = np.zeros((2, 2, count))
        self.held, self.holds = np.zeros(count), np.zeros(count, bool)


class Sides:
    """Takes what lives in both fluids through a step. share : of the first fluid, as it is now."""

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
        self.moved, self.ends, self.brought = np.zeros((3, 2, *shape))
        self.u, self.right, self.left, self.eased = np.zeros((4, 2, *shape))
        self.along, self.pulled = np.zeros((2, 2, *shape))
        self.rises, self.more = np.zeros((2, 2, *shape))
        self.got = np.zeros((4, *shape))
        self.facts = np.zeros((sharing.FACTS, *shape))
        self.west, self.south = np.zeros((2, 4, *shape))
        self.within = np.zeros(shape)
        self.holding, self.diagonal = np.zeros((2, 2, *shape))
        self.is_cut = mesh.cuts > 0
        self.before_walls = self._before_walls()

    def _before_walls(self) -> Array:
        """How far (m) the middles of cells are from the pieces that bound them."""
        p, (x, y) = self.pieces, self.mesh.cell_centres()
        j, i = p.j, p.i
        x, y = (np.broadcast_to(c, self.mesh.shape)[0][j, i] for c in (x, y))
        off = np.abs((p.x - x) * p.nx + (p.y - y) * p.ny)
        return np.maximum(off, sharing.THIN * np.minimum(self.wide[i], self.tall[j]))

    def _survey(self, share: Array, planes: Array) -> None:
        """Where both fluids lie in cells."""
        sharing.survey(share, self.own, *planes, self.wide, self.tall, self.facts)
        for fact in self.facts:
            self.grid.wrap(fact)

    # ------------------------------------------------------------ carried

    def carry(self, things: Sequence[Living], now: Apart) -> None:
        """Take values through the turns that fluids have taken; `gone` is then what went out through
        every piece.
        """
        for thing in things:
            thing.gone[:] = 0.0
        for k, turn in enumerate(now.turns):
            after = now.turns[k + 1].share if k + 1 < len(now.turns) else now.share
            self._survey(turn.share, turn.planes)
            for thing in things:
                if k % 2 == 0:
                    thing.begun[:] = thing.values
                self._turn(thing, turn, after)

    def _turn(self, thing: Living, turn: Turn, after: Array) -> None:
        values, nature, grid = thing.values, thing.nature, self.grid
        span, upright = turn.span, turn.upright
        mine, at = self.pieces.faces(1 if upright else 0)
        self.brought[:, at[0], at[1]] = thing.brought[:, mine]
        axis = sharing.CENTRE_Y if upright else sharing.CENTRE_X
        centre = self.facts[axis : axis + 2]
        deep = self.facts[sharing.DEEP : sharing.DEEP + 2]
        sharing.where_they_meet(values, deep, nature.ratio, nature.both, nature.hinders, self.ends)
        grid.wrap(self.ends)
        sharing.take_along(
            values, turn.share, centre, self.ends, self.live, self.room, turn.flow, turn.passed,
            self.brought, span, upright, self.moved,
        )  # fmt: skip
        if grid.repeats[1 if upright else 0]:  # its first faces see less than its last
            faces = self.moved.swapaxes(1, 2) if not upright else self.moved
            faces[:, 1] = faces[:, grid.ny + 1 if upright else grid.nx + 1]
        self.got[:] = 0.0
        sharing.take_over(
            values, thing.begun, turn.share, after, self.own, turn.held, self.room, turn.flow,
            turn.passed, self.moved, span, upright, self.got,
        )  # fmt: skip
        if self.is_cut:
            sharing.settle(self.got, after, self.own, self.room)
        sharing.divide(self.got, after, self.own, self.room, values)
        grid.wrap(values)
        thing.gone[:, mine] += self.pieces.outward[mine] * self.moved[:, at[0], at[1]]

    # ------------------------------------------------------------ spread

    def survey(self, now: Apart) -> None:
        """Take over where both fluids are."""
        self.share[:] = now.share
        self._survey(now.share, now.planes)

    def volumes(self) -> tuple[Array, Array]:
        """m3 of either fluid in cells."""
        first = np.where(self.own, self.share * self.room, 0.0)
        return first, np.where(self.own, self.room, 0.0) - first

    def spread(self, thing: Living, dt: float) -> tuple[Array, Array, Array]:
        """Let values spread through a step.

        Returns amounts: from the first to the second in every cell, into the vessel through pieces, and
        what went (2, ny + 3, nx + 3).
        """
        nature, values, lost = thing.nature, thing.values, thing.lost
        ratio, both = nature.ratio, nature.both
        for upright, links in ((False, self.west), (True, self.south)):
            face = (self.mesh.open_y if upright else self.mesh.open_x)[0]
            widths = self.tall if upright else self.wide
            sharing.link(self.live, self.facts, face, widths, both, nature.hinders, upright, links)
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
        felt = self._feel_walls(thing)
        self._cut_off(lives)
        sharing.lay_diagonal(self.holding, self.west, self.south, self.within, self.diagonal)
        for side in range(2):
            np.copyto(self.diagonal[side], 0.0, where=~lives[side])
        self._settle(both)
        crossed = np.zeros(self.share.shape)
        sharing.crossed(u, self.west, self.south, self.within, crossed)
        j, i = self.pieces.j, self.pieces.i
        into = dt * sum(felt[side] * (thing.held - u[side, j, i]) for side in range(2))
        went = np.zeros(u.shape)
        for side, scale in ((0, ratio), (1, 1.0)):
            went[side] = dt * lost[side] * (scale * nature.holds[side] * kept[side] * u[side])
            values[side] = np.where(lives[side], scale * u[side], 0.0)
        self.grid.wrap(values)
        return dt * np.where(self.own, crossed, 0.0), into, went

    def _feel_walls(self, thing: Living) -> list[Array]:
        """Take over what pieces hold values at; what conducts to either fluid (2 of (n))."""
        p = self.pieces
        first = self.share[p.j, p.i]
        felt = []
        for side, part in ((0, first), (1, 1.0 - first)):
            conducts = thing.nature.both[side] * part * p.area / self.before_walls
            conducts = np.where(thing.holds, conducts, 0.0)
            np.add.at(self.holding[side], (p.j, p.i), conducts)
            np.add.at(self.right[side], (p.j, p.i), conducts * thing.held)
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
            self.grid.wrap(self.rises)
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
        matrix = self.diagonal, self.west, self.south, self.within
        eases = self.diagonal, self.within
        aim = close * float(np.abs(self.right).sum())
        self.grid.wrap(u)
        sharing.pull(u, *matrix, q)
        r[:], p[:] = self.right, 0.0
        size, rho = sharing.go(u, p, q, *eases, 1.0, r, z)
        p[:] = z
        for _ in range(MOST):
            if size <= aim:
                self.grid.wrap(u)
                return
            self.grid.wrap(p)
            step = rho / sharing.pull(p, *matrix, q)
            before = rho
            size, rho = sharing.go(u, p, q, *eases, step, r, z)
            sharing.turn_to(z, rho / before, p)
        raise StepFailed(
            "what lives in both fluids",
            "the whole vessel",
            f"it does not settle within {MOST} turns: it spreads too far in one step",
        )
