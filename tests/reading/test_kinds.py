"""Kinds of readouts are registered, one file each, and everything follows from that."""

import unittest
from importlib import import_module
from pkgutil import iter_modules

import numpy as np

from tests.phenomena.cases import BREW, SPECIES
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import ReadoutModel, merge_patch
from underkettle.case.schema import case_schema
from underkettle.engine.contract import Field, find_phenomena
from underkettle.engine.marching.state import State
from underkettle.quantities import dimension_of
from underkettle.reading import kinds
from underkettle.reading.kinds import KINDS, Look
from underkettle.reading.readouts import problems
from underkettle.server.views import case_view

LISTS = {"edge field": "field", "wall quantity": "quantity"}  # what the page offers for an entry


class Registered(unittest.TestCase):
    def test_each_module_adds_its_kinds(self):
        found = [
            kind.name
            for module in iter_modules(kinds.__path__)
            if module.name != "kind"
            for kind in import_module(f"underkettle.reading.kinds.{module.name}").KINDS
        ]
        self.assertEqual(sorted(found), sorted(KINDS))
        self.assertEqual(len(found), len(set(found)))

    def test_they_ask_for_entries_that_a_readout_has(self):
        entries = ReadoutModel.model_fields
        for name, kind in KINDS.items():
            with self.subTest(kind=name):
                self.assertTrue(kind.says)
                for entry in (*kind.needs, *kind.asks, *kind.spans):
                    self.assertIn(LISTS.get(entry, entry), entries)
                asked = {LISTS.get(a, a) for a in kind.asks or kind.needs}
                # a line, arc or box is drawn, not asked for
                drawn = {"reference", *kind.spans}
                self.assertLessEqual(set(kind.needs) - drawn, asked)

    def test_the_format_the_page_and_the_check_know_them(self):
        schema = case_schema(find_phenomena())
        told = schema["$defs"]["ReadoutModel"]["properties"]["kind"]["enum"]
        self.assertEqual(told, list(KINDS))
        view = case_view(Case(SPECIES))
        self.assertEqual([k["name"] for k in view["readout_kinds"]], list(KINDS))
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(SPECIES, {"readouts": {"x": {"kind": "wobble"}}}))
        self.assertIn("mean", str(caught.exception))


class ByHand(unittest.TestCase):
    """A field of 1, 2, 3 and 4 in four cells of one size."""

    def value(self, **entries):
        patch = {
            "vessel": {"parts": {"mash": None}},
            "phenomena": {"brew": None},
            "stages": {"go": {"solve": ["heat"]}},
            "start": {"mash": None},
            "grid": {"size": "10 mm"},
            "readouts": {"warmest": None, "x": {"field": "temperature", **entries}},
        }
        case = Case(merge_patch(BREW, patch))
        self.assertEqual(problems(case, "x"), "")
        model = case.model.readouts["x"]
        ny, nx = case.grid.ny, case.grid.nx
        values = np.broadcast_to(np.arange(1.0, nx + 1), (ny, nx))
        self.assertEqual((ny, nx), (2, 4))
        look = Look(case, "x", model, State(), lambda field: values, lambda name: None)
        return KINDS[model.kind].value(look)

    def test_over_a_zone(self):
        self.assertAlmostEqual(self.value(kind="mean", place="space"), 2.5)
        self.assertAlmostEqual(self.value(kind="spread", place="space"), 1.25**0.5)
        volume = 0.04 * 0.02 * 1.0
        self.assertAlmostEqual(self.value(kind="total", place="space"), 2.5 * volume)
        self.assertAlmostEqual(self.value(kind="max", place="space"), 4.0)
        self.assertAlmostEqual(self.value(kind="min", place="space"), 1.0)

    def test_on_edges_at_points_and_between(self):
        # carried on to the wall from the two cells next to it
        self.assertAlmostEqual(self.value(kind="mean", place="box_left"), 0.5)
        self.assertAlmostEqual(self.value(kind="spread", place="box_left"), 0.0)
        self.assertAlmostEqual(self.value(kind="difference", place="box_right", to="box_left"), 4.0)
        self.assertAlmostEqual(self.value(kind="point", x="20 mm", y="10 mm"), 2.5)

    def test_over_what_is_drawn(self):
        box = ["0 mm", "0 mm", "20 mm", "20 mm"]
        self.assertAlmostEqual(self.value(kind="mean", box=box), 1.5)
        self.assertAlmostEqual(self.value(kind="total", box=box), 1.5 * 0.02 * 0.02)
        line = ["5 mm", "10 mm", "35 mm", "10 mm"]
        self.assertAlmostEqual(self.value(kind="mean", line=line), 2.5, places=6)

    def test_how_far_it_reaches(self):
        falls = {"kind": "reach", "line": ["35 mm", "10 mm", "5 mm", "10 mm"]}
        self.assertAlmostEqual(self.value(**falls, reference="2.5 K"), 0.015, places=6)
        # half of its highest, as far as the line's pieces tell
        self.assertAlmostEqual(self.value(**falls), 0.02, delta=1e-4)
        self.assertAlmostEqual(self.value(**falls, reference="0.5 K"), 0.03, places=6)
        self.assertEqual(self.value(**falls, reference="9 K"), 0.0)

    def test_dimensions(self):
        fields = {"c": Field("c", "c", "temperature")}
        model = ReadoutModel(kind="total", field="c", place="space")
        kelvin, cubic = dimension_of("temperature"), dimension_of("volume")
        self.assertEqual(KINDS["total"].dimension(model, fields, {}), kelvin * cubic)
        self.assertEqual(KINDS["mean"].dimension(model, fields, {}), kelvin)
        self.assertIsNone(KINDS["mean"].dimension(model, {}, {}))
        flux = ReadoutModel(kind="transfer", quantity="heat", field="c", place="wall")
        told = KINDS["transfer"].dimension(flux, fields, {"heat": "power"})
        self.assertEqual(told, dimension_of("power") / dimension_of("area") / kelvin)

    def test_what_is_wrong_is_said(self):
        def wrong(**entries):
            case = Case(merge_patch(SPECIES, {"readouts": {"x": entries}}))
            return problems(case, "x")

        self.assertIn("'place' is not given", wrong(kind="mean", field="salt"))
        self.assertIn("no zone 'outlet'", wrong(kind="total", field="salt", place="outlet"))
        self.assertIn(
            "is not an edge", wrong(kind="difference", field="salt", place="space", to="inlet")
        )
        self.assertIn("not balanced", wrong(kind="through", quantity="gold", place="outlet"))
        self.assertIn(
            "a max is not weighted", wrong(kind="max", field="salt", place="space", weight="flow")
        )
        self.assertIn(
            "not told of a line",
            wrong(
                kind="point", field="salt", x="1 mm", y="1 mm", line=["0 m", "0 m", "1 mm", "0 m"]
            ),
        )


if __name__ == "__main__":
    unittest.main()
