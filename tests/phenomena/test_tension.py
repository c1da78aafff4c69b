"""Tension that follows where it is and what is dissolved: refusals, what is told, estimates."""

import json
import unittest
from pathlib import Path

import numpy as np

import underkettle as uk
from tests.phenomena.fluids import TRAY
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_march

SWIMS = json.loads((Path(__file__).parents[2] / "proofs" / "drawn_drop" / "case.json").read_text())


def tray(tension: str) -> dict:
    """A drop in a closed tray without weight, its surface tension as told."""
    return merge_patch(
        TRAY,
        {
            "vessel": {"nozzles": None},
            "conditions": {"spout": None, "rim": None},
            "phenomena": {"flow": {"gravity_y": None}, "two_fluids": {"tension": tension}},
            "start": {"space": {"two_fluids": {"y": "4 mm"}}},
            "stages": {"go": {"until": "1 ms"}},
        },
    )


class Told(unittest.TestCase):
    def test_a_formula_of_nothing_is_a_number(self) -> None:
        plain, worked = (uk.run(tray(t)) for t in ("20 mN/m", "10 mN/m*2"))
        np.testing.assert_array_equal(plain.field("speed"), worked.field("speed"))
        self.assertNotIn("tension", Case(tray("20 mN/m")).fields())

    def test_it_is_told_where_both_fluids_are(self) -> None:
        run = uk.run(tray("20 mN/m + 0.5 N/m2*(x - 7 mm)"))
        self.assertEqual(run.status, "finished")
        told, share = run.field("tension"), run.field("water")
        both = (share > 1e-3) & (share < 1 - 1e-3)
        x = 0.2e-3 + 0.4e-3 * np.arange(30)
        np.testing.assert_allclose(
            told[both], np.broadcast_to(20e-3 + 0.5 * (x - 7e-3), told.shape)[both], rtol=1e-6
        )
        self.assertTrue(np.isnan(told[share < 1e-9]).all())

    def test_a_drop_is_drawn_towards_less(self) -> None:
        """Its skin runs towards more of it, what is within follows, the drop the other way."""
        run = uk.run(tray("20 mN/m + 0.5 N/m2*(x - 7 mm)"))
        share, along = run.field("water"), run.field("velocity_x")
        self.assertLess(float((share * along).sum()), 0.0)
        skin = along[15:18, 17]  # on top of the drop, over its middle
        self.assertGreater(float(skin.max()), 0.0)

    def test_below_nought_the_run_ends_and_says_where(self) -> None:
        run = uk.run(tray("20 mN/m - 15 N/m2*abs(x - 7 mm)"))
        self.assertEqual(run.status, "failed")
        self.assertIn("mN/m there", run.result["message"])

    def test_steps_follow_the_largest(self) -> None:
        """A quarter of the tension: steps twice as long."""
        limits = []
        for tension in ("20 mN/m", "5 mN/m", "20 mN/m + 0 N/m2*x", "5 mN/m + 1e-9 N/m2*x"):
            march = build_march(Case(tray(tension)))
            solver = march.solvers["two_fluids"]
            limits.append(solver.limit(march.state, {})[0])
        self.assertAlmostEqual(limits[1] / limits[0], 2.0)
        self.assertAlmostEqual(limits[2], limits[0])
        self.assertAlmostEqual(limits[3] / limits[1], 1.0, places=6)


class Swims(unittest.TestCase):
    def told(self, data: dict) -> dict[str, float]:
        return {row.symbol: row.value for row in paper_check(Case(data)).regimes}

    def test_how_fast_is_told_by_hand(self) -> None:
        # 2/3 x 3 N/m2 x 1 mm / (5 x .375 Pa s)
        self.assertAlmostEqual(self.told(SWIMS)["U,t"], 2e-3 / 1.875, places=9)

    def test_nothing_is_told_where_it_does_not_differ(self) -> None:
        even = merge_patch(SWIMS, {"parameters": {"rises": "0 N/m2"}})
        self.assertNotIn("U,t", self.told(even))

    def test_cells_of_a_drop_are_counted_where_it_is(self) -> None:
        """16 in the radius where the grid is finer, 4 without that."""
        told = [f.sentence for f in audit(Case(SWIMS))]
        self.assertFalse(any("cells across" in s for s in told), told)
        plain = merge_patch(SWIMS, {"grid": {"refine": None}})
        self.assertIn("The drop is 8 cells across.", [f.sentence for f in audit(Case(plain))])


if __name__ == "__main__":
    unittest.main()
