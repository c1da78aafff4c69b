"""The linear system of a steady stream: all velocities and pressures together.

The Jacobian is never formed: viscosity, pressure and continuity act as they are, limited convection
by its exact derivative (`operators.tangent`). What makes the iteration short is its preconditioner,
a block factorisation of the coupled system,

    u* = A^-1 f,   S p = D u* - g,   u = A^-1 (f - G p),

with A^-1 one cycle over first-order upwinding and viscosity, and the Schur complement undone by
commuting (Elman, Howle, Shadid, Shuttleworth & Tuminaro 2006),

    S^-1 = L^-1 (D W^-1 A W^-1 G) L^-1,   L = D W^-1 G.

W is what holds a velocity over what would hold it were nothing cut, and at least its mass:
convection must stay out of it, and legs shorter than a cell belong into it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import numpy as np

from underkettle.engine.linear.lines import Lines
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.projection import (
    divergence,
    level,
    outlet_force,
    pressure_force,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.tangent import Tangent, out_u, out_v, upwind, upwind_out
from underkettle.engine.threads import beside
from underkettle.phenomena.flow.rims import hand_on
from underkettle.phenomena.flow.stream import Stream

Array = np.ndarray
Pair = tuple[Array, Array]

CYCLES = 2  # of the pressure's multigrid
WORTH = 5000  # cells from which two components are worth two threads


class NewtonSystem:
    """Solves for what velocities and pressure of a stream must change by. Fields are
    (ny + 3, nx + 3), zero where nothing is solved for.
    """

    def __init__(self, stream: Stream) -> None:
        self.stream, self.mesh, self.grid = stream, stream.mesh, stream.mesh.grid
        self.parts = stream.parts
        self.shape = stream.live.shape
        self.ny, self.nx = stream.ny, stream.nx
        repeats = self.grid.repeats
        self.on = [part.nodes.unknown for part in stream.parts]
        self.near = [self.grid.wrapped(on) for on in self.on]
        self.live = stream.live & (stream.ways() > 0)  # cells whose pressure moves something
        self.kinds = [*self.on, self.live]
        self.at = [np.flatnonzero(kind) for kind in self.kinds]
        self.ends = np.cumsum([a.size for a in self.at])
        self.pockets = [
            (inside * self.live, int((inside * self.live).sum())) for inside, _ in stream.pockets
        ]
        self.lines = [Lines(self.shape, *part.nodes.extent, repeats) for part in stream.parts]
        self.pressure = Lines(self.shape, self.ny, self.nx, repeats, "itself")
        self.tangents = [
            Tangent(k, part.along_weights, part.across_weights, np.zeros(self.shape), repeats)
            for k, part in enumerate(stream.parts)
        ]
        self.fields = np.zeros(self.shape), np.zeros(self.shape), np.zeros(self.shape)
        self.found = np.zeros(self.shape), np.zeros(self.shape), np.zeros(self.shape)
        self.weights, self.rate = np.ones(int(self.ends[-1])), 0.0
        self.carries = True
        self.spare = [np.zeros(self.shape) for _ in range(8)]
        self.slopes = np.zeros(self.shape), np.zeros(self.shape)

    # ------------------------------------------------------------ vectors

    def gather(self, *fields: Array) -> Array:
        """Fields of u, v, p as one vector of unknowns."""
        return np.concatenate([f.ravel()[at] for f, at in zip(fields, self.at, strict=True)])

    def scatter(self, vector: Array, fields: tuple[Array, ...]) -> None:
        """A vector of unknowns into fields, their ghosts filled."""
        first = 0
        for field, at, end in zip(fields, self.at, self.ends, strict=True):
            field.ravel()[at] = vector[first:end]
            first = int(end)
            self.grid.wrap(field)

    # ------------------------------------------------------------ operators

    def push(self, p: Array, out: Pair) -> None:
        """Forces (N) of pressures, zero outside."""
        for axis, part in enumerate(self.stream.parts):
            n = part.nodes
            pressure_force(p, n, out[axis])
            outlet_force(p, n, 0.0, out[axis])
            out[axis][~self.on[axis]] = 0.0

    def outflow(self, u: Array, v: Array, out: Array) -> None:
        """Net outflow of every cell."""
        pu, pv = self.stream.parts
        divergence(u, v, pu.opening, pv.opening, out, 1.0, self.ny, self.nx)
        out[~self.live] = 0.0

    def linearise(
        self,
        u: Array,
        v: Array,
        rate: float,
        held: Pair,
        carries: bool = True,
        share: float = 0.0,
    ) -> None:
        """Take over the field. rate : of a mass term (1/s); held : what else holds each velocity
        (N s/m). carries : whether the stream carries itself; it does so explicitly within a step.
        share : of all that holds a velocity, by which it is held to what it was.
        """
        stream = self.stream
        self.rate, self.carries = rate, carries
        pu, pv = stream.parts
        passing = float(carries) * u * pu.opening, float(carries) * v * pv.opening
        self.flows = fx, fy = stream.in_pores(*passing)
        self.diagonal, self.winv = [], []
        stream.fill_beyond(u, v)
        self.base = u.copy(), v.copy()
        stream.clear_beyond(u, v)
        self.bare = u.copy(), v.copy()
        net = stream.net_outflow(*passing)
        self.net = [None if net is None else 0.5 * (net + roll(net, 1, 1 - k)) for k in (0, 1)]
        nu = np.where(stream.live, stream.now_viscosity / stream.now_density, 0.0)
        for axis, (part, lines) in enumerate(zip(stream.parts, self.lines, strict=True)):
            n, on, near = part.nodes, self.on[axis], self.near[axis]
            scale = np.where(on, part.mass * part.lightness, 0.0)
            inner = self.tangents[axis].scale
            inner[:] = scale
            inner[n.out_row, n.out_column] = 0.0
            self.tangents[axis].freeze(self.base[axis], fx, fy)
            fixed = part.held + rate * part.mass + held[axis]
            west, east, south, north = symmetric = lines.symmetric
            for target in symmetric:
                target[:] = 0.0
            west[:], south[:] = part.link_x, part.link_y
            east[:, :-1], north[:-1] = part.link_x[:, 1:], part.link_y[1:]
            for target in symmetric:
                target[~on] = 0.0
            lines.held[:] = np.where(on, fixed, 0.0)
            tangent = self.tangents[axis]
            into = (*lines.convective, lines.held)
            upwind(
                tangent.flow_x,
                tangent.flow_y,
                inner,
                near,
                *into,
                *self.grid.repeats,
                *n.extent,
            )
            at, inside = stream.hidden[axis]
            inner.ravel()[at] = inner.ravel()[inside]
            upwind_out(fx, fy, scale, near, *into, n.out_row, n.out_column, n.out_sign, axis == 1)
            slow: Array | float = rate
            if share:
                kept = share * (lines.held + sum(lines.convective) + sum(symmetric)) * on
                np.add(lines.held, kept, out=lines.held)
                fixed = fixed + kept
                slow = rate + np.divide(kept, part.mass, out=np.zeros(self.shape), where=on)
            lines.set_up()
            self.diagonal.append(fixed)
            holds = fixed + sum(symmetric)
            plain = self._plain(nu, axis)
            weight = np.maximum(holds / np.maximum(slow + plain, 1e-300), part.mass)
            self.winv.append(np.divide(1.0, weight, out=np.zeros(self.shape), where=on))
        self._set_schur()

    def _plain(self, nu: Array, axis: int) -> Array:
        """What viscosity would hold a velocity by if nothing were cut, over its mass (1/s)."""
        n, turn = self.stream.parts[axis].nodes, 1 - axis
        before = roll(nu, 1, turn)
        here = np.where(nu > 0, np.where(before > 0, 0.5 * (nu + before), nu), before)
        across = self.grid.widths(1 - axis)
        wide = across[:, None] if axis == 0 else across[None, :]
        plain = 2 * here * (1 / n.distance**2 + 1 / wide**2)
        if self.grid.round and axis == 1:
            radius = np.abs(self.grid.faces(1))[:, None]
            plain += np.divide(here, radius**2, out=np.zeros_like(plain), where=radius > 0)
        return np.asarray(plain)

    def _set_schur(self) -> None:
        ax, ay, d = self.spare[:3]
        mobility = [p.nodes.side * w for p, w in zip(self.stream.parts, self.winv, strict=True)]
        self.stream.lay_pressure(mobility, ax, ay, d)
        for a in (ax, ay):
            self.grid.wrap(a)
        self.pressure.set_symmetric(ax, ay, d)

    def apply(self, change: tuple[Array, Array, Array], out: tuple[Array, Array, Array]) -> None:
        """What the imbalance changes by (its negative) where u, v, p change."""
        stream = self.stream
        du, dv, dp = change
        pu, pv = stream.parts
        gx, gy = self.spare[0], self.spare[1]
        np.multiply(du, pu.opening, out=gx)
        np.multiply(dv, pv.opening, out=gy)
        self.push(dp, self.slopes)
        self.outflow(du, dv, out[2])
        for axis, part in enumerate(stream.parts):
            d, force = change[axis], out[axis]
            np.multiply(self.diagonal[axis], d, out=force)
            force -= neighbours(d, part.link_x, part.link_y)
            force += self.slopes[axis]
        if stream.matter is not None:
            stream.matter.drag.add_others(du, dv, (out[0], out[1]))
        if not self.carries:
            for force, on in zip(out, self.on, strict=False):
                force[~on] = 0.0
            return
        if stream.shears:
            for force, turned in zip(out, stream.turned(du, dv), strict=False):
                force -= turned
        bare = self.spare[2], self.spare[3]
        bare[0][:], bare[1][:] = du, dv
        stream.fill_beyond(du, dv, change=True)
        nets = stream.net_outflow(gx, gy, change=True)
        gx, gy = stream.in_pores(gx, gy)

        def carry(axis: int) -> None:
            part, force = stream.parts[axis], out[axis]
            n = part.nodes
            self.tangents[axis].add(change[axis], gx, gy, force)
            hand_on(force, *stream.hidden[axis])
            scale = part.mass * part.lightness if n.out_row.size or nets is not None else None
            if n.out_row.size:
                (out_u, out_v)[axis](
                    self.bare[axis],
                    bare[axis],
                    self.flows[0],
                    gx,
                    self.flows[1],
                    gy,
                    scale,
                    force,
                    n.out_row,
                    n.out_column,
                    n.out_sign,
                )
            if nets is not None:
                more = 0.5 * (nets + roll(nets, 1, 1 - axis))
                force -= scale * (self.bare[axis] * more + bare[axis] * self.net[axis])
            force[~self.on[axis]] = 0.0

        self._both(carry)
        du[:], dv[:] = bare

    # ------------------------------------------------------------ preconditioner

    def _level(self, values: Array) -> None:
        for pocket in self.pockets:
            level(values, *pocket)

    def close(self, b: Array, x: Array, cycles: int = CYCLES) -> None:
        """x = about L^-1 b: pressures that undo net outflows (b is changed)."""
        self._level(b)
        self.pressure.cycle(b, x)
        left = self.spare[4]
        for _ in range(cycles - 1):
            self.grid.wrap(x)
            self.pressure.apply(x, left)
            np.subtract(b, left, out=left)
            left[~self.live] = 0.0
            self.pressure.cycle(left, self.spare[5])
            x += self.spare[5]
        self._level(x)
        x[~self.live] = 0.0
        self.grid.wrap(x)

    def precondition(
        self, right: tuple[Array, Array, Array], out: tuple[Array, Array, Array]
    ) -> None:
        """About the change that undoes an imbalance."""
        first = self.spare[6], self.spare[7]
        t, q = self.spare[0], self.spare[1]
        self._both(lambda axis: self._cycle(axis, right[axis], first[axis]))
        self.outflow(*first, t)
        t -= right[2]
        self.close(t, q)
        self.push(q, self.slopes)
        for axis in (0, 1):
            slope = self.slopes[axis]
            slope *= self.winv[axis]
            self.grid.wrap(slope)
            moved = self.spare[2 + axis]
            self.lines[axis].apply(slope, moved)
            moved *= self.winv[axis]
            self.grid.wrap(moved)
        self.outflow(self.spare[2], self.spare[3], t)
        self.close(t, out[2])
        self.push(out[2], self.slopes)

        def back(axis: int) -> None:
            np.subtract(right[axis], self.slopes[axis], out=self.slopes[axis])
            self._cycle(axis, self.slopes[axis], out[axis])

        self._both(back)

    def _both(self, act: Callable[[int], None]) -> None:
        """Act on both components, beside each other where a run may."""
        beside(self.mesh.cells, partial(act, 0), partial(act, 1), WORTH)

    def _cycle(self, axis: int, right: Array, out: Array) -> None:
        self.lines[axis].cycle(right, out)
        out[~self.on[axis]] = 0.0
        self.grid.wrap(out)

    def weigh(self, span: float, fastest: float, holds: Sequence[Array]) -> None:
        """What makes an imbalance what a time `span` (s) would change, over the stream's speed. holds :
        what holds each velocity over that time (kg).
        """
        parts, on = self.stream.parts, self.on
        across = float(np.sqrt(np.diff(self.grid.x).mean() * np.diff(self.grid.y).mean()))
        typical, area = 1.0, 1.0
        for axis in (0, 1):
            if on[axis].any():
                typical = float(np.median(parts[axis].mass[on[axis]]))
                area = float(np.median(parts[axis].opening[on[axis]]))
                break
        whole = sum(float(part.mass[here].sum()) for part, here in zip(parts, on, strict=True))
        scale = span / (fastest * np.sqrt(max(whole, 1e-300)))
        self.weights = scale * np.concatenate(
            [
                *(
                    np.sqrt(part.mass.ravel()[at]) / held.ravel()[at]
                    for part, held, at in zip(parts, holds, self.at[:2], strict=True)
                ),
                np.full(
                    self.at[2].size, np.sqrt(typical) / area * max(self.rate, fastest / across)
                ),
            ]
        )

    def applied(self, vector: Array) -> Array:
        """`apply` on vectors, weighted."""
        self.scatter(vector, self.fields)
        self.apply(self.fields, self.found)
        return self.gather(*self.found) * self.weights

    def preconditioned(self, vector: Array) -> Array:
        """`precondition` on vectors, weighted."""
        self.scatter(vector / self.weights, self.fields)
        self.precondition(self.fields, self.found)
        return self.gather(*self.found)

    def project(self, u: Array, v: Array, missing: Array, aim: float) -> None:
        """Make velocities close but for a share of `aim`, by the least kinetic energy. missing :
        inflow that cells lack.
        """
        b, q = missing.copy(), np.zeros(self.shape)
        b[~self.live] = 0.0
        self._level(b)
        pressure = self.stream.pressure
        assert pressure is not None
        pressure.solve(b, q, aim, 1e-15 * self._passing(u, v), 100)
        self.grid.wrap(q)
        self.push(q, self.slopes)
        for part, velocity, slope, on in zip(
            self.stream.parts, (u, v), self.slopes, self.on, strict=True
        ):
            velocity[on] -= (
                slope[on] / part.mass[on] * (1.0 if part.share is None else part.share[on])
            )
            self.grid.wrap(velocity)

    def _passing(self, u: Array, v: Array) -> float:
        """The largest flow through a face."""
        flows = (
            np.abs(velocity * part.opening).max()
            for velocity, part in zip((u, v), self.stream.parts, strict=True)
        )
        return float(max(flows))
