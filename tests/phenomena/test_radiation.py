"""Radiation: what gases absorb, what walls take, heat that a gas gives up by it, what is assumed."""

from __future__ import annotations

import copy
import unittest

import numpy as np

from tests.phenomena.radiant import DUCT
from tests.phenomena.vessels import nozzles
from underkettle import api
from underkettle.case.case import Case
from underkettle.case.cells import Cell
from underkettle.matter.radiation import ATMOSPHERE, emissivity, grey
from underkettle.phenomena.radiation import solver

SIGMA = 5.670374419e-8


def one(water, dioxide, warm, path):
    """Emissivity at partial pressures (atm)."""
    wet, dry = np.array([water * ATMOSPHERE]), np.array([dioxide * ATMOSPHERE])
    return float(emissivity(wet, dry, np.array([warm]), path)[0])


class Gases(unittest.TestCase):
    def test_by_hand_at_a_thousand_kelvin(self):
        """Both at .1 atm over 1 m, .2 atm m: shares .3675, .2254, .0593 at 1000 K; taken up
        .0825, .7561, 1: .2600.
        """
        self.assertAlmostEqual(one(0.1, 0.1, 1000.0, 1.0), 0.2600, delta=1e-4)

    def test_near_what_charts_tell(self):
        """Hottel's charts, from memory: H2O alone at 1 atm ft and 1500 K some .22, CO2 .12."""
        self.assertAlmostEqual(one(0.305, 0.0, 1500.0, 1.0), 0.22, delta=0.04)
        self.assertAlmostEqual(one(0.0, 0.305, 1500.0, 1.0), 0.12, delta=0.03)

    def test_more_gas_and_longer_ways_absorb_more(self):
        ways = [one(0.15, 0.10, 1400.0, path) for path in (0.1, 0.5, 2.0, 10.0)]
        self.assertEqual(ways, sorted(ways))
        self.assertLess(ways[-1], 1.0)
        self.assertEqual(one(0.0, 0.0, 1400.0, 1.0), 0.0)

    def test_no_jump_between_ratios_that_are_known(self):
        for wet in (0.5, 2.0 / 3.0):
            low, high = (one(0.2 * w, 0.2 * (1 - w), 1300.0, 1.0) for w in (wet - 1e-6, wet + 1e-6))
            self.assertAlmostEqual(low, high, delta=1e-5)

    def test_a_grey_gas_gives_off_as_much(self):
        wet, dry = (np.array([p * ATMOSPHERE]) for p in (0.15, 0.1))
        found = float(grey(wet, dry, np.array([1400.0]), 2.5)[0])
        self.assertAlmostEqual(1 - np.exp(-found * 2.5), one(0.15, 0.1, 1400.0, 2.5))


class Walls(unittest.TestCase):
    def test_what_is_black_and_what_a_wall_lets_through(self):
        self.assertAlmostEqual(solver.black(1000.0), 4 * SIGMA * 1e12)
        self.assertEqual(solver.lets_through(1.0), 0.5)
        self.assertAlmostEqual(solver.lets_through(0.5), 1.0 / 6.0)

    def test_what_is_assumed(self):
        """Walls are as warm as heat has them; lagged ones and outlets send back."""
        case = copy.deepcopy(DUCT)
        del case["conditions"]["box_bottom"]
        del case["conditions"]["box_top"]["radiation"]
        built = Case(case)

        def cell(edge) -> Cell:
            return built.cell("edge", edge, "radiation")

        self.assertEqual(cell("box_top").kind, "wall")
        self.assertEqual(cell("box_top").typed["temperature"], "600 K")
        self.assertEqual(cell("box_bottom").kind, "sends back")
        self.assertEqual(cell("outlet").kind, "sends back")
        self.assertEqual(
            (cell("inlet").kind, cell("inlet").typed["temperature"]), ("opens", "1300 K")
        )

    def test_mean_path_is_told_or_that_of_the_vessel(self):
        """40 mm by 20 mm, 1 m deep: 3.6 .0008/.12 = 24 mm."""
        from underkettle.case.solve import build_solvers

        case = copy.deepcopy(DUCT)
        self.assertAlmostEqual(build_solvers(Case(case))["radiation"].path, 0.024)
        case["phenomena"]["radiation"]["path"] = "0.5 m"
        self.assertEqual(build_solvers(Case(case))["radiation"].path, 0.5)


class RoundWalls(unittest.TestCase):
    def test_a_film_on_a_round_wall_acts_on_all_of_the_wall(self):
        """A pipe of 10 mm radius in cells of 5 mm: legs meet 2 pi 10 mm times a cell's length, and
        conduct through the ring half way to it.
        """
        from underkettle.case.solve import build_solvers

        case = copy.deepcopy(DUCT)
        case["dimension"] = "axisymmetric"
        case["vessel"]["parts"]["box"]["height"] = "10 mm"
        case["vessel"]["nozzles"] = nozzles("10 mm", "5 mm")
        case["conditions"]["box_top"]["heat"] = {
            "kind": "film",
            "film": "50 W/(m2 K)",
            "ambient": "600 K",
        }
        case["conditions"].pop("box_bottom")
        case["grid"]["size"] = "5 mm"
        (member,) = build_solvers(Case(case))["heat"].members
        legs = member.legs
        top = np.flatnonzero(np.isclose(legs.y, 0.01))
        self.assertEqual(top.size, 8)
        np.testing.assert_allclose(legs.area[top], 2 * np.pi * 0.01 * 0.005)
        np.testing.assert_allclose(legs.factor[top], 2 * np.pi * 0.00875 * 0.005 / 0.0025)


def at_rest(**settings):
    case = copy.deepcopy(DUCT)
    case["stages"]["go"] = {**case["stages"]["go"], "mode": "steady", "aim": 1e-8, **settings}
    del case["stages"]["go"]["until"]
    return case


class Runs(unittest.TestCase):
    def test_what_the_gas_gives_up_walls_take(self):
        run = api.run(at_rest())
        mine, heat = run.balance["radiation"], run.balance["heat"]
        self.assertLess(mine["relative"], 1e-6)
        self.assertLess(heat["relative"], 1e-6)
        self.assertGreater(mine["given"]["radiation"], 0.0)
        self.assertAlmostEqual(
            mine["given"]["radiation"] / -heat["given"]["radiation"], 1.0, delta=1e-6
        )

    def test_it_cools_a_stream_that_walls_do_not_touch(self):
        """By all that is told as lost: mass flow times capacity times how much cooler it is."""
        case = at_rest()
        for wall in ("box_top", "box_bottom"):
            case["conditions"][wall] = {
                "radiation": {"kind": "wall", "temperature": "600 K"},
                "flow": {"kind": "slip wall"},
            }
        case["readouts"] = {
            "ends": {"kind": "mean", "field": "temperature", "place": "outlet", "weight": "flow"}
        }
        run = api.run(case)
        lost = -run.balance["heat"]["given"]["radiation"]
        ends = 1300.0 - lost / (0.3 * 0.5 * 0.02 * 1200.0)
        value = run.readouts["ends"].value
        value += 273.15 if run.readouts["ends"].unit == "degC" else 0.0
        self.assertAlmostEqual(value, ends, delta=0.05)
        self.assertLess(value, 1295.0)

    def test_through_time_it_comes_to_the_same_rest(self):
        case = copy.deepcopy(DUCT)
        case["stages"]["go"]["until"] = "1 s"
        later, rest = api.run(case), api.run(at_rest())
        np.testing.assert_allclose(later.field("temperature"), rest.field("temperature"), rtol=2e-3)
        self.assertLess(later.balance["radiation"]["relative"], 1e-8)

    def test_a_gas_of_water_and_dioxide_that_keeps_its_own_heat(self):
        """Its enthalpy falls by what walls take, and it absorbs by its make-up."""
        case = at_rest(aim=1e-7)
        case["grid"]["size"] = "4 mm"
        shares = {"CO2": "0.2", "H2O": "0.1"}
        members = {n: {"gas": n, "diffusivity": "2e-4 m2/s"} for n in shares}
        mixture = {"density": "0.3 kg/m3", "rest": "N2", "rest_gas": "N2", "own_heat": True}
        case["phenomena"] = {
            "flow": {"density": "gas_density", "viscosity": "gas_viscosity"},
            "mixture": {**mixture, "members": members},
            "radiation": {"path": "1 m"},
        }
        own = {"kind": "enters warm", "value": "1300 K"}
        brings = {f"mixture.{n}": {"kind": "carried in", "value": v} for n, v in shares.items()}
        flow = {"kind": "inflow", "speed": "0.05 m/s"}
        wall = {
            "radiation": {"kind": "wall", "temperature": "600 K"},
            "flow": {"kind": "slip wall"},
        }
        case["conditions"] = {
            "inlet": {"flow": flow, "mixture.heat": own, **brings},
            "outlet": {"flow": {"kind": "outflow"}},
            "box_top": wall,
            "box_bottom": wall,
        }
        begins = {f"mixture.{n}": {"value": v} for n, v in shares.items()}
        case["start"] = {"space": {"mixture.heat": {"value": "1300 K"}, **begins}}
        case["stages"]["go"]["solve"] = ["flow", "mixture", "radiation"]
        run = api.run(case)
        self.assertLess(run.balance["heat"]["relative"], 1e-8)
        self.assertLess(run.balance["radiation"]["relative"], 1e-8)
        warm, absorbs = run.field("mixture_temperature"), run.field("absorption")
        moles = {"CO2": 0.2 / 44.0095, "H2O": 0.1 / 18.01528, "N2": 0.7 / 28.0134}
        wet, dry = (ATMOSPHERE * moles[n] / sum(moles.values()) for n in ("H2O", "CO2"))
        by_hand = grey(np.array([wet]), np.array([dry]), np.array([warm[0, 0]]), 1.0)
        self.assertAlmostEqual(absorbs[0, 0] / float(by_hand[0]), 1.0, delta=2e-3)
        self.assertLess(warm[0, -1], warm[0, 0])


if __name__ == "__main__":
    unittest.main()
