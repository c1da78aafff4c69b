"""Residence times and spectra against what is known of tanks, pipes and sines."""

import unittest

import numpy as np

from underkettle.reading.spectrum import spectrum
from underkettle.reading.stay import from_pulse, from_step, peclet_of

TAU = 10.0


class Stays(unittest.TestCase):
    def test_a_stirred_tank(self):
        t = np.linspace(0, 200, 4001)
        for found in (from_step(t, 1 + 2 * (1 - np.exp(-t / TAU)), 1.0, 3.0),
                      from_pulse(t, np.exp(-t / TAU))):
            self.assertAlmostEqual(found.mean / TAU, 1.0, delta=1e-3)
            self.assertAlmostEqual(found.variance / TAU**2, 1.0, delta=3e-3)
            self.assertAlmostEqual(found.skewness, 2.0, delta=0.03)
            self.assertAlmostEqual(found.tanks, 1.0, delta=3e-3)
            self.assertIn("short cut", " ".join(found.notes))

    def test_tanks_in_series(self):
        """Levenspiel: mean tau, variance tau^2 / n."""
        t, n = np.linspace(0, 80, 8001), 4
        age = t ** (n - 1) * np.exp(-n * t / TAU)
        found = from_pulse(t, age)
        self.assertAlmostEqual(found.mean / TAU, 1.0, delta=1e-3)
        self.assertAlmostEqual(found.tanks, n, delta=0.01)
        self.assertAlmostEqual(found.peak, TAU * (n - 1) / n, delta=0.05)
        self.assertEqual(found.notes, ())

    def test_a_laminar_pipe(self):
        """F = 1 - (tau / 2t)^2 after tau/2; by 20 tau all but 1/1600 has left."""
        t = np.linspace(0, 200, 40001)
        share = np.where(t > TAU / 2, 1 - (TAU / (2 * np.maximum(t, 1e-9))) ** 2, 0.0)
        found = from_step(t, share, 0.0, 1.0)
        self.assertAlmostEqual(found.mean / TAU, 1.0, delta=0.03)
        self.assertAlmostEqual(found.peak, TAU / 2, delta=0.02)

    def test_what_has_not_left_is_said(self):
        t = np.linspace(0, 8, 200)
        found = from_step(t, 1 - np.exp(-t / TAU), 0.0, 1.0)
        self.assertAlmostEqual(found.recovered, 1 - np.exp(-0.8))
        self.assertIn("55 % of the tracer", found.notes[0])
        part = from_pulse(np.linspace(0, 200, 4001), np.exp(-np.linspace(0, 200, 4001) / TAU),
                          given=20.0, flow=1.0)
        self.assertAlmostEqual(part.recovered, 0.5, delta=1e-3)

    def test_dispersion_is_found_again(self):
        for peclet in (0.5, 5.0, 200.0):
            spread = 2 / peclet - 2 / peclet**2 * (1 - np.exp(-peclet))
            self.assertAlmostEqual(peclet_of(spread) / peclet, 1.0, places=6)
        self.assertIsNone(peclet_of(1.2))

    def test_what_is_no_tracer_curve_is_refused(self):
        t = np.linspace(0, 8, 200)
        for act in (lambda: from_step(t, t, 1.0, 1.0), lambda: from_step(t, 0 * t, 0.0, 1.0),
                    lambda: from_pulse(t, 0 * t), lambda: from_step(t[:3], t[:3], 0.0, 1.0)):
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
