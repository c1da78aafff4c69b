"""What passes walls that cut cells, against a ring whose flux is known everywhere."""

import math
import unittest

import numpy as np

import underkettle as uk

RING = {
    "format": "under-kettle case 1", "name": "ring",
    "vessel": {"depth": "10 mm", "parts": {
        "outer": {"shape": "circle", "x": "0 mm", "y": "0 mm", "radius": "12 mm"},
        "inner": {"shape": "circle", "does": "cut", "x": "0 mm", "y": "0 mm", "radius": "4 mm"}}},
    "grid": {"size": "0.37 mm"},
    "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
    "conditions": {
        "inner": {"species.salt": {"kind": "held value", "value": "1 mol/m3"}},
        "outer": {"species.salt": {"kind": "held value", "value": "0 mol/m3"}}},
    "stages": {"go": {"solve": ["species"], "mode": "steady"}},
    "readouts": {
        "through": {"kind": "through", "quantity": "salt", "place": "inner", "counts": "in"},
        "coefficient": {"kind": "transfer", "quantity": "salt", "field": "salt", "place": "inner",
                        "reference": "0 mol/m3"},
        "number": {"kind": "transfer", "quantity": "salt", "field": "salt", "place": "inner",
                   "reference": "0 mol/m3", "length": "8 mm"}},
}
FLUX = 1e-9 / (0.004 * math.log(3))  # mol/(m2 s) everywhere on the inner circle


class Ring(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.solved = uk.run(RING)

    def test_the_mean_is_over_the_walls_true_area(self):
        told = self.solved.readouts
        self.assertAlmostEqual(told["through"].value / (FLUX * 2 * math.pi * 0.004 * 0.01), 1.0,
                               delta=5e-3)
        self.assertAlmostEqual(told["coefficient"].value / FLUX, 1.0, delta=5e-3)
        self.assertAlmostEqual(told["number"].value / (FLUX * 0.008 / 1e-9), 1.0, delta=5e-3)

    def test_place_by_place_it_is_even(self):
        line = self.solved.along_edge("salt", "inner")
        self.assertGreater(line["flux"].size, 40)
        self.assertAlmostEqual(float(line["flux"].mean()) / FLUX, 1.0, delta=0.02)
        self.assertLess(np.abs(line["flux"] / FLUX - 1).max(), 0.2)
        self.assertLess(float(line["flux"].std()) / FLUX, 0.05)
        gaps = np.diff(np.sort(line["distance"]))
        self.assertLess(gaps.max(), 3e-3 * 0.37)  # the wall is told all the way round
        transfer = self.solved.along_transfer("number")["transfer"]
        self.assertAlmostEqual(float(transfer.mean()) / (FLUX * 8e6), 1.0, delta=0.02)


if __name__ == "__main__":
    unittest.main()
