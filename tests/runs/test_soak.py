"""A short one of the long harness: kills at random lose nothing. See `tests.soak`."""

import unittest

from tests.soak import soak

KILLS = 4


class Soak(unittest.TestCase):
    def test_random_kills_lose_nothing_and_change_no_number(self):
        found = soak(KILLS, seed=3, say=lambda text: None)
        self.assertEqual(found["runs killed"] + found["servers killed"], KILLS)
        self.assertGreater(found["runs ended"], 0)


if __name__ == "__main__":
    unittest.main()
