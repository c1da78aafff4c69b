"""Substances that currents turn: the law by hand, walls, pores, and what a case is told."""

import copy
import unittest

import numpy as np

from tests.phenomena.charged import CELL
from tests.phenomena.cures import cured, found
from underkettle import api, conformance
from underkettle.case.model import merge_patch
from underkettle.phenomena.charge.kinetics import butler_volmer, with_matter

FARADAY, GAS, T = 96485.33212331, 8.31446261815324, 298.15
TOLD = {"exchange": 20.0, "anodic": 0.6, "cathodic": 0.4, "temperature": T}
ETA = np.array([-0.3, -0.05, 0.0, 0.02, 0.4])


def still(work=None, **stage):
    """A millimetre of a still liquid with a couple of both forms, before an electrode."""
    return {
        "format": "under-kettle case 1",
        "name": "still",
        "vessel": {
            "depth": "10 mm",
            "parts": {
                "bath": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "1 mm",
                    "height": "0.5 mm",
                    "edges": {"left": "work", "right": "counter", "top": "side", "bottom": "side"},
                }
            },
        },
        "grid": {"size": "0.1 mm"},
        "phenomena": {
            "species": {
                "members": {
                    "ferro": {"diffusivity": "1e-9 m2/s"},
                    "ferri": {"diffusivity": "1e-9 m2/s"},
                }
            },
            "charge": {
                "members": {"salt": {"conductivity": "10 S/m"}},
                "passages": {
                    "couple": {
                        "law": "Butler-Volmer",
                        "exchange": "5 A/m2",
                        "reduced": "ferro",
                        "oxidised": "ferri",
                    }
                },
            },
        },
        "conditions": {
            "work": {
                "charge.salt": work or {"kind": "held", "value": "0.1 V"},
                "charge.couple": {"kind": "on the wall"},
            },
            "counter": {
                "charge.salt": {"kind": "held", "value": "0 V"},
                "species.ferro": {"kind": "held value", "value": "2 mol/m3"},
                "species.ferri": {"kind": "held value", "value": "1 mol/m3"},
            },
        },
        "start": {
            "space": {
                "species.ferro": {"value": "2 mol/m3"},
                "species.ferri": {"value": "1 mol/m3"},
            }
        },
        "stages": {
            "go": {"solve": ["charge", "species"], "mode": "transient", "until": "30 s", **stage}
        },
        "keep": {"watch_every": 1},
        "readouts": {
            "current": {"kind": "through", "quantity": "salt", "place": "work", "counts": "in"},
            "voltage": {"kind": "on", "field": "salt_terminal", "place": "work"},
            "arrives": {
                "kind": "through",
                "quantity": "ferro",
                "place": "counter",
                "counts": "in",
            },
        },
    }


STEADY = {"mode": "steady", "until": None}


class Law(unittest.TestCase):
    def test_with_plenty_it_is_butler_and_volmers(self):
        i, slope, _, _ = with_matter(
            ETA, **TOLD, reduced=1, oxidised=1, bring_reduced=np.inf, bring_oxidised=np.inf
        )
        plain, rises = butler_volmer(ETA, **TOLD)
        np.testing.assert_allclose(i, plain, rtol=1e-14, atol=1e-12)
        np.testing.assert_allclose(slope, rises, rtol=1e-14)

    def test_what_is_left_at_the_surface_gives_the_same_current(self):
        """i = i0 (r_s up - o_s down), with r_s = r - i/bring and o_s = o + i/bring."""
        matter = {"reduced": 0.7, "oxidised": 0.2, "bring_reduced": 30.0, "bring_oxidised": 8.0}
        i, _, _, _ = with_matter(ETA, **TOLD, **matter)
        f = FARADAY / (GAS * T)
        red, ox = 0.7 - i / 30.0, 0.2 + i / 8.0
        again = 20.0 * (red * np.exp(0.6 * f * ETA) - ox * np.exp(-0.4 * f * ETA))
        np.testing.assert_allclose(i, again, rtol=1e-9)
        self.assertTrue((red > 0).all() and (ox > 0).all())

    def test_far_off_it_is_what_can_come(self):
        matter = {"reduced": 0.7, "oxidised": 0.2, "bring_reduced": 30.0, "bring_oxidised": 8.0}
        i, slope, _, _ = with_matter(np.array([-3.0, 3.0]), **TOLD, **matter)
        np.testing.assert_allclose(i, [-0.2 * 8.0, 0.7 * 30.0], rtol=1e-9)
        self.assertTrue((slope >= 0).all() and np.isfinite(slope).all())

    def test_slopes_are_those_of_the_current(self):
        matter = {"reduced": 0.7, "oxidised": 0.2, "bring_reduced": 30.0, "bring_oxidised": 8.0}
        step = 1e-6
        i, slope, by_reduced, by_oxidised = with_matter(ETA, **TOLD, **matter)
        more, *_ = with_matter(ETA + step, **TOLD, **matter)
        np.testing.assert_allclose((more - i) / step, slope, rtol=2e-4, atol=1e-6)
        for form, by in (("reduced", by_reduced), ("oxidised", by_oxidised)):
            other, *_ = with_matter(ETA, **TOLD, **{**matter, form: matter[form] + step})
            np.testing.assert_allclose((other - i) / step, by, rtol=1e-6, atol=1e-6)


class Cases(unittest.TestCase):
    def test_at_rest_the_current_is_what_comes_through_the_layer(self):
        run = api.run(still(**STEADY))
        i = run.readouts["current"].value / 5e-6
        self.assertAlmostEqual(
            run.readouts["arrives"].value, run.readouts["current"].value / FARADAY, delta=1e-15
        )
        # by hand: both forms fall and rise in lines of 1 mm, and the liquid takes i L/kappa
        red, ox = 2.0 - i * 1e-3 / (FARADAY * 1e-9), 1.0 + i * 1e-3 / (FARADAY * 1e-9)
        eta = 0.1 - i * 1e-3 / 10.0
        f = 0.5 * FARADAY / (GAS * T)
        self.assertAlmostEqual(i, 5.0 * (red * np.exp(f * eta) - ox * np.exp(-f * eta)), delta=1e-5)

    def test_a_current_that_is_told_turns_as_much_as_faraday_says(self):
        run = api.run(still({"kind": "carries", "current": "-0.4 uA"}))
        self.assertEqual(run.status, "finished")
        given = run.balance["ferri"]["given"]["charge"]
        self.assertAlmostEqual(given / (-0.4e-6 * 30 / FARADAY), 1.0, places=9)
        self.assertAlmostEqual(
            run.balance["ferro"]["given"]["charge"], -given, delta=1e-9 * abs(given)
        )

    def test_a_voltage_that_is_held_turns_what_its_current_says(self):
        run = api.run(still())
        t, i = run.history("current")
        passed = float((i * np.diff(t, prepend=0.0)).sum())
        self.assertAlmostEqual(
            run.balance["ferri"]["given"]["charge"] * FARADAY / passed, 1.0, places=6
        )

    def test_nothing_passes_at_nernsts_voltage(self):
        run = api.run(still({"kind": "floats"}, **STEADY))
        self.assertAlmostEqual(
            run.readouts["voltage"].value, GAS * T / FARADAY * np.log(0.5), places=9
        )

    def test_more_than_can_come_is_refused_with_the_figure(self):
        run = api.run(still({"kind": "carries", "current": "500 uA"}))
        self.assertEqual(run.status, "failed")
        words = run.result["message"]
        self.assertRegex(
            words,
            r"edge work: 0.0005 A is asked of it, and [\d.e-]+ A is what can come of ferro now",
        )
        comes = float(words.split("and ")[1].split(" A")[0])
        # from the middle of a cell of .1 mm, and what the first step takes out of it
        self.assertLess(comes, FARADAY * 2.0 * 1e-9 / 0.5e-4 * 5e-6)

    def test_in_pores_it_uses_up_what_there_is(self):
        case = still({"kind": "held", "value": "0 V"})
        charge = case["phenomena"]["charge"]
        charge["members"]["carbon"] = {"conductivity": "100 S/m"}
        charge["passages"]["couple"] |= {"out_of": "carbon", "into": "salt"}
        case["conditions"]["work"] = {"charge.carbon": {"kind": "carries", "current": "20 uA"}}
        case["conditions"]["counter"] = {"charge.salt": {"kind": "held", "value": "0 V"}}
        case["conditions"]["space"] = {"charge.couple": {"kind": "in pores", "area": "1e4 1/m"}}
        run = api.run(case)
        self.assertEqual(run.status, "finished")
        given = run.balance["ferri"]["given"]["charge"]
        self.assertAlmostEqual(given / (20e-6 * 30 / FARADAY), 1.0, places=9)
        for budget in run.balance.values():
            self.assertLess(budget["relative"], 1e-8)

    def test_it_goes_through_the_suite(self):
        self.assertEqual(conformance.resume(still(until="900 s", longest_step="90 s")), [])
        self.assertEqual(conformance.restore(still()), [])
        self.assertEqual(
            conformance.balance("charge", still(until="900 s", longest_step="90 s")), []
        )


class Told(unittest.TestCase):
    def test_a_substance_that_nobody_follows(self):
        case = still()
        case["phenomena"]["charge"]["passages"]["couple"]["reduced"] = "iron"
        (finding,) = found(case, "turned by nobody's account")
        self.assertEqual(finding.sentence, "Nobody follows iron, which couple turns.")
        self.assertEqual(found(cured(case, finding), finding.rule), [])
        case = merge_patch(
            copy.deepcopy(CELL),
            {"phenomena": {"charge": {"passages": {"reaction": {"reduced": "ferro"}}}}},
        )
        (finding,) = found(case, "turned by nobody's account")
        self.assertEqual(found(cured(case, finding), finding.rule), [])

    def test_a_law_that_does_not_ask(self):
        case = still()
        case["phenomena"]["charge"]["passages"]["couple"] |= {
            "law": "as a resistance",
            "resistance": "1 mohm m2",
        }
        findings = found(case, "turned by nobody's account")
        self.assertEqual(findings[0].sentence, "Couple turns ferro unasked.")
        self.assertEqual(len(findings), 2)


class TakenUp(unittest.TestCase):
    def test_a_charge_takes_half_a_mole_of_salt_for_each_of_electrons(self):
        case = merge_patch(
            CELL,
            {
                "phenomena": {
                    "species": {"members": {"ions": {"diffusivity": "1e-9 m2/s"}}},
                    "charge": {"passages": {"layer": {"takes": "ions"}}},
                },
                "start": {
                    "space": {"species.ions": {"value": "100 mol/m3"}},
                    "felt": {"species.ions": {"value": "100 mol/m3"}},
                },
                "stages": {"go": {"solve": ["charge", "species"]}},
                "readouts": {
                    "charged": {"kind": "mean", "field": "layer_across", "place": "felt"},
                    "least": {"kind": "min", "field": "layer_across", "place": "felt"},
                },
            },
        )
        run = api.run(case)
        budget = run.balance["ions"]
        self.assertLess(budget["relative"], 1e-9)
        self.assertGreater(run.readouts["least"].value, 0.0)
        felt = 0.2e-3 * 0.4e-3 * 10e-3
        held = 0.1 * 1e6 * felt * (run.readouts["charged"].value - 0.01) / (2.0 * FARADAY)
        self.assertAlmostEqual(budget["given"]["charge"] / -held, 1.0, places=6)
        self.assertAlmostEqual(budget["stored"] / -held, 1.0, places=6)

    def test_whose_salt_nobody_follows_is_told_with_a_cure(self):
        case = merge_patch(
            CELL,
            {
                "phenomena": {
                    "species": {"members": {"ions": {"diffusivity": "1e-9 m2/s"}}},
                    "charge": {"passages": {"layer": {"takes": "ghost"}}},
                }
            },
        )
        (finding,) = found(case, "taken up by nobody's account")
        self.assertEqual(finding.cure[0][1], "ions")


if __name__ == "__main__":
    unittest.main()
