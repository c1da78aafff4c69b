"""What is said of drops that come in, break off, merge and leave."""

import unittest

import numpy as np

from underkettle.engine.interface.lumps import Event
from underkettle.phenomena.two_fluids.happened import COLUMNS, nothing, with_more


def lump(number, x, volume=4.0, size=2.0, joined=0.0):
    """fluid, number, volume, size, x, y, speeds, roundness, joined, edge."""
    return np.array([0.0, number, volume, size, x, 0.5, 0.0, 0.0, 1.0, joined, np.nan])


class Happened(unittest.TestCase):
    def told(self, so_far, t, what, number, other, row, least=1.0):
        rows = {float(number): row}
        event = Event(what, float(number), float(other))
        return with_more(so_far, t, 0, [event], rows, rows, least)

    def test_a_drop_breaks_off_goes_and_merges(self):
        rows = self.told(nothing(), 1.0, "breaks off", 2, 1, lump(2, 0.0))
        self.assertEqual(dict(zip(COLUMNS, rows[0], strict=True))["other"], 1.0)
        rows = self.told(rows, 2.0, "merges", 2, 5, lump(2, 2.5))
        self.assertEqual(rows[:, 1].tolist(), [1.0, 2.0])
        self.assertEqual(rows[:, 0].tolist(), [1.0, 2.0])
        self.assertEqual(rows[1, 4:].tolist(), [5.0, 4.0, 2.5, 0.5])

    def test_one_that_comes_back_at_once_was_never_off(self):
        rows = self.told(nothing(), 1.0, "breaks off", 2, 1, lump(2, 0.0))
        rows = self.told(rows, 1.1, "merges", 2, 1, lump(2, 1.5))
        self.assertEqual(rows.shape, (0, len(COLUMNS)))

    def test_specks_and_what_comes_from_nowhere_are_unsaid(self):
        small = lump(2, 0.0, volume=0.5)
        self.assertEqual(len(self.told(nothing(), 1.0, "breaks off", 2, 1, small)), 0)
        for what in ("comes in", "leaves"):
            self.assertEqual(len(self.told(nothing(), 1.0, what, 2, 0, lump(2, 0.0))), 0)
            there = lump(2, 0.0, joined=1.0)
            self.assertEqual(len(self.told(nothing(), 1.0, what, 2, 0, there)), 1)


if __name__ == "__main__":
    unittest.main()
