"""Cases: reading, refusing, the ledger's states, edits that survive a change of size."""

import copy
import json
import unittest
from pathlib import Path

import jsonschema

from tests.phenomena.cases import CASES, FLOW, SPECIES
from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch, read_json
from underkettle.case.paper import paper_check, verdict
from underkettle.case.schema import case_schema
from underkettle.engine.contract import find_phenomena

ROOT = Path(__file__).resolve().parent.parent.parent
LANCE = json.loads((ROOT / "demo" / "salt-lance.json").read_text())


def patched(patch, data=LANCE):
    return merge_patch(copy.deepcopy(data), patch)


class BadInput(unittest.TestCase):
    def refused(self, patch, *words, data=LANCE):
        with self.assertRaises(CaseError) as caught:
            case = Case(patched(patch, data))
            _ = case.grid
        text = str(caught.exception)
        for word in words:
            self.assertIn(word, text)

    def test_each_fault_names_place_value_and_cure(self):
        flow = {"conditions": {"inlet": {"flow": {"speed": "2 furlongs per"}}}}
        self.refused(flow, "conditions / inlet / flow / speed", "2 furlongs per", "Give a speed")
        self.refused({"parameters": {"speed": "3 kg"}}, "conditions / inlet", "a mass", "speed")
        self.refused({"parameters": {"gap": "0 mm"}}, "height", "positive")
        self.refused({"parameters": {"gap": "-9 mm"}}, "positive")
        self.refused({"vessel": {"parts": {"lance": {"x": "3 m"}}}}, "parts / lance", "outside")
        self.refused(
            {"vessel": {"nozzles": {"inlet": {"bore": "2*gap"}}}},
            "nozzles / inlet / bore",
            "wider than its wall",
            "18 mm on 9 mm",
        )
        self.refused({"vessel": {"nozzles": {"inlet": {"side": "west"}}}}, "straight side")
        self.refused({"grid": {"size": "1 um"}}, "cells would need", "2 GB", "larger cell size")
        self.refused({"colour": "red"}, "colour", "not known here")
        self.refused({"vessel": {"parts": {"slot": {"wdith": "1 mm"}}}}, "wdith", "not known")
        self.refused({"vessel": {"parts": {"slot": {"shape": "blob"}}}}, "shape", "rectangle")
        self.refused({"phenomena": {"magic": {}}}, "magic", "not known")
        self.refused({"phenomena": {"flow": {"density": None}}}, "density is not given")
        self.refused({"phenomena": {"flow": {"viscosity": "-1 Pa s"}}}, "viscosity", "positive")
        self.refused({"parameters": {"sqrt": "1"}}, "a function")
        self.refused({"parameters": {"s": "2", "u": "3 m/s"}}, "'s' is a name of this case")
        self.refused({"parameters": {"gap": "slot_length", "slot_length": "gap"}}, "circle")
        self.refused({"stages": {"spread": {"until": None}}}, "until", "10 s")
        self.refused({"stages": {"spread": {"solve": ["heat"]}}}, "'heat' is not switched on")
        self.refused({"conditions": {"inlet": {"flow": {"kind": "leaks"}}}}, "leaks", "inflow")

    def test_broken_json_says_where(self):
        with self.assertRaises(CaseError) as caught:
            read_json('{"name": "x",\n "grid": }', "lance.json")
        self.assertIn("lance.json / line 2", str(caught.exception))

    def test_set_and_variant_must_exist(self):
        for arguments in ({"set": {"sped": "1 m/s"}}, {"variant": "big"}, {"grid": 0}):
            with self.assertRaises(CaseError):
                Case(LANCE, **arguments)


class Ledger(unittest.TestCase):
    def test_states(self):
        case = Case(LANCE)
        self.assertEqual(case.cell("edge", "inlet", "flow").state, "given")
        self.assertEqual(case.cell("edge", "inlet", "flow").text, "2 mm/s in, developed")
        self.assertEqual(case.cell("edge", "lid", "flow").state, "assumed")
        self.assertTrue(case.cell("edge", "lid", "flow").why)
        bare = Case(patched({"conditions": {"inlet": {"flow": None}}}))
        self.assertEqual(bare.cell("edge", "inlet", "flow").state, "missing")

    def test_a_parameter_that_is_anothers_name_shows_what_that_one_holds(self):
        case = Case(patched({"parameters": {"speed": "brisk", "brisk": "3 mm/s"}}))
        self.assertEqual(case.cell("edge", "inlet", "flow").text, "3 mm/s in, developed")

    def test_a_nozzle_rules_over_its_side(self):
        side = {"box_left": {"flow": {"kind": "slip wall"}}}
        case = Case(patched({"conditions": side}, FLOW))
        self.assertEqual(case.overrules("inlet", "flow"), "slips")
        self.assertEqual(case.cell("edge", "box_left", "flow").text, "slips")
        bare = Case(patched({"conditions": {**side, "inlet": None}}, FLOW))
        self.assertEqual(bare.cell("edge", "inlet", "flow").text, "slips")

    def test_two_sizes_on_one_nozzle_contradict(self):
        patch = {"conditions": {"inlet": {"flow": {"volume_flow": "1e-6 m3/s"}}}}
        case = Case(patched(patch))
        self.assertEqual(case.cell("edge", "inlet", "flow").state, "overruled")
        found = [f for f in audit(case) if f.grade == "contradiction"]
        self.assertEqual(len(found), 1)
        ((path, value),) = found[0].cure
        self.assertEqual((path, value), ("conditions/inlet/flow/speed", None))
        self.assertFalse(can_run(audit(case)))

    def test_edges_and_conditions_survive_a_change_of_size(self):
        small, large = Case(LANCE), Case(LANCE, {"gap": "12 mm", "lance_radius": "2 mm"})
        self.assertEqual(set(small.edges), set(large.edges))
        for edge in small.edges:
            for column in small.columns:
                self.assertEqual(
                    small.cell("edge", edge, column.id).text,
                    large.cell("edge", edge, column.id).text,
                )

    def test_merge_patch_follows_its_standard(self):
        self.assertEqual(
            merge_patch({"a": {"b": 1, "c": 2}}, {"a": {"b": None, "d": [1]}}),
            {"a": {"c": 2, "d": [1]}},
        )
        self.assertEqual(merge_patch([1], {"a": {"b": None}}), {"a": {}})


class Audit(unittest.TestCase):
    def test_a_missing_condition_stops_and_names_the_place(self):
        found = audit(Case(patched({"conditions": {"inlet": {"flow": None}}})))
        self.assertEqual(found[0].grade, "stops")
        self.assertEqual((found[0].place, found[0].column), ("inlet", "flow"))

    def test_general_rules_trip_and_clear(self):
        self.assertTrue(can_run(audit(Case(LANCE))))
        for patch, words in (
            ({"stages": {"settle": None, "spread": None}}, "Nothing is to be solved"),
            ({"readouts": {"salt_held": {"field": "sugar"}}}, "cannot be read"),
            ({"conditions": {"gone": {"flow": {"kind": "wall"}}}}, "not drawn now"),
            ({"stages": {"spread": None}}, "no stage solves it"),
            ({"grid": {"refine": {"near_lance": {"size": "10 um", "growth": 1.9}}}}, "stretched"),
        ):
            found = " ".join(f.sentence for f in audit(Case(patched(patch))))
            self.assertIn(words, found)
            self.assertNotIn(words, " ".join(f.sentence for f in audit(Case(LANCE))))

    def test_pockets_are_shown(self):
        wall = {
            "vessel": {
                "parts": {
                    "wall": {
                        "shape": "rectangle",
                        "does": "cut",
                        "x": "50 mm",
                        "y": "0 mm",
                        "width": "1 mm",
                        "height": "9 mm",
                    }
                }
            }
        }
        found = [f.sentence for f in audit(Case(patched(wall)))]
        self.assertIn("A pocket of open space is cut off from the rest.", found)


class Paper(unittest.TestCase):
    def test_estimates_stand_beside_readouts(self):
        rows = {r.readout: r for r in paper_check(Case(LANCE)).rows}
        self.assertGreater(rows["pressure_drop"].value, 0)
        self.assertTrue(rows["salt_out"].source)
        self.assertIsNone(rows["salt_held"].value)

    def test_speed_moves_the_numbers(self):
        slow, fast = (paper_check(Case(LANCE, {"speed": s})) for s in ("2 mm/s", "4 mm/s"))
        self.assertAlmostEqual(fast.regimes[0].value / slow.regimes[0].value, 2.0)
        self.assertAlmostEqual(fast.rows[0].value / slow.rows[0].value, 2.0)

    def test_verdicts(self):
        self.assertEqual(
            [verdict(r) for r in (1.0, 0.6, 1.9, 3.0)],
            ["agrees", "worth a look", "worth a look", "doubt one of them"],
        )


class Schema(unittest.TestCase):
    def test_every_case_meets_the_published_schema(self):
        schema = case_schema(find_phenomena())
        jsonschema.Draft202012Validator.check_schema(schema)
        check = jsonschema.Draft202012Validator(schema)
        for data in (LANCE, *CASES.values()):
            self.assertEqual([e.message for e in check.iter_errors(data)], [], data["name"])
        for bad in ({"nonsense": 1}, {"grid": {"sise": "1 mm"}}):
            self.assertTrue(list(check.iter_errors(patched(bad, SPECIES))))


if __name__ == "__main__":
    unittest.main()
