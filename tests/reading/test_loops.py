"""Ways up and down, the last round, and what it encloses, by hand."""

import unittest

import numpy as np

from underkettle.reading.loops import Way, enclosed, last_round, ways


def goes_round(x, y):
    newest = last_round(x, y)
    return enclosed(newest.x, newest.y)


def triangle(t, period=4.0):
    """0 up to 1, down to -1, back to 0."""
    return 2.0 / np.pi * np.arcsin(np.sin(2.0 * np.pi * t / period))


class Ways(unittest.TestCase):
    def test_between_turns(self):
        x = np.array([0.0, 1.0, 2.0, 2.0, 1.0, 0.0, 0.5])
        self.assertEqual(ways(x), [Way(0, 3, True), Way(3, 5, False), Way(5, 6, True)])

    def test_one_way_and_none(self):
        self.assertEqual(ways(np.array([3.0, 2.0, 1.0])), [Way(0, 2, False)])
        self.assertEqual(ways(np.ones(4)), [])


class Rounds(unittest.TestCase):
    def test_the_newest_round_begins_where_it_ends(self):
        t = np.linspace(0.0, 9.0, 181)
        x, y = triangle(t), t
        newest = last_round(x, y)
        self.assertAlmostEqual(newest.x[0], newest.x[-1])
        self.assertAlmostEqual(newest.y[-1], 9.0)
        self.assertAlmostEqual(newest.y[0], 5.0)
        self.assertEqual(newest.x.size, x.size - newest.first + 1)

    def test_it_must_have_come_round(self):
        t = np.linspace(0.0, 2.5, 26)
        self.assertIsNone(last_round(triangle(t), t))
        self.assertIsNone(last_round(t, t))

    def test_up_and_down_once_is_a_round(self):
        x = np.array([0.0, 0.5, 1.0, 0.5, 0.0])
        self.assertEqual(last_round(x, x).x.size, 5)
        self.assertIsNone(last_round(x[:-1], x[:-1]))

    def test_a_box_and_a_line(self):
        """+3 on the way up, -3 on the way down, over 2: 12; what is a line goes round nothing."""
        t = np.linspace(0.0, 8.0, 801)
        x = triangle(t)
        up = np.gradient(x) > 0
        self.assertAlmostEqual(goes_round(x, np.where(up, 3.0, -3.0)), 12.0, delta=0.07)
        self.assertAlmostEqual(goes_round(x, 5.0 * x + 1.0), 0.0)

    def test_an_ellipse_by_its_axes(self):
        t = np.linspace(0.0, 3.0, 3001)
        x, y = np.sin(2 * np.pi * t), 2.0 * np.cos(2 * np.pi * t)
        self.assertAlmostEqual(goes_round(x, y), 2.0 * np.pi, delta=1e-4)


if __name__ == "__main__":
    unittest.main()
