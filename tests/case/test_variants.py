"""Variants hold what differs: edits, leaving out, putting back, and changes of the base."""

import unittest

from tests.phenomena.cases import FLOW
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.variants import difference, edited, listed

BASE = {
    **FLOW,
    "variants": {"quick": {"conditions": {"inlet": {"flow": {"speed": "20 mm/s"}}}}, "plain": {}},
}


class Variants(unittest.TestCase):
    def test_a_difference_makes_one_of_the_other_and_no_more(self):
        base = {"a": 1, "b": {"c": 2, "d": {"e": 3}}, "f": [1, 2]}
        for other in (
            {"a": 1, "b": {"c": 2, "d": {"e": 3}}, "f": [1, 2]},
            {"a": 2, "b": {"d": {"e": 4, "g": 5}}},
            {"b": 7, "h": {"i": 1}},
            {},
        ):
            self.assertEqual(merge_patch(base, difference(base, other)), other)
        self.assertEqual(difference(base, base), {})
        self.assertEqual(difference(base, {**base, "a": 2}), {"a": 2})

    def test_an_edit_of_a_variant_leaves_the_base_alone(self):
        data = edited(BASE, "quick", {"grid": {"size": "2 mm"}})
        self.assertEqual(data["grid"], BASE["grid"])
        self.assertEqual(Case(data, variant="quick").model.grid.size, "2 mm")
        self.assertEqual(
            Case(data, variant="quick").data["conditions"]["inlet"]["flow"]["speed"], "20 mm/s"
        )
        back = edited(data, "quick", {"grid": {"size": BASE["grid"]["size"]}})
        self.assertEqual(back["variants"], BASE["variants"])

    def test_what_is_left_out_comes_back(self):
        data = edited(BASE, "plain", {"vessel": {"nozzles": {"outlet": None}}})
        self.assertNotIn("outlet", Case(data, variant="plain").edges)
        self.assertIn("outlet", Case(data).edges)
        self.assertEqual(
            list(listed(BASE, data["variants"]["plain"])),
            [
                {
                    "path": ["vessel", "nozzles", "outlet"],
                    "before": BASE["vessel"]["nozzles"]["outlet"],
                    "here": None,
                }
            ],
        )
        again = edited(
            data, "plain", {"vessel": {"nozzles": {"outlet": BASE["vessel"]["nozzles"]["outlet"]}}}
        )
        self.assertEqual(again["variants"]["plain"], {})

    def test_a_change_of_the_base_flows_through(self):
        data = edited(BASE, "", {"grid": {"size": "0.5 mm"}})
        self.assertEqual(Case(data, variant="quick").model.grid.size, "0.5 mm")


if __name__ == "__main__":
    unittest.main()
