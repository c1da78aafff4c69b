"""What gases hold of heat with formation included, by hand, and temperatures found again."""

import unittest

import numpy as np

from underkettle.matter.gases import Blend, read_gas
from underkettle.matter.thermo import AIR, mass_of, substances
from underkettle.matter.warming import COLDEST, HOTTEST

GASES = ("CH4", "O2", "CO2", "H2O", "N2")
MASS = {g: mass_of({g: 1.0}) for g in GASES}


def shares(**given):
    """Mass fractions in the order of GASES, nitrogen for what is left."""
    found = [np.array([given.get(g, 0.0)]) for g in GASES[:-1]]
    return [*found, 1.0 - sum(found)]


class Held(unittest.TestCase):
    def setUp(self):
        self.blend = Blend([read_gas(g) for g in GASES])

    def test_an_element_holds_nothing_at_25_degrees(self):
        held, capacity = self.blend.enthalpy(shares(), np.array([298.15]))
        self.assertAlmostEqual(held[0], 0.0, delta=1e-6)
        self.assertAlmostEqual(capacity[0] * MASS["N2"], 29.12, delta=0.05)  # J/(mol K), JANAF

    def test_a_compound_holds_what_it_took_to_form(self):
        held, _ = self.blend.enthalpy(shares(CH4=1.0), np.array([298.15]))
        self.assertAlmostEqual(held[0] * MASS["CH4"] / 1e3, -74.5, delta=0.2)  # kJ/mol

    def test_the_sum_of_what_each_holds(self):
        parts, warm = shares(CH4=0.1, O2=0.3, H2O=0.2), np.array([1400.0])
        each = self.blend.enthalpies(warm)
        held, _ = self.blend.enthalpy(parts, warm)
        self.assertAlmostEqual(held[0] / sum(p * e for p, e in zip(parts, each, strict=True))[0], 1)
        own = substances()["H2O"].enthalpy(1400.0) / MASS["H2O"]
        self.assertAlmostEqual(each[3, 0] / own, 1.0, delta=1e-12)

    def test_the_capacity_is_its_slope(self):
        parts = shares(CO2=0.2, H2O=0.1)
        for t in (400.0, 999.0, 1001.0, 2500.0):
            up, down = (self.blend.enthalpy(parts, np.array([t + d]))[0][0] for d in (0.1, -0.1))
            capacity = self.blend.enthalpy(parts, np.array([t]))[1][0]
            self.assertAlmostEqual((up - down) / 0.2 / capacity, 1.0, delta=1e-6)

    def test_a_temperature_is_found_again(self):
        rng = np.random.default_rng(5)
        parts = [*rng.uniform(0, 0.25, (4, 3, 50))]
        parts.append(1.0 - sum(parts))
        warm = rng.uniform(210.0, 4500.0, (3, 50))
        held, _ = self.blend.enthalpy(parts, warm)
        np.testing.assert_allclose(self.blend.temperature(parts, held), warm, rtol=1e-10)

    def test_what_cannot_be_stays_at_the_ends(self):
        found = self.blend.temperature([np.repeat(p, 2) for p in shares()], np.array([-1e9, 1e9]))
        np.testing.assert_allclose(found, [COLDEST, HOTTEST], rtol=1e-9)

    def test_methane_burnt_with_just_the_air_it_needs(self):
        """2327 K without dissociation, air with argon left out: 2329 with nitrogen alone."""
        feed = {"CH4": 1.0, "O2": 2.0, "N2": 2.0 * (1 - AIR["O2"]) / AIR["O2"]}
        total = sum(n * MASS[g] for g, n in feed.items())
        cold = shares(CH4=MASS["CH4"] / total, O2=2 * MASS["O2"] / total)
        burnt = shares(CO2=MASS["CO2"] / total, H2O=2 * MASS["H2O"] / total)
        held, _ = self.blend.enthalpy(cold, np.array([298.15]))
        self.assertAlmostEqual(self.blend.temperature(burnt, held)[0], 2327.0, delta=4.0)


class Remembered(unittest.TestCase):
    def test_answers_belong_to_what_was_asked_and_to_who_asked(self):
        """More questions than are remembered, twice; what is done to an answer changes no other."""
        blend = Blend([read_gas("CO2"), read_gas("N2")])
        parts, warm = [np.array([0.3]), np.array([0.7])], np.linspace(400.0, 1900.0, 7)
        held = [blend.enthalpy(parts, np.array([t]))[0] for t in warm]
        for _ in range(2):
            for h, t in zip(held, warm, strict=True):
                found = blend.temperature(parts, h)
                self.assertAlmostEqual(found[0], t, delta=1e-6)
                found[:] = 0.0
        other = blend.temperature([np.array([0.9]), np.array([0.1])], held[-1])
        self.assertGreater(abs(other[0] - warm[-1]), 100.0)


if __name__ == "__main__":
    unittest.main()
