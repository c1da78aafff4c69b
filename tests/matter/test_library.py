"""Properties from the library against handbook values, and laws made of curves."""

import unittest

import numpy as np

from underkettle.case.values import read_parameters, read_quantity
from underkettle.matter import curve, find, law, properties
from underkettle.matter.library import MatterError
from underkettle.quantities import dimension_of


class Library(unittest.TestCase):
    def test_handbook_values(self):
        """Water at 20 degC and dry air at 300 K, 1 atm: Incropera's tables, from memory."""
        water = properties("Water", 293.15, 101325.0)
        for dimension, value, within in (
            ("density", 998.2, 1e-3),
            ("viscosity", 1.002e-3, 2e-3),
            ("heat capacity", 4182, 2e-3),
            ("heat conductivity", 0.598, 5e-3),
            ("thermal expansion", 2.07e-4, 0.01),
        ):
            self.assertAlmostEqual(water.values[dimension] / value, 1.0, delta=within)
        self.assertEqual(water.phase, "liquid")
        self.assertIn("20 degC", water.source)
        air = properties("Air", 300.0, 101325.0).values
        self.assertAlmostEqual(air["density"], 1.177, delta=2e-3)
        self.assertAlmostEqual(air["viscosity"] / 1.85e-5, 1.0, delta=0.01)
        self.assertAlmostEqual(air["thermal expansion"] * 300, 1.0, delta=0.01)

    def test_solutions_and_humid_air_take_a_share(self):
        thin, thick = (
            properties("INCOMP::MEG", 293.15, 1e5, s).values["viscosity"] for s in (0.1, 0.5)
        )
        self.assertGreater(thick, 2 * thin)
        dry, wet = (properties("humid air", 310.0, 1e5, s).values["density"] for s in (0.0, 1.0))
        self.assertLess(wet, dry)
        self.assertIn("relative humidity 0.4", properties("humid air", 310.0, 1e5, 0.4).source)

    def test_names_are_found_by_any_of_their_names(self):
        self.assertEqual(find("water")[0].id, "Water")
        self.assertIn("CarbonDioxide", [m.id for m in find("co2")])
        self.assertIn("INCOMP::MEG", [m.id for m in find("glycol")])
        self.assertEqual(find("no such stuff"), [])
        self.assertGreater(len(find("")), 4)

    def test_what_is_unknown_says_so(self):
        for matter, t in (("Phlogiston", 300.0), ("Water", 5000.0)):
            with self.assertRaises(MatterError):
                properties(matter, t, 1e5)

    def test_a_law_follows_its_curve_and_reads_as_a_formula(self):
        at, values = curve("Water", "viscosity", 283.15, 323.15, 1e5)
        text, error = law(at, values, "Pa s")
        self.assertLess(error, 0.01)
        formula = read_quantity(
            text,
            "viscosity",
            read_parameters({}),
            "here",
            solved={"temperature": dimension_of("temperature")},
        )
        told = formula.at(known={"temperature": at})
        self.assertLess(np.abs(told / values - 1).max(), 0.01)
        with self.assertRaises(MatterError):
            law(at, np.full(at.size, np.nan), "Pa s")


if __name__ == "__main__":
    unittest.main()
