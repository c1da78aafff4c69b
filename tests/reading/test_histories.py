"""Residence times and spectra against what is known of tanks, pipes and sines."""

import unittest

import numpy as np
from scipy.special import gammainc

from underkettle.reading.spectrum import spectrum
from underkettle.reading.stay import from_pulse, from_step, peclet_of
from underkettle.reading.ways import two_ways

TAU = 10.0


class Stays(unittest.TestCase):
    def test_a_stirred_tank(self):
        t = np.linspace(0, 200, 4001)
        for found in (
            from_step(t, 1 + 2 * (1 - np.exp(-t / TAU)), 1.0, 3.0),
            from_pulse(t, np.exp(-t / TAU)),
        ):
            self.assertAlmostEqual(found.best.mean / TAU, 1.0, delta=1e-3)
            self.assertAlmostEqual(found.best.variance / TAU**2, 1.0, delta=3e-3)
            self.assertAlmostEqual(found.best.skewness, 2.0, delta=0.03)
            self.assertAlmostEqual(found.best.tanks, 1.0, delta=3e-3)
            self.assertIn("short cut", " ".join(found.notes))

    def test_tanks_in_series(self):
        """Levenspiel: mean tau, variance tau^2 / n."""
        t, n = np.linspace(0, 80, 8001), 4
        age = t ** (n - 1) * np.exp(-n * t / TAU)
        found = from_pulse(t, age)
        self.assertAlmostEqual(found.best.mean / TAU, 1.0, delta=1e-3)
        self.assertAlmostEqual(found.best.tanks, n, delta=0.01)
        self.assertAlmostEqual(found.best.peak, TAU * (n - 1) / n, delta=0.05)
        self.assertEqual(found.notes, ())

    def test_steps_of_a_history_do_not_widen_it(self):
        """At a hundredth and at a fifth of the mean: variance tau^2/n all the same."""
        n = 6
        for points in (601, 31):
            t = np.linspace(0, 6 * TAU, points)
            share = gammainc(n, n * t / TAU)
            age = t ** (n - 1) * np.exp(-n * t / TAU)
            for found in (from_step(t, share, 0.0, 1.0), from_pulse(t, age)):
                self.assertAlmostEqual(found.best.mean / TAU, 1.0, delta=2e-3)
                self.assertAlmostEqual(found.best.tanks / n, 1.0, delta=0.02)

    def test_two_ways(self):
        """Three tenths quick as 20 tanks, the rest slow as 40; a single peak is left alone."""
        t = np.linspace(0, 80, 401)

        def through(mean, n):
            return np.gradient(gammainc(n, n * t / mean), t)

        found = from_pulse(t, 0.3 * through(10.0, 20) + 0.7 * through(30.0, 40))
        ways = two_ways(found.time, found.cumulative, found.exit_age)
        quick, slow = ways.ways
        self.assertAlmostEqual(quick.share, 0.3, delta=0.003)
        self.assertAlmostEqual(quick.mean, 10.0, delta=0.05)
        self.assertAlmostEqual(quick.peak, 9.5, delta=0.05)  # mean (1 - 1/n)
        self.assertAlmostEqual(quick.tanks, 20.0, delta=0.5)
        self.assertAlmostEqual(slow.mean, 30.0, delta=0.05)
        self.assertAlmostEqual(slow.tanks, 40.0, delta=1.0)
        self.assertLess(ways.misfit, 0.003)
        alone = from_pulse(t, through(10.0, 20))
        self.assertIsNone(two_ways(alone.time, alone.cumulative, alone.exit_age))
        few = from_pulse(t[:8], np.array([0.0, 1, 3, 1, 0.5, 1, 2, 0]))
        self.assertIsNone(two_ways(few.time, few.cumulative, few.exit_age))

    def test_a_laminar_pipe(self):
        """F = 1 - (tau / 2t)^2 after tau/2; by 20 tau all but 1/1600 has left."""
        t = np.linspace(0, 200, 40001)
        share = np.where(t > TAU / 2, 1 - (TAU / (2 * np.maximum(t, 1e-9))) ** 2, 0.0)
        found = from_step(t, share, 0.0, 1.0)
        self.assertAlmostEqual(found.best.mean / TAU, 1.0, delta=0.03)
        self.assertAlmostEqual(found.best.peak, TAU / 2, delta=0.02)

    def test_what_has_not_left_is_carried_on_and_said(self):
        """A stirred tank cut off: the mean with its tail is the tank's, that of what came short."""
        for cut, short in ((8, 0.65), (45, 0.05)):
            t = np.linspace(0, cut, 2000)
            left = 1 - np.exp(-t / TAU)
            for found in (
                from_step(t, left, 0.0, 1.0),
                from_step(t, left, 0.0, None),
                from_pulse(t, np.exp(-t / TAU)),
                from_pulse(t, np.exp(-t / TAU), flow=1.0, inside=TAU * (1 - left[-1])),
            ):
                self.assertAlmostEqual(found.whole.mean / TAU, 1.0, delta=2e-3)
                self.assertAlmostEqual(found.whole.skewness, 2.0, delta=0.03)
                self.assertAlmostEqual(1 - found.came.mean / TAU, short, delta=0.01)
                self.assertIn("short", " ".join(found.notes))
                self.assertLess(found.unsure, 0.02 * TAU)
        known = from_step(t, left, 0.0, 1.0)
        self.assertAlmostEqual(known.recovered, left[-1])
        self.assertIsNone(from_pulse(t, np.exp(-t / TAU)).recovered)
        part = from_pulse(
            np.linspace(0, 200, 4001),
            np.exp(-np.linspace(0, 200, 4001) / TAU),
            given=20.0,
            flow=1.0,
        )
        self.assertAlmostEqual(part.recovered, 0.5, delta=1e-3)

    def test_how_sure_the_tail_is_covers_what_it_misses(self):
        """A laminar pipe falls off more slowly than any exponential."""
        t = np.linspace(0, 50, 10001)
        share = np.where(t > TAU / 2, 1 - (TAU / (2 * np.maximum(t, 1e-9))) ** 2, 0.0)
        for cut in (20, 50):
            found = from_step(t[t <= cut], share[t <= cut], 0.0, 1.0)
            self.assertLess(abs(found.whole.mean - TAU), found.unsure)
            self.assertLess(abs(found.whole.mean - TAU), abs(found.came.mean - TAU))

    def test_time_counts_from_the_beginning_given(self):
        """Not from the first row that was kept after it."""
        t = np.arange(0.0, 120.0, 0.7)
        left = np.where(t > 10, 1 - np.exp(-(t - 10) / TAU), 0.0)
        self.assertAlmostEqual(
            from_step(t, left, 0.0, 1.0, begin=10.0).best.mean / TAU, 1.0, delta=0.01
        )

    def test_dispersion_is_found_again(self):
        for peclet in (0.5, 5.0, 200.0):
            spread = 2 / peclet - 2 / peclet**2 * (1 - np.exp(-peclet))
            self.assertAlmostEqual(peclet_of(spread) / peclet, 1.0, places=6)
        self.assertIsNone(peclet_of(1.2))

    def test_what_is_no_tracer_curve_is_refused(self):
        t = np.linspace(0, 8, 200)
        for act in (
            lambda: from_step(t, t, 1.0, 1.0),
            lambda: from_step(t, 0 * t, 0.0, 1.0),
            lambda: from_pulse(t, 0 * t),
            lambda: from_step(t[:3], t[:3], 0.0, 1.0),
        ):
            with self.assertRaises(ValueError):
                act()


class Spectra(unittest.TestCase):
    def test_a_sine_is_found_between_the_lines(self):
        t = np.sort(np.random.default_rng(1).uniform(0, 10, 900))
        found = spectrum(t, 4.0 + 0.7 * np.sin(2 * np.pi * 3.17 * t))
        self.assertAlmostEqual(found.peak, 3.17, delta=0.01)
        self.assertAlmostEqual(found.height, 0.7, delta=0.03)
        self.assertAlmostEqual(found.mean, 4.0, delta=0.01)
        self.assertAlmostEqual(found.periods, 31.7, delta=0.4)

    def test_the_beginning_can_be_left_out(self):
        t = np.linspace(0, 20, 2001)
        swing = np.where(t < 5, 10 * np.sin(2 * np.pi * 0.5 * t), np.sin(2 * np.pi * 2.0 * t))
        self.assertAlmostEqual(spectrum(t, swing, since=5.0).peak, 2.0, delta=0.01)
        with self.assertRaises(ValueError):
            spectrum(t, swing, since=19.99)


if __name__ == "__main__":
    unittest.main()
