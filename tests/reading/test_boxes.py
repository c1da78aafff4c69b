"""Box integrals against what is known of a line and of the whole."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import SPECIES
from underkettle.case.model import merge_patch
from underkettle.reading.boxes import in_box, part_of


class Boxes(unittest.TestCase):
    def test_a_slope_is_integrated_over_parts_of_cells(self):
        x, y = np.linspace(0, 1, 11), np.linspace(0, 2, 5)
        values = np.broadcast_to(0.5 * (x[1:] + x[:-1]), (4, 10))
        volume = np.full((4, 10), 0.1 * 0.5 * 3.0)
        found = in_box(values, part_of(volume, x, y, (0.2, 0.25, 0.6, 1.25)))
        self.assertAlmostEqual(found.total, 0.4 * 0.4 * 1.0 * 3.0)
        self.assertAlmostEqual(found.mean, 0.4)
        self.assertEqual((found.low, found.high), (values[0, 2], values[0, 5]))
        self.assertIsNone(in_box(values, part_of(volume, x, y, (3, 3, 4, 4))))

    def test_the_whole_box_holds_what_the_readout_says(self):
        run = uk.run(
            merge_patch(
                SPECIES, {"readouts": {"all": {"kind": "total", "field": "salt", "place": "space"}}}
            )
        )
        grid, mesh = run.case.grid, run.case.mesh
        part = part_of(
            mesh.volume[0, 1 : grid.ny + 1, 1 : grid.nx + 1], grid.x, grid.y, (-1.0, -1.0, 1.0, 1.0)
        )
        self.assertAlmostEqual(
            in_box(run.field("salt"), part).total / run.readouts["all"].value, 1.0, delta=1e-6
        )


if __name__ == "__main__":
    unittest.main()
