"""Averages over time, distributions, measured curves and sampling against what is known of them."""

import unittest

import numpy as np

from underkettle.reading.averages import over_time, time_weights
from underkettle.reading.distribution import by_volume
from underkettle.reading.histories import of_history
from underkettle.reading.margin import sampled
from underkettle.reading.measured import misfit, read_curve
from underkettle.reading.sections import along_arc
from underkettle.reading.tracer import Tracer


class OverTime(unittest.TestCase):
    def test_a_sine_over_whole_periods(self):
        t = np.linspace(0, 3, 1201)
        where = np.array([[1.0, 2.0], [np.nan, 0.0]])
        found = over_time(t, (where * (1e6 + np.sin(2 * np.pi * s)) for s in t))
        self.assertAlmostEqual(found.mean[0, 0] / 1e6, 1.0, places=9)
        self.assertAlmostEqual(found.deviation[0, 1], 2 / np.sqrt(2), places=4)
        self.assertAlmostEqual(found.low[0, 0], 1e6 - 1, places=5)
        self.assertAlmostEqual(found.high[0, 1], 2e6 + 2, places=4)
        self.assertTrue(np.isnan(found.mean[1, 0]))
        self.assertEqual(found.deviation[1, 1], 0.0)

    def test_uneven_times_count_by_how_long_they_last(self):
        t = np.array([0.0, 1.0, 9.0, 10.0])
        self.assertTrue(np.allclose(time_weights(t), np.array([0.5, 4.5, 4.5, 0.5]) / 10))
        found = over_time(t, (np.array([[s]]) for s in t))  # the mean of a ramp
        self.assertAlmostEqual(found.mean[0, 0], 5.0)
        with self.assertRaises(ValueError):
            over_time(np.zeros(0), iter(()))


class Distributed(unittest.TestCase):
    def test_a_ramp_is_even(self):
        values = np.linspace(0, 1, 1001)[None, :]
        found = by_volume(values, np.ones(values.shape), bins=10)
        self.assertTrue(np.allclose(found.share, 0.1, atol=0.002))
        self.assertAlmostEqual(found.deviation, 1 / np.sqrt(12), places=3)
        for told, known in zip(found.quantiles, (0.1, 0.5, 0.9), strict=True):
            self.assertAlmostEqual(told, known, places=3)
        self.assertAlmostEqual(found.below[-1], 1.0)

    def test_volumes_weigh_and_what_is_closed_does_not(self):
        values, volume = np.array([[1.0, 3.0, np.nan]]), np.array([[3.0, 1.0, 7.0]])
        found = by_volume(values, volume, bins=2)
        self.assertAlmostEqual(found.mean, 1.5)
        self.assertTrue(np.allclose(found.share, [0.75, 0.25]))
        self.assertEqual(found.volume, 4.0)
        with self.assertRaises(ValueError):
            by_volume(np.array([[np.nan]]), np.ones((1, 1)))


class Measured(unittest.TestCase):
    def test_tables_of_every_kind_are_read(self):
        for text in (
            "x [mm],p [Pa]\n1,2.5\n2,3.5\n",
            "x [mm]\tp [Pa]\n1\t2,5\n2\t3,5",
            '"x (mm)";"p (Pa)"\r\n1;2,5\r\n\r\n2;3,5',
            "# lab book\n1 2.5\n2 3.5",
            "1, 2.5, seen by eye\n2, 3.5, seen by eye",
        ):
            found = read_curve(text)
            self.assertTrue(np.allclose(found.x, [1, 2]) and np.allclose(found.y, [2.5, 3.5]), text)
            if "mm" in text:
                self.assertEqual((found.x_unit, found.y_unit), ("mm", "Pa"), text)
        for text, words in (
            ("", "nothing"),
            ("a,b\n", "no row"),
            ("1,2\nx,3", "row 2"),
            ("1 2\n" * 20_001, "more than"),
            ("1,nan\n1,inf", "row 2"),
        ):
            with self.assertRaises(ValueError) as caught:
                read_curve(text)
            self.assertIn(words, str(caught.exception))

    def test_the_misfit_of_a_known_shift(self):
        x = np.linspace(0, 10, 101)
        found = misfit(x, 2 * x, np.array([0.0, 5.0, 10.0, 12.0]), np.array([-1.0, 9.0, 16.0, 0.0]))
        self.assertEqual((found.points, found.left_out), (3, 1))
        self.assertAlmostEqual(found.bias, 2.0)
        self.assertAlmostEqual(found.rms, np.sqrt((1 + 1 + 16) / 3))
        self.assertAlmostEqual(found.share, found.rms / 17)
        self.assertEqual((found.worst, found.worst_at), (4.0, 10.0))
        with self.assertRaises(ValueError):
            misfit(x, x, np.array([11.0]), np.array([1.0]))


class Sampling(unittest.TestCase):
    def test_the_margin_covers_the_mean_as_often_as_it_says(self):
        """Noise with a memory of 0.4 s around 5: 95 of 100 margins hold the mean, or nearly."""
        t = np.linspace(0, 200, 8001)
        held = told = 0
        for seed in range(100):
            chance, v, noise = np.random.default_rng(seed), np.zeros(t.size), 0.0
            kick = chance.standard_normal(t.size)
            keep = np.exp(-(t[1] - t[0]) / 0.4)
            for k in range(t.size):
                noise = keep * noise + np.sqrt(1 - keep**2) * kick[k]
                v[k] = noise
            found = sampled(t, 5 + v)
            told += found is not None
            held += found is not None and abs(found.mean - 5) <= found.margin
        self.assertEqual(told, 100)
        self.assertGreaterEqual(held, 88)

    def test_what_settles_or_rises_is_not_sampled(self):
        t = np.linspace(0, 10, 1000)
        for v in (
            1 - np.exp(-t),
            5 + 0.01 * (-1) ** np.arange(t.size),
            t + 0.01 * np.sin(40 * t),
            np.ones(t.size),
            t[:20],
        ):
            self.assertIsNone(sampled(t[: v.size], v))
        swing = sampled(t, 3 + np.sin(2 * np.pi * 4 * t))
        self.assertAlmostEqual(swing.mean, 3.0, delta=0.02)
        self.assertAlmostEqual(swing.deviation, np.sqrt(0.5), delta=0.01)
        self.assertAlmostEqual(swing.since, 5.0)


class Histories(unittest.TestCase):
    def test_each_is_told(self):
        t = np.linspace(0, 60, 3001)
        swing = 4 + np.where(t < 10, 9.0, np.sin(2 * np.pi * 2 * t))
        for tells, known in (
            ("mean", 4.0),
            ("low", 3.0),
            ("high", 5.0),
            ("peak", 2.0),
            ("amplitude", 1.0),
            ("deviation", np.sqrt(0.5)),
        ):
            self.assertAlmostEqual(of_history(tells, t, swing, 10.0), known, delta=0.02, msg=tells)
        tank, put_in = 2 * (1 - np.exp(-t / 5)), Tracer(entering=2.0)
        for tells, known in (
            ("stay", 5.0),
            ("stay deviation", 5.0),
            ("tanks", 1.0),
            ("recovered", 1.0),
        ):
            self.assertAlmostEqual(
                of_history(tells, t, tank, 0.0, "step", put_in) / known, 1.0, delta=0.01, msg=tells
            )
        self.assertAlmostEqual(of_history("stay", t, np.exp(-t / 5), 0.0, "pulse"), 5.0, delta=0.05)
        self.assertIsNone(of_history("stay", t, np.ones(t.size), 0.0))
        self.assertIsNone(of_history("mean", t, tank, 70.0))


class Arcs(unittest.TestCase):
    def test_round_the_middle_of_a_slope(self):
        nodes = np.linspace(-1, 1, 81)
        middles = 0.5 * (nodes[1:] + nodes[:-1])
        values = np.add.outer(2 * middles, 3 * middles)
        found = along_arc(values, nodes, nodes, 0.0, 0.0, 0.5, 0.0, np.pi)
        self.assertTrue(np.allclose(found["value"], 3 * found["x"] + 2 * found["y"], atol=1e-9))
        self.assertAlmostEqual(
            found["distance"][-1] + 0.5 * found["distance"][0] * 2, 0.5 * np.pi, places=6
        )
        out = along_arc(values, nodes, nodes, 0.0, 0.0, 2.0, 0.0, np.pi)
        self.assertTrue(np.isnan(out["value"]).all())


if __name__ == "__main__":
    unittest.main()
