"""A matrix of pairs that are tied, by hand and against what a network of resistors does."""

import unittest

import numpy as np

from underkettle.engine.linear.tied import Tied, factor_even


class Pairs(unittest.TestCase):
    def test_a_chain_by_hand(self):
        """Held - 2 - 0 - 3 - 1, and 1 held by 5."""
        tied = Tied(2)
        tied.tie(np.array([0]), np.array([-1]), np.array([2.0]))
        tied.tie(np.array([0]), np.array([1]), np.array([3.0]))
        tied.hold(np.array([1]), np.array([5.0]))
        np.testing.assert_allclose(tied.matrix().toarray(), [[5.0, -3.0], [-3.0, 8.0]])

    def test_those_of_nobody_are_left_out(self):
        tied = Tied(2)
        tied.put(np.array([0, -1, 1]), np.array([0, 1, -1]), np.array([1.0, 2.0, 3.0]))
        np.testing.assert_allclose(tied.matrix().toarray(), [[1.0, 0.0], [0.0, 0.0]])
        self.assertEqual(Tied(3).matrix().nnz, 0)

    def test_complex_ties_stay_complex(self):
        tied = Tied(2)
        tied.tie(np.array([0]), np.array([1]), np.array([1.0 + 2.0j]))
        self.assertEqual(tied.matrix()[0, 1], -1.0 - 2.0j)

    def test_resistors_in_a_row_and_beside(self):
        """Ten of 1 ohm from 10 V to nought, one in the middle beside 1 ohm: 10/9.5 A."""
        ease = np.ones(10)
        ease[5] = 2.0
        tied = Tied(9)
        nodes = np.arange(-1, 10)
        nodes[-1] = -1
        inner = np.arange(1, 9)
        tied.tie(nodes[inner], nodes[inner + 1], ease[inner])
        tied.hold(np.array([0, 8]), ease[[0, 9]])
        right = np.zeros(9)
        right[0] = 10.0
        found = factor_even(tied.matrix()).solve(right)
        self.assertAlmostEqual(10.0 - found[0], 10.0 / 9.5)
        self.assertAlmostEqual(found[8], 10.0 / 9.5)

    def test_what_hangs_in_the_air_is_refused(self):
        tied = Tied(2)
        tied.hold(np.array([0]), np.array([1.0]))
        with self.assertRaises(RuntimeError):
            factor_even(tied.matrix())


if __name__ == "__main__":
    unittest.main()
