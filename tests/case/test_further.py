"""What is open lies further off: what is moved, what stays, and what cannot be moved."""

import unittest

import underkettle as uk
from tests.phenomena.cases import BOX, FLOW
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.further import further
from underkettle.case.model import merge_patch

OPEN = {"flow": {"kind": "open edge"}}


def room(**patch):
    """40 by 20 mm, fed in the middle of its left side, with whatever else is open."""
    data = merge_patch(
        FLOW,
        {"vessel": {"nozzles": {"outlet": None}}, "conditions": {"outlet": None}},
    )
    return merge_patch(data, patch)


def moved(data, variant=None):
    found, edges = further(Case(data, variant=variant))
    case = Case(found, variant=variant)
    return case.built.outline.box, edges, case


class Further(unittest.TestCase):
    def near(self, found, wanted):
        for one, other in zip(found, wanted, strict=True):
            self.assertAlmostEqual(one, other, places=9)

    def test_one_side_of_a_rectangle(self):
        box, edges, _ = moved(room(conditions={"box_right": OPEN}))
        self.near(box, (0.0, 0.0, 0.06, 0.02))
        self.assertEqual(edges, ["box_right"])

    def test_both_sides_grow_alike_and_nozzles_stay_in_place(self):
        data = room(conditions={"box_top": OPEN, "box_bottom": OPEN})
        box, edges, case = moved(data)
        self.near(box, (0.0, -0.005, 0.04, 0.025))
        self.assertEqual(sorted(edges), ["box_bottom", "box_top"])
        self.near(case.facts.edge_bounds("inlet"), Case(data).facts.edge_bounds("inlet"))

    def test_a_nozzle_that_takes_all_of_a_side_that_grows_still_does(self):
        data = room(vessel={"nozzles": {"inlet": {"bore": "20 mm"}}}, conditions={"box_top": OPEN})
        _, _, case = moved(data)
        self.assertAlmostEqual(case.facts.edge_length("inlet"), 0.03)

    def test_a_polygon(self):
        points = [["0 mm", "0 mm"], ["40 mm", "0 mm"], ["40 mm", "20 mm"], ["0 mm", "20 mm"]]
        data = room(
            vessel={
                "parts": {"box": {**dict.fromkeys(BOX), "shape": "polygon", "points": points}},
                "nozzles": {"inlet": {"side": "4"}},
            },
            conditions={"box_2": OPEN},
        )
        box, edges, _ = moved(data)
        self.near(box, (0.0, 0.0, 0.06, 0.02))
        self.assertEqual(edges, ["box_2"])

    def test_in_a_variant_only_that_is_changed(self):
        data = room(
            conditions={"box_right": OPEN},
            variants={"wide": {"vessel": {"parts": {"box": {"width": "80 mm"}}}}},
        )
        box, _, case = moved(data, "wide")
        self.near(box, (0.0, 0.0, 0.12, 0.02))
        self.near(Case(case.source).built.outline.box, (0.0, 0.0, 0.04, 0.02))

    def test_where_nothing_open_can_be_moved(self):
        with self.assertRaises(CaseError) as caught:
            further(Case(room()))
        self.assertIn("no open side can be moved out", str(caught.exception))

    def test_a_run_tells_both(self):
        data = room(
            conditions={"box_right": OPEN},
            stages={"go": {"mode": "steady", "until": None}},
            readouts={
                "drop": {
                    "kind": "difference",
                    "field": "pressure",
                    "place": "inlet",
                    "to": "box_right",
                },
                "passes": {"kind": "through", "quantity": "mass", "place": "box_right"},
            },
        )
        run = uk.run(data, further=True)
        self.assertEqual(run.result["further"], ["box_right"])
        passes, drop = run.readouts["passes"], run.readouts["drop"]
        self.assertAlmostEqual(passes.further, passes.value, delta=1e-9)
        self.assertGreater(drop.further, 1.1 * drop.value)  # half as long again


if __name__ == "__main__":
    unittest.main()
