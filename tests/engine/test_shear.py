"""Shear of varying viscosity: links, and the turned part, by hand."""

from __future__ import annotations

import unittest

import numpy as np

from underkettle.engine.operators.shear import (
    SHARP,
    lay_shear,
    onto_faces,
    turn_sharp,
    turn_shear,
)

SHAPE = (8, 8)


class Shear(unittest.TestCase):
    def setUp(self):
        self.j, self.i = np.mgrid[0.0:8, 0.0:8]
        self.one, self.h = np.ones(SHAPE), np.ones(8)

    def laid(self, viscosity, upright, jumps, volume=None):
        x, y, here = (np.zeros(SHAPE) for _ in range(3))
        room = self.one if volume is None else volume
        lay_shear(viscosity, room, 2 * self.one, self.one, upright, jumps, x, y, here)
        return x, y, here

    def test_links_of_either_component(self):
        mu = 1.0 + self.i + 10.0 * self.j
        x, y, here = self.laid(mu, False, False)
        self.assertEqual(x[3, 4], 2 * mu[3, 3])  # across the cell before
        self.assertEqual(y[3, 4], (mu[3, 3] + mu[3, 4] + mu[2, 3] + mu[2, 4]) / 4)
        self.assertEqual(here[3, 4], (mu[3, 3] + mu[3, 4]) / 2)
        x, y, here = self.laid(mu, True, False)
        self.assertEqual(y[3, 4], mu[2, 4])
        self.assertEqual(x[3, 4], 2 * (mu[3, 3] + mu[3, 4] + mu[2, 3] + mu[2, 4]) / 4)
        self.assertEqual(here[3, 4], (mu[2, 4] + mu[3, 4]) / 2)

    def test_where_it_jumps_resistances_lie_in_a_row(self):
        mu = np.where(self.j < 3, 1.0, 3.0)
        _, y, _ = self.laid(mu, False, True)
        self.assertAlmostEqual(y[3, 4], 1.5)  # 2 / (1 + 1/3)

    def test_closed_cells_have_no_say(self):
        room, mu = self.one.copy(), 1.0 + self.i
        room[3, 4] = 0.0
        here = self.laid(mu, False, False, room)[2]
        self.assertEqual(here[3, 4], mu[3, 3])
        self.assertEqual(here[3, 5], mu[3, 5])

    def test_the_turned_part(self):
        """mu = x + 2 y, u = 3 x + y, v = 2 x - 3 y: 1 x 3 + 2 x 2 along x, 1 x 1 - 2 x 3 along y."""
        x, y = self.i + 0.5, self.j + 0.5
        u, v = 3.0 * self.i + y, 2.0 * x - 3.0 * self.j
        out = np.zeros(SHAPE), np.zeros(SHAPE)
        args = (x + 2.0 * y, 0.0 * self.one, self.one, self.h, self.h)
        turn_shear(u, v, *args, *out, 5, 5)
        self.assertAlmostEqual(out[0][3, 3], 7.0)
        self.assertAlmostEqual(out[1][3, 3], -5.0)
        swells = (args[0], 0.5 * self.one, *args[2:])
        turn_shear(u, v, *swells, *out, 5, 5)
        self.assertAlmostEqual(out[0][3, 3], 6.5)

    def sharp(self, u, v, mu):
        """Forces of the turned part on all faces, a cubic metre each."""
        out, on = (np.zeros(SHAPE), np.zeros(SHAPE)), self.one > 0
        turn_sharp(u, v, mu, self.h, self.h, self.h, self.h, on, on, self.one, self.one, *out, 5, 5)
        return out

    def test_the_turned_part_where_viscosity_jumps(self):
        """u = y; from 1 to 3 Pa s by corners at 4/(2 + 2/3): 1/2 N before them and 3/2 N behind,
        the whole jump together.
        """
        y = self.j + 0.5
        along, up = self.sharp(y, 0.0 * y, np.where(self.i < 3, 1.0, 3.0))
        self.assertEqual(np.abs(along[3]).max(), 0.0)
        np.testing.assert_allclose(up[3, 1:6], [0.0, 0.5, 1.5, 0.0, 0.0])
        self.assertEqual(self.laid(np.where(self.i < 3, 1.0, 3.0), True, SHARP)[0][3, 3], 3.0)

    def test_where_it_hardly_changes_both_turned_parts_agree(self):
        """As above: 7 and -5 N/m3 of what viscosity rises by."""
        x, y = self.i + 0.5, self.j + 0.5
        u, v = 3.0 * self.i + y, 2.0 * x - 3.0 * self.j
        along, up = self.sharp(u, v, 1.0 + 1e-5 * (x + 2.0 * y))
        self.assertAlmostEqual(along[3, 3] / 1e-5, 7.0, delta=1e-3)
        self.assertAlmostEqual(up[3, 3] / 1e-5, -5.0, delta=1e-3)

    def test_onto_faces(self):
        out = np.zeros(SHAPE)
        onto_faces(self.i + 10 * self.j, False, 2 * self.one, out, 5, 5)
        self.assertEqual(out[3, 4], 2 * (33 + 34) / 2)
        onto_faces(self.i + 10 * self.j, True, 2 * self.one, out, 5, 5)
        self.assertEqual(out[3, 4], 2 * (24 + 34) / 2)


if __name__ == "__main__":
    unittest.main()
