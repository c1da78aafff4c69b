"""Gas from a solid fuel: against equilibrium by the smallest Gibbs energy, balances, refusals."""

import unittest

from underkettle.matter.equilibrium import equilibrium
from underkettle.matter.thermo import AIR, MASSES
from underkettle.sums import SUMS, SumError, side_sum
from underkettle.sums.gasifying import (
    HELD,
    ITSELF,
    constant,
    higher_heating_value,
    shared_out,
)

PLAIN = {
    "nitrogen": 0.0,
    "sulphur": 0.0,
    "ash": 0.0,
    "moisture": 0.0,
    "measured": 0.0,
    "air_ratio": 0.25,
    "agent": AIR["O2"],
    "agent_temperature": 298.15,
    "steam": 0.0,
    "steam_temperature": 423.15,
    "heat": HELD,
    "temperature": 1073.15,
    "lost": 0.0,
    "pressure": 101325.0,
    "carbon_converted": 1.0,
    "tar": 0.0,
    "shift_off": 0.0,
    "reforming_off": 0.0,
}


def wood(**changed):
    """CH1.4O0.6 by mass."""
    masses = {"carbon": MASSES["C"], "hydrogen": 1.4 * MASSES["H"], "oxygen": 0.6 * MASSES["O"]}
    total = sum(masses.values())
    return side_sum(
        "gasifying", **{n: m / total for n, m in masses.items()}, **{**PLAIN, **changed}
    )


class Equilibrium(unittest.TestCase):
    def test_constants_of_shift(self):
        """28.1, 4.20, 1.43, .73 at 600, 800, 1000, 1200 degC less 273: from Gibbs energies."""
        for warm, known in ((600.0, 28.1), (800.0, 4.20), (1000.0, 1.43), (1200.0, 0.73)):
            found = constant("CO + H2O -> CO2 + H2", warm)
            self.assertAlmostEqual(found / known, 1.0, delta=0.04)

    def test_air_at_800_degrees(self):
        """As the smallest Gibbs energy has it, NH3 left out."""
        need = 1.0 + 0.35 - 0.3
        feed = {"C(s)": 1.0, "H2": 0.7, "O2": 0.3 + 0.25 * need}
        feed["N2"] = 0.25 * need * (1.0 / AIR["O2"] - 1.0)
        shares = equilibrium(feed, 1073.15, 101325.0).shares
        found, dry = wood(), 1.0 - shares["H2O"]
        for name in ("H2", "CO", "CO2", "CH4", "N2"):
            self.assertAlmostEqual(found[name.lower()], shares[name] / dry, delta=1e-4)
        self.assertAlmostEqual(found["h2"], 0.244, delta=1e-3)
        self.assertAlmostEqual(found["co"], 0.349, delta=1e-3)

    def test_steam_at_800_degrees(self):
        """One mole for each of carbon: .569 H2, .329 CO, .100 CO2, dry."""
        one = 18.01528e-3 / (MASSES["C"] + 1.4 * MASSES["H"] + 0.6 * MASSES["O"])
        found = wood(air_ratio=1e-9, steam=one)
        for name, known in (("h2", 0.569), ("co", 0.329), ("co2", 0.100)):
            self.assertAlmostEqual(found[name], known, delta=2e-3)

    def test_pressure_makes_methane(self):
        self.assertGreater(wood(pressure=20e5)["ch4"], 20 * wood()["ch4"])

    def test_off_equilibrium(self):
        """Shift as if 100 K warmer makes more CO; reforming as if 200 K cooler leaves methane."""
        plain = wood()
        self.assertGreater(wood(shift_off=100.0)["co"], plain["co"])
        self.assertGreater(wood(reforming_off=200.0)["ch4"], 3 * plain["ch4"])


class Balances(unittest.TestCase):
    def test_atoms(self):
        atoms = {"C": 40.0, "H": 60.0, "O": 45.0, "N": 50.0}
        gas = shared_out(atoms, 1.4, 30.0, 3e5)
        self.assertAlmostEqual(gas["CO"] + gas["CO2"] + gas["CH4"], 40.0, delta=1e-10)
        self.assertAlmostEqual(2 * gas["H2"] + 2 * gas["H2O"] + 4 * gas["CH4"], 60.0, delta=1e-10)
        self.assertAlmostEqual(gas["CO"] + 2 * gas["CO2"] + gas["H2O"], 45.0, delta=1e-10)
        self.assertAlmostEqual(gas["CO2"] * gas["H2"] / (gas["CO"] * gas["H2O"]), 1.4, delta=1e-6)
        total = sum(gas.values())
        reforms = gas["CO"] * gas["H2"] ** 3 / (gas["CH4"] * gas["H2O"]) * (3.0 / total) ** 2
        self.assertAlmostEqual(reforms / 30.0, 1.0, delta=1e-6)

    def test_heat_that_holds_it_is_none_where_it_warms_itself(self):
        found = wood(heat=ITSELF, air_ratio=0.3, lost=0.05)
        self.assertLess(abs(found["heat"]), 1.0)
        again = wood(heat=HELD, temperature=found["leaves_at"], air_ratio=0.3, lost=0.05)
        self.assertAlmostEqual(again["h2"], found["h2"], delta=1e-9)
        self.assertLess(abs(again["heat"]), 1.0)

    def test_more_air_makes_it_hotter_and_poorer(self):
        lean, rich = (wood(heat=ITSELF, air_ratio=r) for r in (0.4, 0.3))
        self.assertGreater(lean["leaves_at"], rich["leaves_at"] + 50)
        self.assertLess(lean["efficiency"], rich["efficiency"])

    def test_water_in_the_fuel_cools(self):
        wet, dry = (wood(heat=ITSELF, air_ratio=0.35, moisture=m) for m in (0.3, 0.0))
        self.assertLess(wet["leaves_at"], dry["leaves_at"] - 100)
        self.assertGreater(wet["ratio"], dry["ratio"])

    def test_char_and_tar_are_kept_from_the_gas(self):
        found = wood(carbon_converted=0.9, tar=0.02)
        self.assertAlmostEqual(found["char"], 0.1 * 0.5217, delta=2e-4)
        self.assertLess(found["efficiency"], wood()["efficiency"])

    def test_heating_value_by_elements(self):
        """Beech of 48.5 % C, 6.1 % H, 43.9 % O, .3 % N, 1.2 % ash: 19.5 MJ/kg by hand."""
        dry = {"carbon": 0.485, "hydrogen": 0.061, "oxygen": 0.439, "nitrogen": 0.003}
        by_hand = 0.3491 * 48.5 + 1.1783 * 6.1 - 0.1034 * 43.9 - 0.0151 * 0.3 - 0.0211 * 1.2
        self.assertAlmostEqual(higher_heating_value(dry, 0.012) / 1e6, by_hand, delta=1e-9)
        self.assertAlmostEqual(by_hand, 19.55, delta=0.05)
        measured = wood(measured=20e6)
        self.assertLess(measured["efficiency"] / wood()["efficiency"], 1.1)
        self.assertNotEqual(measured["efficiency"], wood()["efficiency"])


class Refused(unittest.TestCase):
    def refused(self, **changed):
        with self.assertRaises(SumError) as caught:
            wood(**changed)
        return str(caught.exception)

    def test_an_analysis_that_does_not_sum_to_one(self):
        self.assertIn("sums to", self.refused(ash=0.1))

    def test_shares_that_are_none(self):
        self.assertIn("is a share", self.refused(moisture=1.0))
        self.assertIn("is a share", self.refused(carbon_converted=1.2))

    def test_too_much_and_too_little_oxygen(self):
        self.assertIn("burns it", self.refused(air_ratio=1.1))
        self.assertIn("too little oxygen", self.refused(air_ratio=0.001))

    def test_what_does_not_keep_itself_warm(self):
        told = self.refused(heat=ITSELF, air_ratio=0.2, lost=0.5)
        self.assertIn("does not keep itself warm", told)

    def test_more_tar_than_carbon(self):
        self.assertIn("more carbon than there is", self.refused(tar=0.9))

    def test_the_picture_marks_where_it_is(self):
        chosen = SUMS["gasifying"]
        curve = chosen.curve(**{**PLAIN, "carbon": 0.5, "hydrogen": 0.06, "oxygen": 0.44})
        self.assertGreater(len(curve.x), 5)
        self.assertEqual(curve.points[0][0], 0.25)


if __name__ == "__main__":
    unittest.main()
