"""The equations of a case say what its letters are and what every place asks of them."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import CASES, FLOW, HEAT, SPECIES
from underkettle.case.case import Case
from underkettle.case.equations import equations
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.engine.contract import find_phenomena


class Equations(unittest.TestCase):
    def test_letters_carry_their_values(self):
        flow, salt = equations(Case(SPECIES))
        letters = {x["symbol"]: x["tex"] for x in flow["letters"]}
        self.assertEqual(letters[r"\rho"], r"1000\,\mathrm{kg/m^{3}}")
        self.assertEqual(letters[r"\mu"], r"0.01\,\mathrm{Pa\,s}")
        self.assertEqual([x["tex"] for x in salt["letters"]], [r"1\times10^{-6}\,\mathrm{m^{2}/s}"])

    def test_places_with_one_condition_stand_together(self):
        flow, salt = equations(Case(SPECIES))
        lines = {
            line["tex"]: [p["id"] for p in line["places"]]
            for line in flow["places"]
            if line["on"] == "edge"
        }
        self.assertEqual(lines[r"-\mathbf u\cdot\mathbf n=0.01\,\mathrm{m/s}"], ["inlet"])
        self.assertEqual(
            set(lines[r"\mathbf u=0"]), {"box_top", "box_bottom", "box_left", "box_right"}
        )
        held = next(x for x in salt["places"] if x["places"][0]["id"] == "box_top")
        self.assertEqual((held["tex"], held["assumed"]), (r"c=3\,\mathrm{mol/m^{3}}", False))

    def test_formulas_and_tables_stay_as_typed(self):
        for speed, shown in (
            ("5 mm/s*sin(y/(1 mm))", r"\texttt{5 mm/s*sin(y/(1 mm))}"),
            ({"table": [["0 s", "0 mm/s"], ["1 s", "5 mm/s"]]}, "table in time"),
        ):
            case = Case(merge_patch(FLOW, {"conditions": {"inlet": {"flow": {"speed": speed}}}}))
            self.assertTrue(any(shown in line["tex"] for line in equations(case)[0]["places"]))

    def test_a_term_is_kept_as_a_field_and_balances_what_it_should(self):
        """Between plates the pressure pushes as hard as shear drags: 12 mu U / gap^2."""
        case = merge_patch(
            FLOW,
            {
                "vessel": {"nozzles": {"inlet": {"bore": "20 mm"}, "outlet": {"bore": "20 mm"}}},
                "conditions": {"inlet": {"flow": {"profile": "developed"}}},
                "stages": {"go": {"mode": "steady", "until": None, "aim": 1e-9}},
                "record": ["flow.pressure", "flow.viscosity"],
                "readouts": {"push": {"kind": "max", "field": "flow_pressure", "place": "space"}},
            },
        )
        run = uk.run(case)
        push, drag = run.field("flow_pressure")[10], run.field("flow_viscosity")[10]
        exact = 12 * 0.01 * 0.01 / 0.02**2
        self.assertLess(np.abs(push[10:30] / exact - 1).max(), 0.01)
        self.assertLess(np.abs(push + drag)[10:30].max(), 0.01 * exact)
        self.assertAlmostEqual(run.readouts["push"].value / exact, 1.0, delta=0.5)
        for wrong in ("flow.magic", "heat.made", "nothing"):
            with self.assertRaises(CaseError) as caught:
                Case({**case, "record": [wrong]})
            self.assertIn("record / 1", str(caught.exception))

    def test_terms_of_what_acts_together_leave_the_run_as_it_is(self):
        patch = {"record": ["flow.weight", "heat.convection", "heat.made"]}
        plain, kept = uk.run(HEAT), uk.run(merge_patch(HEAT, patch))
        self.assertIn("heat_made", kept.case.fields())
        self.assertAlmostEqual(float(np.nanmean(kept.field("heat_made"))), 1e4, delta=1.0)
        self.assertTrue(
            np.array_equal(plain.field("temperature"), kept.field("temperature"), equal_nan=True)
        )

    def test_each_member_has_terms_of_its_own(self):
        """What decays is made at -k c; the other member is made at its own rate."""
        case = merge_patch(
            SPECIES,
            {
                "phenomena": {"species": {"members": {"sugar": {"diffusivity": "1e-9 m2/s"}}}},
                "conditions": {
                    "space": {"species.sugar": {"kind": "made", "source": "3 mol/(m3 s)"}},
                    "inlet": {"species.sugar": {"kind": "carried in", "value": "0 mol/m3"}},
                },
                "record": ["species.sugar.made", "species.salt.made"],
            },
        )
        run = uk.run(case)
        self.assertAlmostEqual(float(np.nanmean(run.field("species_sugar_made"))), 3.0, delta=1e-6)
        self.assertNotAlmostEqual(float(np.nanmean(run.field("species_salt_made"))), 3.0, delta=1)
        self.assertEqual(run.case.fields()["species_sugar_made"][1].label[-8:], "of sugar")

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
