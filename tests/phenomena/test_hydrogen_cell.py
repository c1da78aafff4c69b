"""A hydrogen cell: its laws by hand, its slopes, what it books, and what it says to impossible asks."""

import copy
import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.hydrogen import CELL, ME, does
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_solvers
from underkettle.engine.contract import StepFailed
from underkettle.engine.marching.state import State
from underkettle.phenomena.hydrogen_cell import matter
from underkettle.phenomena.hydrogen_cell.touching import Faces, sides
from underkettle.quantities.constants import FARADAY, GAS

T = 353.15


def at_rest(**patch):
    """The small cell, solved once."""
    return merge_patch(CELL, {"stages": {"go": {"mode": "steady", "until": None}}, **patch})


class Laws(unittest.TestCase):
    def test_water_by_hand(self):
        self.assertAlmostEqual(float(matter.saturation(T)), 47.39e3, delta=150.0)  # steam tables
        self.assertAlmostEqual(float(matter.saturation(333.15)), 19.94e3, delta=150.0)
        # .043 + 17.81 a - 39.85 a2 + 36 a3
        self.assertAlmostEqual(float(matter.sorbed(0.5)), 3.4855, places=4)
        self.assertAlmostEqual(float(matter.sorbed(2.0)), 15.403, places=3)
        # (.5139 x 14 - .326) exp(1268 (1/303 - 1/353.15))
        self.assertAlmostEqual(float(matter.membrane_conducts(14.0, T)), 12.444, places=3)
        self.assertLess(float(matter.membrane_conducts(0.1, T)), 0.01)  # as good as none, not none
        self.assertGreater(float(matter.membrane_conducts(0.0, T)), 0.0)
        # 4.17e-8 x 10 (1 + 161 e^-10) e^(-2346/T)
        self.assertAlmostEqual(1e10 * float(matter.water_spreads(10.0, T)), 5.473, places=2)
        self.assertEqual(matter.beyond(0.1, 0.3) < 1e-9, True)
        self.assertAlmostEqual(float(matter.beyond(0.4, 0.3)), 0.1, places=8)

    def test_gases_by_hand(self):
        # oxygen in nitrogen at 25 degC and 1 bar: .21 cm2/s
        self.assertAlmostEqual(
            1e4 * float(matter.spreads("O2", "N2", 298.15, 1e5)), 0.2086, places=3
        )
        one = matter.spreads("H2", "H2O", T, 1e5)
        self.assertAlmostEqual(matter.spreads("H2", "H2O", T, 2e5) / one, 0.5)
        # in two alike it is what it is in either; in one alone, what it is there
        self.assertAlmostEqual(float(matter.mixed(0.3, 0.5, 2e-5, 2e-5)), 2e-5)
        self.assertAlmostEqual(float(matter.mixed(0.3, 0.0, 2e-5, 9e-5)), 2e-5)
        self.assertAlmostEqual(float(matter.mixed(0.25, 0.25, 1e-5, 3e-5)), 1.5e-5, delta=1e-9)

    def test_liquid_by_hand(self):
        self.assertAlmostEqual(float(matter.leverett(0.5)), 0.7085 - 0.53 + 0.157875, places=9)
        self.assertAlmostEqual(float(matter.eased(0.199)), 0.008, places=9)
        # beyond saturation it condenses; below, it evaporates where there is some, and only there
        self.assertAlmostEqual(float(matter.beyond(0.4, 0.3, 0.5)), 0.1, places=8)
        self.assertAlmostEqual(float(matter.beyond(0.2, 0.3, 0.01)), -0.05, places=8)
        self.assertAlmostEqual(float(matter.beyond(0.2, 0.3, 0.0)), 0.0, places=8)

    def test_a_stream_takes_along_what_spreads(self):
        here, there, link = 0.3, 0.1, 2e-3
        self.assertAlmostEqual(float(matter.passes(here, there, 0.0, link)), 2e-3 * 0.2)
        self.assertAlmostEqual(float(matter.passes(here, there, 5.0, link)), 5.0 * here)
        self.assertAlmostEqual(float(matter.passes(here, there, -5.0, link)), -5.0 * there)
        # exactly between two places: x = a + b exp(Pe s)
        pull = 3.0
        exact = pull * link * (here * np.exp(pull) - there) / (np.exp(pull) - 1.0)
        self.assertAlmostEqual(
            float(matter.passes(here, there, pull * link, link)), exact, places=12
        )

    def test_nothing_reacts_at_the_voltage_of_balance(self):
        for share, damp in ((1.0, 1.0), (0.2, 0.5), (0.01, 0.1)):
            over = matter.of_air(share, damp, T)
            kinds = {"cathodic": 1.0, "anodic": 0.5, "order": 1.0}
            forth = matter.air_reacts(over - 0.2, share, damp, T, 1.0, **kinds)
            rest = matter.air_reacts(over, share, damp, T, 1.0, **kinds)
            self.assertLess(abs(rest), 2e-4 * forth)
            kinds = {"anodic": 0.5, "cathodic": 0.5, "order": 1.0}
            over = matter.of_fuel(share, T)
            forth = matter.fuel_reacts(over + 0.2, share, T, 1.0, **kinds)
            self.assertLess(abs(matter.fuel_reacts(over, share, T, 1.0, **kinds)), 2e-4 * forth)
        # a decade of current per RT ln 10 / F
        far = [
            matter.air_reacts(v, 0.2, 0.5, T, 1.0, cathodic=1.0, anodic=0.5, order=1.0)
            for v in (-0.4, -0.4 - GAS * T / FARADAY * np.log(10.0))
        ]
        self.assertAlmostEqual(far[1] / far[0], 10.0, places=6)


class Slopes(unittest.TestCase):
    def test_they_are_those_of_what_unknowns_gain(self):
        for liquid in ("drains at once", "fills pores"):
            with self.subTest(liquid):
                self.hold(liquid)

    def hold(self, liquid):
        drawn = does("draws", current="0.1 A", value=None)
        case = Case(at_rest(phenomena={ME: {"liquid": liquid}}, conditions={"air_plate": drawn}))
        solver = build_solvers(case)[ME]
        state = State()
        solver.start(state)
        solver._set(state, 0.0)
        system, random = solver.system, np.random.default_rng(3)
        x = solver._guessed()
        x = x * (1.0 + 0.05 * random.random(x.size)) + 1e-3 * random.random(x.size)
        left, matrix, _ = system.look(x)
        along = random.standard_normal(x.size) * np.maximum(np.abs(x), 0.1)
        step = 1e-6
        ahead, behind = (system.look(x + s * step * along, sloped=False)[0] for s in (1.0, -1.0))
        exact = matrix @ along
        off = np.abs((ahead - behind) / (2.0 * step) - exact)
        scale = abs(matrix) @ np.abs(along) + 1e-12
        self.assertLess(float((off / scale).max()), 1e-6)
        self.assertTrue(np.array_equal(left, system.look(x, sloped=False)[0]))


class Cells(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.found = uk.run(at_rest())

    def test_losses_add_up_to_the_voltage_of_balance(self):
        told = {n: v.value for n, v in self.found.readouts.items()}
        lost = sum(told[n] for n in ("oxygen", "hydrogen", "protons", "electrons", "supply"))
        self.assertAlmostEqual(told["balance"] - lost, told["voltage"], places=9)
        for name in ("oxygen", "hydrogen", "protons", "electrons", "supply"):
            self.assertGreater(told[name], 0.0)

    def test_balances_close_and_follow_faraday(self):
        for name, budget in self.found.balance.items():
            self.assertLess(budget["relative"], 1e-9, name)
        current = self.found.readouts["current"].value
        made = {n: self.found.balance[n]["made"] for n in ("hydrogen", "oxygen")}
        crossed = -made["hydrogen"] * 2.0 * FARADAY - current
        self.assertGreater(crossed, 0.0)  # some burns on the other side
        self.assertAlmostEqual(crossed / (20.0 * 40e-6), 1.0, delta=0.6)  # 2 mA/cm2 at 1 bar
        self.assertAlmostEqual(made["oxygen"] / made["hydrogen"], 0.5, places=9)

    def test_heat_and_power_are_all_that_hydrogen_gives(self):
        case = Case(at_rest())
        solver = build_solvers(case)[ME]
        state = State()
        solver.start(state)
        solver._set(state, 0.0)
        x, passing, _ = solver._solved(solver._guessed(), is_known=False)
        u = solver.system.unfold(x)
        heat = float(solver._heat(u, solver.system.beyond(x), passing).sum())
        power = float(-(passing.ends * solver.system.beyond(x)).sum())
        burnt = float(passing.reacts[1].sum()) * matter.E_HEAT
        condensed = matter.LATENT * float(passing.condenses.sum())
        self.assertAlmostEqual((heat + power) / (burnt + condensed), 1.0, places=9)

    def test_a_current_that_is_drawn_brings_the_voltage_that_gives_it(self):
        current = self.found.readouts["current"].value
        drawn = does("draws", current=f"{current} A", value=None, contact="1 mohm cm2")
        run = uk.run(at_rest(conditions={"air_plate": drawn}))
        self.assertAlmostEqual(run.readouts["voltage"].value, 0.6, places=6)
        per = does("draws per area", density=f"{current / 40e-6} A/m2", value=None)
        per[ME]["contact"] = "1 mohm cm2"
        run = uk.run(at_rest(conditions={"air_plate": per}))
        self.assertAlmostEqual(run.readouts["voltage"].value, 0.6, places=6)

    def test_it_splits_water_when_the_current_turns(self):
        active = {"exchange": "1e8 A/m3"}
        run = uk.run(
            at_rest(
                conditions={
                    "air_coat": {ME: active},
                    "air_plate": {ME: {"value": "1.6 V"}},
                }
            )
        )
        current = -run.readouts["current"].value
        self.assertGreater(current, 1e-3)
        made = run.balance["hydrogen"]["made"] * 2.0 * FARADAY
        self.assertAlmostEqual(made / current, 1.0, delta=0.05)  # what crosses burns again
        self.assertGreater(run.balance["oxygen"]["made"], 0.0)
        self.assertLess(run.balance["water"]["made"], 0.0)
        for name, budget in run.balance.items():
            self.assertLess(budget["relative"], 1e-8, name)

    def test_liquid_in_pores_takes_room_from_gas(self):
        def told(**settings):
            wet = {e: {ME: {"humidity": "1"}} for e in ("fuel_in", "air_in")}
            run = uk.run(
                at_rest(
                    phenomena={ME: settings},
                    conditions=wet,
                    readouts=readouts if settings["liquid"] == "fills pores" else {},
                )
            )
            for name, budget in run.balance.items():
                self.assertLess(budget["relative"], 1e-8, name)
            return {n: v.value for n, v in run.readouts.items()}

        readouts = {
            "filled": {"kind": "mean", "field": "liquid_share", "place": "air_layer"},
            "there": {"kind": "max", "field": "liquid_share", "place": "air_coat"},
        }
        dry, wet = told(liquid="drains at once"), told(liquid="fills pores")
        repelled = told(liquid="fills pores", angle="150 deg")
        self.assertGreater(wet["there"], wet["filled"])
        self.assertGreater(wet["filled"], 0.01)
        self.assertLess(repelled["filled"], wet["filled"])  # what repels it more keeps less
        self.assertLess(wet["current"], dry["current"])

    def test_temperature_may_follow_a_place(self):
        run = uk.run(at_rest(phenomena={ME: {"temperature": "343.15 K + 20 K*y/(4 mm)"}}))
        self.assertEqual(run.status, "finished")
        self.assertNotAlmostEqual(
            run.readouts["current"].value, self.found.readouts["current"].value, places=4
        )

    def test_its_heat_warms_what_it_passes(self):
        heat = {
            "density": "2000 kg/m3",
            "heat_capacity": "1 kJ/(kg K)",
            "conductivity": "2 W/(m K)",
        }
        cold = {"heat": {"kind": "held temperature", "value": "80 degC"}}
        warm = at_rest(
            phenomena={ME: {"warms": True, "temperature": "temperature"}, "heat": heat},
            conditions={"fuel_plate": cold, "air_plate": cold},
            start={z: {"heat": {"value": "80 degC"}} for z in Case(CELL).mesh.zones},
            readouts={"hot": {"kind": "max", "field": "temperature", "place": "air_coat"}},
        )
        warm["stages"]["go"]["solve"] = [ME, "heat"]
        run = uk.run(warm)
        budget = run.balance["heat"]
        given = sum(budget["given"].values())
        self.assertAlmostEqual(budget["out"] / given, 1.0, places=6)
        power = run.readouts["current"].value * run.readouts["voltage"].value
        burnt = -2.0 * FARADAY * run.balance["hydrogen"]["made"] * matter.E_HEAT
        self.assertAlmostEqual((given + power) / burnt, 1.0, delta=0.01)  # some vapour condenses
        self.assertGreater(run.readouts["hot"].value, 353.3)


class ByHand(unittest.TestCase):
    def test_estimates_stand_beside_what_is_drawn(self):
        drawn = does("draws per area", density="0.2 A/cm2", value=None)
        run = uk.run(at_rest(conditions={"air_plate": drawn}))
        paper = {n: r.get("paper") for n, r in run.result["readouts"].items()}
        # 2000 A/m2 through 60 um at 3.486 water per site: (.5139 x 3.486 - .326) x 1.812 S/m
        self.assertAlmostEqual(paper["protons"], 2000.0 * 60e-6 / 2.654, delta=2e-4)
        self.assertAlmostEqual(paper["used"], 2000.0 / 1.5e4, places=9)
        self.assertAlmostEqual(run.readouts["used"].value / paper["used"], 1.0, delta=0.02)
        # RT/F ln((i + ix)/(i0 o^.75 d)), o = .2095 (1 - .5 x .3155) x 1.5/1.01325
        oxygen = 0.2095 * (1.0 - 0.5 * 0.3154) * 1.5 / 1.01325
        over = GAS * T / FARADAY * np.log((2000.0 + 30.0) / (4000.0 * oxygen**0.75 * 60e-6))
        self.assertAlmostEqual(paper["oxygen"], over, delta=5e-4)
        self.assertAlmostEqual(paper["balance"], run.readouts["balance"].value, delta=2e-4)

    def test_what_touches_what(self):
        # three cells in a row, the first two of one kind
        faces = Faces(
            *(np.array(v) for v in ([0, 1], [1, 2])),
            *(np.array(v) for v in ([2.0, 4.0], [4.0, 2.0])),
            *(np.zeros(2, int) for _ in range(3)),
        )
        self.assertEqual(faces.link(np.array([1.0, 1.0, 0.0])).tolist(), [8.0 / 6.0, 0.0])
        one, other = np.array([True, True, False]), np.array([False, False, True])
        back = faces.where(other, one)
        self.assertEqual((back.a.tolist(), back.b.tolist()), ([2], [1]))
        self.assertEqual((back.of_a.tolist(), back.of_b.tolist()), ([2.0], [4.0]))
        ends = [np.array([True, False, False]), np.array([False, False, True])]
        side, both = sides(faces, np.ones(3, bool), ends)
        self.assertTrue(both.all())
        side, both = sides(faces, np.array([True, False, True]), ends)
        self.assertEqual((side.tolist(), both.any()), ([0, -1, 1], False))


class Asks(unittest.TestCase):
    def test_more_current_than_gas_can_bring(self):
        drawn = does("draws", current="0.99 A", value=None)  # 1 A is all that is fed
        run = uk.run(at_rest(conditions={"air_plate": drawn, "fuel_in": {ME: {"times": "3"}}}))
        self.assertEqual(run.status, "failed")
        self.assertIn("the most that gases can bring", run.result["message"])

    def test_a_solver_says_what_no_audit_has_stopped(self):
        for patch, words in (
            (
                {
                    "vessel": {
                        "parts": {
                            "bridge": {
                                **CELL["vessel"]["parts"]["air_coat"],
                                "x": "0.4 mm",
                                "width": "0.16 mm",
                                "y": "3 mm",
                                "height": "1 mm",
                            }
                        }
                    },
                    "conditions": {"bridge": does("a porous layer")},
                },
                "both catalysts",
            ),
            ({"conditions": {"fuel_plate": None}}, "no edge that it reaches"),
            ({"conditions": {"fuel_out": None}}, "its pressure is fixed nowhere"),
            ({"conditions": {"fuel_in": does("air fed")}}, "it brings air"),
        ):
            with self.subTest(words), self.assertRaisesRegex(StepFailed, words):
                build_solvers(Case(at_rest(**copy.deepcopy(patch))))

    def test_the_audit_finds_nothing_wrong_with_it(self):
        self.assertFalse([f for f in audit(Case(CELL)) if f.column == ME])


if __name__ == "__main__":
    unittest.main()
