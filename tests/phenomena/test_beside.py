"""What edges have of the first fluid, by hand."""

import unittest

import numpy as np

from tests.engine.test_cuts import over_slope
from tests.engine.test_interface import box
from tests.phenomena.fluids import SHARED
from underkettle.case.case import Case
from underkettle.case.solve import start_field
from underkettle.engine.marching.state import State
from underkettle.phenomena.two_fluids.beside import film, thickness, wetted


class Beside(unittest.TestCase):
    def setUp(self):
        self.mesh = box(4, 3, 4.0, 3.0)
        self.share = np.zeros(self.mesh.shape[1:])
        self.share[1, 1:5] = 1.0, 1.0, 0.5, 0.0  # lies on the floor, and up the wall in the west
        self.share[2, 1:5] = 0.5, 0.25, 0.0, 0.0
        self.share[3, 4] = 1.0  # and hangs in a corner

    def on(self, values, edge):
        return values[self.mesh.pieces.of(self.mesh.edge_index(edge))]

    def test_how_thick_it_lies(self):
        found = thickness(self.mesh, self.share)
        np.testing.assert_allclose(np.sort(self.on(found, "south")), [0.0, 0.5, 1.25, 1.5])
        np.testing.assert_allclose(np.sort(self.on(found, "west")), [0.0, 0.75, 2.5])
        np.testing.assert_allclose(np.sort(self.on(found, "north")), [0.0, 0.0, 0.0, 1.0])

    def test_means_of_edges(self):
        state = State()
        state.fields["two_fluids.first"] = self.share[None]
        thick, wet = film(self.mesh, state), wetted(self.mesh, state)
        for edge, mean, part in (("south", 3.25 / 4, 2.5 / 4), ("west", 3.25 / 3, 1.5 / 3)):
            k = self.mesh.edge_index(edge)
            self.assertAlmostEqual(thick[k], mean)
            self.assertAlmostEqual(wet[k], part)

    def test_straight_off_a_slope(self):
        mesh = over_slope(np.pi / 6.0, 8, (4.0, 3.0))
        rows = mesh.pieces.of(mesh.edge_index("wall"))
        off = (mesh.grid.centres(1)[:, None] - 3.0) - np.tan(np.pi / 6) * (
            mesh.grid.centres(0)[None, :] - 4.0
        )
        share = np.clip(2.0 / np.cos(np.pi / 6.0) - off + 0.5, 0.0, 1.0) * mesh.live[0]
        found = thickness(mesh, share)[rows]
        inner = found[(mesh.pieces.x[rows] > 1.0) & (mesh.pieces.x[rows] < 5.0)]
        np.testing.assert_allclose(inner.mean(), 2.0, rtol=0.02)  # a layer of 2 along it


class AtStart(unittest.TestCase):
    def test_a_solute_is_shown_in_the_fluid_that_holds_it(self):
        case = Case(SHARED)
        name, values = start_field(case, "solutes.dye")
        drop = start_field(case, "two_fluids")[1]
        self.assertEqual(name, "dye")
        np.testing.assert_allclose(values, 1.0 - drop)  # 1 mol/m3 in the second, none in the first
        self.assertGreater(float(np.nansum(drop)), 50.0)


if __name__ == "__main__":
    unittest.main()
