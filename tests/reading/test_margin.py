"""Margins: a known order is found, bad grids are not praised, a real case stays within its own."""

import unittest

import underkettle as uk
from tests.phenomena.cases import FLOW
from underkettle.case.model import merge_patch
from underkettle.reading.margin import grid_margin
from underkettle.runs.margins import with_margins

CHANNEL = merge_patch(
    FLOW,
    {
        "vessel": {"nozzles": {"inlet": {"bore": "20 mm"}, "outlet": {"bore": "20 mm"}}},
        "conditions": {"inlet": {"flow": {"profile": "developed"}}},
        "stages": {"go": {"mode": "steady", "until": None}},
        "readouts": {
            "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}
        },
    },
)


class Index(unittest.TestCase):
    def test_a_known_order_is_found_on_uneven_ratios(self):
        for order in (1.0, 1.5, 2.0):
            sizes = (1.0, 1.4, 2.1)
            found = grid_margin(sizes, [5.0 + 0.1 * h**order for h in sizes])
            self.assertAlmostEqual(found.order, order, places=6)
            self.assertAlmostEqual(found.margin, 1.25 * 0.1, places=6)  # 1.25 of the true error

    def test_a_textbook_case(self):
        """Reattachment lengths 6.063, 5.972, 5.863 on grids 1.5 and 1.333 apart: order 1.53 and an
        index of 2.2 % (Celik et al. 2008, from memory).
        """
        found = grid_margin((1.0, 1.5, 2.0), (6.063, 5.972, 5.863))
        self.assertAlmostEqual(found.order, 1.53, delta=0.01)
        self.assertAlmostEqual(found.margin / 6.063, 0.022, delta=0.001)

    def test_what_does_not_fall_in_line_is_not_praised(self):
        swinging = grid_margin((1, 1.4, 2), (1.0, 1.2, 0.9))
        self.assertIsNone(swinging.order)
        self.assertGreaterEqual(swinging.margin, 0.3)
        lazy = grid_margin((1, 1.414, 2), (1.0, 1.1, 1.2))
        self.assertGreaterEqual(lazy.margin, 0.3)
        steep = grid_margin((1, 1.414, 2), (1.0, 1.001, 1.1))
        self.assertGreater(steep.margin, 0.001)
        same = grid_margin((1, 1.414, 2), (3.0, 3.0, 3.0))
        self.assertEqual(same.margin, 0.0)
        self.assertIsNone(grid_margin((1, 1.4, 2), (1.0, float("nan"), 2.0)))

    def test_the_order_stays_within_what_the_method_can_have(self):
        """A first-order wall that seems to be of order 2.3, and grids that hardly differ."""
        sizes = (1.0, 1.414, 2.0)
        values = [5.0 + 0.1 * h**2.3 for h in sizes]
        plain, cut = grid_margin(sizes, values), grid_margin(sizes, values, 1.0)
        self.assertAlmostEqual(plain.order, 2.3, places=3)
        self.assertAlmostEqual(plain.margin, 1.25 * abs(values[1] - values[0]), delta=1e-3)
        self.assertGreaterEqual(cut.margin, 2.4 * plain.margin)
        self.assertIn("faster", cut.says)
        flat = grid_margin(sizes, (1.0, 1.01, 1.0201))
        self.assertLess(flat.margin, 8 * 0.01)
        self.assertIn("too coarse", flat.says)

    def test_other_ways_to_rest_are_told(self):
        def told(value, cells, ways):
            return {"readouts": {"a": {"value": value}}, "cells": cells, "ways": ways}

        runs = [
            told(1.0, 400, {"go": "in turn"}),
            told(1.1, 200, {"go": "time, together"}),
            told(1.2, 100, {"go": "in turn"}),
        ]
        self.assertIn(
            "different ways", with_margins(runs[0], runs[1:])["readouts"]["a"]["margin_says"]
        )
        runs[1]["ways"] = {"go": "in turn"}
        self.assertNotIn(
            "different ways", with_margins(runs[0], runs[1:])["readouts"]["a"]["margin_says"]
        )


class OfARun(unittest.TestCase):
    def test_the_exact_value_lies_within(self):
        run = uk.run(CHANNEL, margin=True)
        told = run.result["readouts"]["drop"]
        exact = 12 * 0.01 * 0.01 * 0.04 / 0.02**2
        self.assertGreater(run.readouts["drop"].margin, 0)
        self.assertLess(abs(told["value"] - exact), 1.05 * told["margin"])
        self.assertLess(told["margin"], 0.05 * exact)
        self.assertEqual(len(run.result["grids"]), 3)
        self.assertNotIn("margin", uk.run(CHANNEL).result["readouts"]["drop"])


if __name__ == "__main__":
    unittest.main()
