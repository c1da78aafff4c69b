"""Implicit diffusion: (time + walls + links) x = b, by the cheapest method that reaches the aim.

While the time term dominates, a few Chebyshev-accelerated Jacobi sweeps do (their number follows
from Gershgorin bounds of the matrix at hand); otherwise the multigrid of `multigrid` takes over.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel
from underkettle.engine.linear.multigrid import Multigrid, wrap

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


@numba.njit(inline="always")
def _row(j, x, other, b, ax, ay, inverse, keep, gain, nx):
    """A row of one sweep: other = x + keep (x - other) + gain (D^-1 held - x).

    Rows of two fields in turn vectorise; a sweep in place, or several sweeps in one pass over
    memory, do not, and took three times as long.
    """
    west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
    aw, ae, a_s, an = ax[j, 1:], ax[j, 2:], ay[j, 1:], ay[j + 1, 1:]
    right, share, o = b[j, 1:], inverse[j, 1:], other[j, 1:]
    rest = 1.0 + keep - gain
    for k in range(nx):
        held = right[k] + aw[k] * west[k] + ae[k] * east[k] + a_s[k] * south[k] + an[k] * north[k]
        o[k] = rest * here[k] - keep * o[k] + gain * share[k] * held


@kernel
def _chebyshev(x, other, b, ax, ay, inverse, keep, gain, repeats_x, repeats_y, ny, nx):
    """Every sweep needs the two values before: x and `other`, a copy of it, take turns, and x ends
    up with the last one.
    """
    now, before = x, other
    for s in range(keep.size):
        wrap(now, repeats_x, repeats_y, ny, nx)
        for j in range(1, ny + 1):
            _row(j, now, before, b, ax, ay, inverse, keep[s], gain[s], nx)
        now, before = before, now
    if keep.size % 2 == 1:
        for j in range(1, ny + 1):
            x[j, 1 : nx + 1] = other[j, 1 : nx + 1]
    wrap(x, repeats_x, repeats_y, ny, nx)


class Helmholtz:
    """One implicit operator. `ax`, `ay` : links; `d` : diagonal; all (ny + 3, nx + 3).

    `d` is filled by the caller and may change; call `changed` afterwards. Where the grid repeats,
    the caller keeps the ghosts of the links.
    """

    def __init__(
        self,
        ax: Array,
        ay: Array,
        extent: tuple[int, int] | None = None,
        repeats: tuple[bool, bool] = (False, False),
    ) -> None:
        self.repeats = repeats
        self.ax, self.ay, self.d = ax, ay, np.zeros(ax.shape)
        rows, columns = extent or (ax.shape[0] - 3, ax.shape[1] - 3)
        self.ny, self.nx = int(rows), int(columns)
        self.inverse, self.other = np.zeros(ax.shape), np.zeros(ax.shape)
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
        """Improve x in place until its first error has shrunk by `relative`; returns the work.

        Where nothing is to be solved (a zero diagonal) x is left at no particular value.
        """
        sweeps = self.sweeps(relative)
        if sweeps <= MOST_SWEEPS:
            self._chebyshev(b, x, sweeps)
            return sweeps
        if self._grid is None:
            # far from what changes the answer decays to numbers that single precision cannot hold
            self._grid = Multigrid(
                self.ax, self.ay, self.d, (self.ny, self.nx), single=False, repeats=self.repeats
            )
            self._stale = False
        if self._stale:
            self._grid.set_up()
            self._stale = False
        return self._grid.improve(b, x, relative)

    def _chebyshev(self, b: Array, x: Array, sweeps: int) -> None:
        keep, gain = np.zeros(sweeps), np.ones(sweeps)
        self.other[:] = x
        sigma = 1.0 / self.share if self.share > 0 else np.inf
        rho = 1.0 / sigma
        for k in range(1, sweeps):
            after = 1.0 / (2.0 * sigma - rho)
            keep[k], gain[k] = after * rho, 2.0 * after * sigma if self.share > 0 else 0.0
            rho = after
        _chebyshev(
            x,
            self.other,
            b,
            self.ax,
            self.ay,
            self.inverse,
            keep,
            gain,
            *self.repeats,
            self.ny,
            self.nx,
        )
