"""The equations of a case say what its letters are and what every place asks of them."""

import unittest

from tests.phenomena.cases import CASES, FLOW, SPECIES
from underkettle.case.case import Case
from underkettle.case.equations import equations
from underkettle.case.model import merge_patch
from underkettle.engine.contract import find_phenomena


class Equations(unittest.TestCase):
    def test_letters_carry_their_values(self):
        flow, salt = equations(Case(SPECIES))
        letters = {x["symbol"]: x["tex"] for x in flow["letters"]}
        self.assertEqual(letters[r"\rho"], r"1000\,\mathrm{kg/m^{3}}")
        self.assertEqual(letters[r"\mu"], r"0.01\,\mathrm{Pa\,s}")
        self.assertEqual([x["tex"] for x in salt["letters"]],
                         [r"1\times10^{-6}\,\mathrm{m^{2}/s}"])

    def test_places_with_one_condition_stand_together(self):
        flow, salt = equations(Case(SPECIES))
        lines = {line["tex"]: [p["id"] for p in line["places"]] for line in flow["places"]
                 if line["on"] == "edge"}
        self.assertEqual(lines[r"-\mathbf u\cdot\mathbf n=0.01\,\mathrm{m/s}"], ["inlet"])
        self.assertEqual(set(lines[r"\mathbf u=0"]), {"box_top", "box_bottom", "box_left",
                                                      "box_right"})
        held = next(x for x in salt["places"] if x["places"][0]["id"] == "box_top")
        self.assertEqual((held["tex"], held["assumed"]), (r"c=3\,\mathrm{mol/m^{3}}", False))

    def test_formulas_and_tables_stay_as_typed(self):
        for speed, shown in (("5 mm/s*sin(y/(1 mm))", r"\texttt{5 mm/s*sin(y/(1 mm))}"),
                             ({"table": [["0 s", "0 mm/s"], ["1 s", "5 mm/s"]]}, "table in time")):
            case = Case(merge_patch(FLOW, {"conditions": {"inlet": {"flow": {"speed": speed}}}}))
            self.assertTrue(any(shown in line["tex"] for line in equations(case)[0]["places"]))

    def test_every_condition_of_ours_is_written_as_mathematics(self):
        for name, declared in find_phenomena().items():
            if not type(declared).__module__.startswith("underkettle"):
                continue
            for condition in declared.conditions:
                if condition.name not in ("open",):
                    self.assertTrue(condition.tex, f"{name}: {condition.name}")
            for entry in equations(Case(CASES[name])):
                for line in entry["places"]:
                    self.assertNotIn("<", line["tex"])
                    self.assertNotIn("None", line["tex"])


if __name__ == "__main__":
    unittest.main()
