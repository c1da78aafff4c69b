"""Pictures kept with a case: units, series, fields that are gone, bad values."""

import unittest

from tests.phenomena.cases import FLOW, SPECIES
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.pictures import OF_CASE, pictures
from underkettle.server.shelf import card_of


def kept(picture, data=SPECIES):
    case = Case(merge_patch(data, {"pictures": {OF_CASE: picture}}))
    return pictures(case, case.data["pictures"]).get(OF_CASE)


class Pictures(unittest.TestCase):
    def test_ends_of_the_scale_are_in_the_units_the_field_is_shown_in(self):
        told = kept({"field": "salt", "low": "0.5 mmol/l", "high": "2000 mol/m3", "at": "150 ms"})
        self.assertEqual((told["unit"], told["at"]), ("mol/m3", 0.15))
        self.assertAlmostEqual(told["low"], 0.5)
        self.assertAlmostEqual(told["high"], 2000.0)
        self.assertEqual((told["over"], told["steps"], told["layers"]), ("frame", 256, []))

    def test_a_place_along_a_series_is_a_value_of_its_parameter(self):
        series = merge_patch(
            FLOW,
            {
                "stages": {
                    "go": None,
                    "loop": {
                        "solve": ["flow"],
                        "mode": "series",
                        "control": "applied",
                        "values": ["0 V", "200 mV"],
                    },
                }
            },
        )
        self.assertAlmostEqual(kept({"field": "speed", "at": "200 mV"}, series)["at"], 0.2)
        with self.assertRaisesRegex(CaseError, "pictures / case / at"):
            kept({"field": "speed", "at": "2 s"}, series)

    def test_a_picture_of_what_is_gone_waits_and_does_not_stand_in_the_way(self):
        self.assertIsNone(kept({"field": "salt"}, FLOW))
        self.assertIsNone(kept({"field": "speed", "stage": "gone"}, FLOW))

    def test_bad_values_are_told_with_their_place(self):
        for picture, words in (
            ({"field": "salt", "low": "3 s"}, "pictures / case / low"),
            ({"field": "salt", "low": "3 mol/m3", "high": "2 mol/m3"}, "ends below its start"),
            ({"field": "salt", "steps": 1}, "pictures / case / steps"),
            ({"field": "salt", "layers": ["fog"]}, "pictures / case / layers"),
            ({"field": "salt", "colour": "red"}, "colour"),
        ):
            with self.subTest(picture), self.assertRaisesRegex(CaseError, words):
                kept(picture)

    def test_what_does_not_fit_another_case_is_left_out_of_what_is_shown_of_it(self):
        case = Case(SPECIES)
        entries = {"a": {"field": "salt"}, "b": {"field": "salt", "low": "3 s"}, "c": {"field": 7}}
        self.assertEqual(list(pictures(case, entries)), ["a"])

    def test_a_card_shows_the_picture_of_its_case_and_no_other(self):
        data = merge_patch(SPECIES, {"pictures": {"far": {"field": "salt"}}})
        self.assertIsNone(card_of(data, Case(data))["look"])
        data = merge_patch(data, {"pictures": {OF_CASE: {"field": "speed", "steps": 9}}})
        self.assertEqual(card_of(data, Case(data))["look"]["steps"], 9)


if __name__ == "__main__":
    unittest.main()
