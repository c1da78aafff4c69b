"""Derived fields, formula readouts and drawn readouts, through the public path."""

import math
import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import SPECIES
from underkettle.case.case import Case
from underkettle.case.derived import from_frame
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch

# still water with a marker that rises along x by 100 mol/m3 a metre: every number is known
RAMP = merge_patch(
    SPECIES,
    {
        "parameters": {"scale": "2 mol/m3"},
        "start": {"space": {"species.salt": {"value": "x*100 mol/m4"}}},
        "phenomena": {"species": {"members": {"salt": {"diffusivity": "1e-15 m2/s"}}}},
        "stages": {"go": {"solve": ["species"], "until": "0.01 s"}},
        "derived": {
            "share": {"formula": "salt/scale", "unit": "%", "label": "share of the scale"},
            "off": {"formula": "(salt - middle)^2", "centred": True},
        },
        "readouts": {
            "middle": {"kind": "mean", "field": "salt", "place": "space"},
            "wide": {"kind": "spread", "field": "salt", "place": "space"},
            "boxed": {"kind": "mean", "field": "salt", "box": ["0 mm", "0 mm", "10 mm", "20 mm"]},
            "amount": {"kind": "total", "field": "salt", "box": ["0 mm", "0 mm", "10 mm", "20 mm"]},
            "along": {
                "kind": "total",
                "field": "salt",
                "line": ["0 mm", "10 mm", "40 mm", "10 mm"],
            },
            "round": {
                "kind": "mean",
                "field": "salt",
                "arc": ["20 mm", "10 mm", "5 mm", "0 deg", "360 deg"],
            },
            "top": {"kind": "max", "field": "share", "place": "space"},
            "square": {"kind": "mean", "field": "off", "place": "space"},
            "ratio": {"kind": "formula", "formula": "boxed/middle + 0*t/(1 s)"},
            "twice": {"kind": "formula", "formula": "2*ratio", "unit": "%"},
        },
    },
)
RAMP["vessel"] = {"parts": RAMP["vessel"]["parts"]}
RAMP["conditions"] = {}


class Derived(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.solved = uk.run(RAMP)
        cls.told = cls.solved.readouts

    def near(self, name, value, unit, delta=1e-4):
        self.assertEqual(self.told[name].unit, unit)
        self.assertAlmostEqual(self.told[name].value / value, 1.0, delta=delta, msg=name)

    def test_what_is_drawn_is_read(self):
        self.near("middle", 2.0, "mol/m3")
        self.near("wide", 4.0 / math.sqrt(12), "mol/m3", 2e-4)  # of an even distribution
        self.near("boxed", 0.5, "mol/m3")
        self.near("amount", 0.5 * 0.01 * 0.02, "mol")
        self.near("along", 2.0 * 0.04, "mol/m^2")
        self.near("round", 2.0, "mol/m3")

    def test_formulas_of_fields_and_readouts(self):
        self.near("top", 100 * 3.975 / 2, "%")
        self.near("square", 16 / 12, "mol^2/m^6", 2e-4)
        self.near("ratio", 0.25, "")
        self.near("twice", 50.0, "%")

    def test_frames_hold_derived_fields(self):
        share = self.solved.field("share")
        self.assertTrue(np.allclose(share, self.solved.field("salt") / 2, rtol=1e-6))

    def test_a_formula_given_later_tells_the_same_of_frames(self):
        later = Case(
            merge_patch(
                RAMP,
                {
                    "derived": {
                        "late": {"formula": "share - 100*boxed/scale"},
                        "later": {"formula": "late*0 + y/x"},
                    }
                },
            )
        )
        frame, held = self.solved.frames[-1], {"salt": self.solved.field("salt")}

        def told(name, stored=held.get):
            return from_frame(later, name, stored, frame.readouts.get, 0.0)

        self.assertTrue(
            np.allclose(
                told("late"),
                self.solved.field("share") - 100 * frame.readouts["boxed"] / 2,
                rtol=1e-6,
            )
        )
        self.assertAlmostEqual(told("later")[3, 5] / (3.5 / 5.5), 1.0, places=6)
        self.assertIsNone(told("late", {}.get))
        self.assertIsNone(told("ghost"))

    def test_bad_formulas_are_named(self):
        for patch, words in (
            ({"derived": {"share": {"formula": "salt/pepper"}}}, "pepper"),
            ({"derived": {"a": {"formula": "b"}, "b": {"formula": "a"}}}, "derived / a"),
            ({"derived": {"salt": {"formula": "1"}}}, "already"),
            ({"derived": {"share": {"unit": "bar"}}}, "does not measure"),
            ({"keep": {"fields": ["ghost"]}}, "ghost"),
            ({"keep": {"box": ["1 m", "1 m", "2 kg", "2 m"]}}, "keep / box"),
        ):
            with self.assertRaises(CaseError, msg=str(patch)) as caught:
                Case(merge_patch(RAMP, patch))
            self.assertIn(words, str(caught.exception))

    def test_readouts_that_go_round_are_told(self):
        from underkettle.reading.readouts import problems

        case = Case(
            merge_patch(
                RAMP,
                {
                    "readouts": {
                        "ratio": {"formula": "twice"},
                        "both": {
                            "kind": "mean",
                            "field": "salt",
                            "place": "space",
                            "box": ["0 mm"] * 4,
                        },
                        "edge": {
                            "kind": "difference",
                            "field": "salt",
                            "to": "box_left",
                            "box": ["0 mm"] * 4,
                        },
                    }
                },
            )
        )
        self.assertIn("cannot be read", problems(case, "ratio"))
        self.assertIn("cannot be read", problems(case, "twice"))
        self.assertIn("only one", problems(case, "both"))
        self.assertIn("not told of a box", problems(case, "edge"))


if __name__ == "__main__":
    unittest.main()
