"""Gases against CoolProp and handbooks, mixtures against tables and limits."""

import unittest

import numpy as np

from underkettle.matter import library
from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import ThermoError

ONE = [np.ones(1)]


def pure(text):
    return Blend([read_gas(text)])


class Alone(unittest.TestCase):
    def test_as_the_library_has_them(self):
        """Dilute; within what collisions of balls that attract each other tell."""
        for formula, entry in (
            ("N2", "Nitrogen"),
            ("O2", "Oxygen"),
            ("CO2", "CarbonDioxide"),
            ("CH4", "Methane"),
            ("Ar", "Argon"),
            ("H2", "Hydrogen"),
            ("air", "Air"),
        ):
            gas = pure(formula)
            for t in (300.0, 600.0, 600.0 if formula == "CH4" else 1000.0):
                at = np.array([t])
                for name, found, within in (
                    ("viscosity", gas.viscosity(ONE, at), 0.055),
                    ("heat conductivity", gas.conductivity(ONE, at), 0.08),
                    ("heat capacity", gas.heat_capacity(ONE, at), 0.015),
                    ("density", gas.density(ONE, at, 1e3), 1e-4),
                ):
                    known = library.properties(entry, t, 1e3).values[name]
                    with self.subTest(gas=formula, t=t, of=name):
                        self.assertAlmostEqual(float(found[0]) / known, 1.0, delta=within)

    def test_strong_dipoles_conduct_as_the_library_says(self):
        for formula, entry, hot in (("H2O", "Water", 1000.0), ("NH3", "Ammonia", 500.0)):
            for t in (350.0, hot):
                found = pure(formula).conductivity(ONE, np.array([t]))
                known = library.properties(entry, t, 1e3).values["heat conductivity"]
                self.assertAlmostEqual(float(found[0]) / known, 1.0, delta=0.01)

    def test_only_gases_can_be_read(self):
        for text in ("C(s)", "Q2", "", "2 x"):
            with self.assertRaises(ThermoError, msg=text):
                read_gas(text)


class Mixed(unittest.TestCase):
    def test_mass_and_moles(self):
        """By hand: 1 kg of hydrogen in 1 kg of nitrogen."""
        two = Blend([read_gas("H2"), read_gas("N2")])
        half = [np.array([0.5]), np.array([0.5])]
        mean = 1.0 / (0.5 / 2.01588e-3 + 0.5 / 28.0134e-3)
        self.assertAlmostEqual(float(two.molar_mass(half)[0]) / mean, 1.0, delta=1e-5)
        rho = 101325 * mean / 8.314462618 / 300
        self.assertAlmostEqual(
            float(two.density(half, np.array([300.0]), 101325.0)[0]) / rho, 1.0, delta=1e-5
        )

    def test_a_little_of_a_light_gas_thickens_a_heavy_mixture(self):
        """Viscosity of hydrogen with carbon dioxide has a peak above both, as was measured; in the
        ends it is theirs. Wilke's paper is about such; between 290 and 300 K about 15 uPa s pure.
        """
        two = Blend([read_gas("H2"), read_gas("CO2")])
        moles = np.linspace(0, 1, 101)
        light = moles * 2.01588 / (moles * 2.01588 + (1 - moles) * 44.0095)
        mu = two.viscosity([light, 1 - light], np.full(101, 300.0))
        self.assertAlmostEqual(
            mu[0] / float(pure("CO2").viscosity(ONE, np.array([300.0]))[0]), 1, 9
        )
        self.assertAlmostEqual(
            mu[-1] / float(pure("H2").viscosity(ONE, np.array([300.0]))[0]), 1, 9
        )
        peak = int(np.argmax(mu))
        self.assertTrue(0 < peak < 70)
        self.assertGreater(mu[50], 0.9 * mu[0])

    def test_make_up_and_components_agree(self):
        """Air as one component and as three of its own."""
        t = np.array([280.0, 900.0])
        made = {"N2": 0.7809, "O2": 0.2095, "Ar": 0.0096}
        masses = np.array([made[s] * read_gas(s).molar_mass for s in made])
        three = Blend([read_gas(s) for s in made])
        parts = [np.full(2, m / masses.sum()) for m in masses]
        whole, one = pure("air"), [np.ones(2)]
        for a, b in (
            (three.viscosity(parts, t), whole.viscosity(one, t)),
            (three.conductivity(parts, t), whole.conductivity(one, t)),
            (three.heat_capacity(parts, t), whole.heat_capacity(one, t)),
        ):
            np.testing.assert_allclose(a, b, rtol=1e-12)

    def test_beyond_the_tables_values_stay(self):
        gas = pure("N2")
        hot, hotter = (gas.viscosity(ONE, np.array([t])) for t in (4000.0, 9000.0))
        self.assertEqual(hot, hotter)
        self.assertTrue(np.isfinite(gas.viscosity([np.zeros(1) + 1e-30], np.array([300.0]))).all())


if __name__ == "__main__":
    unittest.main()
