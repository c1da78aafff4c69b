"""Side sums: worked numbers, exact kinematics, entries with units, refusals with a cure."""

import json
import math
import unittest
from pathlib import Path

import numpy as np

import underkettle as uk
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.sums import work_out
from underkettle.sums import SUMS, SumError, side_sum
from underkettle.sums.moving import wave

ROOT = Path(__file__).resolve().parent.parent.parent


def given(name, **entries):
    """What comes out in SI-like display units, by name."""
    return {g["name"]: g["value"] for g in work_out(SUMS[name], entries)["gives"]}


class Numbers(unittest.TestCase):
    def test_every_sum_works_with_what_it_suggests(self):
        own = [s for s in SUMS.values() if not s.group.startswith("relations")]
        self.assertGreaterEqual(len(own), 13)
        for chosen in own:
            with self.subTest(sum=chosen.name):
                told = work_out(chosen, {})
                self.assertEqual([g["name"] for g in told["gives"]], [g.name for g in chosen.gives])
                for g in told["gives"]:
                    self.assertIsNotNone(g["value"], g["name"])
                if chosen.curve is not None:
                    self.assertGreater(len(told["curve"]["at"]), 5)

    def test_every_basis_comes_back_to_itself(self):
        first = given("composition", amount="400", basis="ppm by volume")
        for basis, amount in (
            ("mole fraction", first["mole_fraction"]),
            ("mass fraction", first["mass_fraction"]),
            ("mol/m3", first["concentration"]),
            ("g/m3", 1e3 * first["mass_concentration"]),
        ):
            again = given("composition", amount=f"{amount!r}", basis=basis)
            self.assertAlmostEqual(again["ppm"], 400.0, places=6, msg=basis)

    def test_humid_air_against_psychrometric_tables(self):
        """25 degC, half saturated, 1 atm: dew point 13.9 degC, wet bulb 17.9 degC, 9.9 g/kg
        (common practice).
        """
        air = given("humid_air", temperature="25 degC", humidity="0.5")
        self.assertAlmostEqual(air["dew_point"] - 273.15, 13.9, delta=0.1)
        self.assertAlmostEqual(air["wet_bulb"] - 273.15, 17.9, delta=0.1)
        self.assertAlmostEqual(air["humidity_ratio"], 9.9e-3, delta=1e-4)

    def test_streams_mix(self):
        mixed = given("mixed", streams="2 kg/s, 100 degC, 0.3\n1 kg/s; 40 degC; 0")
        self.assertAlmostEqual(mixed["temperature"], 273.15 + 80)
        self.assertAlmostEqual(mixed["share"], 0.2)

    def test_returned_exhaust_keeps_its_elements(self):
        """Methane just burnt: one CO2 and two H2O to 7.546 N2; air per fuel 17.2 kg/kg."""
        full = given("exhaust_start", returned="0.999999")
        self.assertAlmostEqual(full["h2o"] / full["co2"], 2.0, places=4)
        self.assertAlmostEqual(full["n2"] / full["co2"], 7.546, delta=0.001)
        none = given("exhaust_start", returned="0")
        self.assertAlmostEqual(none["air_per_fuel"], 17.2, delta=0.05)
        self.assertAlmostEqual(sum(none[s] for s in ("fuel", "o2", "n2", "co2", "h2o")), 1.0)

    def test_a_layer_gives_back_what_made_it(self):
        k, beta, mu, rho, thick = 2e-10, 4e4, 1.8e-5, 1.2, 2e-3
        rows = "\n".join(
            f"{u} m/s, {(mu * thick / k + beta * rho * thick * u) * u!r} Pa"
            for u in (0.1, 0.2, 0.4, 0.8)
        )
        found = given("from_drop", measured=rows)
        self.assertAlmostEqual(found["permeability"] / k, 1.0, places=9)
        self.assertAlmostEqual(found["inertia"] / beta, 1.0, places=9)
        self.assertLess(found["misfit"], 1e-9)

    def test_a_weave_and_a_duct(self):
        cloth = given("weave", thread="0.3 mm", pitch="0.8 mm")
        self.assertAlmostEqual(cloth["open_area"], (5 / 8) ** 2)
        duct = given("duct_inlet", area="0.01 m^2", perimeter="0.4 m", speed="10 m/s")
        self.assertAlmostEqual(duct["hydraulic_diameter"], 100.0)
        self.assertAlmostEqual(duct["energy"], 1.5 * (10 * duct["intensity"]) ** 2)

    def test_drops_by_size(self):
        """The mass median of Rosin & Rammler is size (ln 2)^(1/n); the mean is a moment ratio."""
        found = given("drop_sizes", size="60 um", spread="3.5", share="0.632120559")
        self.assertAlmostEqual(found["at_share"], 0.06, places=6)
        self.assertAlmostEqual(found["median"], 0.06 * math.log(2) ** (1 / 3.5))
        d = np.linspace(1e-4, 0.3, 300001)
        mass = 3.5 / 0.06 * (d / 0.06) ** 2.5 * np.exp(-((d / 0.06) ** 3.5))
        self.assertAlmostEqual(found["sauter"], mass.sum() / (mass / d).sum(), delta=1e-6)

    def test_a_crank_is_exact(self):
        top, bottom = (given("crank", angle=a) for a in ("0 deg", "180 deg"))
        self.assertAlmostEqual(bottom["volume"] / top["volume"], 10.0)
        self.assertAlmostEqual(bottom["volume"] - top["volume"], bottom["swept"])
        here, ahead = (given("crank", angle=f"{a} deg")["volume"] for a in (70.0, 70.001))
        rate = (ahead - here) / (0.001 / 360 / 25) / (math.pi / 4 * 0.086**2)
        self.assertAlmostEqual(
            given("crank", angle="70.0005 deg")["piston_speed"] / rate, 1.0, places=5
        )

    def test_waves_end_where_they_should(self):
        rows = wave("triangle", 0.0, 2.0, 10.0, 3)
        self.assertEqual(rows[:3].tolist(), [[0.0, 0.0], [5.0, 2.0], [10.0, 0.0]])
        self.assertEqual(rows[-1].tolist(), [30.0, 0.0])
        told = work_out(SUMS["wave"], {"kind": "sine", "times": "1"})
        self.assertEqual(told["table"][0], ["0 s", "0.5"])
        self.assertAlmostEqual(given("wave", kind="sine", times="2")["mean"], 0.5)

    def test_vapour_over_water(self):
        """At 100 degC one atmosphere; heat of evaporation 2257 kJ/kg (steam tables)."""
        found = given("saturation", temperature="100 degC")
        self.assertAlmostEqual(found["pressure"] / 101418.0, 1.0, delta=1e-3)
        self.assertAlmostEqual(found["heat"] / 2.257e6, 1.0, delta=1e-3)

    def test_burning(self):
        methane = given("burning")
        self.assertAlmostEqual(methane["flame"], 2226.0, delta=5.0)
        self.assertAlmostEqual(methane["complete"], 2327.0, delta=5.0)
        self.assertAlmostEqual(methane["air_per_fuel"], 17.2, delta=0.05)
        self.assertIsNone(given("burning", air_ratio="0.8")["complete"])
        steam = given("balanced")
        self.assertAlmostEqual(
            sum(steam[s] for s in ("h2", "co", "co2", "ch4", "h2o")), 1.0, delta=1e-3
        )


class Entries(unittest.TestCase):
    def test_they_may_name_parameters_of_a_case(self):
        case = Case(json.loads((ROOT / "demo" / "salt-lance.json").read_text()))
        told = work_out(
            SUMS["reynolds"],
            {"density": "998 kg/m3", "speed": "speed", "size": "gap", "viscosity": "1.002 mPa s"},
            case,
        )
        self.assertAlmostEqual(told["gives"][0]["value"], 998 * 2e-3 * 9e-3 / 1.002e-3)

    def test_each_fault_names_the_entry_and_the_cure(self):
        for name, entries, words in (
            ("humid_air", {"temperature": "3 m"}, "temperature"),
            ("humid_air", {"humidity": "1.5"}, "between 0 and 1"),
            ("weave", {"thread": "1 mm", "pitch": "0.5 mm"}, "threads touch"),
            ("mixed", {"streams": "1 kg/s, 20 degC"}, "row 1"),
            ("mixed", {"streams": ""}, "empty"),
            ("crank", {"rod": "10 mm"}, "longer than half"),
            ("wave", {"kind": "saw"}, "choices"),
            ("burning", {"fuel": "CH5"}, "known are"),
            ("reynolds", {}, "not given"),
            ("saturation", {"fluid": "Sand"}, "Sand"),
            ("laplace", {"tension": "0.07 N/m", "radius": "0 m"}, "nought"),
        ):
            with self.subTest(sum=name), self.assertRaises(CaseError) as caught:
                work_out(SUMS[name], entries)
            self.assertIn(words, str(caught.exception))

    def test_from_python_in_si(self):
        self.assertAlmostEqual(
            uk.side_sum("mixed", streams=[[1, 300, 0], [1, 400, 1]])["share"], 0.5
        )
        with self.assertRaises(SumError):
            side_sum("weave", thread=1e-3, pitch=5e-4, speed=1, density=1, viscosity=1e-5)


if __name__ == "__main__":
    unittest.main()
