"""A breath as a table of volume flow over time: what it brings, and what goes back when it turns."""

import unittest

import underkettle as uk
from tests.phenomena.cases import FLOW
from underkettle.case.model import merge_patch


def breathed(rows):
    inlet = {"flow": {"speed": None, "volume_flow": {"table": rows}}}
    data = merge_patch(
        FLOW,
        {
            "conditions": {"inlet": inlet},
            "stages": {"go": {"until": "3 s", "longest_step": "20 ms"}},
        },
    )
    return uk.run(data).balance["mass"]


class Breath(unittest.TestCase):
    def test_a_pulse_brings_what_lies_below_its_curve(self):
        """Up to 6 l/min and back within two seconds: half of .2 l, 100 g."""
        mass = breathed([["0 s", "0 l/min"], ["1 s", "6 l/min"], ["2 s", "0 l/min"]])
        self.assertAlmostEqual(mass["in"], 0.1, delta=5e-4)
        self.assertAlmostEqual(mass["out"], mass["in"], delta=1e-9)

    def test_breathing_out_takes_back(self):
        """3 l/min and back within a second: 25 g."""
        rows = [["0 s", "0 l/min"], ["1 s", "6 l/min"], ["2 s", "0 l/min"]]
        mass = breathed([*rows, ["2.5 s", "-3 l/min"], ["3 s", "0 l/min"]])
        self.assertAlmostEqual(mass["inflow"]["inlet"], 0.1, delta=5e-4)
        self.assertAlmostEqual(mass["outflow"]["inlet"], 0.025, delta=5e-4)
        self.assertLess(mass["relative"], 1e-9)


if __name__ == "__main__":
    unittest.main()
