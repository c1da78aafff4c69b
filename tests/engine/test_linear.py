"""Solvers against a sparse direct solver, and the number of iterations they may take."""

import os
import unittest
from unittest import mock

import numpy as np
from scipy.sparse.linalg import spsolve

from underkettle.benching import _matrix, pressure_problem
from underkettle.engine.linear import Helmholtz, Multigrid
from underkettle.engine.linear.multigrid import _residual


class Pressure(unittest.TestCase):
    def test_agrees_with_a_direct_solver(self):
        for n, ratio in ((37, 1.0), (64, 1000.0)):
            ax, ay, b = pressure_problem(n, ratio)
            x = np.zeros(ax.shape)
            Multigrid(ax, ay, np.zeros(ax.shape)).solve(b, x, 1e-11)
            matrix, on = _matrix(ax, ay, n)
            inner = (slice(1, n + 1), slice(1, n + 1))
            exact = spsolve(matrix, b[inner][on])
            self.assertLess(np.abs(x[inner][on] - exact).max(), 1e-7 * np.abs(exact).max())

    def test_iterations_stay_within_their_targets(self):
        counts = {}
        for n in (64, 128, 256):
            for ratio, most in ((1.0, 16), (1000.0, 25)):
                ax, ay, b = pressure_problem(n, ratio)
                count, norm = Multigrid(ax, ay, np.zeros(ax.shape)).solve(b, np.zeros(ax.shape))
                counts[n, ratio] = count
                self.assertLessEqual(count, most, (n, ratio))
                self.assertLessEqual(norm, 1e-8 * np.linalg.norm(b))
        self.assertLessEqual(counts[256, 1.0], 1.3 * counts[64, 1.0])

    def test_a_closed_vessel_is_solved_up_to_its_level(self):
        n = 32
        ax, ay = np.zeros((n + 3, n + 3)), np.zeros((n + 3, n + 3))
        ax[1 : n + 1, 2 : n + 1] = ay[2 : n + 1, 1 : n + 1] = 1.0
        b, x = np.zeros(ax.shape), np.zeros(ax.shape)
        b[1 : n + 1, 1 : n + 1] = np.random.default_rng(3).standard_normal((n, n))
        b[1 : n + 1, 1 : n + 1] -= b[1 : n + 1, 1 : n + 1].mean()
        _, norm = Multigrid(ax, ay, np.zeros(ax.shape)).solve(b, x, 1e-10)
        self.assertLess(norm, 1e-9 * np.linalg.norm(b))

    def test_nan_ends_the_loop(self):
        ax, ay, b = pressure_problem(32, 1.0)
        b[5, 5] = np.nan
        count, _ = Multigrid(ax, ay, np.zeros(ax.shape)).solve(b, np.zeros(ax.shape))
        self.assertEqual(count, 0)


class Threads(unittest.TestCase):
    def test_two_threads_give_the_same_bits(self):
        from underkettle.benching import _cavity
        from underkettle.case.case import Case
        from underkettle.case.solve import build_solvers
        from underkettle.engine import threads
        from underkettle.engine.marching.order import Offers
        from underkettle.engine.marching.state import State

        found = []
        for count in ("1", "2"):
            with (
                mock.patch.dict(os.environ, {threads.ASKED: count}),
                mock.patch.object(threads, "WORTH", 1),
            ):
                self.assertEqual(threads.threads(), int(count))
                case, state = Case(_cavity(64)), State()
                solver = build_solvers(case)["flow"]
                solver.start(state)
                for _ in range(4):
                    offers = Offers("flow", case.meetings, {"flow": solver}, state, {})
                    solver.advance(state, state.time, state.time + 3e-3, offers)
                    state.time += 3e-3
                found.append({n: a.tobytes() for n, a in state.fields.items()})
        self.assertEqual(found[0], found[1])
        self.assertGreater(len(found[0]), 5)

    def test_what_fails_beside_is_not_lost(self):
        from underkettle.engine import threads

        def broken():
            raise ValueError("broken")

        with mock.patch.dict(os.environ, {threads.ASKED: "2"}):
            for pair in ((broken, int), (int, broken)):
                with self.assertRaises(ValueError):
                    threads.beside(threads.WORTH, *pair)


class Implicit(unittest.TestCase):
    def solved(self, strength, extent=None):
        n = 40
        ax, ay = np.zeros((n + 3, n + 3)), np.zeros((n + 3, n + 3))
        last = n + 1 if extent else n
        ax[1 : n + 1, 2 : last + 1] = ay[2 : n + 1, 1 : last + 1] = strength
        system = Helmholtz(ax, ay, (n, last))
        system.d[1 : n + 1, 1 : last + 1] = 1.0
        system.changed()
        b, x, r = (np.zeros(ax.shape) for _ in range(3))
        b[1 : n + 1, 1 : last + 1] = np.random.default_rng(5).standard_normal((n, last))
        work = system.solve(b, x, 1e-8)
        _residual(x, b, ax, ay, system.d, r, n, last)
        return work, np.abs(r).max() / np.abs(b).max()

    def test_sweeps_and_multigrid_reach_the_aim(self):
        for strength in (1e-3, 0.1, 1.0, 100.0):
            with self.subTest(strength):
                self.assertLess(self.solved(strength)[1], 1e-6)

    def test_velocities_on_the_rim_are_unknowns_too(self):
        self.assertLess(self.solved(10.0, extent=True)[1], 1e-6)


if __name__ == "__main__":
    unittest.main()
