"""Readouts of what is followed one by one, and when a history gets somewhere."""

import unittest

import numpy as np

from tests.phenomena.fluids import TRAY
from underkettle import api
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.reading.histories import first_reached, of_history
from underkettle.reading.readouts import problems

# two bubbles of oil in water and one pocket in the corner; nothing moves
STILL = merge_patch(
    TRAY,
    {
        "vessel": {"nozzles": None},
        "conditions": {"spout": None, "rim": None},
        "phenomena": {"flow": {"gravity_y": "0 m/s2"}, "two_fluids": {"tension": "0 N/m"}},
        "start": {
            "space": {
                "two_fluids": {
                    "kind": "filled",
                    "x": None,
                    "y": None,
                    "radius": None,
                    "value": "if((x - 4 mm)^2 + (y - 5 mm)^2 < 1 mm2, 0, 1)"
                    " * if((x - 8 mm)^2 + (y - 5 mm)^2 < 2.25 mm2, 0, 1)"
                    " * if((x > 10.2 mm)*(y < 1 mm) > 0, 0, 1)",
                }
            }
        },
        "stages": {"go": {"until": "1 ms"}},
        "readouts": {
            "water": None,
            "fastest": None,
            "all_oil": {"kind": "listed", "listing": "drops", "only": "oil"},
            "pockets": {"kind": "listed", "listing": "drops", "only": "oil, walls at most"},
            "out": {"kind": "listed", "listing": "drops", "only": "oil, an opening"},
            "volume": {
                "kind": "listed",
                "listing": "drops",
                "only": "oil",
                "sums": "total",
                "entry": "volume",
                "unit": "mm3",
            },
            "largest": {
                "kind": "listed",
                "listing": "drops",
                "only": "oil",
                "sums": "largest",
                "entry": "diameter",
                "unit": "mm",
            },
            "mean_of_none": {
                "kind": "listed",
                "listing": "drops",
                "only": "oil, an opening",
                "sums": "mean",
                "entry": "diameter",
            },
        },
    },
)


class Listed(unittest.TestCase):
    def test_counted_and_summed(self) -> None:
        found = api.run(STILL)
        told = {n: r.value for n, r in found.readouts.items()}
        self.assertEqual((told["all_oil"], told["pockets"], told["out"]), (3, 3, 0))
        # circles of radius 1 and 1.5 mm, a corner of 1.8 x 1 mm, on a depth of 10 mm; told in mm3, mm
        exact = 10.0 * (np.pi * (1.0 + 2.25) + 1.8)
        self.assertAlmostEqual(told["volume"] / exact, 1.0, delta=4e-3)
        self.assertAlmostEqual(told["largest"], 3.0, delta=0.01)
        self.assertNotIn("mean_of_none", told)  # of none there is no mean

    def test_each_tells_which_edge_it_touches(self) -> None:
        found = api.run(STILL)
        rows = found.listing("drops")
        entry = next(e for e in found.case.listing("drops").entries if e.name == "touches")
        oil = rows["fluid"] == 1.0
        small = rows["volume"][oil] < 2e-8
        touched = rows["touches"][oil]
        self.assertTrue(np.isnan(touched[~small]).all())
        self.assertEqual([entry.words[int(k)] for k in touched[small]], ["floor"])  # 1.8 of 1 mm

    def test_what_is_not_there_is_said(self) -> None:
        for changed, says in (
            ({"listing": "rain"}, "there are drops"),
            ({"only": "gravel"}, "choose from water, oil"),
            ({"sums": "mean", "entry": "fluid"}, "no number of each"),
            ({"sums": "mean"}, "choose from volume"),
        ):
            readout = {"kind": "listed", "listing": "drops", **changed}
            case = Case(merge_patch(TRAY, {"readouts": {"asked": readout}}))
            self.assertIn(says, problems(case, "asked"))

    def test_its_dimension_is_that_of_the_entry(self) -> None:
        self.assertEqual(Case(STILL).dimensions.readouts["largest"].name, "length")
        self.assertEqual(Case(STILL).dimensions.readouts["all_oil"].name, "number")


class Reached(unittest.TestCase):
    def test_between_rows(self) -> None:
        t = np.array([0.0, 1.0, 2.0, 3.0])
        self.assertAlmostEqual(first_reached(t, np.array([0.0, 1.0, 3.0, 2.0]), 2.5), 1.75)
        self.assertAlmostEqual(first_reached(t, np.array([5.0, 4.0, 1.0, 2.0]), 2.5), 1.5)
        self.assertIsNone(first_reached(t, np.array([0.0, 1.0, 1.5, 1.0]), 2.0))
        self.assertEqual(first_reached(t, np.array([2.0, 1.0, 1.5, 1.0]), 2.0), 0.0)

    def test_counts_from_since(self) -> None:
        t, v = np.linspace(0.0, 10.0, 11), np.linspace(0.0, 1.0, 11)
        self.assertAlmostEqual(of_history("reached", t, v, 2.0, reference=0.55), 3.5)
        self.assertIsNone(of_history("reached", t, v, 2.0))

    def test_by_a_run(self) -> None:
        case = merge_patch(
            TRAY,
            {
                "readouts": {
                    "filled": {
                        "kind": "history",
                        "of": "water",
                        "tells": "reached",
                        "reference": "1 mm3 + 196.35 mm3",
                        "unit": "ms",
                    },
                    "unsaid": {"kind": "history", "of": "water", "tells": "reached"},
                }
            },
        )
        self.assertIn("the value to be reached", problems(Case(case), "unsaid"))
        del case["readouts"]["unsaid"]
        found = api.run(case)
        # 20 mm/s through 1 mm x 10 mm: .2 mm3 a ms onto a drop of pi 2.5^2 10 = 196.35 mm3; nothing
        # is carried in the first step, when flows need not close
        self.assertAlmostEqual(found.readouts["filled"].value, 5.0, delta=0.5)


if __name__ == "__main__":
    unittest.main()
