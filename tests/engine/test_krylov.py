"""Line-smoothed multigrid, flexible GMRES, exact derivatives of convection, hand-over between grids."""

import unittest

import numpy as np

from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.linear.lines import Lines
from underkettle.engine.mesh import Grid
from underkettle.engine.mesh.between import _between
from underkettle.engine.operators.convection import carry_scalar
from underkettle.engine.operators.stencil import cell_weights
from underkettle.engine.operators.tangent import ScalarTangent


def stream(n, across, repeats=(False, False)):
    """Upwinding of eddies that fill a box, and diffusion `across` beside it."""
    lines = Lines((n + 3, n + 3), n, n, repeats, "itself")
    at = np.arange(n + 1) / n
    psi = np.sin(2 * np.pi * at)[None, :] * np.sin(2 * np.pi * at)[:, None]
    u, v = np.diff(psi, axis=0), -np.diff(psi, axis=1)  # through west and south faces
    inner = (slice(1, n + 1), slice(1, n + 1))
    links = [np.full((n, n), across) for _ in range(4)]
    if not repeats[0]:
        links[0][:, 0] = links[1][:, -1] = 0.0
    if not repeats[1]:
        links[2][0] = links[3][-1] = 0.0
    for k, inward in enumerate((u[:, :-1], -u[:, 1:], v[:-1], -v[1:])):
        lines.convective[k][inner] = np.maximum(inward, 0.0)
        lines.symmetric[k][inner] = links[k]
    lines.held[inner] = 1e-3
    lines.set_up()
    return lines, inner


def applied(lines, x):
    out = np.zeros(x.shape)
    x = x.copy()
    n = lines.ny
    if lines.repeats[0]:
        x[:, 0], x[:, n + 1] = x[:, n], x[:, 1]
    if lines.repeats[1]:
        x[0], x[n + 1] = x[n], x[1]
    lines.apply(x, out)
    return out


class Cycles(unittest.TestCase):
    def test_a_single_line_is_solved_exactly(self):
        """3 x - y = 1, -x + 3 y - z = 2, -y + 2 z = 3 (what else is held: 2, 1, 1)."""
        lines = Lines((4, 6), 1, 3)
        lines.symmetric[0][1, 1:4] = [0, 1, 1]
        lines.symmetric[1][1, 1:4] = [1, 1, 0]
        lines.held[1, 1:4] = [2, 1, 1]
        lines.set_up()
        b, x = np.zeros((4, 6)), np.zeros((4, 6))
        b[1, 1:4] = [1, 2, 3]
        lines.cycle(b, x)
        self.assertAlmostEqual(float(3 * x[1, 1] - x[1, 2]), 1.0, 12)
        self.assertAlmostEqual(float(-x[1, 1] + 3 * x[1, 2] - x[1, 3]), 2.0, 12)
        self.assertAlmostEqual(float(-x[1, 2] + 2 * x[1, 3]), 3.0, 12)

    def test_a_cycle_takes_off_as_much_whatever_carries_and_on_any_grid(self):
        for repeats in ((False, False), (True, False), (True, True)):
            for across in (1e-3, 1.0, 1e3):
                for n in (16, 64, 61):
                    with self.subTest(repeats=repeats, across=across, n=n):
                        lines, inner = stream(n, across, repeats)
                        b, x, more = (np.zeros((n + 3, n + 3)) for _ in range(3))
                        b[inner] = np.random.default_rng(1).standard_normal((n, n))
                        sizes = [np.linalg.norm(b)]
                        for _ in range(8):
                            left = np.zeros(b.shape)
                            left[inner] = (b - applied(lines, x))[inner]
                            lines.cycle(left, more)
                            x[inner] += more[inner]
                            left[inner] = (b - applied(lines, x))[inner]
                            sizes.append(np.linalg.norm(left))
                        self.assertLess((sizes[-1] / sizes[2]) ** (1 / 6), 0.68)

    def test_sweeps_on_lead_where_lines_are_solved_and_stay_above_nought(self):
        for repeats in ((False, False), (True, True)):
            n = 32
            lines, inner = stream(n, 1.0, repeats)
            lines.held[inner] = 4.0
            lines.set_up(sweeps_only=True)
            b, x = np.zeros((n + 3, n + 3)), np.zeros((n + 3, n + 3))
            b[inner] = np.random.default_rng(3).random((n, n))
            lines.begin(b, x)
            sizes = [np.linalg.norm(b)]
            for turn in range(8):
                lines.sweep_on(up=turn % 2 == 0)
                self.assertTrue((lines.found[inner] >= 0).all())
                sizes.append(np.linalg.norm((b - applied(lines, lines.found))[inner]))
            self.assertLess(sizes[-1], 1e-4 * sizes[0])
            lines.sweep(b, x)
            for _ in range(7):
                lines.sweep(b, x)
            np.testing.assert_allclose(x[inner], lines.found[inner], rtol=1e-3)

    def test_a_closed_system_is_solved_up_to_its_level(self):
        n = 24
        lines = Lines((n + 3, n + 3), n, n, behind="itself")
        ax, ay = np.zeros((n + 3, n + 3)), np.zeros((n + 3, n + 3))
        ax[1 : n + 1, 2 : n + 1] = ay[2 : n + 1, 1 : n + 1] = 1.0
        lines.set_symmetric(ax, ay, np.zeros(ax.shape))
        inner = (slice(1, n + 1), slice(1, n + 1))
        b, x, more = (np.zeros((n + 3, n + 3)) for _ in range(3))
        b[inner] = np.random.default_rng(2).standard_normal((n, n))
        b[inner] -= b[inner].mean()
        for _ in range(12):
            left = np.zeros(b.shape)
            left[inner] = (b - applied(lines, x))[inner]
            left[inner] -= left[inner].mean()
            lines.cycle(left, more)
            x[inner] += more[inner] - more[inner].mean()
        self.assertLess(np.linalg.norm((b - applied(lines, x))[inner]), 1e-6 * np.linalg.norm(b))


class Directions(unittest.TestCase):
    def test_a_small_system_is_solved_in_as_many_directions_as_it_has_unknowns(self):
        a = np.array([[4.0, 1.0, 0.0], [-2.0, 3.0, 1.0], [0.0, -1.0, 2.0]])
        x = np.array([1.0, -2.0, 3.0])
        found = Gmres(3, 5).solve(lambda v: a @ v, lambda v: v, a @ x, 1e-12)
        self.assertLessEqual(found.iterations, 4)  # directions are kept in single precision
        np.testing.assert_allclose(found.solution, x, rtol=1e-6)

    def test_a_preconditioner_may_change_from_one_direction_to_the_next(self):
        rng = np.random.default_rng(5)
        a = np.diag(np.linspace(1.0, 1e4, 200)) + 0.1 * rng.standard_normal((200, 200))
        b, calls = rng.standard_normal(200), []

        def halfway(v):
            calls.append(1)
            return v / (np.diag(a) * (1.0 + 0.2 * (len(calls) % 2)))

        found = Gmres(200, 60).solve(lambda v: a @ v, halfway, b, 1e-6)
        self.assertLess(np.linalg.norm(b - a @ found.solution), 2e-6 * np.linalg.norm(b))
        self.assertLess(found.iterations, 40)

    def test_nothing_to_solve_and_numbers_that_are_none(self):
        room = Gmres(4, 3)
        same = lambda v: v  # noqa: E731
        self.assertEqual(room.solve(same, same, np.zeros(4), 0.1).iterations, 0)
        self.assertEqual(room.solve(same, same, np.full(4, np.nan), 0.1).left, np.inf)


class Derivative(unittest.TestCase):
    def test_what_leaves_changes_as_the_derivative_says(self):
        for repeats in ((False, False), (True, True)):
            grid = Grid(
                np.cumsum([0.0, 1.0, 1.2, 1.4, 1.3, 1.1, 1.0, 0.9]),
                np.cumsum([0.0, 1.0, 1.0, 1.2, 1.2, 1.0]),
                1.0,
                repeats=repeats,
            )
            shape = grid.shape[1:]
            rng = np.random.default_rng(4)
            c, d, x, y = (grid.wrap(rng.standard_normal(shape)) for _ in range(4))
            for line, again in ((x[:, 1], repeats[0]), (x[:, grid.nx + 1], repeats[0])):
                line[:] = line if again else 0.0
            for line, again in ((y[1], repeats[1]), (y[grid.ny + 1], repeats[1])):
                line[:] = line if again else 0.0
            weights = cell_weights(grid, 0), cell_weights(grid, 1)

            def leaving(values, x=x, y=y, weights=weights, grid=grid):
                out = np.zeros(values.shape)
                scratch = [np.zeros(grid.nx + 3) for _ in range(3)]
                carry_scalar(values, x, y, out, *weights, *scratch, *grid.repeats, grid.ny, grid.nx)
                return out[1 : grid.ny + 1, 1 : grid.nx + 1]

            tangent = ScalarTangent(*weights, shape, repeats)
            tangent.freeze(c, x, y)
            told = np.zeros(shape)
            tangent.add(d, told)
            found = (leaving(c + 1e-7 * d) - leaving(c - 1e-7 * d)) / 2e-7
            np.testing.assert_allclose(
                told[1 : grid.ny + 1, 1 : grid.nx + 1], found, atol=1e-6 * np.abs(found).max()
            )


class Between(unittest.TestCase):
    def test_what_is_linear_stays_so_and_is_held_beyond_the_ends(self):
        x, y = np.array([0.0, 1.0, 3.0]), np.array([0.0, 2.0])
        values = 2 * x[None, :] - 3 * y[:, None]
        found = _between(values, x, y, np.array([0.5, 2.0, 9.0]), np.array([1.0, -4.0]))
        np.testing.assert_allclose(found, [[-2.0, 1.0, 3.0], [1.0, 4.0, 6.0]])


if __name__ == "__main__":
    unittest.main()
