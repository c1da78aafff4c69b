"""Conjugate gradients preconditioned by one geometric V-cycle, in one compiled call.

Solves, for every cell with a positive diagonal,

    sum over faces of a_f (x_P - x_nb) + d_P x_P = b_P

with face coefficients a_x (west faces) and a_y (south faces) and a diagonal d >= 0. A face on the
rim of the grid with a > 0 is a fixed value of zero outside.

Transfer is piecewise constant; a coarse face is the sum over its transverse children of the series
resistance between the two merged cells, where each half-resistance borrowed from an inner face is
capped at that of the face itself and closed faces are ignored (this keeps the number of iterations
low when coefficients jump by a thousand). The smoother is degree-2 Chebyshev-Jacobi.
Directions in which cells couple weakly are coarsened later (semi-coarsening). Where the grid
repeats, ghosts hold what lies at the other end, and the face on the rim is one face.
"""

from __future__ import annotations

import numba
import numpy as np

from underkettle.engine.compiled import kernel

Array = np.ndarray

FIRST_WEIGHT, SECOND_WEIGHT = 1.389, 0.562  # Chebyshev of degree 2 on [0.5, 2] of D^-1 A
COARSEST_CELLS = 64
COARSEST_SWEEPS = 15
FAINT = 1e-16  # of the whole residual: less is left to the next iteration
WEAK = 0.25  # a direction this much weaker than the strongest waits
# rows of the workspace
AX, AY, D, TOTAL, INV, X, B, T = range(8)


@kernel
def _level(work, row, info, level):
    first, rows, columns = info[level, 0], info[level, 3], info[level, 4]
    return work[row, first : first + rows * columns].reshape((rows, columns))


@kernel
def wrap(a, repeats_x, repeats_y, ny, nx):
    """Ghosts hold what lies at the other end."""
    if repeats_x:
        for j in range(1, ny + 1):
            _wrap_row(a, j, nx)
    if repeats_y:
        a[0, 1 : nx + 1] = a[ny, 1 : nx + 1]
        a[ny + 1, 1 : nx + 1] = a[1, 1 : nx + 1]


@numba.njit(inline="always")
def _wrap_row(a, j, nx):
    a[j, 0] = a[j, nx]
    a[j, nx + 1] = a[j, 1]


@numba.njit(inline="always")
def _seam(last, middle, first, even):
    """A coarse face where the grid repeats: `last` and `first` lie inside the cells it joins."""
    if middle <= 0:
        return middle
    cap = 1.0 / middle
    resistance = cap
    if even and last > 0:
        resistance += min(0.5 / last, cap)
    if first > 0:
        resistance += min(0.5 / first, cap)
    return 1.0 / resistance


@kernel
def _coarse_faces_x(a, coarse, ny, nx, my, mx, repeats):
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
        if repeats and merge_x:
            total = 0.0
            for m in range(j0, j1 + 1):
                total += _seam(a[m, nx], a[m, 1], a[m, 2], nx % 2 == 0)
            coarse[j, 1] = coarse[j, mx + 1] = total


@kernel
def _coarse_faces_y(a, coarse, ny, nx, my, mx, repeats):
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
    if repeats and merge_y:
        for i in range(1, mx + 1):
            total = 0.0
            for m in range(
                min(2 * i - 1, nx) if merge_x else i, (min(2 * i, nx) if merge_x else i) + 1
            ):
                total += _seam(a[ny, m], a[1, m], a[2, m], ny % 2 == 0)
            coarse[1, i] = coarse[my + 1, i] = total


@kernel
def _restrict(fine, coarse, ny, nx, my, mx):
    """Sum of children."""
    for j in range(1, my + 1):
        coarse[j, 1 : mx + 1] = 0.0
    for j in range(1, ny + 1):
        _gather(fine[j], coarse[(j + 1) >> 1 if ny != my else j], nx, mx)


@numba.njit(inline="always")
def _gather(row, coarse, nx, mx):
    """Add a row of the fine grid to the coarse row it belongs to."""
    if nx != mx:
        for i in range(1, mx):
            coarse[i] += row[2 * i - 1] + row[2 * i]
        coarse[mx] += row[2 * mx - 1]
        if 2 * mx <= nx:
            coarse[mx] += row[2 * mx]
    else:
        for i in range(1, mx + 1):
            coarse[i] += row[i]


@numba.njit(inline="always")
def _scatter(row, coarse, nx, mx):
    """Add the coarse row's correction to a row of the fine grid."""
    if nx != mx:
        for i in range(1, mx):
            value = coarse[i]
            row[2 * i - 1] += value
            row[2 * i] += value
        row[2 * mx - 1] += coarse[mx]
        if 2 * mx <= nx:
            row[2 * mx] += coarse[mx]
    else:
        for i in range(1, mx + 1):
            row[i] += coarse[i]


@kernel
def _set_up(work, info, repeats_x, repeats_y):
    levels = info.shape[0]
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        d, inverse = _level(work, D, info, level), _level(work, INV, info, level)
        diagonal = _level(work, TOTAL, info, level)
        for j in range(1, ny + 1):
            for i in range(1, nx + 1):
                total = ax[j, i] + ax[j, i + 1] + ay[j, i] + ay[j + 1, i] + d[j, i]
                diagonal[j, i] = total
                inverse[j, i] = 1.0 / total if total > 0 else 0.0
        if level < levels - 1:
            my, mx = info[level + 1, 1], info[level + 1, 2]
            _coarse_faces_x(ax, _level(work, AX, info, level + 1), ny, nx, my, mx, repeats_x)
            _coarse_faces_y(ay, _level(work, AY, info, level + 1), ny, nx, my, mx, repeats_y)
            _restrict(d, _level(work, D, info, level + 1), ny, nx, my, mx)


@numba.njit(inline="always")
def _left_row(j, x, b, ax, ay, diagonal, out, nx):
    """out = b - A x along row j; slices shifted once let the compiler vectorise."""
    west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
    aw, ae, a_s, an = ax[j, 1:], ax[j, 2:], ay[j, 1:], ay[j + 1, 1:]
    right, total, o = b[j, 1:], diagonal[j, 1:], out[1:]
    for k in range(nx):
        o[k] = (
            right[k]
            - total[k] * here[k]
            + aw[k] * west[k]
            + ae[k] * east[k]
            + a_s[k] * south[k]
            + an[k] * north[k]
        )


@numba.njit(inline="always")
def _smooth_row(j, x, b, ax, ay, inverse, out, weight, nx):
    """out = x + weight D^-1 (b - A x) along row j."""
    west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
    aw, ae, a_s, an = ax[j, 1:], ax[j, 2:], ay[j, 1:], ay[j + 1, 1:]
    right, share, o = b[j, 1:], inverse[j, 1:], out[j, 1:]
    rest = x.dtype.type(1.0) - weight
    for k in range(nx):
        held = right[k] + aw[k] * west[k] + ae[k] * east[k] + a_s[k] * south[k] + an[k] * north[k]
        o[k] = rest * here[k] + weight * share[k] * held


@kernel
def _smooth(x, b, ax, ay, inverse, out, weight, ny, nx):
    for j in range(1, ny + 1):
        _smooth_row(j, x, b, ax, ay, inverse, out, weight, nx)


@kernel
def _residual(x, b, ax, ay, d, out, ny, nx):
    """out = b - A x, in differences, so that nothing is lost where x is nearly even."""
    for j in range(1, ny + 1):
        west, here, east, south, north = x[j], x[j, 1:], x[j, 2:], x[j - 1, 1:], x[j + 1, 1:]
        aw, ae, a_s, an = ax[j, 1:], ax[j, 2:], ay[j, 1:], ay[j + 1, 1:]
        right, diagonal, o = b[j, 1:], d[j, 1:], out[j, 1:]
        for k in range(nx):
            c = here[k]
            o[k] = (
                right[k]
                - diagonal[k] * c
                + aw[k] * (west[k] - c)
                + ae[k] * (east[k] - c)
                + a_s[k] * (south[k] - c)
                + an[k] * (north[k] - c)
            )


@numba.njit(inline="always")
def _wrap_made(a, j, repeats_x, repeats_y, ny, nx):
    """Bring a row just made to the ghosts that stand for it."""
    if repeats_x:
        _wrap_row(a, j, nx)
    if repeats_y:
        if j == 1:
            a[ny + 1, 1 : nx + 1] = a[1, 1 : nx + 1]
        if j == ny:
            a[0, 1 : nx + 1] = a[ny, 1 : nx + 1]


@kernel
def _descend(b, ax, ay, diagonal, inverse, t, x, row, coarse, ny, nx, my, mx, repeats_x, repeats_y):
    """Both smoothing sweeps from a guess of zero, and what they leave handed to the coarser grid.

    One pass, each of the three a row behind the one before, so that coefficients are read once;
    where rows repeat, each waits for the one before to end.
    """
    for j in range(1, my + 1):
        coarse[j, 1 : mx + 1] = 0.0
    lag = ny + 1 if repeats_y else 1
    # in the field's own precision: a double weight would take every number there and back
    one, two = b.dtype.type(FIRST_WEIGHT), b.dtype.type(SECOND_WEIGHT)
    for j in range(1, ny + 2 * lag + 1):
        if j <= ny:
            first, right, share = t[j, 1:], b[j, 1:], inverse[j, 1:]
            for k in range(nx):
                first[k] = right[k] * share[k] * one
            _wrap_made(t, j, repeats_x, repeats_y, ny, nx)
        m = j - lag
        if 1 <= m <= ny:
            _smooth_row(m, t, b, ax, ay, inverse, x, two, nx)
            _wrap_made(x, m, repeats_x, repeats_y, ny, nx)
        m = j - 2 * lag
        if m >= 1:
            _left_row(m, x, b, ax, ay, diagonal, row, nx)
            _gather(row, coarse[(m + 1) >> 1 if ny != my else m], nx, mx)


@kernel
def _ascend(x, b, ax, ay, inverse, t, coarse, ny, nx, my, mx, repeats_x, repeats_y):
    """Correction from the coarser grid and both sweeps in one pass, each a row behind the other."""
    lag = ny + 1 if repeats_y else 1
    one, two = b.dtype.type(FIRST_WEIGHT), b.dtype.type(SECOND_WEIGHT)
    for j in range(1, ny + 2 * lag + 1):
        if j <= ny:
            _scatter(x[j], coarse[(j + 1) >> 1 if ny != my else j], nx, mx)
            _wrap_made(x, j, repeats_x, repeats_y, ny, nx)
        m = j - lag
        if 1 <= m <= ny:
            _smooth_row(m, x, b, ax, ay, inverse, t, one, nx)
            _wrap_made(t, m, repeats_x, repeats_y, ny, nx)
        m = j - 2 * lag
        if m >= 1:
            _smooth_row(m, t, b, ax, ay, inverse, x, two, nx)


@kernel
def _cycle(work, info, repeats_x, repeats_y):
    """One V-cycle: reads the finest B, leaves the finest X."""
    levels = info.shape[0]
    row = np.zeros(info[0, 4], work.dtype)
    for level in range(levels):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        total, inverse = _level(work, TOTAL, info, level), _level(work, INV, info, level)
        x, b, t = (
            _level(work, X, info, level),
            _level(work, B, info, level),
            _level(work, T, info, level),
        )
        if level == levels - 1:
            one, two = x.dtype.type(FIRST_WEIGHT), x.dtype.type(SECOND_WEIGHT)
            x[:] = 0.0
            for _ in range(COARSEST_SWEEPS + 1):
                _smooth(x, b, ax, ay, inverse, t, one, ny, nx)
                wrap(t, repeats_x, repeats_y, ny, nx)
                _smooth(t, b, ax, ay, inverse, x, two, ny, nx)
                wrap(x, repeats_x, repeats_y, ny, nx)
            break
        _descend(
            b,
            ax,
            ay,
            total,
            inverse,
            t,
            x,
            row,
            _level(work, B, info, level + 1),
            ny,
            nx,
            info[level + 1, 1],
            info[level + 1, 2],
            repeats_x,
            repeats_y,
        )
    for level in range(levels - 2, -1, -1):
        ny, nx = info[level, 1], info[level, 2]
        ax, ay = _level(work, AX, info, level), _level(work, AY, info, level)
        inverse = _level(work, INV, info, level)
        x, b, t = (
            _level(work, X, info, level),
            _level(work, B, info, level),
            _level(work, T, info, level),
        )
        _ascend(
            x,
            b,
            ax,
            ay,
            inverse,
            t,
            _level(work, X, info, level + 1),
            ny,
            nx,
            info[level + 1, 1],
            info[level + 1, 2],
            repeats_x,
            repeats_y,
        )


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
def _turn_and_apply(ax, ay, d, p, z, beta, q, ny, nx, repeats_x, repeats_y):
    """p = z + beta p, a row ahead of q = A p; returns p.q."""
    total = 0.0
    lag = ny + 1 if repeats_y else 1
    for j in range(1, ny + lag + 1):
        if j <= ny:
            direction, ahead = p[j, 1:], z[j, 1:]
            for k in range(nx):
                direction[k] = ahead[k] + beta * direction[k]
            _wrap_made(p, j, repeats_x, repeats_y, ny, nx)
        m = j - lag
        if m >= 1:
            west, here, east, south, north = p[m], p[m, 1:], p[m, 2:], p[m - 1, 1:], p[m + 1, 1:]
            aw, ae, a_s, an = ax[m, 1:], ax[m, 2:], ay[m, 1:], ay[m + 1, 1:]
            diagonal, o = d[m, 1:], q[m, 1:]
            for k in range(nx):
                c = here[k]
                v = (
                    diagonal[k] * c
                    - aw[k] * (west[k] - c)
                    - ae[k] * (east[k] - c)
                    - a_s[k] * (south[k] - c)
                    - an[k] * (north[k] - c)
                )
                o[k] = v
                total += v * c
    return total


@kernel
def _advance(x, r, p, q, alpha, b, floor):
    """x += alpha p, r -= alpha q, and b takes r over where it exceeds `floor`; returns r.r.

    What lies far below the rest says nothing to the preconditioner, and in single precision it
    would become subnormal numbers, on which a processor is many times slower.
    """
    total = 0.0
    for k in range(x.size):
        x[k] += alpha * p[k]
        v = r[k] - alpha * q[k]
        r[k] = v
        b[k] = v if abs(v) > floor else 0.0
        total += v * v
    return total


@kernel
def _hand_over(r, b, floor):
    """b takes r over where it exceeds `floor`; see `_advance`."""
    for k in range(r.size):
        b[k] = r[k] if abs(r[k]) > floor else 0.0


@kernel
def _conjugate_gradients(
    ax, ay, d, x, b, r, p, q, work, info, relative, absolute, most, repeats_x, repeats_y
):
    """Returns (iterations, residual norm); the norm is NaN-safe: NaN stops the loop."""
    ny, nx = info[0, 1], info[0, 2]
    wrap(x, repeats_x, repeats_y, ny, nx)
    _residual(x, b, ax, ay, d, r, ny, nx)
    rr = _dot(r.ravel(), r.ravel())
    aim = max(relative * relative * _dot(b.ravel(), b.ravel()), absolute * absolute)
    z, right = _level(work, X, info, 0), _level(work, B, info, 0)
    _hand_over(r.ravel(), right.ravel(), FAINT * np.sqrt(rr))
    rz = 1.0
    for iteration in range(most):
        if not rr > aim:
            return iteration, np.sqrt(rr)
        _cycle(work, info, repeats_x, repeats_y)
        new = _dot_mixed(r.ravel(), z.ravel())
        pq = _turn_and_apply(
            ax, ay, d, p, z, new / rz if iteration > 0 else 0.0, q, ny, nx, repeats_x, repeats_y
        )
        rz = new
        if not pq > 0:
            return iteration, np.sqrt(rr)
        rr = _advance(
            x.ravel(), r.ravel(), p.ravel(), q.ravel(), rz / pq, right.ravel(), FAINT * np.sqrt(rr)
        )
    return most, np.sqrt(rr)


class Multigrid:
    """A solver for one set of coefficients; call `set_up` again when they change.

    ax, ay, d : (ny + 3, nx + 3) face coefficients and diagonal, kept by reference.
    extent    : (ny, nx) unknowns when they are more than the cells (velocities on the rim).
    single    : keep the preconditioner in float32, which is faster on large grids.
    repeats   : along x and y. The caller keeps ghosts of coefficients; x gets its own.
    """

    def __init__(
        self,
        ax: Array,
        ay: Array,
        d: Array,
        extent: tuple[int, int] | None = None,
        single: bool | None = None,
        repeats: tuple[bool, bool] = (False, False),
    ) -> None:
        self.ax, self.ay, self.d = ax, ay, d
        self.repeats = repeats
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
        self.work = np.zeros((8, int(first[-1])), np.float32 if single else np.float64)
        self.finest = sizes[0]
        self.vectors = [np.zeros(ax.shape) for _ in range(3)]
        self.set_up()

    def set_up(self) -> None:
        """Read the coefficients again and coarsen them."""
        for row, a in ((AX, self.ax), (AY, self.ay), (D, self.d)):
            self.work[row, : self.finest] = a.ravel()
        _set_up(self.work, self.info, *self.repeats)

    def improve(self, b: Array, x: Array, relative: float) -> int:
        """Improve `x` in place until its first residual has shrunk by `relative`; iterations."""
        r = self.vectors[0]
        wrap(x, *self.repeats, *self.dims[0])
        _residual(x, b, self.ax, self.ay, self.d, r, self.dims[0][0], self.dims[0][1])
        first = float(np.sqrt(_dot(r.ravel(), r.ravel())))
        return self.solve(b, x, 0.0, relative * first)[0]

    def solve(
        self, b: Array, x: Array, relative: float = 1e-8, absolute: float = 0.0, most: int = 200
    ) -> tuple[int, float]:
        """Improve `x` in place until |b - A x| <= max(relative |b|, absolute).

        Returns the iterations used and the residual norm reached. Ghosts of x must be zero where
        the grid does not repeat.
        """
        r, p, q = self.vectors
        p[:] = 0.0
        count, norm = _conjugate_gradients(
            self.ax,
            self.ay,
            self.d,
            x,
            b,
            r,
            p,
            q,
            self.work,
            self.info,
            relative,
            absolute,
            most,
            *self.repeats,
        )
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
