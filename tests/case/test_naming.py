"""Short names while only one bears them, long names always; two of one name are never mixed."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, FLOWING, NOZZLES, base
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.naming import Named, shared_by
from underkettle.quantities import parse

TWO = base(
    vessel={"parts": {"box": BOX}, "nozzles": NOZZLES},
    phenomena={
        "flow": {"density": "1000 kg/m3", "viscosity": "0.1 Pa s"},
        "species": {"members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
        "mixture": {"density": "1000 kg/m3", "members": {"salt": {"diffusivity": "1e-6 m2/s"}}},
    },
    conditions={
        "inlet": {
            **FLOWING["inlet"],
            "species.salt": {"kind": "carried in", "value": "2 mol/m3"},
            "mixture.salt": {"kind": "carried in", "value": "0.1"},
        },
        "outlet": FLOWING["outlet"],
    },
    stages={"go": {"solve": ["flow", "species", "mixture"], "mode": "transient", "until": "0.2 s"}},
    readouts={
        "strong": {"kind": "mean", "field": "species.salt", "place": "space"},
        "share": {"kind": "mean", "field": "mixture.salt", "place": "space"},
        "moles": {"kind": "through", "quantity": "species.salt", "place": "inlet"},
        "kilos": {"kind": "through", "quantity": "mixture.salt", "place": "inlet"},
    },
)
SINGLE = merge_patch(
    TWO,
    {
        "phenomena": {"mixture": None},
        "conditions": {"inlet": {"mixture.salt": None}},
        "stages": {"go": {"solve": ["flow", "species"]}},
        "readouts": {"share": None, "kilos": None},
    },
)


class Names(unittest.TestCase):
    def test_the_short_one_serves_alone(self):
        found = Named({"species.salt": 1, "heat.temperature": 2}, {"mine": 3})
        self.assertEqual(list(found), ["salt", "temperature", "mine"])
        self.assertEqual((found["salt"], found["species.salt"]), (1, 1))
        self.assertEqual(found.key("species.salt"), "salt")
        self.assertEqual(found.shared, {})
        self.assertEqual(len(found), 3)

    def test_shared_ones_are_kept_by_their_long_names(self):
        found = Named({"species.salt": 1, "mixture.salt": 2, "flow.speed": 3})
        self.assertEqual(list(found), ["species.salt", "mixture.salt", "speed"])
        self.assertNotIn("salt", found)
        with self.assertRaises(KeyError):
            found.key("salt")
        self.assertIn("species.salt and mixture.salt", shared_by({"salt"}, found.shared))
        self.assertEqual(shared_by({"speed"}, found.shared), "")

    def test_names_of_members_have_three_parts(self):
        found = Named({"drops.small.size": 1, "drops.large.size": 2})
        self.assertEqual(list(found), ["drops.small.size", "drops.large.size"])

    def test_formulas_read_long_names(self):
        formula = parse("2 * species.salt + mixture.salt")
        self.assertEqual(formula.names, {"species.salt", "mixture.salt"})
        self.assertEqual(formula.evaluate({"species.salt": 3.0, "mixture.salt": 0.5}), 6.5)


class Alone(unittest.TestCase):
    def test_the_long_name_finds_what_has_a_short_one(self):
        case = Case(SINGLE)
        self.assertEqual(case.model.readouts["strong"].field, "salt")
        self.assertEqual(case.model.readouts["moles"].quantity, "salt")
        run = uk.run(SINGLE)
        np.testing.assert_array_equal(run.field("species.salt"), run.field("salt"))

    def test_laws_and_formulas_may_say_either(self):
        results = []
        for name in ("salt", "species.salt"):
            patch = {
                "phenomena": {"flow": {"viscosity": f"0.1 Pa s*(1 + {name}/(5 mol/m3))"}},
                "derived": {"twice": {"formula": f"2*{name}"}},
                "readouts": {"both": {"kind": "mean", "field": "twice", "place": "space"}},
                "keep": {"fields": [name, "twice"]},
            }
            run = uk.run(merge_patch(SINGLE, patch))
            results.append((run.readouts["both"].value, run.readouts["strong"].value))
        self.assertEqual(results[0], results[1])
        self.assertAlmostEqual(results[0][0] / results[0][1], 2.0, places=9)


class Shared(unittest.TestCase):
    def test_they_run_beside_each_other_without_mixing(self):
        both, alone = uk.run(TWO), uk.run(SINGLE)
        self.assertAlmostEqual(
            both.readouts["strong"].value, alone.readouts["strong"].value, places=12
        )
        self.assertEqual(
            [n for n in both.file.field_names(both.frames[-1].id) if "salt" in n],
            ["species.salt", "mixture.salt", "salt_by_moles"],
        )
        self.assertEqual({n for n in both.balance if "salt" in n}, {"species.salt", "mixture.salt"})
        self.assertEqual(both.balance["species.salt"]["unit"], "mol")
        self.assertEqual(both.balance["mixture.salt"]["unit"], "kg")
        self.assertAlmostEqual(
            both.readouts["moles"].value / both.readouts["kilos"].value, 2.0 / 100.0, places=6
        )
        self.assertFalse(
            np.allclose(
                np.nan_to_num(both.field("species.salt")), np.nan_to_num(both.field("mixture.salt"))
            )
        )
        with self.assertRaises(KeyError):
            both.field("salt")

    def refused(self, patch):
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(TWO, patch))
        return str(caught.exception)

    def test_the_short_name_is_refused_with_the_long_ones(self):
        for patch in (
            {"phenomena": {"flow": {"viscosity": "0.1 Pa s*(1 + salt/(5 mol/m3))"}}},
            {"derived": {"twice": {"formula": "2*salt"}}},
            {"keep": {"fields": ["salt"]}},
        ):
            with self.subTest(patch=patch):
                said = self.refused(patch)
                self.assertIn("species.salt", said)
                self.assertIn("mixture.salt", said)

    def test_a_readout_of_it_cannot_be_read(self):
        for patch in (
            {"readouts": {"strong": {"field": "salt"}}},
            {"readouts": {"moles": {"quantity": "salt"}}},
        ):
            found = [f for f in audit(Case(merge_patch(TWO, patch))) if f.rule == "cannot be read"]
            self.assertEqual(len(found), 1)
            self.assertIn("mixture.salt", found[0].sentence + found[0].reason)

    def test_laws_name_the_one_they_mean(self):
        patch = {"phenomena": {"flow": {"viscosity": "0.1 Pa s*(1 + mixture.salt)"}}}
        run = uk.run(merge_patch(TWO, patch))
        self.assertEqual(run.status, "finished")


if __name__ == "__main__":
    unittest.main()
