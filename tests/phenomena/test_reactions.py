"""Reactions: laws with their units, where they run, ideal reactors beside them, gases by mass."""

from __future__ import annotations

import copy
import unittest

import numpy as np

from tests.phenomena.reacting import DUCT
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.matter.reaction import ReactionError
from underkettle.paper.reactors import plug_flow, stirred
from underkettle.phenomena.reactions import mechanism, places
from underkettle.quantities.constants import GAS


def step(**values):
    return mechanism.read_step({"written": "CO + 0.5 O2 -> CO2", "constant": "1 1/s", **values})


class Laws(unittest.TestCase):
    def test_constants_with_units_raised_as_a_whole(self):
        for text, value in (
            ("4e6 (m3/mol)^0.5/s", 4e6),
            ("2.1e11 (cm3/mol)^0.5 / s", 2.1e8),
            ("5 m^1.5/(mol^0.5 s)", 5.0),
        ):
            found, dimension = mechanism.read_constant(text)
            self.assertAlmostEqual(found / value, 1.0)
            self.assertEqual(dimension, mechanism.wanted(1.5, False))
        self.assertEqual(mechanism.read_constant("3 m/s")[1], mechanism.wanted(1.0, True))
        for text in ("fast", "-1 1/s", "0 1/s", "1e400 1/s", "__import__('os')"):
            with self.assertRaises(ReactionError, msg=text):
                mechanism.read_constant(text)

    def test_orders_are_the_amounts_unless_given(self):
        self.assertEqual(step().orders, {"CO": 1.0, "O2": 0.5})
        self.assertEqual(step(orders="O2 0").orders, {"CO": 1.0, "O2": 0.0})
        found = step(orders="CO: 1, O2 = 0.25; H2O 0.5").orders
        self.assertEqual(found, {"CO": 1.0, "O2": 0.25, "H2O": 0.5})
        with self.assertRaises(ReactionError):
            step(orders="CO twice")

    def test_arrhenius(self):
        law = step(activation=5e4, exponent=0.5)
        self.assertAlmostEqual(law.at(700.0), 700**0.5 * np.exp(-5e4 / (GAS * 700.0)))
        self.assertAlmostEqual(law.rate({"CO": 2.0, "O2": 4.0}, 700.0), 4.0 * law.at(700.0))

    def test_heat_is_that_of_formation_unless_given(self):
        self.assertAlmostEqual(step().heat / 1e3, 283.0, delta=0.3)
        self.assertEqual(step(heat=1e3).heat, 1e3)
        self.assertTrue(
            mechanism.gives_heat({"reactions": {"a": {"written": "CO + 0.5 O2 -> CO2"}}})
        )
        self.assertFalse(mechanism.gives_heat({"reactions": {"a": {"written": "peel -> dry"}}}))

    def test_only_what_has_data_runs_back(self):
        self.assertEqual(step(reverses=True).back, {"CO2": 1.0})
        with self.assertRaises(ReactionError):
            step(written="peel -> CO2", reverses=True)

    def test_who_takes_part(self):
        settings = {
            "unfollowed": "N2, ash",
            "reactions": {
                "a": {"written": "CO + O2 -> CO2 + N2"},
                "b": {"written": "peel -> ash + CO"},
                "c": {"written": "no arrow"},
            },
        }
        self.assertEqual(mechanism.names_in(settings), ["CO", "O2", "CO2", "peel"])
        settings["reactions"]["a"]["orders"] = "H2O 0.5"  # it only helps
        self.assertEqual(mechanism.names_in(settings), ["CO", "O2", "CO2", "H2O", "peel"])

    def test_orders_of_who_is_not_followed_count_for_nothing(self):
        """So the constant of char with carbon dioxide is one over a time, of first order."""
        char = {"written": "coke + CO2 -> 2 CO", "constant": "3 1/s"}
        found = mechanism.read_steps({"unfollowed": "coke", "reactions": {"a": char}})["a"]
        self.assertEqual(found.orders, {"CO2": 1.0})
        self.assertEqual(found.dimension, mechanism.wanted(found.order, False))
        self.assertEqual(found.rate({"CO2": 2.0, "CO": 0.0}, 900.0), 6.0)

    def test_what_only_helps_sets_the_pace_and_is_not_used_up(self):
        names = ["CO", "O2", "CO2", "H2O"]
        law = step(orders="O2 0, H2O 0.5", constant="0.3 (m3/mol)^0.5/s")
        rates = mechanism.as_rates([law], names)
        comes = np.array([2.0, 9.0, 0.0, 4.0])
        left = plug_flow(rates, comes, np.ones(1), 300.0, 5.0)
        self.assertAlmostEqual(left[0] / (2 * np.exp(-0.3 * 2.0 * 5.0)), 1.0, delta=1e-3)
        self.assertEqual(left[3], 4.0)


class Places(unittest.TestCase):
    def test_shares(self):
        self.assertEqual(places.share_in("runs", {"share": 0.5}), 0.5)
        self.assertEqual(places.share_in("on a surface", {"share": 0.5, "area": 800.0}), 400.0)
        self.assertEqual(places.share_in("in grains", {"share": 2.0, "filled": 0.6}), 1.2)

    def test_balls_by_hand(self):
        # phi = d / 6 root(k / D); a ball: (3 phi coth 3 phi - 1) / (3 phi^2)
        phi = float(places.thiele(4.0, 1.0, 1.0, 6e-3, 1e-6))
        self.assertAlmostEqual(phi, 2.0)
        self.assertAlmostEqual(float(places.ball(phi)), (6 / np.tanh(6) - 1) / 12, delta=1e-12)
        self.assertEqual(float(places.ball(1e-6)), 1.0)
        self.assertAlmostEqual(float(places.ball(100.0)), 0.01, delta=1e-4)
        # second order: (n + 1) / 2 k c
        self.assertAlmostEqual(float(places.thiele(4.0, 2.0, 2.0, 6e-3, 1e-6)), np.sqrt(12.0))


class IdealReactors(unittest.TestCase):
    def test_orders_one_and_two(self):
        names, comes, share = ["CO", "O2", "CO2"], np.array([2.0, 9.0, 0.0]), np.array([0.5])
        first = mechanism.as_rates([step(orders="O2 0", constant="0.3 1/s")], names)
        plug = plug_flow(first, comes, share, 300.0, 10.0)
        self.assertAlmostEqual(plug[0] / (2 * np.exp(-1.5)), 1.0, delta=5e-4)
        self.assertAlmostEqual(plug[2], 2.0 - plug[0])
        self.assertAlmostEqual(stirred(first, comes, share, 300.0, 10.0)[0], 2 / 2.5, delta=1e-6)
        second = mechanism.as_rates([step(orders="CO 2, O2 0", constant="0.3 m3/(mol s)")], names)
        self.assertAlmostEqual(
            plug_flow(second, comes, share, 300.0, 10.0)[0] / (2 / 4.0), 1.0, delta=5e-4
        )


def small(**more):
    case = copy.deepcopy(DUCT)
    case.update(more)
    return case


class Runs(unittest.TestCase):
    def test_elements_and_energy_are_kept_as_it_runs(self):
        run = api.run(small())
        given = {n: run.balance[n]["given"]["reactions"] for n in ("CO", "O2", "CO2", "H2O", "H2")}
        self.assertLess(given["CO"], 0.0)
        self.assertAlmostEqual((given["CO"] + given["CO2"]) / given["CO"], 0.0, delta=1e-12)
        oxygen = given["CO"] + 2 * given["O2"] + 2 * given["CO2"] + given["H2O"]
        self.assertAlmostEqual(oxygen / given["CO"], 0.0, delta=1e-12)
        hydrogen = given["H2O"] + given["H2"]
        self.assertAlmostEqual(hydrogen / given["H2"], 0.0, delta=1e-12)
        for name in ("CO", "CO2", "heat"):
            self.assertLess(run.balance[name]["relative"], 1e-8, name)

    def test_it_runs_only_where_it_is_told_to(self):
        run = api.run(small())
        rate = run.field("burning_rate")
        self.assertGreater(np.nanmax(rate[:, 15:30]), 0.0)
        self.assertEqual(np.nanmax(rate[:, :15]), 0.0)
        self.assertEqual(np.nanmax(rate[:, 30:]), 0.0)

    def test_the_cure_of_a_wrong_coefficient_balances_it(self):
        case = small()
        case["phenomena"]["reactions"]["reactions"]["burning"]["written"] = "CO + O2 -> CO2"
        found = [f for f in audit(Case(case)) if f.rule == "elements are not kept"]
        self.assertEqual(len(found), 1)
        self.assertEqual(found[0].grade, "stops")
        self.assertEqual(found[0].cure[0][1], "CO + 0.5 O2 -> CO2")

    def test_a_gas_by_its_mass(self):
        """Hydrogen burns in a bed that air brings it to: what is counted by mass keeps its mass."""
        case = small()
        members = {n: {"gas": n, "diffusivity": "1e-4 m2/s"} for n in ("H2", "O2", "H2O")}
        case["phenomena"] = {
            "flow": {"density": "0.6 kg/m3", "viscosity": "30 uPa s"},
            "mixture": {
                "density": "0.6 kg/m3",
                "rest": "nitrogen",
                "rest_gas": "N2",
                "temperature": "600 K",
                "members": members,
            },
            "reactions": {
                "temperature": "600 K",
                "reactions": {
                    "burning": {
                        "written": "2 H2 + O2 -> 2 H2O",
                        "constant": "10 1/s",
                        "orders": "H2 1, O2 0",
                    }
                },
            },
        }
        brought = {"H2": "0.005", "O2": "0.2", "H2O": "0"}
        case["conditions"] = {
            "inlet": {
                "flow": {"kind": "inflow", "speed": "0.5 m/s"},
                **{f"mixture.{n}": {"kind": "carried in", "value": v} for n, v in brought.items()},
            },
            "outlet": {"flow": {"kind": "outflow"}},
        }
        case["start"] = {"space": {"mixture.O2": {"value": "0.2"}}}
        case["stages"] = {
            "go": {"solve": ["flow", "mixture", "reactions"], "mode": "steady", "aim": 1e-9}
        }
        run = api.run(case)
        given = {n: run.balance[n]["given"]["reactions"] for n in ("H2", "O2", "H2O")}
        self.assertLess(given["H2"], 0.0)
        self.assertAlmostEqual(sum(given.values()) / given["H2O"], 0.0, delta=1e-4)
        self.assertAlmostEqual(given["O2"] / given["H2"], 31.9988 / (2 * 2.01588), delta=1e-5)
        self.assertLess(run.balance["H2"]["relative"], 1e-6)


if __name__ == "__main__":
    unittest.main()
