"""Values between the nodes of a table of three coordinates."""

import unittest

import numpy as np

from underkettle.engine.operators.lookup import look_up


class Lookup(unittest.TestCase):
    def setUp(self):
        self.axes = np.array([0.0, 1.0, 3.0]), np.array([0.0, 0.5, 1.0]), np.array([0.0, 2.0, 3.0])
        a, b, c = np.meshgrid(*self.axes, indexing="ij")
        self.table = np.stack([1 + 2 * a - b + 3 * c, a * b * c])

    def look(self, a, b, c, rows=(0, 1)):
        out = np.empty((len(rows), len(a)))
        look_up(*self.axes, self.table, *map(np.array, (a, b, c)), np.array(rows), out)
        return out

    def test_what_is_linear_comes_out_exactly(self):
        random = np.random.default_rng(3)
        a, b, c = random.uniform(0, 3, 200), random.uniform(0, 1, 200), random.uniform(0, 3, 200)
        found = self.look(a, b, c)
        np.testing.assert_allclose(found[0], 1 + 2 * a - b + 3 * c, atol=1e-12)
        np.testing.assert_allclose(found[1], a * b * c, atol=1e-12)  # a line along each

    def test_ends_hold_beyond_them(self):
        found = self.look([-1.0, 9.0], [0.5, 2.0], [-5.0, 7.0], rows=(0,))
        np.testing.assert_allclose(found[0], [0.5, 1 + 6 - 1 + 9])

    def test_rows_in_any_order(self):
        self.assertEqual(self.look([1.0], [0.5], [2.0], rows=(1, 0))[:, 0].tolist(), [1.0, 8.5])


if __name__ == "__main__":
    unittest.main()
