"""Ideal reactors: orders by hand, folds by their condition, when there are any, and delays."""

from __future__ import annotations

import unittest

import numpy as np

from underkettle.quantities.constants import GAS
from underkettle.sums import SumError, side_sum
from underkettle.sums.reactors import _law, folds

BASE = {
    "order": 1.0,
    "constant": 0.5,
    "at": 600.0,
    "activation": 120e3,
    "brought": 1.0,
    "enters": 560.0,
    "rise": 250.0,
    "stay": 0.2,
}


def told(**values):
    return side_sum("reactors", **{**BASE, **values})


class Reactors(unittest.TestCase):
    def test_without_heat_conversions_are_those_of_the_book(self):
        even = {"activation": 0.0, "rise": 0.0, "stay": 3.0, "brought": 2.0}
        for order, plug, stirred in (
            (0.0, 0.75, 0.75),
            (1.0, 1 - np.exp(-1.5), 0.6),
            (2.0, 0.75, 0.5657414540893352),  # of k c0 tau = 3: (7 - root 13) / 6
        ):
            found = told(order=order, **even)
            self.assertAlmostEqual(found["plug"], plug, delta=1e-6)
            self.assertAlmostEqual(found["stirred"], stirred, delta=1e-6)
            self.assertTrue(np.isnan(found["lights"]))

    def test_folds_are_where_the_stay_turns(self):
        """1 / x + 1 / (1 - x) = E dT / (R T^2) at both, first order."""
        speed = _law(1.0, 0.5, 120e3, 1.0, 600.0, 560.0)
        found = folds(speed, 560.0, 250.0)
        self.assertEqual(len(found), 2)
        for x, _ in found:
            t = 560.0 + 250.0 * x
            self.assertAlmostEqual(
                (1 / x + 1 / (1 - x)) / (120e3 * 250.0 / (GAS * t * t)), 1.0, delta=1e-4
            )
        self.assertLess(found[0][0], found[1][0])
        self.assertGreater(found[0][1], found[1][1])

    def test_folds_there_are_only_beyond_the_known_bound(self):
        """First order, no losses: beta gamma > 4 (1 + beta) (van Heerden's bound, from memory)."""
        beta = 250.0 / 560.0
        bound = 4 * (1 + beta) / beta * GAS * 560.0
        self.assertTrue(np.isnan(told(activation=0.99 * bound)["lights"]))
        self.assertFalse(np.isnan(told(activation=1.02 * bound)["lights"]))

    def test_between_the_folds_there_are_two_states_to_be_in(self):
        found = told()
        self.assertLess(found["goes_out"], 0.2)
        self.assertGreater(found["lights"], 0.2)
        self.assertLess(found["stirred"], 0.1)
        self.assertGreater(found["lit"], 0.95)
        beyond = told(stay=1.01 * found["lights"])
        self.assertAlmostEqual(beyond["stirred"], beyond["lit"])

    def test_delay_tends_to_that_of_strong_activation(self):
        """R T0^2 / (E dT k(T0)) as E grows (Semenov)."""
        ratios = []
        for activation in (2e5, 4e5, 8e5):
            found = told(activation=activation, at=560.0)
            rough = GAS * 560.0**2 / (activation * 250.0 * 0.5)
            ratios.append(found["delay"] / rough)
        self.assertLess(abs(ratios[2] - 1), 0.06)
        self.assertLess(abs(ratios[2] - 1), 0.6 * abs(ratios[1] - 1))
        self.assertLess(abs(ratios[1] - 1), 0.6 * abs(ratios[0] - 1))

    def test_refusals(self):
        for wrong in ({"order": -1.0}, {"constant": 0.0}, {"stay": 0.0}, {"rise": -600.0}):
            with self.assertRaises(SumError, msg=str(wrong)):
                told(**wrong)


if __name__ == "__main__":
    unittest.main()
