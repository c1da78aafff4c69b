"""Several unknowns of a cell solved at once: lines against a dense solution."""

import unittest

import numpy as np

from underkettle.engine.linear.blocks import Blocks

M, NY, NX = 3, 4, 5


def filled(ny, nx, across, seed=1):
    """Blocks with random couplings and ties, held well enough to converge; across : share of what
    couples lines.
    """
    rng = np.random.default_rng(seed)
    shape = (ny + 3, nx + 3)
    live = np.zeros(shape, bool)
    live[1:-2, 1:-2] = True
    blocks = Blocks(M, shape, live)
    for way, (step, axis) in enumerate(((1, 1), (-1, 1), (1, 0), (-1, 0))):
        near = np.roll(live, step, axis)
        size = 1.0 if axis == 1 else across
        blocks.around[way] = np.where(live & near, size * rng.random((M, *shape)), 0.0)
    blocks.own[:] = blocks.around.sum(axis=0) + 0.5
    blocks.ties[:] = np.where(live, 0.4 * (rng.random((M, M, *shape)) - 0.5), 0.0)
    return blocks


def dense(blocks):
    """The same as one matrix over (unknown, row, column)."""
    shape = blocks.own.shape
    number = np.arange(np.prod(shape)).reshape(shape)
    matrix = np.eye(number.size)
    for j, i in zip(*np.nonzero(blocks.live), strict=True):
        for k in range(M):
            row = number[k, j, i]
            matrix[row, row] = blocks.own[k, j, i]
            matrix[row, number[:, j, i]] -= blocks.ties[k, :, j, i]
            for way, (dj, di) in enumerate(((0, -1), (0, 1), (-1, 0), (1, 0))):
                link = blocks.around[way, k, j, i]
                if link:
                    matrix[row, number[k, j + dj, i + di]] -= link
    return matrix


class Lines(unittest.TestCase):
    def test_a_single_line_is_solved_exactly(self):
        for ny, nx in ((1, NX), (NY, 1)):
            blocks = filled(ny, nx, 1.0)
            b = np.where(blocks.live, np.random.default_rng(2).random(blocks.own.shape), 0.0)
            x = np.zeros_like(b)
            blocks.set_up()
            blocks.sweep(b, x)
            exact = np.linalg.solve(dense(blocks), b.ravel()).reshape(b.shape)
            np.testing.assert_allclose(x, exact, atol=1e-12)

    def test_sweeps_come_to_the_solution(self):
        blocks = filled(NY, NX, 0.7)
        b = np.where(blocks.live, np.random.default_rng(3).random(blocks.own.shape), 0.0)
        exact = np.linalg.solve(dense(blocks), b.ravel()).reshape(b.shape)
        blocks.set_up()
        x, errors = np.zeros_like(b), []
        for _ in range(4):
            blocks.sweep(b, x)
            errors.append(float(np.abs(x - exact).max()))
        self.assertLess(errors[-1], 1e-3 * errors[0])

    def test_closed_cells_cut_lines(self):
        """On either side of a closed cell each part is solved by itself, and it stays what it is."""
        blocks = filled(1, NX, 1.0)
        blocks.live[1, 3] = False
        blocks.around[:, :, 1, 3] = blocks.ties[:, :, 1, 3] = 0.0
        blocks.around[1, :, 1, 2] = blocks.around[0, :, 1, 4] = 0.0
        b = np.where(blocks.live, 1.0, 0.0) * np.ones((M, 1, 1))
        x = np.zeros_like(b)
        blocks.set_up()
        blocks.sweep(b, x)
        exact = np.linalg.solve(dense(blocks), b.ravel()).reshape(b.shape)
        np.testing.assert_allclose(x, exact, atol=1e-12)
        self.assertEqual(float(np.abs(x[:, 1, 3]).max()), 0.0)


if __name__ == "__main__":
    unittest.main()
