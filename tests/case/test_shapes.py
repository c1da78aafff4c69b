"""Parts by their outlines: areas, sides, and what is refused."""

import math
import unittest

from underkettle.case.case import Case
from underkettle.case.faults import CaseError


def case_of(part, **more):
    return Case(
        {
            "format": "under-kettle case 1",
            "name": "shape",
            "grid": {"size": "1 mm"},
            "vessel": {"parts": {"it": part}, **more},
        }
    )


class Shapes(unittest.TestCase):
    def area(self, case):
        return case.facts.open_volume() / case.built.depth

    def test_a_duct_keeps_its_width_round_a_mitred_bend(self):
        bend = case_of(
            {
                "shape": "duct",
                "width": "4 mm",
                "points": [["0 mm", "0 mm"], ["30 mm", "0 mm"], ["30 mm", "20 mm"]],
            }
        )
        self.assertAlmostEqual(self.area(bend), 4e-3 * 50e-3, delta=1e-12)
        self.assertEqual(set(bend.edges), {"it_begin", "it_end", "it_left", "it_right"})
        self.assertAlmostEqual(bend.facts.edge_length("it_end"), 4e-3)
        self.assertLess(bend.facts.edge_length("it_left"), bend.facts.edge_length("it_right"))

    def test_a_nozzle_sits_on_the_end_of_a_duct(self):
        case = case_of(
            {"shape": "duct", "width": "4 mm", "points": [["0 mm", "0 mm"], ["30 mm", "0 mm"]]},
            nozzles={"mouth": {"part": "it", "side": "begin", "at": "2 mm", "bore": "2 mm"}},
        )
        self.assertAlmostEqual(case.facts.edge_length("mouth"), 2e-3)

    def test_an_arc_is_a_piece_of_a_ring(self):
        arc = case_of(
            {
                "shape": "arc",
                "x": "10 mm",
                "y": "5 mm",
                "inner": "8 mm",
                "outer": "12 mm",
                "begin": "30 deg",
                "end": "120 deg",
                "edges": {"inner": "hub"},
            }
        )
        exact = 0.5 * (12e-3**2 - 8e-3**2) * math.pi / 2
        self.assertAlmostEqual(self.area(arc) / exact, 1.0, delta=1e-4)
        self.assertIn("hub", arc.edges)
        self.assertAlmostEqual(arc.facts.edge_length("hub"), 8e-3 * math.pi / 2, delta=1e-6)

    def test_what_cannot_be_drawn_is_refused_with_its_place(self):
        line = [["0 mm", "0 mm"], ["10 mm", "0 mm"]]
        ring = {"shape": "arc", "x": "0 mm", "y": "0 mm", "inner": "5 mm", "outer": "9 mm"}
        for part, where, words in (
            ({"shape": "duct", "width": "1 mm", "points": line[:1]}, "points", "two points"),
            ({"shape": "duct", "width": "-1 mm", "points": line}, "width", "positive"),
            (
                {"shape": "duct", "width": "1 mm", "points": [*line, line[0]]},
                "points",
                "turns back",
            ),
            (
                {"shape": "duct", "width": "1 mm", "points": [line[0], line[0]]},
                "points",
                "lie on each other",
            ),
            ({**ring, "outer": "4 mm"}, "outer", "exceed the inner"),
            ({**ring, "end": "-10 deg"}, "end", "more than nothing"),
            ({**ring, "end": "10 mm"}, "end", "length"),
            ({"shape": "blob"}, "shape", "not known"),
        ):
            with self.subTest(part=part), self.assertRaises(CaseError) as caught:
                case_of(part)
            self.assertIn(f"it / {where}", str(caught.exception))
            self.assertIn(words, str(caught.exception))

    def test_nozzles_are_measured_from_the_low_end_of_any_side(self):
        """Side 4 of this outline goes down, side 3 to the left."""
        case = case_of(
            {
                "shape": "polygon",
                "points": [
                    ["0 mm", "0 mm"],
                    ["30 mm", "0 mm"],
                    ["30 mm", "20 mm"],
                    ["0 mm", "20 mm"],
                ],
            },
            nozzles={
                "mouth": {"part": "it", "side": "4", "at": "3 mm", "bore": "4 mm"},
                "vent": {"part": "it", "side": "3", "at": "5 mm", "bore": "2 mm"},
            },
        )
        low = case.facts.edge_bounds("mouth"), case.facts.edge_bounds("vent")
        self.assertAlmostEqual(low[0][1], 1e-3)
        self.assertAlmostEqual(low[0][3], 5e-3)
        self.assertAlmostEqual(low[1][0], 4e-3)
        self.assertAlmostEqual(low[1][2], 6e-3)

    def test_nozzles_only_on_straight_sides(self):
        with self.assertRaises(CaseError) as caught:
            case_of(
                {"shape": "arc", "x": "0 mm", "y": "0 mm", "inner": "5 mm", "outer": "9 mm"},
                nozzles={"n": {"part": "it", "side": "outer", "at": "2 mm", "bore": "1 mm"}},
            )
        self.assertIn("Its straight sides are end, begin", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
