"""Many small steps of what a stream that holds carries, in one go.

Limited convection, diffusion, decay and sources are taken together, in explicit stages (small cut
cells implicitly), so that what comes to rest in time is what is solved at rest. Values stay bounded
while a step times (twice what leaves a cell by convection plus what diffusion and decay exchange)
stays below what the cell holds.

Implicit steps of second order cost more: limiters that switch within a step took dozens of
directions, where a small step takes a few nanoseconds a cell.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.small_cells import SmallCells
from underkettle.engine.operators.steps import step_stage, stride
from underkettle.engine.transport.unknown import Unknown

Array = np.ndarray
STAGES = 8  # of a step
EULER = STAGES - 1  # Euler steps that bring its time
Flows = tuple[Array, Array, Array]
Columns = tuple[Array, Array, Array]  # of a sparse matrix: where each starts, rows, values
Tables = tuple[tuple[Array, ...], Array, Array, Columns, Columns, Array, Array, Array]

NO_ORDER = np.zeros(0, np.int32)
NO_COLUMNS = np.zeros(1, np.int32), np.zeros(0, np.int32), np.zeros(0)
NO_FACTORS = NO_ORDER, NO_ORDER, NO_COLUMNS, NO_COLUMNS


class Striding:
    """Small steps of one member.

    fill : dead cells (flat), and whose value they show. weights : of convection, along x and y.
    """

    def __init__(
        self,
        mesh: Mesh,
        member: Unknown,
        small: SmallCells,
        fill: tuple[Array, Array],
        weights: tuple[Array, Array],
    ) -> None:
        self.mesh, self.member, self.small, self.weights = mesh, member, small, weights
        shape, grid = mesh.shape[1:], mesh.grid
        self.mean, self.out, self.gain = (np.zeros(shape) for _ in range(3))
        self.work = np.zeros(shape), np.zeros(shape)
        self.there = mesh.live[0].astype(float)
        self.right = np.zeros(small.cell.size)
        self.rest = (
            tuple(np.zeros(small.cell.size) for _ in range(5)),
            tuple(np.zeros(small.before.size) for _ in range(3)),
        )
        self.lines, self.line_weights = self._lines()
        self.scratch = tuple(np.zeros(grid.nx + 3) for _ in range(3))
        self.large = mesh.live[0] & ~small.is_small
        own = np.arange(mesh.live[0].size).reshape(shape)
        shown = grid.wrap(own.copy())
        ghosts = np.flatnonzero((shown != own).ravel())
        self.fill = (
            np.concatenate([fill[0], ghosts]),
            np.concatenate([fill[1], shown.ravel()[ghosts]]),
        )
        self.given, self.links = self.there, (self.there, self.there)  # laid out by each step
        self._quickest = -1.0
        self.place = mesh.pieces.j * shape[1] + mesh.pieces.i

    def _lines(self) -> tuple[Array, Array]:
        """The four cells in line with each face of a small cell, and the weights there: (4, faces)."""
        rows, columns = self.mesh.shape[1:]
        own = self.mesh.grid.wrap(np.arange(rows * columns).reshape(rows, columns))
        found, weights = [], []
        for axis, face in enumerate(self.small.faces):
            j, i = face // columns, face % columns
            steps = np.arange(-2, 2)[:, None]
            if axis == 0:
                cells = j, np.clip(i + steps, 0, columns - 1)
            else:
                cells = np.clip(j + steps, 0, rows - 1), i
            found.append(own[cells])
            weights.append(self.weights[axis][:, i if axis == 0 else j])
        return np.concatenate(found, axis=1), np.concatenate(weights, axis=1)

    def quickest(self) -> float:
        """How fast diffusion and decay act on any but the small cells (1/s)."""
        if self.member.lasting and not self.member.gifts and self._quickest >= 0:
            return self._quickest
        member = self.member
        x, y = member.link_x, member.link_y
        around = member.holding.copy()
        around[1:-1, 1:-1] += x[1:-1, 1:-1] + x[1:-1, 2:] + y[1:-1, 1:-1] + y[2:, 1:-1]
        around *= member.inverse
        self._quickest = float(around.max(initial=0.0, where=self.large))
        return self._quickest

    def take(
        self, c: Array, flows: Flows, dt: float, steps: int, arriving: Array
    ) -> tuple[Array, Array]:
        """So many steps of dt, c in place, counted from the member's origin; returns the mean of
        what acted and what passed each piece outward (value m3/s).

        arriving : (1 or steps x EULER + 1, pieces), what a stream brings in, counted likewise.
        """
        reads = self._reads(dt / EULER, flows)
        stride(c, self.work, self.mean, arriving, steps, STAGES, reads)
        self._end(c, steps * STAGES)
        moves = arriving.shape[0] > 1
        come = arriving[self._seen(steps)].mean(0) if moves else arriving[0]
        return self.mean, self._passing(flows[2], self.mean.ravel()[self.place], come)

    def take_one(
        self,
        c: Array,
        early: Flows,
        late: Flows,
        dt: float,
        stages: int,
        brought: tuple[Array, Array],
    ) -> tuple[Array, Array]:
        """One step of dt in so many stages, while the stream goes from `early` to `late` and what
        it brings from `brought`'s first to its second; otherwise like `take`.
        """
        now, told = c, self.mean.ravel()
        passed = np.zeros(self.place.size)
        for stage in range(stages):
            last, share = stage == stages - 1, stage / (stages - 1)
            target = c if last else self.work[stage % 2]
            x, y, through = (_between(a, b, share) for a, b in zip(early, late, strict=True))
            reads = self._reads(dt / (stages - 1), (x, y, through), fresh=stage == 0)
            come, earlier = _between(*brought, share), told[self.place]
            step_stage(now, target, self.mean, come, (stages - 1) / stages if last else 1.0, reads)
            passed += self._passing(through, told[self.place] - earlier, come)
            now = target
        self._end(c, stages)
        return self.mean, passed / stages

    def _reads(self, part: float, flows: Flows, fresh: bool = True) -> tuple[Any, ...]:
        """What a stage of so many seconds reads, in the order of `step_stage`."""
        member, grid = self.member, self.mesh.grid
        if fresh:
            np.multiply(member.inverse, part, out=self.gain)
            self.gain[~self.large] = 0.0
            self.mean[:] = 0.0
            self.given = member.given - member.holding * member.what.origin
            self.links = self.small.mask(member.link_x, member.link_y)
        x, y, through = flows
        small = self._small_tables(flows, part, self.given)
        return (
            *(self.out, self.small.mask(x, y), self.links, member.holding, self.given, self.gain),
            *((self.place, through), self.fill, small, self.right, self.rest),
            *(self.weights, self.scratch, grid.repeats, grid.ny, grid.nx),
        )

    @staticmethod
    def _passing(through: Array, here: Array, come: Array) -> Array:
        return through * np.where(through >= 0, here, come)

    def _end(self, c: Array, stages: int) -> None:
        c *= self.there
        self.mean *= self.there
        self.mean *= 1.0 / stages

    @staticmethod
    def _seen(steps: int) -> Array:
        """Which rows of `arriving` the stages of so many steps see."""
        return (EULER * np.arange(steps)[:, None] + np.arange(STAGES)).ravel()

    def _small_tables(self, flows: Flows, dt: float, given: Array) -> Tables:
        """What small cells hold, are given and exchange, and the factors of all of them together."""
        small, member = self.small, self.member
        near, far = small.number_before, small.number_after
        (face_x, face_y), (x, y, through) = small.faces, flows
        flow = np.concatenate([x.ravel()[face_x], y.ravel()[face_y]])
        link = np.concatenate([member.link_x.ravel()[face_x], member.link_y.ravel()[face_y]])
        hold = member.store.ravel()[small.cell] / dt
        passing, number = through[small.piece], small.piece_number
        tables = (
            *(small.cell, hold, given.ravel()[small.cell], small.before, small.after),
            *(near, far, flow, link, number, passing, small.piece),
        )
        if not small.cell.size:
            return tables, *NO_FACTORS, self.lines, self.line_weights, hold
        holding = member.holding.ravel()[small.cell]
        factor = small.factored(hold + holding, flow, passing, link)
        lower, upper = factor.L, factor.U
        return (
            tables,
            factor.perm_r,
            factor.perm_c,
            (lower.indptr, lower.indices, lower.data),
            (upper.indptr, upper.indices, upper.data),
            self.lines,
            self.line_weights,
            holding,
        )


def _between(a: Array, b: Array, share: float) -> Array:
    return a if a is b or share == 0.0 else b if share == 1.0 else (1.0 - share) * a + share * b
