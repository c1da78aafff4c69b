"""Implicit diffusion: (time + walls + links) x = b, by the cheapest method that reaches the aim.

While the time term dominates, a few Chebyshev-accelerated Jacobi sweeps do (their number follows
from Gershgorin bounds of the matrix at hand); otherwise the multigrid of `multigrid` takes over.
"""

from __future__ import annotations

import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.linear.multigrid import Multigrid

Array = np.ndarray

MOST_SWEEPS = 12


@kernel
def _diagonal(ax, ay, d, inverse, ny, nx):
    """inverse = 1 / diagonal; returns the largest share of off-diagonal weight in any row."""
    worst = 0.0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            links = ax[j, i] + ax[j, i + 1] + ay[j, i] + ay[j + 1, i]
            total = links + d[j, i]
            inverse[j, i] = 1.0 / total if total > 0 else 0.0
            if total > 0:
                worst = max(worst, links / total)
    return worst


@kernel
def _first_sweep(x, b, ax, ay, d, inverse, step, theta, ny, nx):
    """step = D^-1 (b - A x) / theta; returns the square of the residual, summed."""
    total = 0.0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            c = x[j, i]
            r = (
                b[j, i] - d[j, i] * c
                + ax[j, i] * (x[j, i - 1] - c) + ax[j, i + 1] * (x[j, i + 1] - c)
                + ay[j, i] * (x[j - 1, i] - c) + ay[j + 1, i] * (x[j + 1, i] - c)
            )
            step[j, i] = r * inverse[j, i] / theta
            total += r * r
    return total


@kernel
def _next_sweep(x, b, ax, ay, d, inverse, step, new, keep, gain, ny, nx):
    """new = x + step; step = keep step + gain D^-1 (b - A new), evaluated row by row.

    `new` is written one row ahead of the row whose residual is taken.
    """
    width = x.shape[1]
    for i in range(width):
        new[0, i] = x[0, i]
        new[1, i] = x[1, i] + step[1, i]
    for j in range(1, ny + 1):
        if j < ny:
            for i in range(1, nx + 1):
                new[j + 1, i] = x[j + 1, i] + step[j + 1, i]
        for i in range(1, nx + 1):
            c = new[j, i]
            r = (
                b[j, i] - d[j, i] * c
                + ax[j, i] * (new[j, i - 1] - c) + ax[j, i + 1] * (new[j, i + 1] - c)
                + ay[j, i] * (new[j - 1, i] - c) + ay[j + 1, i] * (new[j + 1, i] - c)
            )
            step[j, i] = keep * step[j, i] + gain * inverse[j, i] * r


@kernel
def _add(x, step, ny, nx):
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            x[j, i] += step[j, i]


class Helmholtz:
    """One implicit operator. `ax`, `ay` : links; `d` : diagonal; all (ny + 3, nx + 3).

    `d` is filled by the caller and may change; call `changed` afterwards.
    """

    def __init__(self, ax: Array, ay: Array, extent: tuple[int, int] | None = None) -> None:
        self.ax, self.ay, self.d = ax, ay, np.zeros(ax.shape)
        rows, columns = extent or (ax.shape[0] - 3, ax.shape[1] - 3)
        self.ny, self.nx = int(rows), int(columns)
        self.inverse, self.step, self.other = (np.zeros(ax.shape) for _ in range(3))
        self.share = 1.0
        self._grid: Multigrid | None = None
        self._stale = True

    def changed(self) -> None:
        """Tell the solver that links or diagonal have new values."""
        self.share = float(_diagonal(self.ax, self.ay, self.d, self.inverse, self.ny, self.nx))
        self._stale = True

    def sweeps(self, relative: float) -> int:
        """Chebyshev sweeps needed to shrink the error by `relative`."""
        if self.share >= 1.0:
            return MOST_SWEEPS + 1
        kappa = np.sqrt((1.0 + self.share) / (1.0 - self.share))
        rate = (kappa - 1.0) / (kappa + 1.0)
        if rate <= 0.0:
            return 1
        return max(1, int(np.ceil(np.log(relative / 2.0) / np.log(rate))))

    def solve(self, b: Array, x: Array, relative: float = 1e-6) -> int:
        """Improve x in place until its first error has shrunk by `relative`; returns the work."""
        sweeps = self.sweeps(relative)
        if sweeps <= MOST_SWEEPS:
            self._chebyshev(b, x, sweeps)
            return sweeps
        if self._grid is None:
            self._grid = Multigrid(self.ax, self.ay, self.d, (self.ny, self.nx))
            self._stale = False
        if self._stale:
            self._grid.set_up()
            self._stale = False
        return self._grid.solve(b, x, relative=relative)[0]

    def _chebyshev(self, b: Array, x: Array, sweeps: int) -> None:
        theta, delta = 1.0, self.share
        args = (self.ax, self.ay, self.d, self.inverse, self.step)
        now, new = x, self.other
        _first_sweep(now, b, *args, theta, self.ny, self.nx)
        sigma = theta / delta if delta > 0 else np.inf
        rho = 1.0 / sigma
        for _ in range(sweeps - 1):
            after = 1.0 / (2.0 * sigma - rho)
            gain = 2.0 * after / delta if delta > 0 else 0.0
            _next_sweep(now, b, *args, new, after * rho, gain, self.ny, self.nx)
            now, new = new, now
            rho = after
        _add(now, self.step, self.ny, self.nx)
        if now is not x:
            x[:] = now
