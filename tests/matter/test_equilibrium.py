"""Flame temperatures and equilibria against published values, balances over many feeds."""

import unittest

import numpy as np

from underkettle.matter.equilibrium import (
    air_for,
    elements_of,
    equilibrium,
    flame,
    heating_value,
)
from underkettle.matter.thermo import (
    AIR,
    GAS,
    GRAPHITE,
    ThermoError,
    enthalpy_of,
    mass_of,
    read_mixture,
    substances,
)

ATMOSPHERE = 101325.0
FUELS = ("CH4", "C2H2", "C2H4", "C2H6", "C3H8", "CH3OH", "C2H5OH", "CO", "H2", "NH3")


def burnt(fuel, ratio=1.0, **more):
    parts = read_mixture(fuel)
    feed = dict(parts)
    for name, share in AIR.items():
        feed[name] = feed.get(name, 0.0) + ratio * air_for(parts) * share
    return feed, flame(feed, 298.15, ATMOSPHERE, **more)


class Thermo(unittest.TestCase):
    def test_tables(self):
        """JANAF, from memory: enthalpies above 298.15 K at 1500 K in kJ/mol, entropies there."""
        for name, rise, entropy in (
            ("N2", 38.405, 241.88),
            ("O2", 40.600, 258.07),
            ("CO2", 61.705, 292.19),
            ("H2O", 48.151, 250.62),
        ):
            s = substances()[name]
            self.assertAlmostEqual(
                (s.enthalpy(1500.0) - s.enthalpy(298.15)) / 1e3 / rise, 1.0, delta=3e-3, msg=name
            )
            self.assertAlmostEqual(s.entropy_at(1500.0) / entropy, 1.0, delta=2e-3, msg=name)

    def test_the_two_polynomials_meet(self):
        for s in substances().values():
            self.assertAlmostEqual(
                s.heat_capacity(1000.0) / s.heat_capacity(1000.0 + 1e-6),
                1.0,
                delta=1e-6,
                msg=s.name,
            )

    def test_water_gas_shift(self):
        """Constants from Gibbs energies, as in textbooks: 28 at 600 K, 4.2 at 800, 1.4 at 1000."""
        for temperature, constant in ((600, 28.1), (800, 4.20), (1000, 1.43), (1200, 0.73)):
            g = {n: substances()[n].gibbs(temperature) for n in ("CO2", "H2", "CO", "H2O")}
            found = np.exp(-(g["CO2"] + g["H2"] - g["CO"] - g["H2O"]) / (GAS * temperature))
            self.assertAlmostEqual(found / constant, 1.0, delta=0.01)

    def test_mixtures_are_read(self):
        self.assertEqual(read_mixture("CH4 + 2 O2"), {"CH4": 1.0, "O2": 2.0})
        self.assertAlmostEqual(sum(read_mixture("3 air").values()), 3.0)
        for text in ("", "2", "CH5", "CH4 - H2", "CH4 +"):
            with self.assertRaises(ThermoError, msg=text):
                read_mixture(text)


class Equilibrium(unittest.TestCase):
    def test_flames_of_turns(self):
        """Turns' book, from memory: stoichiometric in air, 298.15 K, 1 atm, with dissociation."""
        for fuel, published, within in (
            ("CH4", 2226.0, 5.0),
            ("C3H8", 2267.0, 5.0),
            ("C2H4", 2369.0, 5.0),
            ("H2", 2390.0, 12.0),
            ("CO", 2400.0, 20.0),
        ):
            feed, found = burnt(fuel)
            self.assertAlmostEqual(found.temperature, published, delta=within, msg=fuel)
            self.assertAlmostEqual(
                enthalpy_of(found.moles, found.temperature), enthalpy_of(feed, 298.15), delta=10.0
            )

    def test_burnt_to_the_end_is_hotter(self):
        only = ("CO2", "H2O", "N2", "O2", "Ar")
        for fuel, published in (("CH4", 2327.0), ("H2", 2524.0), ("C3H8", 2393.0)):
            _, found = burnt(fuel, products=only, graphite=False)
            self.assertAlmostEqual(found.temperature, published, delta=5.0, msg=fuel)

    def test_heating_values(self):
        """Lower heating values in MJ/kg (common practice)."""
        for fuel, published in (("CH4", 50.0), ("C3H8", 46.4), ("H2", 120.0), ("CO", 10.1)):
            parts = read_mixture(fuel)
            self.assertAlmostEqual(
                heating_value(parts) / mass_of(parts) / 1e6 / published, 1.0, delta=3e-3
            )

    def test_steam_and_carbon(self):
        """CH1.4O0.6 with a mole of steam at 800 degC: dry gas of the notes kept with the method."""
        feed = {GRAPHITE: 1.0, "H2": 1.7, "O2": 0.8}
        found = equilibrium(feed, 1073.15, 1e5)
        dry = {s: n for s, n in found.shares.items() if s != "H2O"}
        for name, share in (("H2", 0.569), ("CO", 0.329), ("CO2", 0.100)):
            self.assertAlmostEqual(dry[name] / sum(dry.values()), share, delta=2e-3)
        self.assertNotIn(GRAPHITE, found.moles)
        cold = equilibrium({GRAPHITE: 1.0, "H2O": 0.3}, 800.0, 1e5)
        self.assertGreater(cold.moles[GRAPHITE], 0.3)

    def test_any_feed_is_solved(self):
        """None fails, and every element stays."""
        random = np.random.default_rng(4)
        names = [*FUELS, "O2", "N2", "H2O", "CO2", GRAPHITE]
        worst = 0.0
        for _ in range(300):
            chosen = random.choice(names, size=4, replace=False)
            feed = {n: float(random.uniform(0.01, 3.0)) for n in chosen}
            found = equilibrium(
                feed, float(random.uniform(300, 3000)), float(10 ** random.uniform(4, 6))
            )
            after = elements_of(found.moles)
            for element, n in elements_of(feed).items():
                worst = max(worst, abs(after[element] / n - 1))
        self.assertLess(worst, 1e-10)


if __name__ == "__main__":
    unittest.main()
