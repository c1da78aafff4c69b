"""What porous matter holds a stream back with, on the faces of a staggered grid.

Along its principal axes it holds with (mu k + rho b |u|) u, u the velocity averaged over pores and
matter (Darcy 1856, Forchheimer 1901); where these axes are turned against the grid each component
feels the other, averaged in cells, so that what is held never gains energy.

Kernels speak of the x velocity; the y velocity is the same with everything turned.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.contract import Sheet
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.velocity import Nodes

Array = np.ndarray

XX, XY, YY = range(3)  # rows of a symmetric tensor


@kernel
def _hold(u, v, linear, quadratic, off, quick, near, rows, columns, falls, push):
    """falls : force per speed (N s/m) that holds each velocity; push : what the other adds (N)."""
    for j in range(1, rows + 1):
        for i in range(1, columns + 1):
            behind, ahead = 0.5 * (v[j, i - 1] + v[j + 1, i - 1]), 0.5 * (v[j, i] + v[j + 1, i])
            across = near[j, i] * behind + (1.0 - near[j, i]) * ahead
            speed = np.sqrt(u[j, i] ** 2 + across**2)
            falls[j, i] = linear[j, i] + quadratic[j, i] * speed
            push[j, i] = (
                -(off[0, j, i] + quick[0, j, i] * speed) * behind
                - (off[1, j, i] + quick[1, j, i] * speed) * ahead
            )


@kernel
def _hold_x(u, u0, v, v0, e0, e1, linear, quadratic, near, rows, columns, falls):
    """The same where axes lie along the grid's, at speeds e0 u - e1 u0."""
    for j in range(1, rows + 1):
        here, there, low, high = u[j, 1:], u0[j, 1:], v[j], v[j + 1]
        low0, high0, share = v0[j], v0[j + 1], near[j, 1:]
        slow, fast, o = linear[j, 1:], quadratic[j, 1:], falls[j, 1:]
        for k in range(columns):
            behind = e0 * (low[k] + high[k]) - e1 * (low0[k] + high0[k])
            ahead = e0 * (low[k + 1] + high[k + 1]) - e1 * (low0[k + 1] + high0[k + 1])
            across = 0.5 * (share[k] * behind + (1.0 - share[k]) * ahead)
            along = e0 * here[k] - e1 * there[k]
            o[k] = slow[k] + fast[k] * np.sqrt(along * along + across * across)


@kernel
def _hold_y(v, v0, u, u0, e0, e1, linear, quadratic, near, rows, columns, falls):
    for j in range(1, rows + 1):
        here, there, low, high = v[j, 1:], v0[j, 1:], u[j - 1, 1:], u[j, 1:]
        low0, high0, share = u0[j - 1, 1:], u0[j, 1:], near[j, 1:]
        slow, fast, o = linear[j, 1:], quadratic[j, 1:], falls[j, 1:]
        for k in range(columns):
            behind = e0 * (low[k] + low[k + 1]) - e1 * (low0[k] + low0[k + 1])
            ahead = e0 * (high[k] + high[k + 1]) - e1 * (high0[k] + high0[k + 1])
            across = 0.5 * (share[k] * behind + (1.0 - share[k]) * ahead)
            along = e0 * here[k] - e1 * there[k]
            o[k] = slow[k] + fast[k] * np.sqrt(along * along + across * across)


@kernel
def _slopes(u, v, linear, quadratic, off, quick, near, rows, columns, own, back, fore):
    """How what holds each velocity grows with it, and with the others behind and ahead of it."""
    for j in range(1, rows + 1):
        for i in range(1, columns + 1):
            behind, ahead = 0.5 * (v[j, i - 1] + v[j + 1, i - 1]), 0.5 * (v[j, i] + v[j + 1, i])
            share = near[j, i]
            across = share * behind + (1.0 - share) * ahead
            speed = np.sqrt(u[j, i] ** 2 + across**2)
            turned = quadratic[j, i] * u[j, i] + quick[0, j, i] * behind + quick[1, j, i] * ahead
            x, y = (u[j, i] / speed, across / speed) if speed > 0 else (0.0, 0.0)
            own[j, i] = linear[j, i] + quadratic[j, i] * speed + turned * x
            back[j, i] = off[0, j, i] + quick[0, j, i] * speed + turned * y * share
            fore[j, i] = off[1, j, i] + quick[1, j, i] * speed + turned * y * (1.0 - share)


@kernel
def _add_others(dv, back, fore, rows, columns, out):
    """out += what holds each velocity more where the others change."""
    for j in range(1, rows + 1):
        for i in range(1, columns + 1):
            out[j, i] += back[j, i] * 0.5 * (dv[j, i - 1] + dv[j + 1, i - 1])
            out[j, i] += fore[j, i] * 0.5 * (dv[j, i] + dv[j + 1, i])


@dataclass(frozen=True)
class Around:
    """The faces of one component: its control volumes (m3), nought where nothing is solved for; the
    share of each that lies behind the face; how far velocities reach.
    """

    axis: int
    volume: Array
    near: Array
    extent: tuple[int, int]

    def mean(self, cells: Array) -> Array:
        """Of values in cells, over the control volumes."""
        return np.asarray(self.near * self._behind(cells) + (1.0 - self.near) * cells)

    def _behind(self, cells: Array) -> Array:
        return roll(cells, 1, 1 - self.axis)


def control_volumes(mesh: Mesh, nodes: Nodes) -> Around:
    """Control volumes of one component, and what lies behind its faces."""
    volume = mesh.grid.wrapped(mesh.volume[0] * mesh.live[0])
    behind = roll(volume, 1, 1 - nodes.axis)
    both = volume + behind
    near = np.divide(behind, both, out=np.zeros(volume.shape), where=both > 0)
    return Around(nodes.axis, np.where(nodes.active, nodes.volume, 0.0), near, nodes.extent)


class Drag:
    """What holds both components. around : of x and y velocities."""

    def __init__(self, around: tuple[Around, Around]) -> None:
        self.around = around
        shape = around[0].volume.shape
        self.turned = self.quick = False
        self.linear, self.quadratic = ([np.zeros(shape) for _ in (0, 1)] for _ in (0, 1))
        self.off, self.rapid = ([np.zeros((2, *shape)) for _ in (0, 1)] for _ in (0, 1))
        self.falls, self.push, self.own = ((np.zeros(shape), np.zeros(shape)) for _ in range(3))
        self.others = [(np.zeros(shape), np.zeros(shape)) for _ in (0, 1)]
        none = np.zeros(0, np.int64), np.zeros(0), np.zeros(0)
        self.sheets = [none, none]  # faces (flat) across which they lie, N s/m, N s2/m2

    def set(self, slow: Array, fast: Array) -> None:
        """slow : N s/m4, fast : N s2/m5, in cells, (3, ny + 3, nx + 3): xx, xy, yy."""
        self.turned = bool(slow[XY].any() or fast[XY].any())
        self.quick = bool(fast.any())
        for around in self.around:
            k, own = around.axis, (XX, YY)[around.axis]
            np.multiply(around.volume, around.mean(slow[own]), out=self.linear[k])
            np.multiply(around.volume, around.mean(fast[own]), out=self.quadratic[k])
            for tensor, both in ((slow, self.off[k]), (fast, self.rapid[k])):
                both[0] = around.volume * around.near * around._behind(tensor[XY])
                both[1] = around.volume * (1.0 - around.near) * tensor[XY]
            self.falls[k][:] = self.linear[k]

    def lay_sheets(
        self, sheet: Sheet, nodes: Sequence[Nodes], viscosity: Array, density: Array
    ) -> None:
        """Take over sheets across faces, in a stream of that viscosity (Pa s) and density (kg/m3)."""
        thin, thick = (sheet.slow_x, sheet.slow_y), (sheet.fast_x, sheet.fast_y)
        for k, (around, n) in enumerate(zip(self.around, nodes, strict=True)):
            slow = n.side * around.mean(viscosity) * thin[k][0]
            fast = n.side * around.mean(density) * thick[k][0]
            at = np.flatnonzero((around.volume > 0) & ((slow > 0) | (fast > 0)))
            self.sheets[k] = at, slow.ravel()[at], fast.ravel()[at]

    @property
    def bends(self) -> bool:
        """Whether what holds does not simply grow with the speed."""
        return self.quick or any(bool(fast.any()) for _, _, fast in self.sheets)

    def look(
        self,
        u: Array,
        v: Array,
        before: tuple[Array, Array] | None = None,
        weights: tuple[float, float] = (1.0, 0.0),
    ) -> None:
        """Work out `falls` (N s/m) and `push` (N) at velocities (m/s): weights[0] of these, less
        weights[1] of those before.
        """
        u0, v0 = before or (u, v)
        self._look(u, v, u0, v0, weights)
        for k, (now, old) in enumerate(((u, u0), (v, v0))):
            at, slow, fast = self.sheets[k]
            if at.size:
                falls, speed = self.falls[k].ravel(), now.ravel()[at]
                speed = weights[0] * speed - weights[1] * old.ravel()[at]
                bare = falls if self.turned or self.quick else self.linear[k].ravel()
                falls[at] = bare[at] + slow + fast * np.abs(speed)

    def _look(self, u: Array, v: Array, u0: Array, v0: Array, weights: tuple[float, float]) -> None:
        """The same by what stands in cells."""
        if not (self.turned or self.quick):
            return
        if not self.turned:
            x, y = self.around
            rest = [(self.linear[k], self.quadratic[k], self.around[k].near) for k in (0, 1)]
            _hold_x(u, u0, v, v0, *weights, *rest[0], *x.extent, self.falls[0])
            _hold_y(v, v0, u, u0, *weights, *rest[1], *y.extent, self.falls[1])
            return
        u, v = (weights[0] * now - weights[1] * old for now, old in ((u, u0), (v, v0)))
        for k, arrays in enumerate(self._arranged((u, v))):
            _hold(*arrays, *(self._turn(a[k], k) for a in (self.falls, self.push)))

    def forces(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Force (N) that holds each velocity."""
        self.look(u, v)
        return self.falls[0] * u - self.push[0], self.falls[1] * v - self.push[1]

    def freeze(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Take over velocities about which it changes; gives by how much each velocity holds itself
        more (N s/m).
        """
        if self.turned or self.quick:
            self._freeze(u, v)
        elif not any(at.size for at, _, _ in self.sheets):
            return self.linear[0], self.linear[1]
        else:
            for own, linear in zip(self.own, self.linear, strict=True):
                own[:] = linear
        for k, now in enumerate((u, v)):
            at, slow, fast = self.sheets[k]
            self.own[k].ravel()[at] += slow + 2.0 * fast * np.abs(now.ravel()[at])
        return self.own

    def _freeze(self, u: Array, v: Array) -> None:
        for k, arrays in enumerate(self._arranged((u, v))):
            _slopes(
                *arrays, self._turn(self.own[k], k), *(self._turn(a, k) for a in self.others[k])
            )

    def add_others(self, du: Array, dv: Array, out: tuple[Array, Array]) -> None:
        """out += what holds velocities more where the other component changes."""
        if not (self.turned or self.quick):
            return
        for k, (other, force) in enumerate(zip((dv, du), out, strict=True)):
            rows, columns = self.around[k].extent
            extent = (rows, columns) if k == 0 else (columns, rows)
            _add_others(
                self._turn(other, k),
                *(self._turn(a, k) for a in self.others[k]),
                *extent,
                self._turn(force, k),
            )

    def _arranged(self, velocities: tuple[Array, Array]) -> list[tuple[object, ...]]:
        """What kernels read, of each component, turned so that it looks like that of x."""
        found: list[tuple[object, ...]] = []
        for k, around in enumerate(self.around):
            fields = (
                velocities[k],
                velocities[1 - k],
                self.linear[k],
                self.quadratic[k],
                self.off[k],
                self.rapid[k],
                around.near,
            )
            rows, columns = around.extent
            found.append(
                (
                    *(self._turn(f, k) for f in fields),
                    *((rows, columns) if k == 0 else (columns, rows)),
                )
            )
        return found

    @staticmethod
    def _turn(field: Array, k: int) -> Array:
        return field if k == 0 else np.swapaxes(field, -1, -2)
