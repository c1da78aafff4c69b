"""Wicking: its laws by hand, what edges do, since when a spot is wet, and what cannot be answered."""

import unittest
from unittest import mock

import numpy as np

import underkettle.api as uk
from tests.phenomena.wicks import FELT, FRONT, WICK
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.paper.soaking import front, rising_front
from underkettle.phenomena.wicking import soaking
from underkettle.phenomena.wicking.laws import RAMP, Law


def strip(**patch):
    """A dry strip of felt, 40 by 4 mm, that lies and drinks from its left end."""
    data = {
        "format": "under-kettle case 1",
        "name": "strip",
        "vessel": {
            "parts": {
                "strip": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "40 mm",
                    "height": "4 mm",
                }
            }
        },
        "grid": {"size": "1 mm"},
        "phenomena": {
            "porous": {},
            "wicking": {
                "density": "1000 kg/m3",
                "viscosity": "1 mPa s",
                "gravity_y": "0 m/s2",
            },
        },
        "conditions": {
            "space": {"porous": FELT, "wicking": {"kind": "wet front", "draws": "2 kPa"}},
            "strip_left": {"wicking": {"kind": "wetted"}},
        },
        "stages": {"soak": {"solve": ["porous", "wicking"], "mode": "transient", "until": "1 s"}},
        "readouts": {
            "mass": {"kind": "total", "field": "taken_up", "place": "space"},
            "front": {
                "kind": "reach",
                "field": "wetness",
                "line": ["0 mm", "2 mm", "40 mm", "2 mm"],
            },
        },
    }
    return merge_patch(data, patch)


class Laws(unittest.TestCase):
    def test_a_front_is_full_above_its_capillary_pressure_and_dry_below(self):
        law = Law("wet front", 2e3)
        found = law.moved(np.array([-1e3, -2e3, -2e3 * (1 + RAMP)]))
        np.testing.assert_allclose(found, [1, 1, 0], atol=1e-12)
        self.assertAlmostEqual(float(law.moved(np.array([-2e3 * (1 + RAMP / 4)]))[0]), 0.75)

    def test_each_smooth_law_at_one_pressure(self):
        p = np.array([-2e3])
        # (1 + 2^2)^(-1/2); 2^-3; e^-2
        self.assertAlmostEqual(float(Law("curved", 1e3, 2.0).moved(p)[0]), 5**-0.5)
        self.assertAlmostEqual(float(Law("power law", 1e3, 3.0).moved(p)[0]), 0.125)
        self.assertAlmostEqual(float(Law("exponential", 1e3).moved(p)[0]), np.exp(-2))

    def test_how_easily_liquid_moves(self):
        half = np.array([0.5])
        # sqrt(s) (1 - sqrt(1 - s^2))^2 for an exponent of 2; s^(3 + 2/2); s^3
        curved = np.sqrt(0.5) * (1 - np.sqrt(0.75)) ** 2
        self.assertAlmostEqual(float(Law("curved", 1e3, 2.0).eases(half)[0]), curved)
        self.assertAlmostEqual(float(Law("power law", 1e3, 2.0).eases(half)[0]), 0.5**4)
        self.assertAlmostEqual(float(Law("wet front", 1e3).eases(half)[0]), 0.125)

    def test_pressure_and_wetness_invert_each_other_and_slopes_are_theirs(self):
        for law in (
            Law("curved", 1e3, 2.5, 0.1),
            Law("power law", 1e3, 1.5, 0.05),
            Law("exponential", 1e3, 1.0, 0.0, 2.0, 0.3),
            Law("wet front", 1e3, power=3.0, swelling=0.5),
        ):
            with self.subTest(law=law.kind):
                moved = np.array([0.2, 0.5, 0.9])
                p = law.pressure(moved)
                np.testing.assert_allclose(law.moved(p), moved, rtol=1e-9)
                step = 1e-4 * np.abs(law.scale) * (RAMP if law.kind == "wet front" else 1.0)
                _, slope, _, ease_slope = law.look(p)
                above, below = law.look(p + step), law.look(p - step)
                np.testing.assert_allclose(slope, (above[0] - below[0]) / (2 * step), rtol=1e-4)
                np.testing.assert_allclose(
                    ease_slope, (above[2] - below[2]) / (2 * step), rtol=1e-4
                )

    def test_swollen_pores_hold_more(self):
        self.assertEqual(Law("wet front", 1e3, swelling=0.5).holds(1.0), 1.5)

    def test_relations_by_hand(self):
        # sqrt(2 x 1e-11 x 2000 x 60/(1e-3 x .4)) = sqrt(.006)
        self.assertAlmostEqual(front(2e3, 1e-11, 0.4, 1e-3, 60.0), 0.006**0.5)
        # H = 2000/1e4 = .2 m; at half of it t = mu eps/(K w) (H ln 2 - H/2)
        time = 1e-3 * 0.4 / (1e-11 * 1e4) * (0.2 * np.log(2) - 0.1)
        self.assertAlmostEqual(rising_front(2e3, 1e-11, 0.4, 1e-3, time, 1e4), 0.1, places=9)
        self.assertAlmostEqual(rising_front(2e3, 1e-11, 0.4, 1e-3, 1e9, 1e4), 0.2, places=9)
        sinks = rising_front(2e3, 1e-11, 0.4, 1e-3, 30.0, -1e4)
        gone = 1e-3 * 0.4 / (1e-11 * 1e4) * (sinks - 0.2 * np.log(1 + sinks / 0.2))
        self.assertAlmostEqual(gone, 30.0, places=6)


class Edges(unittest.TestCase):
    def test_a_pore_size_draws_as_its_tube_would(self):
        """4 x .0728/1e-4 = 2912 Pa against 2000: the front goes further by their root."""
        pore = strip(conditions={"space": {"wicking": {"draws": None, "pore": "100 um"}}})
        shorter = {"stages": {"soak": {"until": "0.5 s"}}}
        a, b = (uk.run(merge_patch(data, shorter)) for data in (strip(), pore))
        self.assertAlmostEqual(
            b.readouts["mass"].value / a.readouts["mass"].value, (2912 / 2000) ** 0.5, delta=0.01
        )
        self.assertAlmostEqual(
            b.readouts["front"].value / b.readouts["front"].paper, 1.0, delta=0.03
        )

    def test_what_drips_in_is_what_is_taken_up(self):
        dripped = strip(
            conditions={"strip_left": {"wicking": {"kind": "inflow", "speed": "2 mm/s"}}}
        )
        run = uk.run(dripped)
        self.assertAlmostEqual(run.readouts["mass"].value, 1000 * 2e-3 * 4e-3, delta=1e-9)
        # 2 mm/s x 1 s/.6
        self.assertAlmostEqual(run.readouts["front"].value, 2 / 0.6, delta=0.6)

    def test_a_full_wick_drips_and_a_dry_one_does_not(self):
        data = strip(
            phenomena={"wicking": {"gravity_x": "9.81 m/s2"}},
            conditions={"strip_right": {"wicking": {"kind": "drips"}}},
            readouts={"drips": {"kind": "through", "quantity": "mass", "place": "strip_right"}},
        )
        self.assertEqual(uk.run(data).readouts["drips"].value, 0.0)
        data["stages"]["soak"]["until"] = "20 s"
        # full, the weight of all of it pulls: K rho g/mu x rho x side
        self.assertAlmostEqual(
            uk.run(data).readouts["drips"].value, 1e-10 * 9810 / 1e-3 * 1000 * 4e-3, delta=1e-9
        )

    def test_since_when_a_spot_is_wet(self):
        run = uk.run(strip())
        line = run.profile("wet_since", (0.0, 2e-3), (40e-3, 2e-3))
        x, since = np.array(line["x"]), np.array(line["value"])
        wet = np.isfinite(since)
        self.assertTrue(5 < wet.sum() < 40)
        # t = mu eps x2/(2 K p)
        exact = 1e-3 * 0.6 * x[wet] ** 2 / (2 * 1e-10 * 2e3)
        self.assertLess(np.abs(since[wet] - exact).max(), 0.03)
        waited = np.array(run.profile("wet_for", (0.0, 2e-3), (40e-3, 2e-3))["value"])
        np.testing.assert_allclose(waited[wet], 1.0 - since[wet], atol=1e-6)  # frames are single
        self.assertTrue((waited[~wet] == 0).all())

    def test_a_mirror_image_drinks_alike(self):
        right = strip(
            conditions={
                "strip_left": None,
                "strip_right": {"wicking": {"kind": "wetted"}},
            }
        )
        one, two = uk.run(strip()).readouts["mass"].value, uk.run(right).readouts["mass"].value
        self.assertAlmostEqual(one, two, delta=1e-9 * one)

    def test_upright_and_lying_differ_by_gravity_alone(self):
        turned = strip(phenomena={"wicking": {"gravity_x": "-9.81 m/s2"}})
        run = uk.run(turned)
        self.assertLess(run.readouts["mass"].value, uk.run(strip()).readouts["mass"].value)
        self.assertAlmostEqual(
            run.readouts["front"].value / run.readouts["front"].paper, 1.0, delta=0.03
        )


class Trouble(unittest.TestCase):
    def test_pressures_that_never_settle_fail_the_step(self):
        with mock.patch.object(soaking, "MOST", 1):
            result = uk.run(strip()).result
        self.assertEqual(result["status"], "failed")
        self.assertIn("pressures do not settle", result["message"])

    def test_what_stands_there_is_not_doubted_for_want_of_a_stream(self):
        found = [f.rule for f in audit(Case(strip()))]
        self.assertNotIn("no stream", found)

    def test_a_dry_sheet_that_touches_nothing(self):
        with self.assertRaises(uk.Refused) as caught:
            uk.run(strip(conditions={"strip_left": None}))
        self.assertIn("no edge touches liquid", str(caught.exception))

    def test_matter_that_is_turned(self):
        turned = strip(conditions={"space": {"porous": {"turned": "30 deg", "across": "1e-11 m2"}}})
        result = uk.run(turned).result
        self.assertEqual(result["status"], "failed")
        self.assertIn("turn the sheet instead", result["message"])

    def test_two_claim_one_zone(self):
        both = strip(
            phenomena={"percolation": {"density": "1000 kg/m3", "viscosity": "1 mPa s"}},
            stages={"soak": {"solve": ["porous", "wicking", "percolation"]}},
        )
        with self.assertRaises(uk.Refused) as caught:
            uk.run(both)
        self.assertIn("pressure", str(caught.exception))


class Mixed(unittest.TestCase):
    def test_all_round_a_stone_that_is_cut_out_fills(self):
        """Also cells whose middle the stone has: in the end all of the open pores are full."""
        stone = {"shape": "circle", "does": "zone", "x": "12 mm", "y": "2 mm", "radius": "1.3 mm"}
        data = strip(
            vessel={"parts": {"stone": stone}},
            conditions={"stone": {"wicking": {"kind": "cut out"}}},
            stages={"soak": {"until": "20 s"}},
        )
        run = uk.run(data)
        open_ = 40e-3 * 4e-3 - np.pi * 1.3e-3**2
        self.assertAlmostEqual(run.readouts["mass"].value / (1000 * 0.6 * open_), 1.0, delta=2e-3)

    def test_a_front_meets_a_curve(self):
        run = uk.run(merge_patch(WICK, {"stages": {"soak": {"until": "4 s"}}}))
        self.assertEqual(run.status, "finished")
        self.assertLess(run.balance["mass"]["relative"], 1e-9)
        self.assertEqual(WICK["conditions"]["space"]["wicking"], FRONT)


if __name__ == "__main__":
    unittest.main()
