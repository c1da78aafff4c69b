"""How long a run still takes: from its pace, corrected as it goes."""

import unittest

from underkettle.runs.left import time_left

STAGES = [("settle", 10.0), ("spread", 100.0)]


def rows(stage, times, dones):
    return [
        {"stage": stage, "clock": 1000.0 + t, "done": d} for t, d in zip(times, dones, strict=True)
    ]


class Left(unittest.TestCase):
    def test_before_anything_is_known_the_estimate_holds(self):
        self.assertIsNone(time_left([], STAGES, 2.0))
        low, high = time_left(rows("spread", [0, 1], [0.0, 0.001]), STAGES, 2.0)
        self.assertAlmostEqual(low, 50.0)
        self.assertAlmostEqual(high, 200.0)

    def test_an_even_pace_is_carried_on(self):
        so_far = rows("spread", range(41), [k / 200 for k in range(41)])
        low, high = time_left(so_far, STAGES, 2.0)
        self.assertLess(low, 160.0)
        self.assertGreater(high, 160.0)
        self.assertLess(high / low, 1.25)

    def test_a_change_of_pace_widens_it(self):
        """Half as fast since a while: both paces are within the answer."""
        dones = [0.01 * k for k in range(31)] + [0.3 + 0.005 * k for k in range(1, 21)]
        low, high = time_left(rows("spread", range(51), dones), STAGES, 2.0)
        self.assertLess(low, 90)
        self.assertGreater(high, 119)

    def test_a_stage_to_come_follows_what_the_first_took(self):
        """The first stage takes three times its estimate, so the second is expected to as well."""
        so_far = rows("settle", [0.3 * k for k in range(51)], [k / 100 for k in range(51)])
        low, high = time_left(so_far, STAGES, 2.0)
        self.assertLess(low, 15 + 300)
        self.assertGreater(high, 15 + 300)
        self.assertGreater(low, 80)
        short = time_left(
            rows("settle", [0.3 * k for k in range(51)], [k / 50 for k in range(51)]), STAGES, 2.0
        )
        self.assertGreater(short[1], 140)

    def test_time_held_does_not_count(self):
        even = rows("spread", range(41), [k / 200 for k in range(41)])
        held = even[:20] + [{**r, "clock": r["clock"] + 4000} for r in even[20:]]
        for a, b in zip(time_left(even, STAGES, 2.0), time_left(held, STAGES, 2.0), strict=True):
            self.assertAlmostEqual(b / a, 1.0, delta=0.06)

    def test_what_is_no_stage_of_the_case_tells_nothing(self):
        self.assertIsNone(time_left(rows("ghost", [0, 1], [0, 0.5]), STAGES, 2.0))


if __name__ == "__main__":
    unittest.main()
