"""Proofs through the public path, and hand relations against worked examples."""

import unittest

import numpy as np

from underkettle.paper import flow, transfer
from underkettle.proving import proofs, prove
from underkettle.reading.sections import along_line, at_points


class Proofs(unittest.TestCase):
    def test_every_quick_proof_holds(self):
        """The quick ones; `make proofs` runs the rest."""
        self.assertTrue({"cylinders", "poiseuille", "pulse", "pipe"} < set(proofs(quick=True)))
        self.assertTrue({"cavity", "cylinder", "side_heated"} < set(proofs()) - set(proofs(True)))
        for name in proofs(quick=True):
            with self.subTest(name):
                result = prove(name)
                missed = [c for c in result["checks"] if not c["passed"]]
                self.assertEqual(missed, [])
                self.assertGreaterEqual(len(result["checks"]), 3)


class Hand(unittest.TestCase):
    def test_worked_examples(self):
        self.assertAlmostEqual(flow.reynolds(1000, 0.1, 0.02, 1e-3), 2000)
        self.assertAlmostEqual(flow.plane_poiseuille_drop(1e-3, 1e-4, 1.0, 0.01), 1.2)
        plate = flow.plane_conductance(1.0, 0.01)
        even = flow.channel_drop(1e-3, 1e-4, 0.1, [[plate]] * 10)
        self.assertAlmostEqual(even, 1.2)
        beside = flow.channel_drop(1e-3, 1e-4, 0.1, [[plate, plate]] * 10)
        self.assertAlmostEqual(beside, 0.6)
        with self.assertRaises(ValueError):
            flow.channel_drop(1e-3, 1e-4, 0.1, [[]])
        self.assertAlmostEqual(flow.passing_time(2.0, 0.5), 4.0)

    def test_cylinder_goes_to_its_limits(self):
        """Re to zero leaves 0.3; Re 100, Sc 0.7 gives about 5.2 (tabled Nu of air)."""
        self.assertAlmostEqual(transfer.sherwood_cylinder(0.0, 1.0), 0.3)
        self.assertAlmostEqual(transfer.sherwood_cylinder(100.0, 0.7), 5.2, delta=0.2)

    def test_leveque_falls_with_the_cube_root_of_length(self):
        ratio = (transfer.sherwood_leveque_plates(100, 700, 0.01, 0.01)
                 / transfer.sherwood_leveque_plates(100, 700, 0.01, 0.08))
        self.assertAlmostEqual(ratio, 2.0)


class Looking(unittest.TestCase):
    def setUp(self):
        self.x, self.y = np.linspace(0, 1, 11), np.linspace(0, 0.5, 6)
        self.xc, self.yc = 0.5 * (self.x[1:] + self.x[:-1]), 0.5 * (self.y[1:] + self.y[:-1])
        self.plane = 2 * self.xc[None, :] - 3 * self.yc[:, None]

    def test_a_plane_is_read_exactly_between_centres(self):
        x, y = np.array([0.31, 0.77]), np.array([0.21, 0.37])
        found = at_points(self.plane, self.xc, self.yc, x, y)
        np.testing.assert_allclose(found, 2 * x - 3 * y, atol=1e-12)

    def test_closed_cells_give_nothing(self):
        self.plane[2, 3] = np.nan
        line = along_line(self.plane, self.x, self.y, (0.0, self.yc[2]), (1.0, self.yc[2]))
        self.assertEqual(int(np.isnan(line["value"]).sum()), 1)
        self.assertEqual(line["value"].size, 10)


if __name__ == "__main__":
    unittest.main()
