"""Every phenomenon, ours and those from outside, through the conformance suite."""

import unittest

from tests.phenomena.cases import CASES, SOUND, TRIPS
from underkettle import conformance
from underkettle.case.model import merge_patch
from underkettle.engine.contract import find_phenomena


class Conformance(unittest.TestCase):
    def each(self, check):
        for name, data in CASES.items():
            with self.subTest(phenomenon=name):
                self.assertEqual(check(name, data), [])

    def test_all_are_found_through_entry_points(self):
        self.assertEqual(set(find_phenomena()), set(CASES))

    def test_declarations(self):
        self.each(conformance.declaration)

    def test_a_step_can_be_taken_back(self):
        self.each(lambda name, data: conformance.restore(data))

    def test_a_killed_run_goes_on_bit_for_bit(self):
        self.each(lambda name, data: conformance.resume(data))

    def test_the_order_of_names_does_not_matter(self):
        self.each(lambda name, data: conformance.shuffled(data))

    def test_balances_close(self):
        self.each(conformance.balance)

    def test_profiles_along_walls_add_up(self):
        self.each(conformance.walls)

    def test_audit_rules_trip_and_clear(self):
        self.each(
            lambda name, data: conformance.audit(
                name, merge_patch(data, SOUND.get(name, {})), TRIPS[name]
            )
        )

    def test_terms_sum_to_the_residual(self):
        self.each(conformance.terms)


if __name__ == "__main__":
    unittest.main()
