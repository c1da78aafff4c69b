"""Conjugate gradients preconditioned by one geometric V-cycle, in one compiled call.

Solves, for every cell with a positive diagonal,

    sum over faces of a_f (x_P - x_nb) + d_P x_P = b_P

with face coefficients a_x (west faces) and a_y (south faces) and a diagonal d >= 0. A face on the
rim of the grid with a > 0 is a fixed value of zero outside.

Transfer is piecewise constant; a coarse face is the sum over its transverse children of the series
resistance between the two merged cells, where each half-resistance borrowed from an inner face is
capped at that of the face itself and closed faces are ignored (this keeps the number of iterations
low when coefficients jump by a thousand). The smoother is degree-2 Chebyshev-Jacobi.
Directions in which cells couple weakly are coarsened later (semi-coarsening).
"""

from __future__ import annotations

import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray

FIRST_WEIGHT, SECOND_WEIGHT = 1.389, 0.562  # Chebyshev of degree 2 on [0.5, 2] of D^-1 A
COARSEST_CELLS = 64
COARSEST_SWEEPS = 15
WEAK = 0.25  # a direction this much weaker than the strongest waits
# rows of the workspace
AX, AY, D, INV, X, B, T = range(7)


@kernel
def _level(work, row, info, level):
    first, rows, columns = info[level, 0], info[level, 3], info[level, 4]
    return work[row, first : first + rows * columns].reshape((rows, columns))


@kernel
def _coarse_faces_x(a, coarse, ny, nx, my, mx):
    """West faces: in series along x where x is merged, in parallel along y where y is."""
    merge_x, merge_y = nx != mx, ny != my
    for j in range(1, my + 1):
        j0 = min(2 * j - 1, ny) if merge_y else j
        j1 = min(2 * j, ny) if merge_y else j
        for i in range(1, mx + 2):
            k = min(2 * i - 1, nx + 1) if merge_x else i
            total = 0.0
            for m in range(j0, j1 + 1):
                value = a[m, k]
                if merge_x and value > 0:
                    cap = 1.0 / value
                    resistance = cap
                    if k > 2 and k % 2 == 1 and a[m, k - 1] > 0:
                        resistance += min(0.5 / a[m, k - 1], cap)
                    if k + 1 <= nx and a[m, k + 1] > 0:
                        resistance += min(0.5 / a[m, k + 1], cap)
                    value = 1.0 / resistance
                total += value
            coarse[j, i] = total


@kernel
def _coarse_faces_y(a, coarse, ny, nx, my, mx):
    merge_x, merge_y = nx != mx, ny != my
    for j in range(1, my + 2):
        k = min(2 * j - 1, ny + 1) if merge_y else j
        for i in range(1, mx + 1):
            i0 = min(2 * i - 1, nx) if merge_x else i
            i1 = min(2 * i, nx) if merge_x else i
            total = 0.0
            for m in range(i0, i1 + 1):
                value = a[k, m]
                if merge_y and value > 0:
                    cap = 1.0 / value
                    resistance = cap
                    if k > 2 and k % 2 == 1 and a[k - 1, m] > 0:
                        resistance += min(0.5 / a[k - 1, m], cap)
                    if k + 1 <= ny and a[k + 1, m] > 0:
                        resistance += min(0.5 / a[k + 1, m], cap)
                    value = 1.0 / resistance
                total += value
            coarse[j, i] = total


@kernel
def _restrict(fine, coarse, ny, nx, my, mx):
    """Sum of children."""
    fx = 1 if nx != mx else 0
    fy = 1 if ny != my else 0
    for j in range(1, my + 1):
        for i in range(1, mx + 1):
            coarse[j, i] = 0.0
    for j in range(1, ny + 1):
        row = (j + fy) >> fy
        if fx:
            for i in range(1, mx):
                coarse[row, i] += fine[j, 2 * i - 1] + fine[j, 2 * i]
            coarse[row, mx] += fine[j, 2 * mx - 1]
            if 2 * mx <= nx:
                coarse[row, mx] += fine[j, 2 * mx]
        else:
            for i in range(1, mx + 1):
                coarse[row, i] += fine[j, i]


@kernel
def _prolong(x, coarse, ny, nx, my, mx):
    fx = 1 if nx != mx else 0
    fy = 1 if ny != my else 0
    for j in range(1, ny + 1):
        row = (j + fy) >> fy
        if fx:
            for i in range(1, mx):
                value = coarse[row, i]
                x[j, 2 * i - 1] += value
                x[j, 2 * i] += value
            x[j, 2 * mx - 1] += coarse[row, mx]
            if 2 * mx <= nx:
                x[j, 2 * mx] += coarse[row, mx]
        else:
            for i in range(1, mx + 1):
                x[j, i] += coarse[row, i]


@kernel
def _set_up(work, info):
    levels = info.shape[0]
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        d, inverse = _level(work, D, info, level), _level(work, INV, info, level)
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                total = ax[j, i] + ax[j, i + 1] + ay[j, i] + ay[j + 1, i] + d[j, i]
                inverse[j, i] = 1.0 / total if total > 0 else 0.0
        if level < levels - 1:
            my, mx = info[level + 1, 1], info[level + 1, 2]
            _coarse_faces_x(ax, _level(work, AX, info, level + 1), ny, nx, my, mx)
            _coarse_faces_y(ay, _level(work, AY, info, level + 1), ny, nx, my, mx)
            _restrict(d, _level(work, D, info, level + 1), ny, nx, my, mx)


@kernel
def _smooth(x, b, ax, ay, d, inverse, out, weight, ny, nx):
    """out = x + weight D^-1 (b - A x)."""
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            c = x[j, i]
            r = (
                b[j, i] - d[j, i] * c
                + ax[j, i] * (x[j, i - 1] - c) + ax[j, i + 1] * (x[j, i + 1] - c)
                + ay[j, i] * (x[j - 1, i] - c) + ay[j + 1, i] * (x[j + 1, i] - c)
            )
            out[j, i] = c + weight * inverse[j, i] * r


@kernel
def _residual(x, b, ax, ay, d, out, ny, nx):
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            c = x[j, i]
            out[j, i] = (
                b[j, i] - d[j, i] * c
                + ax[j, i] * (x[j, i - 1] - c) + ax[j, i + 1] * (x[j, i + 1] - c)
                + ay[j, i] * (x[j - 1, i] - c) + ay[j + 1, i] * (x[j + 1, i] - c)
            )


@kernel
def _cycle(work, info):
    """One V-cycle: reads the finest B, leaves the finest X."""
    levels = info.shape[0]
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        d, inverse = _level(work, D, info, level), _level(work, INV, info, level)
        x, b, t = (_level(work, X, info, level), _level(work, B, info, level),
                   _level(work, T, info, level))
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                t[j, i] = b[j, i] * inverse[j, i] * FIRST_WEIGHT
        _smooth(t, b, ax, ay, d, inverse, x, SECOND_WEIGHT, ny, nx)
        if level == levels - 1:
            for _ in range(COARSEST_SWEEPS):
                _smooth(x, b, ax, ay, d, inverse, t, FIRST_WEIGHT, ny, nx)
                _smooth(t, b, ax, ay, d, inverse, x, SECOND_WEIGHT, ny, nx)
            break
        _residual(x, b, ax, ay, d, t, ny, nx)
        _restrict(t, _level(work, B, info, level + 1), ny, nx,
                  info[level + 1, 1], info[level + 1, 2])
    for level in range(levels - 2, -1, -1):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        d, inverse = _level(work, D, info, level), _level(work, INV, info, level)
        x, b, t = (_level(work, X, info, level), _level(work, B, info, level),
                   _level(work, T, info, level))
        _prolong(x, _level(work, X, info, level + 1), ny, nx,
                 info[level + 1, 1], info[level + 1, 2])
        _smooth(x, b, ax, ay, d, inverse, t, FIRST_WEIGHT, ny, nx)
        _smooth(t, b, ax, ay, d, inverse, x, SECOND_WEIGHT, ny, nx)


@kernel
def _precondition(work, info, r):
    b = _level(work, B, info, 0)
    flat_b, flat_r = b.ravel(), r.ravel()
    for k in range(flat_b.size):
        flat_b[k] = flat_r[k]
    _cycle(work, info)


@kernel
def _dot(a, b):
    total = 0.0
    for k in range(a.size):
        total += a[k] * b[k]
    return total


@kernel
def _dot_mixed(a, b):
    total = 0.0
    for k in range(a.size):
        total += a[k] * np.float64(b[k])
    return total


@kernel
def _apply(ax, ay, d, p, q, ny, nx):
    """q = A p; returns p.q."""
    total = 0.0
    for j in range(1, ny + 1):
        for i in range(1, nx + 1):
            c = p[j, i]
            v = d[j, i] * c - (
                ax[j, i] * (p[j, i - 1] - c) + ax[j, i + 1] * (p[j, i + 1] - c)
                + ay[j, i] * (p[j - 1, i] - c) + ay[j + 1, i] * (p[j + 1, i] - c)
            )
            q[j, i] = v
            total += v * c
    return total


@kernel
def _advance(x, r, p, q, alpha):
    total = 0.0
    for k in range(x.size):
        x[k] += alpha * p[k]
        v = r[k] - alpha * q[k]
        r[k] = v
        total += v * v
    return total


@kernel
def _turn(p, z, beta):
    for k in range(p.size):
        p[k] = z[k] + beta * p[k]


@kernel
def _conjugate_gradients(ax, ay, d, x, b, r, p, q, work, info, relative, absolute, most):
    """Returns (iterations, residual norm); the norm is NaN-safe: NaN stops the loop."""
    ny, nx = info[0, 1], info[0, 2]
    _residual(x, b, ax, ay, d, r, ny, nx)
    rr = _dot(r.ravel(), r.ravel())
    aim = max(relative * relative * _dot(b.ravel(), b.ravel()), absolute * absolute)
    z = _level(work, X, info, 0)
    rz = 1.0
    for iteration in range(most):
        if not rr > aim:
            return iteration, np.sqrt(rr)
        _precondition(work, info, r)
        new = _dot_mixed(r.ravel(), z.ravel())
        _turn(p.ravel(), z.ravel(), new / rz if iteration > 0 else 0.0)
        rz = new
        pq = _apply(ax, ay, d, p, q, ny, nx)
        if not pq > 0:
            return iteration, np.sqrt(rr)
        rr = _advance(x.ravel(), r.ravel(), p.ravel(), q.ravel(), rz / pq)
    return most, np.sqrt(rr)


class Multigrid:
    """A solver for one set of coefficients; call `set_up` again when they change.

    ax, ay, d : (ny + 3, nx + 3) face coefficients and diagonal, kept by reference.
    extent    : (ny, nx) unknowns when they are more than the cells (velocities on the rim).
    single    : keep the preconditioner in float32, which is faster on large grids.
    """

    def __init__(self, ax: Array, ay: Array, d: Array, extent: tuple[int, int] | None = None,
                 single: bool | None = None) -> None:
        self.ax, self.ay, self.d = ax, ay, d
        ny, nx = extent or (ax.shape[0] - 3, ax.shape[1] - 3)
        self.dims = _hierarchy(ny, nx, _typical(ax), _typical(ay))
        shapes = [ax.shape] + [(my + 3, mx + 3) for my, mx in self.dims[1:]]
        sizes = [rows * columns for rows, columns in shapes]
        first = np.concatenate([[0], np.cumsum(sizes)])
        self.info = np.array(
            [(first[k], *self.dims[k], *shapes[k]) for k in range(len(shapes))], np.int64
        )
        if single is None:
            single = nx * ny >= 128 * 128
        self.work = np.zeros((7, int(first[-1])), np.float32 if single else np.float64)
        self.finest = sizes[0]
        self.vectors = [np.zeros(ax.shape) for _ in range(3)]
        self.set_up()

    def set_up(self) -> None:
        """Read the coefficients again and coarsen them."""
        for row, a in ((AX, self.ax), (AY, self.ay), (D, self.d)):
            self.work[row, : self.finest] = a.ravel()
        _set_up(self.work, self.info)

    def solve(self, b: Array, x: Array, relative: float = 1e-8, absolute: float = 0.0,
              most: int = 200) -> tuple[int, float]:
        """Improve `x` in place until |b - A x| <= max(relative |b|, absolute).

        Returns the iterations used and the residual norm reached. Ghosts of x must be zero.
        """
        r, p, q = self.vectors
        p[:] = 0.0
        count, norm = _conjugate_gradients(self.ax, self.ay, self.d, x, b, r, p, q, self.work,
                                           self.info, relative, absolute, most)
        return int(count), float(norm)


def _typical(a: Array) -> float:
    positive = a[a > 0]
    return float(np.median(positive)) if positive.size else 0.0


def _hierarchy(ny: int, nx: int, cx: float, cy: float) -> list[tuple[int, int]]:
    """Cells per level, finest first; weakly coupled directions wait until they catch up."""
    dims = [(ny, nx)]
    while ny * nx > COARSEST_CELLS and max(ny, nx) > 2:
        strongest = max(cx if nx > 2 else 0.0, cy if ny > 2 else 0.0)
        merge_x = nx > 2 and cx >= WEAK * strongest
        merge_y = ny > 2 and cy >= WEAK * strongest
        cx *= (0.5 if merge_x else 1.0) * (2.0 if merge_y else 1.0)
        cy *= (0.5 if merge_y else 1.0) * (2.0 if merge_x else 1.0)
        nx = (nx + 1) // 2 if merge_x else nx
        ny = (ny + 1) // 2 if merge_y else ny
        dims.append((ny, nx))
    return dims
