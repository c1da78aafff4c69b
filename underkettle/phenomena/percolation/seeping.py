"""Darcy's law on a cut staggered grid: pressures in cells, speeds on faces, no cell left unbalanced.

Where matter is turned against the grid, or its drop does not follow the speed, speeds and pressures
are found together by Newton's method; its system is solved by GMRES, preconditioned by what each
speed does to itself and the multigrid of the pressures.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Resistance, Sheet, StepFailed
from underkettle.engine.linear import Multigrid
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.drag import Drag, control_volumes
from underkettle.engine.operators.pockets import closed_pockets
from underkettle.engine.operators.projection import (
    divergence,
    lay_pressure,
    level,
    outlet_force,
    pressure_force,
)
from underkettle.engine.operators.velocity import EdgeRole, velocity_nodes

Array = np.ndarray

AIM, CLOSE = 1e-8, 1e-2  # of speeds and flows, over the fastest; of it, in one solve of pressures
MOST, MOST_ITERATIONS = 60, 400  # steps of Newton's method; of one solve of pressures
ROUGH, MOST_DIRECTIONS = 1e-2, 60  # of pressures within a system of both
SLOW = 0.5  # of a step's gain, below which the next one is damped
FLOOR = 1e-14  # of what passes, below which nothing counts


class Seeping:
    """Speeds (m/s) and pressures (Pa) of one mesh. roles : what each edge does."""

    def __init__(self, mesh: Mesh, roles: Mapping[str, EdgeRole]) -> None:
        self.mesh = mesh
        self.shape = mesh.shape[1:]
        self.ny, self.nx = mesh.grid.ny, mesh.grid.nx
        self.live = mesh.live[0]
        self.nodes = [velocity_nodes(mesh, axis, roles) for axis in (0, 1)]
        sides = [control_volumes(mesh, n) for n in self.nodes]
        self.drag = Drag((sides[0], sides[1]))
        self.ax, self.ay, self.d = (np.zeros(self.shape) for _ in range(3))
        self.pressure: Multigrid | None = None
        self.own = [np.zeros(self.shape), np.zeros(self.shape)]
        self.force = [np.zeros(self.shape), np.zeros(self.shape)]
        self.room: Gmres | None = None
        self.on = [n.unknown for n in self.nodes]
        self.pockets = closed_pockets(mesh, self.nodes)
        self.iterations, self.laid = 0, False

    def fill(
        self, offered: Resistance, sheet: Sheet | None, viscosity: Array, density: float
    ) -> None:
        """Take over what holds back. Raises StepFailed where nothing does."""
        bare = self.live & ~(offered.darcy[0] + offered.darcy[2] > 0)
        if bare.any():
            j, i = np.argwhere(bare)[0]
            raise StepFailed(
                "percolation", self.mesh.grid.spot(j, i), "no porous matter stands there"
            )
        wrap, self.laid = self.mesh.grid.wrapped, False
        slow, fast = (np.where(self.live, a, 0.0) for a in (offered.darcy, offered.inertia))
        self.drag.set(wrap(viscosity * slow), wrap(density * fast))
        if sheet is not None:
            self.drag.lay_sheets(sheet, self.nodes, viscosity, np.full(self.shape, density))

    # ------------------------------------------------------------ operators

    def _push(self, p: Array, outside: tuple[Array, Array] | None = None) -> None:
        """Forces (N) of pressures into `force`; outside : pressures behind outlet faces, else none."""
        for axis, n in enumerate(self.nodes):
            force = self.force[axis]
            pressure_force(p, n, force)
            outlet_force(p, n, 0.0 if outside is None else outside[axis], force)
            force[~self.on[axis]] = 0.0

    def _outflow(self, u: Array, v: Array, out: Array) -> float:
        """Net outflow (m3/s) of every cell; returns the largest of all that flow into or out of one."""
        x, y = (n.area for n in self.nodes)
        largest = divergence(u, v, x, y, out, 1.0, self.ny, self.nx)
        out[~self.live] = 0.0
        return max(float(largest), float(np.abs(out).max()))

    def _set_up(self) -> None:
        """The pressures' operator, for what holds each speed now."""
        wrapped = [self.mesh.grid.wrapped(on) for on in self.on]
        self.eases = [
            np.divide(1.0, own, out=np.zeros(self.shape), where=on & (own > 0))
            for own, on in zip(self.own, wrapped, strict=True)
        ]
        factors = [n.area * n.side * e for n, e in zip(self.nodes, self.eases, strict=True)]
        lay_pressure(self.nodes, factors, self.ax, self.ay, self.d)
        # in one of their units, for a preconditioner of single precision
        self.unit = float(np.median(self.ax[self.ax > 0])) if (self.ax > 0).any() else 1.0
        for a in (self.ax, self.ay, self.d):
            a /= self.unit
        if self.pressure is None:
            repeats = self.mesh.grid.repeats
            self.pressure = Multigrid(self.ax, self.ay, self.d, repeats=repeats)
        else:
            self.pressure.set_up()
        self.laid = True
        ways = self.ax.copy()
        ways[:, :-1] += self.ax[:, 1:]
        ways[:-1] += self.ay[1:]
        self.moves = self.live & (ways + self.ay + self.d > 0)

    def _close(self, lacks: Array, p: Array, relative: float, floor: float) -> None:
        """Pressures (in place) that bring cells the inflow they lack (m3/s)."""
        assert self.pressure is not None
        lacks[~self.moves] = 0.0
        for pocket in self.pockets:
            level(lacks, *pocket)
        count, norm = self.pressure.solve(lacks, p, relative, floor, MOST_ITERATIONS)
        self.iterations += count
        p /= self.unit
        for pocket in self.pockets:
            level(p, *pocket)
        self.mesh.grid.wrap(p)
        if not np.isfinite(norm):
            raise StepFailed("pressure", "the whole vessel", "not a finite number")

    def _step(
        self, forces: list[Array], lacks: Array, relative: float, floor: float
    ) -> list[Array]:
        """What speeds and pressures change by, as far as each speed only feels itself."""
        moved = [self.mesh.grid.wrap(f * e) for f, e in zip(forces, self.eases, strict=True)]
        out, p = np.zeros(self.shape), np.zeros(self.shape)
        self._outflow(moved[0], moved[1], out)
        self._close(lacks - out, p, relative, floor)
        self._push(p)
        for m, force, eases in zip(moved, self.force, self.eases, strict=True):
            m -= force * eases
            self.mesh.grid.wrap(m)
        return [*moved, p]

    # ------------------------------------------------------------ a solution

    def settle(
        self, u: Array, v: Array, p: Array, outside: tuple[Array, Array], fed: Array | None
    ) -> float:
        """Change speeds and pressures in place until nothing is out of balance; how far the first
        guess was off, over the fastest. outside : pressures (Pa) behind outlet faces. fed : what
        others give to cells (m3/s). Raises StepFailed.
        """
        self.iterations, first, part, last = 0, 0.0, 1.0, np.inf
        lacks = np.zeros(self.shape)
        for turn in range(MOST):
            drag = self.drag.forces(u, v)
            self._push(p, outside)
            forces = [
                np.where(on, -push - held, 0.0)
                for on, push, held in zip(self.on, self.force, drag, strict=True)
            ]
            largest = self._outflow(u, v, lacks)
            np.negative(lacks, out=lacks)
            if fed is not None:
                lacks += np.where(self.live, fed, 0.0)
                largest = max(largest, float(np.abs(fed).max()))
            if self.drag.turned or self.drag.bends or not self.laid:
                self.own = [a.copy() for a in self.drag.freeze(u, v)]
                self._set_up()
            left, fastest = self._left(forces, lacks, (u, v), largest)
            first = left if turn == 0 else first
            if left <= AIM * max(fastest, 1e-300) or fastest == 0.0:
                return first / max(fastest, 1e-300)
            part = 0.5 * part if left > SLOW * last and turn > 8 else min(1.0, 2.0 * part)
            last = left
            change = self._solve(forces, lacks, largest)
            for field, more in zip((u, v, p), change, strict=True):
                field += part * more
                self.mesh.grid.wrap(field)
        if left > 1e3 * AIM * fastest:
            raise StepFailed(
                "percolation",
                "the whole vessel",
                f"speeds do not agree with pressures: {left / fastest:.1g} of the fastest is left",
            )
        return first / fastest

    def _left(
        self, forces: list[Array], lacks: Array, speeds: tuple[Array, Array], largest: float
    ) -> tuple[float, float]:
        """The largest speed (m/s) that is out of balance, and the fastest that there is or would be."""
        worst, fastest = 0.0, 0.0
        for force, eases, speed in zip(forces, self.eases, speeds, strict=True):
            worst = max(worst, float(np.abs(force * eases).max()))
            fastest = max(fastest, float(np.abs(speed).max()))
        fastest = max(fastest, worst)
        if largest > 0:
            worst = max(worst, fastest * float(np.abs(lacks).max()) / largest)
        return worst, fastest

    def _solve(self, forces: list[Array], lacks: Array, largest: float) -> list[Array]:
        """One step of Newton's method."""
        floor = FLOOR * largest
        if not (self.drag.turned or self.drag.bends):
            return self._step(forces, lacks, CLOSE * AIM, floor)
        at = [np.flatnonzero(on) for on in (*self.on, self.moves)]
        ends = np.cumsum([a.size for a in at])
        weights = [
            *(1.0 / np.sqrt(own.ravel()[a]) for own, a in zip(self.own, at[:2], strict=True)),
            np.full(at[2].size, 1.0),
        ]
        # a net outflow weighs as much as the force of the pressure that would undo it
        weights[2] /= np.sqrt(self.unit)

        def scattered(vector: Array) -> list[Array]:
            fields = [np.zeros(self.shape) for _ in range(3)]
            for field, a, values in zip(fields, at, np.split(vector, ends[:-1]), strict=True):
                field.ravel()[a] = values
                self.mesh.grid.wrap(field)
            return fields

        def gathered(fields: list[Array]) -> Array:
            return np.concatenate([f.ravel()[a] for f, a in zip(fields, at, strict=True)])

        scale = np.concatenate(weights)

        def applied(vector: Array) -> Array:
            du, dv, dp = scattered(vector)
            self._push(dp)
            held = self.own[0] * du + self.force[0], self.own[1] * dv + self.force[1]
            self.drag.add_others(du, dv, held)
            out = np.zeros(self.shape)
            self._outflow(du, dv, out)
            return gathered([held[0], held[1], out]) * scale

        def preconditioned(vector: Array) -> Array:
            x, y, lack = scattered(vector / scale)
            return gathered(self._step([x, y], lack, ROUGH, 0.0))

        right = gathered([*forces, lacks]) * scale
        if self.room is None or self.room.basis.shape[1] != right.size:
            self.room = Gmres(right.size, MOST_DIRECTIONS)
        found = self.room.solve(applied, preconditioned, right, 1e-4)
        return scattered(found.solution)
