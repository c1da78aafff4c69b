"""What passes walls that cut cells, against a ring whose flux is known everywhere."""

import math
import unittest
from unittest import mock

import numpy as np

import underkettle as uk
from underkettle.case.model import merge_patch
from underkettle.reading.walls import _pieces

RING = {
    "format": "under-kettle case 1",
    "name": "ring",
    "vessel": {
        "depth": "10 mm",
        "parts": {
            "outer": {"shape": "circle", "x": "0 mm", "y": "0 mm", "radius": "12 mm"},
            "inner": {"shape": "circle", "does": "cut", "x": "0 mm", "y": "0 mm", "radius": "4 mm"},
        },
    },
    "grid": {"size": "0.37 mm"},
    "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
    "conditions": {
        "inner": {"species.salt": {"kind": "held value", "value": "1 mol/m3"}},
        "outer": {"species.salt": {"kind": "held value", "value": "0 mol/m3"}},
    },
    "stages": {"go": {"solve": ["species"], "mode": "steady"}},
    "readouts": {
        "through": {"kind": "through", "quantity": "salt", "place": "inner", "counts": "in"},
        "coefficient": {
            "kind": "transfer",
            "quantity": "salt",
            "field": "salt",
            "place": "inner",
            "reference": "0 mol/m3",
        },
        "number": {
            "kind": "transfer",
            "quantity": "salt",
            "field": "salt",
            "place": "inner",
            "reference": "0 mol/m3",
            "length": "8 mm",
        },
    },
}
FLUX = 1e-9 / (0.004 * math.log(3))  # mol/(m2 s) everywhere on the inner circle


class Ring(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.solved = uk.run(RING)

    def test_the_mean_is_over_the_walls_true_area(self):
        told = self.solved.readouts
        self.assertAlmostEqual(
            told["through"].value / (FLUX * 2 * math.pi * 0.004 * 0.01), 1.0, delta=5e-3
        )
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


class Turned(unittest.TestCase):
    """An annulus of 5 to 15 mm: what passes is the same at both walls, not its flux."""

    CASE = {
        "format": "under-kettle case 1",
        "name": "annulus",
        "dimension": "axisymmetric",
        "vessel": {
            "parts": {
                "gap": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "5 mm",
                    "width": "10 mm",
                    "height": "10 mm",
                }
            }
        },
        "grid": {"size": "1 mm"},
        "phenomena": {
            "heat": {
                "density": "1000 kg/m3",
                "heat_capacity": "1000 J/(kg K)",
                "conductivity": "1 W/(m K)",
            }
        },
        "conditions": {
            "gap_bottom": {"heat": {"kind": "held temperature", "value": "300 K"}},
            "gap_top": {"heat": {"kind": "held temperature", "value": "310 K"}},
        },
        "stages": {"go": {"solve": ["heat"], "mode": "steady", "aim": 1e-9}},
        "readouts": {"through": {"kind": "through", "quantity": "heat", "place": "gap_bottom"}},
    }

    def test_the_flux_is_that_at_the_wall(self):
        exact = 10.0 / math.log(3)  # W/m2 times m of radius
        for grid, delta in ((0.5, 0.03), (1.0, 0.01), (2.0, 0.003)):
            run = uk.run(self.CASE, grid=grid)
            for edge, radius, sign in (("gap_bottom", 5e-3, -1), ("gap_top", 15e-3, 1)):
                line = run.along_edge("heat", edge)
                self.assertAlmostEqual(
                    float(line["area"].sum()) / (2 * math.pi * radius * 0.01), 1.0, places=9
                )
                self.assertAlmostEqual(
                    float(line["flux"][0]) / (sign * exact / radius), 1.0, delta=delta
                )

    def test_a_given_flux_is_told_as_it_was_given(self):
        given = merge_patch(
            self.CASE,
            {
                "conditions": {
                    "gap_top": {"heat": {"kind": "heat flux", "flux": "1000 W/m2", "value": None}}
                }
            },
        )
        run = uk.run(given)
        np.testing.assert_allclose(run.along_edge("heat", "gap_top")["flux"], 1000.0, rtol=1e-9)
        np.testing.assert_allclose(run.along_edge("heat", "gap_bottom")["flux"], -3000.0, rtol=1e-4)


class OnEdges(unittest.TestCase):
    def test_pieces_meet_halfway_but_not_across_an_opening(self):
        distance = np.array([1.0, 3.0, 9.0, 11.0])  # 9 lies behind an opening 4 wide
        at = np.array([[1.0, 3.0, 13.0, 15.0], [0.0, 0.0, 0.0, 0.0]])
        pieces = _pieces(distance, at, np.array([5.0, 6.0, 7.0, 8.0]))
        np.testing.assert_allclose(pieces[:, 0], [1.0, 2.0, 13.0, 14.0])
        np.testing.assert_allclose(pieces[:, 2], [2.0, 3.0, 14.0, 15.0])
        np.testing.assert_allclose(pieces[:, 4], [5.0, 6.0, 7.0, 8.0])


class AtRest(unittest.TestCase):
    def test_what_passes_does_not_alternate_and_agrees_with_the_transfer(self):
        """A side-heated square that goes through time: solving in turn does not show."""
        square = {
            "format": "under-kettle case 1",
            "name": "square",
            "vessel": {
                "parts": {
                    "box": {
                        "shape": "rectangle",
                        "x": "0 m",
                        "y": "0 m",
                        "width": "0.1 m",
                        "height": "0.1 m",
                    }
                }
            },
            "grid": {"size": "5 mm"},
            "phenomena": {
                "flow": {"density": "1 kg/m3", "viscosity": "1.775e-5 Pa s"},
                "heat": {
                    "density": "1 kg/m3",
                    "heat_capacity": "1000 J/(kg K)",
                    "conductivity": "0.025 W/(m K)",
                },
                "buoyancy": {
                    "density": "1 kg/m3",
                    "expansion": "1e-3 1/K",
                    "gravity_y": "-0.0444 m/s2",
                    "reference": "293.15 K",
                },
            },
            "conditions": {
                "box_left": {"heat": {"kind": "held temperature", "value": "298.15 K"}},
                "box_right": {"heat": {"kind": "held temperature", "value": "288.15 K"}},
            },
            "stages": {
                "go": {"solve": ["flow", "heat", "buoyancy"], "mode": "transient", "until": "600 s"}
            },
            "readouts": {
                "through": {
                    "kind": "through",
                    "quantity": "heat",
                    "place": "box_left",
                    "counts": "in",
                },
                "nusselt": {
                    "kind": "transfer",
                    "quantity": "heat",
                    "field": "temperature",
                    "place": "box_left",
                    "to": "box_right",
                    "length": "0.1 m",
                },
            },
        }
        with mock.patch("underkettle.runs.recorder.SLOW_STEP", np.inf):  # a busy machine keeps more
            run = uk.run(square)
        rows = [w["readouts"] for w in run.file.watches()[-5:-1]]
        told = [r["through"] / 0.25 for r in rows]
        self.assertLess(max(told) - min(told), 1e-6 * told[0])
        for row in rows:
            self.assertAlmostEqual(row["nusselt"] / (row["through"] / 0.25), 1.0, delta=1e-6)


if __name__ == "__main__":
    unittest.main()
