"""The value of one carried thing at rest: Newton's method on limited convection, by Krylov's.

Flows are given, so that only the limiter bends the equation: its derivative is exact
(`operators.tangent`), and one cycle over first-order upwinding preconditions it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from underkettle.engine.contract import StepFailed
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.linear.lines import Lines
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.tangent import ScalarTangent
from underkettle.engine.transport.unknown import AROUND, Unknown

Array = np.ndarray
Flow3 = tuple[Array, Array, Array]

DIRECTIONS = 60  # of one linear solve
AIM = 0.1  # of the imbalance that it leaves: a limiter bends it before more would help
STEPS = 10  # Newton steps of one sweep
FALLEN = 0.1  # of the imbalance it began with: the next sweep goes on from there
STILL = 1e-8  # of the span of values: a step that changes no more ends them
# after a step that leaves more out of balance values are held to what they were: by that share of
# what couples them, and by that many times more as long as it does not help
FIRST_HELD, HELD, EASED, MOST_HELD, RISE = 0.25, 4.0, 2.0, 4.0, 3.0
EVEN = 1e-9  # share of a value below which its differences are rounding
FREE = 1e-13  # of what couples cells: less holds nothing


def span_of(values: Array) -> float:
    """How far values lie apart, and more than their rounding."""
    return max(float(np.ptp(values)), EVEN * float(np.abs(values).max()), 1e-300)


def _held_back(imbalance: Callable[[Array], Array], hold: Array, was: Array) -> Any:
    """An imbalance of values that are also held to what they were."""
    return lambda c: imbalance(c) - hold * (c - was)


class Resting:
    """Brings the value of one member to rest on its mesh."""

    def __init__(self, member: Unknown, wx: Array, wy: Array) -> None:
        self.member, mesh = member, member.mesh
        self.grid, self.live = mesh.grid, mesh.live[0]
        self.shape = self.live.shape
        ny, nx = self.shape[0] - 3, self.shape[1] - 3
        self.lines = Lines(self.shape, ny, nx, self.grid.repeats, "itself")
        self.tangent = ScalarTangent(wx, wy, self.shape, self.grid.repeats)
        self.at = np.flatnonzero(self.live)
        self.room = Gmres(self.at.size, DIRECTIONS)
        self.damp = 0.0
        self.change, self.out = np.zeros(self.shape), np.zeros(self.shape)
        self.pockets = [
            np.flatnonzero((mesh.pocket[0] == k) & self.live)
            for k in range(1, int(mesh.pocket[0].max()) + 1)
        ]

    def settle(
        self,
        c: Array,
        flows: Flow3,
        holding: Array,
        imbalance: Callable[[Array], Array],
        fill: tuple[Array, Array],
        share: float = 0.0,
    ) -> tuple[float, int]:
        """Change `c` in place until nothing is out of balance; the largest change over the span of
        values, and the directions taken.

        holding : what holds each value (m3/s), on the diagonal. imbalance : what each cell still
        gains (value m3/s). fill : closed cells and the open ones that a limiter sees there. share : of
        all that holds a value, by which it is held to what it was.
        """
        self.linearise(c, flows, holding, fill)
        plain = self.lines.diagonal.copy()
        if share > 0:
            was, hold = c.copy(), share / (1.0 - share) * plain
            holding = self.holding = holding + hold
            self._couple(c, flows, holding)
            imbalance = _held_back(imbalance, hold, was)
        weights = 1.0 / plain.ravel()[self.at]
        begun, count, damped = c.copy(), 0, 0.0
        gains = imbalance(c)
        self._free(gains)
        left = gains.ravel()[self.at] * weights
        size = float(np.sqrt(left @ left))
        enough = FALLEN * size
        for _ in range(STEPS):
            if size <= enough:
                break
            if self.damp != damped:
                self.holding = holding + self.damp * plain
                self._couple(c, flows, self.holding)
                damped = self.damp
            found = self.room.solve(
                lambda vector: self.apply(vector) * weights,
                lambda vector: self.precondition(vector / weights),
                left,
                AIM,
            )
            count += found.iterations
            kept = c.ravel()[self.at]
            c.ravel()[self.at] += found.solution
            after = imbalance(c).ravel()[self.at] * weights
            length = float(np.sqrt(after @ after))
            rises = not length <= size  # a limiter has switched
            if rises:
                self.damp = min(max(HELD * self.damp, FIRST_HELD), MOST_HELD)
                if not length <= RISE * size:
                    c.ravel()[self.at] = kept
                    continue
            left, size = after, length
            if float(np.abs(found.solution).max()) <= STILL * span_of(c[self.live]):
                break
            self._freeze(c, flows, fill)
            if not rises:
                self.damp = self.damp / EASED if self.damp > FIRST_HELD / HELD else 0.0
        c[~self.live] = 0.0
        if not np.isfinite(c.sum()):
            raise StepFailed(self.member.what.words, "the whole vessel", "not a finite number")
        worst = max(float(np.abs(c - begun)[self.live].max()), float(np.abs(left).max(initial=0.0)))
        return worst / span_of(c[self.live]), count

    def linearise(
        self,
        c: Array,
        flows: Flow3,
        holding: Array,
        fill: tuple[Array, Array],
        unclosed: Array | float = 0.0,
        rate: float = 0.0,
    ) -> None:
        """Take over values and flows. unclosed : what more flows out of cells than may (m3/s), and
        takes nothing along. rate : of a mass term (1/s).
        """
        member = self.member
        bent = member.bend(c)
        self.flows, self.fill = flows, fill
        self.holding = holding + rate * member.store * bent - unclosed * bent
        self._couple(c, flows, self.holding)
        self._freeze(c, flows, fill)

    def _couple(self, c: Array, flows: Flow3, holding: Array) -> None:
        """First-order upwinding and diffusion, for the preconditioner."""
        member, lines, live = self.member, self.lines, self.live
        x, y, through = flows
        inward = [
            np.maximum(x, 0.0),
            np.maximum(-roll(x, -1, 1), 0.0),
            np.maximum(y, 0.0),
            np.maximum(-roll(y, -1, 0), 0.0),
        ]
        leaving = (
            np.maximum(-x, 0.0)
            + np.maximum(roll(x, -1, 1), 0.0)
            + np.maximum(-y, 0.0)
            + np.maximum(roll(y, -1, 0), 0.0)
        )
        pieces = member.mesh.pieces
        np.add.at(leaving, (pieces.j, pieces.i), np.maximum(through, 0.0))
        slope = member.slope(c)
        if slope is not None:
            slope = self.grid.wrapped(np.where(live, slope, 0.0))
            leaving *= slope
            for k, (step, axis) in enumerate(AROUND):
                inward[k] = inward[k] * roll(slope, step, axis)
        near = self.grid.wrapped(live)
        total = np.zeros(self.shape)
        for k, (step, axis) in enumerate(AROUND):
            on = live & roll(near, step, axis)
            comes = inward[k] if member.taking is None else inward[k] + member.taking[k]
            lines.convective[k][:] = np.where(on, comes, 0.0)
            link = (
                (member.link_x, roll(member.link_x, -1, 1))[k]
                if k < 2
                else ((member.link_y, roll(member.link_y, -1, 0))[k - 2])
            )
            lines.symmetric[k][:] = np.where(on, link, 0.0)
            total += lines.convective[k]
        held = np.where(live, holding + leaving - total, 0.0)
        # what rounding leaves of flows that close holds nothing
        lines.held[:] = np.where(np.abs(held) < FREE * (leaving + total), 0.0, held)
        lines.set_up()

    def _free(self, left: Array) -> None:
        """Refuse what can never rest: a part of the vessel that gains (value m3/s) on balance and
        that nothing holds.
        """
        hold, all_of = self.lines.held.ravel(), self.lines.diagonal.ravel()
        for pocket in self.pockets:
            gains = left.ravel()[pocket]
            if float(np.abs(hold[pocket]).sum()) <= FREE * float(all_of[pocket].sum()) and (
                abs(float(gains.sum())) > EVEN * float(np.abs(gains).sum())
            ):
                raise StepFailed(
                    self.member.what.words,
                    "the whole vessel",
                    "what enters has no way out, so no steady state exists",
                )

    def _fill(self, c: Array, fill: tuple[Array, Array]) -> None:
        flat = c.ravel()
        flat[fill[0]] = flat[fill[1]]
        self.grid.wrap(c)

    def _freeze(self, c: Array, flows: Flow3, fill: tuple[Array, Array]) -> None:
        """Take over the branches of the limiter, and how what is held changes with the value."""
        member = self.member
        held = c.copy() if member.law is None else np.where(self.live, member.content(c), 0.0)
        self._fill(held, fill)
        self.tangent.freeze(held, *flows[:2])
        self.slope = member.slope(c)

    def apply(self, vector: Array) -> Array:
        """What the imbalance falls by where values change."""
        member, d, out = self.member, self.change, self.out
        d[:] = 0.0
        d.ravel()[self.at] = vector
        self.grid.wrap(d)
        np.multiply(self.holding, d, out=out)
        out -= neighbours(d, member.link_x, member.link_y)
        if self.slope is not None:
            d *= self.slope
        pieces = member.mesh.pieces
        leaving = np.maximum(self.flows[2], 0.0) * d[pieces.j, pieces.i]
        np.add.at(out, (pieces.j, pieces.i), leaving)
        if member.taking is not None:
            out -= member.took(d)
        self._fill(d, self.fill)
        self.tangent.add(d, out)
        return out.ravel()[self.at]

    def precondition(self, left: Array) -> Array:
        """About the change of values that takes an imbalance away."""
        self.change[:] = 0.0
        self.change.ravel()[self.at] = left
        self.lines.cycle(self.change, self.out)
        return self.out.ravel()[self.at]
