"""The speed of plane flames, by laws whose speed is known."""

import unittest

import numpy as np

from underkettle.paper.flames import burning_flux


class Speeds(unittest.TestCase):
    def test_a_law_that_is_solved_exactly(self):
        """w = 2 k^2 c^2 (1 - c) has q = k c (1 - c), with m = k."""
        c = np.linspace(0.0, 1.0, 20001)
        for k in (0.25, 1.0, 4.0):
            self.assertAlmostEqual(
                burning_flux(c, 2.0 * k**2 * c**2 * (1.0 - c)) / k, 1.0, delta=1e-4
            )

    def test_four_times_as_fast_a_reaction_burns_twice_as_fast(self):
        c = np.linspace(0.0, 1.0, 4001)
        makes = np.exp(-20.0 * (1.0 - c)) * (1.0 - c)
        self.assertAlmostEqual(
            burning_flux(c, 4.0 * makes) / burning_flux(c, makes), 2.0, delta=1e-4
        )


if __name__ == "__main__":
    unittest.main()
