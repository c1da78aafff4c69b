"""Charge: kinetics and sweeps by hand, small circuits with known answers, and what a case is told."""

import copy
import unittest
from unittest import mock

import numpy as np

from tests.phenomena.charged import CELL, TRIPS
from tests.phenomena.cures import cured, found
from tests.recorder import Recorder
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.engine.contract import StepFailed
from underkettle.engine.marching.listening import Quiet
from underkettle.phenomena.charge.kinetics import STEEP, Across, butler_volmer, linear
from underkettle.phenomena.charge.naming import ends
from underkettle.phenomena.charge.network import Network
from underkettle.phenomena.charge.sweeping import Sweep
from underkettle.quantities import Place

RT_F = 8.31446261815324 * 298.15 / 96485.33212331


class Steps(Quiet):
    """Keeps how long every step was (s)."""

    def __init__(self):
        self.lengths = []

    def step(self, report):
        self.lengths.append(report.dt)


def bath(**more):
    """A litre of salt between two plates of 100 cm2, 100 mm apart: 1 ohm."""
    return {
        "format": "under-kettle case 1",
        "name": "bath",
        "vessel": {
            "depth": "100 mm",
            "parts": {
                "bath": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "100 mm",
                    "height": "100 mm",
                    "edges": {"left": "near", "right": "far", "top": "lid", "bottom": "floor"},
                }
            },
        },
        "grid": {"size": "25 mm"},
        "phenomena": {"charge": {"members": {"salt": {"conductivity": "10 S/m"}}}},
        "conditions": {
            "near": {"charge.salt": {"kind": "held", "value": "2 V"}},
            "far": {"charge.salt": {"kind": "held", "value": "0 V"}},
        },
        "stages": {"go": {"solve": ["charge"], "mode": "steady"}},
        "readouts": {
            "current": {"kind": "through", "quantity": "salt", "place": "near", "counts": "in"},
            "joined": {"kind": "on", "field": "salt_terminal", "place": "near"},
            "heat": {"kind": "total", "field": "current_heat", "place": "space"},
        },
        **more,
    }


def coated(**passage):
    """The same with a surface on the near plate."""
    case = bath()
    case["phenomena"]["charge"]["passages"] = {"skin": passage}
    case["conditions"]["near"]["charge.skin"] = {"kind": "on the wall"}
    return case


class Kinetics(unittest.TestCase):
    def test_butler_and_volmer_by_hand(self):
        """At eta = 2 RT/F ln 3 with both coefficients 1/2: i0 (3 - 1/3)."""
        eta = np.array([2.0 * RT_F * np.log(3.0)])
        i, slope = butler_volmer(eta, 6.0, 0.5, 0.5, 298.15)
        self.assertAlmostEqual(i[0], 16.0)
        self.assertAlmostEqual(slope[0] * RT_F, 10.0)

    def test_near_balance_both_coefficients_count(self):
        eta = np.array([1e-9])
        i, slope = butler_volmer(eta, 6.0, 1.2, 0.4, 298.15)
        self.assertAlmostEqual(i[0] / eta[0], 6.0 * 1.6 / RT_F, delta=1e-3)
        self.assertAlmostEqual(slope[0] * RT_F, 9.6, delta=1e-5)

    def test_far_off_it_goes_on_as_its_tangent(self):
        far = np.array([3.0 * STEEP, 200.0 * STEEP]) * RT_F
        i, slope = butler_volmer(far, 1.0, 1.0, 1.0, 298.15)
        self.assertTrue(np.isfinite(i).all())
        self.assertAlmostEqual((i[1] - i[0]) / (far[1] - far[0]) / slope[0], 1.0)

    def test_slopes_are_what_it_rises_by(self):
        eta = np.linspace(-0.3, 0.3, 13)
        for law in (
            lambda e: butler_volmer(e, 2.0, 0.3, 0.7, 330.0),
            lambda e: linear(e, 0.4),
        ):
            nudged = (law(eta + 1e-7)[0] - law(eta - 1e-7)[0]) / 2e-7
            np.testing.assert_allclose(nudged, law(eta)[1], rtol=1e-6)

    def test_behind_a_resistance(self):
        """What is lost before the surface and across it is all there is."""
        law = Across(lambda e: butler_volmer(e, 2.0, 0.5, 0.5, 298.15), 0.1)
        voltage = np.array([-2.0, -0.1, 0.1, 0.1001, 0.4, 5.0])
        for resistance in (0.0, 1e-6, 0.01, 10.0):
            i, slope, x = law.behind(voltage, np.full(6, resistance))
            np.testing.assert_allclose(x + resistance * i, voltage, atol=1e-11)
            if resistance:
                more = law.behind(voltage + 1e-6, np.full(6, resistance))[0]
                np.testing.assert_allclose((more - i) / 1e-6, slope, rtol=2e-4)

    def test_behind_a_resistance_a_layer_charges_from_where_it_was(self):
        """No kinetics, 4 F/m2 in 2 s from 0.3 V: 2 (x - 0.3) = (1 - x)/0.5, x = 0.65."""
        i, _, x = Across(None, 0.0, 2.0, 0.6).behind(np.array([1.0]), np.array([0.5]))
        self.assertAlmostEqual(x[0], 0.65)
        self.assertAlmostEqual(i[0], 0.7)

    def test_an_even_law_passes_as_much_either_way(self):
        law = Across(lambda e: linear(e, 0.25), 0.2, 3.0, 1.0)
        i, slope = law.passes(np.array([0.7]))
        self.assertAlmostEqual(i[0], 0.5 / 0.25 + 3.0 * 0.7 - 1.0)
        self.assertAlmostEqual(slope[0], 7.0)


class Sweeping(unittest.TestCase):
    def test_up_and_down_by_hand(self):
        sweep = Sweep(-0.5, 0.5, 0.1, 0.0)
        told = {0.0: 0.0, 2.0: 0.2, 5.0: 0.5, 6.0: 0.4, 15.0: -0.5, 16.0: -0.4, 20.0: 0.0}
        for t, value in told.items():
            self.assertAlmostEqual(sweep.at(Place(t=t)), value, msg=str(t))

    def test_when_it_turns(self):
        sweep = Sweep(0.0, 1.0, 0.5, 0.25)
        self.assertAlmostEqual(sweep.turns_in(0.0), 1.5)
        self.assertAlmostEqual(sweep.turns_in(1.0), 0.5)
        self.assertAlmostEqual(sweep.turns_in(1.5), 2.0)
        self.assertAlmostEqual(sweep.turns_in(1.5 - 1e-12), 2.0)

    def test_steps_end_where_it_turns(self):
        case = merge_patch(CELL, {"stages": {"go": {"until": "0.4 s"}}})
        steps = Steps()
        api.run(case, listeners=[steps])
        ends = np.cumsum(steps.lengths)
        for turn in (0.15, 0.35):
            self.assertLess(np.abs(ends - turn).min(), 1e-12)


class Circuits(unittest.TestCase):
    def read(self, case, **how):
        run = api.run(case, **how)
        return run, {n: r.value for n, r in run.readouts.items()}

    def test_a_bath_is_one_ohm(self):
        run, read = self.read(bath())
        self.assertAlmostEqual(read["current"], 2.0)
        self.assertAlmostEqual(read["joined"], 2.0)
        self.assertAlmostEqual(read["heat"], 4.0)
        self.assertAlmostEqual(run.readouts["current"].paper, 2.0)
        np.testing.assert_allclose(run.field("salt_current_x"), 200.0, rtol=1e-6)

    def test_a_resistance_before_an_edge(self):
        """1 ohm of bath, 0.03 ohm m2 over 0.01 m2: 3 ohm more."""
        case = bath()
        case["conditions"]["near"]["charge.salt"] = {
            "kind": "through a resistance",
            "resistance": "0.03 ohm m2",
            "value": "2 V",
        }
        run, read = self.read(case)
        self.assertAlmostEqual(read["current"], 0.5)
        self.assertAlmostEqual(run.readouts["current"].paper, 0.5)
        self.assertAlmostEqual(read["heat"], 1.0)

    def test_a_current_density_brings_its_own_voltage(self):
        case = bath()
        case["conditions"]["near"]["charge.salt"] = {"kind": "current density", "flux": "50 A/m2"}
        case["readouts"]["joined"] = {"kind": "mean", "field": "salt_potential", "place": "near"}
        _, read = self.read(case)
        self.assertAlmostEqual(read["current"], 0.5)
        self.assertAlmostEqual(read["joined"], 0.5)
        self.assertAlmostEqual(read["heat"], 0.25)

    def test_a_contact_between_zones(self):
        """Half of the bath twice as good: 0.75 ohm, and 0.0025 ohm m2 between: 0.25 ohm."""
        case = bath()
        case["vessel"]["parts"]["half"] = {
            "shape": "rectangle",
            "does": "zone",
            "x": "50 mm",
            "y": "0 mm",
            "width": "50 mm",
            "height": "100 mm",
        }
        case["conditions"]["half"] = {
            "charge.salt": {"kind": "conducts otherwise", "along": "20 S/m"}
        }
        case["conditions"]["space-half"] = {
            "charge.salt": {"kind": "contact", "resistance": "2.5 mohm m2"}
        }
        _, read = self.read(case)
        self.assertAlmostEqual(read["current"], 2.0)

    def test_it_conducts_otherwise_along_y(self):
        case = bath()
        case["phenomena"]["charge"]["members"]["salt"]["conductivity_y"] = "1 S/m"
        case["conditions"] = {
            "floor": {"charge.salt": {"kind": "held", "value": "0 V"}},
            "lid": {"charge.salt": {"kind": "held", "value": "2 V"}},
        }
        case["readouts"] = {
            "current": {"kind": "through", "quantity": "salt", "place": "lid", "counts": "in"}
        }
        self.assertAlmostEqual(self.read(case)[1]["current"], 0.2)

    def test_a_surface_adds_its_overvoltage(self):
        """6 A/m2 of exchange: 16 A/m2 at eta = 2 RT/F ln 3, so 0.16 A and 0.16 V in the bath."""
        case = coated(law="Butler-Volmer", exchange="6 A/m2", balanced="0.2 V")
        case["conditions"]["near"]["charge.salt"] = {"kind": "carries", "current": "0.16 A"}
        run, read = self.read(case)
        eta = 2.0 * RT_F * np.log(3.0)
        self.assertAlmostEqual(read["joined"], 0.2 + eta + 0.16, places=9)
        self.assertAlmostEqual(read["heat"], 0.16 * (eta + 0.16), places=9)
        self.assertAlmostEqual(run.readouts["current"].value, 0.16, places=10)

    def test_a_rough_wall_has_more_of_it(self):
        case = coated(law="as a resistance", resistance="0.02 ohm m2")
        case["conditions"]["near"]["charge.skin"]["share"] = "4"
        self.assertAlmostEqual(self.read(case)[1]["current"], 2.0 / 1.5)

    def test_a_layer_charges_through_a_resistance(self):
        """1 ohm and 50 F/m2 x 0.01 m2 = 0.5 F: I = 2 exp(-t/0.5 s), and half of the energy is lost."""
        case = coated(capacity="50 F/m2")
        case["stages"]["go"] = {"solve": ["charge"], "mode": "transient", "until": "2 s"}
        case["keep"] = {"watch_every": 1}
        run, _ = self.read(case)
        t, current = run.history("current")
        np.testing.assert_allclose(current[1:], 2.0 * np.exp(-t[1:] / 0.5), atol=1e-4)
        passed = run.balance["salt"]["in"]
        self.assertAlmostEqual(passed, 1.0 - np.exp(-4.0), delta=3e-4)
        self.assertLess(run.balance["salt"]["relative"], 1e-10)

    def test_finer_steps_of_its_own_are_nearer(self):
        errors = []
        for accuracy in ("40 mV", "10 mV", "2.5 mV"):
            case = coated(capacity="50 F/m2")
            case["phenomena"]["charge"]["accuracy"] = accuracy
            case["stages"]["go"] = {
                "solve": ["charge"],
                "mode": "transient",
                "until": "1 s",
                "longest_step": "1 s",
            }
            errors.append(abs(self.read(case)[1]["current"] / (2.0 * np.exp(-2.0)) - 1.0))
        self.assertLess(errors[2], 0.3 * errors[0])
        self.assertLess(errors[2], 1e-3)

    def test_a_load_takes_its_share(self):
        """1 ohm of bath and 3 ohm of load."""
        case = bath()
        case["conditions"]["near"]["charge.salt"] = {
            "kind": "through a load",
            "load": "3 ohm",
            "value": "2 V",
        }
        _, read = self.read(case)
        self.assertAlmostEqual(read["current"], 0.5)
        self.assertAlmostEqual(read["joined"], 0.5)

    def test_impedance_of_a_layer_behind_a_resistance(self):
        """1 ohm, and 0.5 F beside 2 ohm: Z = 1 + 2/(1 + j omega), with omega = 1/s and 3/s."""
        case = coated(law="as a resistance", resistance="0.02 ohm m2", capacity="50 F/m2")
        case["parameters"] = {"often": "1 1/s"}
        case["phenomena"]["charge"] |= {"swings": "near", "frequency": "often"}
        case["readouts"] = {
            part: {"kind": "on", "field": f"impedance_{part}", "place": "near"}
            for part in ("real", "imaginary")
        }
        for kind in ({"kind": "held", "value": "2 V"}, {"kind": "carries", "current": "0.1 A"}):
            case["conditions"]["near"]["charge.salt"] = kind
            for omega in (1.0, 3.0):
                case["parameters"]["often"] = f"{omega / (2.0 * np.pi)!r} 1/s"
                _, read = self.read(case)
                exact = 1.0 + 2.0 / (1.0 + 1j * omega)
                self.assertAlmostEqual(read["real"], exact.real, places=9)
                self.assertAlmostEqual(read["imaginary"], exact.imag, places=9)

    def test_what_only_charges_swings_about_no_rest(self):
        case = coated(capacity="50 F/m2")
        case["phenomena"]["charge"] |= {"swings": "near", "frequency": f"{0.5 / np.pi!r} 1/s"}
        case["conditions"]["near"]["charge.salt"] = {"kind": "carries", "current": "0 A"}
        case["readouts"] = {"z": {"kind": "on", "field": "impedance_imaginary", "place": "near"}}
        self.assertAlmostEqual(self.read(case)[1]["z"], -2.0)

    def test_cycles_turn_where_they_are_told(self):
        """1 ohm and 0.5 F at 0.1 A: up to 1 V in 4.5 s, as 0.1 V is lost; down to nought in 4 s."""
        case = coated(capacity="50 F/m2")
        case["conditions"]["near"]["charge.salt"] = {
            "kind": "cycled",
            "current": "0.1 A",
            "low": "0 V",
            "high": "1 V",
        }
        case["stages"]["go"] = {
            "solve": ["charge"],
            "mode": "transient",
            "until": "14 s",
            "longest_step": "0.1 s",
        }
        case["keep"] = {"watch_every": 1}
        run, _ = self.read(case)
        t, joined = run.history("joined")
        current = run.history("current")[1]
        turns = t[1:][np.diff(np.sign(current)) != 0]
        np.testing.assert_allclose(turns, [4.5, 8.5, 12.5], atol=0.12)
        self.assertLess(joined.max(), 1.0 + 1e-3)
        self.assertGreater(joined.min(), -1e-3)
        last = joined[t > 13.0]
        np.testing.assert_allclose(np.diff(last) / np.diff(t[t > 13.0]), -0.2, rtol=1e-6)
        self.assertLess(run.balance["salt"]["relative"], 1e-9)

    def test_a_solve_that_fails_is_made_again_in_a_shorter_step(self):
        case = coated(capacity="50 F/m2")
        case["stages"]["go"] = {"solve": ["charge"], "mode": "transient", "until": "0.5 s"}
        real, asked = Network.solve, []

        def once(network, *how):
            asked.append(how)
            if len(asked) == 1:
                raise StepFailed("potential", "somewhere", "it was told to")
            return real(network, *how)

        recorder = Recorder()
        with mock.patch.object(Network, "solve", once):
            run = api.run(case, listeners=[recorder])
        self.assertAlmostEqual(run.readouts["current"].value, 2.0 * np.exp(-1.0), delta=1e-3)
        self.assertFalse([text for kind, text in recorder.said if kind == "back"])

    def test_a_current_too_large_to_cycle_is_told(self):
        case = coated(capacity="50 F/m2")
        case["conditions"]["near"]["charge.salt"] = {
            "kind": "cycled",
            "current": "2 A",
            "low": "0 V",
            "high": "1 V",
        }
        case["stages"]["go"] = {"solve": ["charge"], "mode": "transient", "until": "1 s"}
        recorder = Recorder()
        self.assertEqual(api.run(case, listeners=[recorder]).status, "failed")
        self.assertIn("lost in conductors alone", " ".join(recorder.lines))

    def test_a_current_density_that_changes_closes(self):
        case = coated(capacity="50 F/m2")
        case["conditions"]["near"]["charge.salt"] = {"kind": "held", "value": "0 V"}
        case["conditions"]["far"]["charge.salt"] = {
            "kind": "current density",
            "flux": "10 A/m2*sin(2 1/s*t)",
        }
        case["stages"]["go"] = {"solve": ["charge"], "mode": "transient", "until": "2 s"}
        run, _ = self.read(case)
        self.assertLess(run.balance["salt"]["relative"], 1e-10)

    def test_a_swept_capacity_takes_c_times_v(self):
        case = coated(capacity="50 F/m2")
        case["conditions"]["near"]["charge.salt"] = {
            "kind": "swept",
            "low": "0 V",
            "high": "10 V",
            "rate": "1 V/s",
        }
        case["stages"]["go"] = {"solve": ["charge"], "mode": "transient", "until": "9 s"}
        self.assertAlmostEqual(self.read(case)[1]["current"], 0.5, places=6)

    def test_what_nothing_fixes_is_told_by_name_and_place(self):
        """An island of a second conductor."""
        case = bath()
        case["vessel"]["parts"]["isle"] = {
            "shape": "rectangle",
            "does": "zone",
            "x": "50 mm",
            "y": "25 mm",
            "width": "25 mm",
            "height": "25 mm",
        }
        case["phenomena"]["charge"]["members"]["metal"] = {"conductivity": "1e3 S/m"}
        case["conditions"]["space"] = {"charge.metal": {"kind": "not here"}}
        case["conditions"]["isle"] = {"charge.metal": {"kind": "conducts"}}
        recorder = Recorder()
        self.assertEqual(api.run(case, listeners=[recorder]).status, "failed")
        said = " ".join(recorder.lines)
        self.assertIn("potential of metal at x", said)
        self.assertIn("nothing fixes it", said)

    def test_charge_closes_with_reactions_and_layers(self):
        run = api.run(CELL)
        self.assertEqual(run.status, "finished")
        for name in ("carbon", "salt"):
            self.assertLess(run.balance[name]["relative"], 1e-9)
        self.assertAlmostEqual(
            run.readouts["current"].value / run.readouts["passed"].value, 1.0, delta=1e-8
        )


class Told(unittest.TestCase):
    def test_ends_are_the_first_and_the_last_unless_said(self):
        many = {"members": {"metal": {}, "salt": {}}}
        self.assertEqual(ends(many, {}), ("metal", "salt"))
        self.assertEqual(ends(many, {"out_of": "salt", "into": "metal"}), ("salt", "metal"))
        self.assertEqual(ends({"members": {"salt": {}}}, {}), ("", "salt"))

    def test_every_cure_clears_its_rule(self):
        many = 0
        for rule, patch in TRIPS.items():
            case = merge_patch(copy.deepcopy(CELL), patch)
            findings = found(case, rule)
            self.assertTrue(findings, rule)
            for finding in (f for f in findings if f.cure):
                again = {f.key for f in found(cured(case, finding), rule)}
                self.assertNotIn(finding.key, again, rule)
                many += 1
        self.assertEqual(many, 17)

    def test_more_that_the_audit_says(self):
        told = {
            "carbon is nowhere.": {"conditions": {"felt": {"charge.carbon": {"kind": "not here"}}}},
            "layer neither stores nor passes anything.": {
                "phenomena": {
                    "charge": {
                        "passages": {"layer": {"law": "charging only", "capacity": "0 F/m2"}}
                    }
                }
            },
            "driven begins outside its sweep.": {
                "conditions": {"driven": {"charge.carbon": {"begins": "0.3 V"}}}
            },
            "driven is swept, and no stage goes through time.": {
                "stages": {"go": {"mode": "steady", "until": None}}
            },
            "driven is not swept once around.": {"stages": {"go": {"until": "0.3 s"}}},
        }
        for sentence, patch in told.items():
            said = [f.sentence for f in audit(Case(merge_patch(copy.deepcopy(CELL), patch)))]
            self.assertIn(sentence.lower(), [f.lower() for f in said], said)

    def test_hand_estimates(self):
        case = coated(law="as a resistance", resistance="0.02 ohm m2")
        facts = Case(case).facts
        wagner = next(p for p in Case(case).phenomena["charge"].papers if p.regime == "Wa")
        self.assertAlmostEqual(wagner.compute(facts, None).value, 10.0 * 0.02 / 0.1)

    def test_values_out_of_range_are_refused_by_name(self):
        for path, value, words in (
            (("members", "carbon", "conductivity"), "0 S/m", "conductivity"),
            (("passages", "reaction", "exchange"), "1 V", "exchange"),
            (("passages", "layer", "law"), "by magic", "law"),
        ):
            case = copy.deepcopy(CELL)
            kind, name, key = path
            case["phenomena"]["charge"][kind][name][key] = value
            with self.assertRaises(Exception) as caught:
                Case(case)
            self.assertIn(words, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
