"""Battery cells between foils: one cell by hand, loads, ends, shapes, heat, and what a case is told."""

import copy
import unittest

import numpy as np

from tests.phenomena.batteries import AREA, HOLDS, KNOWN, TOLD, plate, pulsed, records
from tests.phenomena.cures import cured, found
from underkettle import api, conformance
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.phenomena.charge.cells import _passes
from underkettle.sums.pulses import over_levels, respond

WHOLE = HOLDS * AREA  # C


def at(level):
    """What the known cell has at a level."""
    return over_levels(KNOWN.levels, KNOWN.values, np.array([level]))[0]


def thin(case):
    """The plate with foils that resist nearly as much as its cell."""
    space = {"charge.copper": {"thickness": "0.5 um"}, "charge.aluminium": {"thickness": "0.6 um"}}
    return merge_patch(case, {"conditions": {"space": space}})


class OneCell(unittest.TestCase):
    def passed(self, volts, level, fast, slow, per):
        i, slope, ones = np.zeros(1), np.zeros(1), np.ones(1)
        each = (np.array([v], float) for v in (volts, level, fast, slow))
        _passes(*each, ones, KNOWN.rows, per, HOLDS, i, slope)
        return i[0], slope[0]

    def test_at_rest_it_passes_what_all_its_resistances_let(self):
        rest, once, soon, _, later, _ = at(0.6)
        i, slope = self.passed(rest - 0.1, 0.6, 0.0, 0.0, 0.0)
        self.assertAlmostEqual(i, -0.1 / (once + soon + later), places=9)
        self.assertAlmostEqual(slope, 1 / (once + soon + later), places=9)

    def test_in_time_its_delays_and_its_charge_are_implicit(self):
        per, i = 2.0, -80.0
        level = 0.6 + per * i / HOLDS
        rest, once, soon, soon_in, later, later_in = at(level)
        fast = (-0.01 + per / soon_in * soon * i) / (1 + per / soon_in)
        slow = (-0.02 + per / later_in * later * i) / (1 + per / later_in)
        found, _ = self.passed(rest + once * i + fast + slow, 0.6, -0.01, -0.02, per)
        self.assertAlmostEqual(found, i, delta=2e-3)  # the table is one of straight pieces

    def test_a_slope_is_how_the_current_rises(self):
        for per in (0.0, 1.0, 30.0):
            low, slope = self.passed(3.6, 0.6, -0.01, -0.02, per)
            high, _ = self.passed(3.6001, 0.6, -0.01, -0.02, per)
            self.assertAlmostEqual((high - low) / 1e-4, slope, delta=1e-3 * slope)


class Plates(unittest.TestCase):
    def test_drawn_steadily_it_answers_as_a_single_cell(self):
        run = api.run(plate())
        self.assertAlmostEqual(run.readouts["level"].value, 0.8 - 2 * 300 / 3600, places=10)
        t = np.linspace(0, 300, 3001)
        drawn = np.full(t.size, -2 * WHOLE / 3600)
        alone = respond(t, drawn, 0.8, WHOLE, KNOWN.scaled(1 / AREA).rows)[-1]
        # what foils lose: 60 um of foil carry it over the plate, a third of their ends' difference
        self.assertAlmostEqual(run.readouts["voltage"].value, alone, delta=4e-3)
        self.assertLess(run.readouts["voltage"].value, alone)
        self.assertAlmostEqual(run.readouts["drawn"].value, 60.0, places=6)
        for budget in run.balance.values():
            self.assertLess(abs(budget["relative"]), 1e-8)

    def test_delays_are_followed_to_what_is_asked(self):
        foils = {
            "charge.copper": {"thickness": "0.19 mm"},
            "charge.aluminium": {"thickness": "0.19 mm"},
        }
        case = merge_patch(
            plate(),
            {"conditions": {"space": foils}, "phenomena": {"charge": {"accuracy": "0.1 mV"}}},
        )
        run = api.run(case)
        t = np.linspace(0, 300, 3001)
        drawn = np.full(t.size, -2 * WHOLE / 3600)
        alone = respond(t, drawn, 0.8, WHOLE, KNOWN.scaled(1 / AREA).rows)
        times, volts = run.history("voltage")
        np.testing.assert_allclose(volts[1:], np.interp(times[1:], t, alone), atol=4e-4)

    def test_what_goes_in_is_what_is_stored_and_warms(self):
        case = plate(
            {"kind": "carries", "current": "if(t < 100 s, -0.12 A, 0.08 A)"}, longest_step="0.5 s"
        )
        run = api.run(case)
        _, volts = run.history("voltage")
        _, heat = run.history("heat")
        t, level = run.history("level")
        brought = float((0.5 * (volts[1:] + volts[:-1]) * np.diff(level)).sum()) * WHOLE
        warmed = float(np.trapezoid(heat, t))
        start, end = level[0], level[-1]
        levels = np.linspace(end, start, 2001)
        rest = over_levels(KNOWN.levels, KNOWN.values, levels)[:, 0]
        stored = -float(np.trapezoid(rest, levels)) * WHOLE
        self.assertAlmostEqual(brought, stored + warmed, delta=5e-3 * warmed)
        self.assertGreater(warmed, 0.0)

    def test_a_power_is_what_voltage_and_current_make(self):
        run = api.run(plate({"kind": "at a power", "power": "-0.4 W"}, until="60 s"))
        self.assertAlmostEqual(
            run.readouts["voltage"].value * run.readouts["current"].value, -0.4, places=10
        )

    def test_more_power_than_there_is_fails_with_the_most_there_is(self):
        run = api.run(plate({"kind": "at a power", "power": "-40 W"}, until="60 s"))
        self.assertEqual(run.status, "failed")
        words = run.result["message"]
        self.assertIn("no current gives 40 W: it can give", words)
        most = float(words.split("it can give ")[1].split(" W")[0])
        rest, once, *_ = at(0.8)
        self.assertAlmostEqual(most, rest**2 / (4 * once / AREA), delta=0.3 * most)
        self.assertEqual(run.result["message"].count("halved"), 0)

    def test_a_table_of_currents_is_met_at_its_corners(self):
        table = {
            "table": [
                *(["0 s", "0 A"], ["10 s", "0 A"], ["10.001 s", "-0.2 A"], ["14 s", "-0.2 A"]),
                *(["14.001 s", "0.1 A"], ["20 s", "0.1 A"], ["20.001 s", "0 A"], ["60 s", "0 A"]),
            ]
        }
        run = api.run(plate({"kind": "carries", "current": table}, until="60 s"))
        gone = -0.2 * 4 + 0.1 * 6
        self.assertAlmostEqual(run.readouts["level"].value, 0.8 + gone / WHOLE, delta=3e-6)
        times, _ = run.history("voltage")
        for corner in (10.0, 14.0, 20.0):
            self.assertLess(np.abs(times - corner).min(), 2e-3)

    def test_a_stage_ends_where_a_readout_passes_a_value(self):
        run = api.run(plate(until="3600 s", ends="voltage < 3.5 V"))
        self.assertEqual(run.status, "finished")
        self.assertAlmostEqual(run.readouts["voltage"].value, 3.5, delta=1e-3)
        self.assertLess(run.readouts["voltage"].value, 3.5)
        self.assertLess(run.frames[-1].value, 1200)
        for text, words in (
            ("level", "a stage ends where a readout passes a value"),
            ("volts < 3 V", "volts"),
            ("voltage < 3 A", "cannot be read|compare|unit|V"),
        ):
            with self.subTest(text), self.assertRaisesRegex(CaseError, words):
                Case(plate(until="3600 s", ends=text))

    def test_what_is_emptied_says_where_and_what_to_do(self):
        case = plate(until="3600 s")
        case["start"]["space"]["charge.cell"]["value"] = "0.1"
        run = api.run(case)
        self.assertEqual(run.status, "failed")
        self.assertIn("it is empty, and current still drawn", run.result["message"])
        case = plate({"kind": "at a rate", "rate": "2 1/h"}, until="3600 s")
        case["start"]["space"]["charge.cell"]["value"] = "0.9"
        self.assertIn("it is full, and still charged", api.run(case).result["message"])

    def test_what_resists_rises_in_the_cold(self):
        told = {"activation": "30 kJ/mol", "temperature": "0 degC"}
        steady = {"mode": "steady", "until": None}
        run = api.run(
            merge_patch(plate(**steady), {"phenomena": {"charge": {"cells": {"cell": told}}}})
        )
        warm = api.run(plate(**steady))
        _, once, soon, _, later, _ = at(0.8)
        more = np.exp(30e3 / 8.31446261815324 * (1 / 273.15 - 1 / 298.15))
        falls = warm.readouts["voltage"].value - run.readouts["voltage"].value
        self.assertAlmostEqual(falls, 60 * (once + soon + later) * (more - 1), delta=1e-3)

    def test_heat_turns_with_the_current(self):
        def heat(rate, entropic):
            case = plate({"kind": "at a rate", "rate": rate}, mode="steady", until=None)
            case["phenomena"]["charge"]["cells"]["cell"]["entropic"] = entropic
            return api.run(case).readouts["heat"].value

        plain = heat("-1 1/h", "0 V/K")
        turned = 30 * AREA * 298.15 * 1e-4
        self.assertAlmostEqual(heat("-1 1/h", "0.1 mV/K"), plain - turned, places=9)
        self.assertAlmostEqual(heat("1 1/h", "0.1 mV/K") - heat("1 1/h", "0 V/K"), turned, places=9)

    def test_a_small_swing_feels_what_resists_at_once(self):
        for hertz, wanted in (
            (1e4, at(0.8)[1]),
            (1e-3, None),
        ):
            case = plate({"kind": "carries", "current": "0 A"}, mode="steady", until=None)
            case["phenomena"]["charge"] |= {"swings": "plus", "frequency": f"{hertz} 1/s"}
            case["readouts"] = {
                "real": {"kind": "on", "field": "impedance_real", "place": "plus"},
                "imaginary": {"kind": "on", "field": "impedance_imaginary", "place": "plus"},
            }
            told = api.run(case).readouts
            _, once, soon, soon_in, later, later_in = at(0.8)
            if wanted is None:
                w = 2 * np.pi * hertz
                z = once + soon / (1 + 1j * w * soon_in) + later / (1 + 1j * w * later_in)
                z += (at(0.801)[0] - at(0.799)[0]) / 2e-3 / (1j * w * HOLDS)
                self.assertAlmostEqual(
                    told["imaginary"].value * AREA, z.imag, delta=0.01 * abs(z.imag)
                )
                wanted = z.real
            self.assertAlmostEqual(told["real"].value * AREA, wanted, delta=6e-5)


class Shapes(unittest.TestCase):
    def both(self, case):
        shaped = merge_patch(copy.deepcopy(case), {"phenomena": {"charge": {"way": "by shapes"}}})
        return api.run(case), api.run(shaped)

    def test_they_tell_what_the_full_way_does(self):
        full, shaped = self.both(plate())
        self.assertAlmostEqual(
            shaped.readouts["voltage"].value, full.readouts["voltage"].value, delta=1e-4
        )
        spread = np.abs(shaped.field("cell_density") - full.field("cell_density"))
        self.assertLess(np.nanmax(spread), 0.01 * 60)
        for run in (full, shaped):
            for budget in run.balance.values():
                self.assertLess(abs(budget["relative"]), 1e-8)

    def test_with_an_edge_held_and_with_a_power(self):
        for drive in (
            {"kind": "held", "value": "3.7 V"},
            {"kind": "at a power", "power": "-0.4 W"},
            {"kind": "through a load", "load": "20 ohm"},
        ):
            with self.subTest(drive["kind"]):
                full, shaped = self.both(plate(drive, until="60 s"))
                for name in ("voltage", "current"):
                    self.assertAlmostEqual(
                        shaped.readouts[name].value,
                        full.readouts[name].value,
                        delta=1e-3 * abs(full.readouts[name].value),
                    )
                for budget in shaped.balance.values():
                    self.assertLess(abs(budget["relative"]), 1e-8)

    def test_a_plate_too_uneven_for_them_is_refused_with_the_figure(self):
        case = thin(plate(until="60 s"))
        for foil in ("charge.copper", "charge.aluminium"):
            case["conditions"]["space"][foil]["thickness"] = "0.02 um"
        case["phenomena"]["charge"]["way"] = "by shapes"
        run = api.run(case)
        self.assertEqual(run.status, "failed")
        self.assertRegex(
            run.result["message"], r"by shapes it is \d+\.\d % of its mean off somewhere"
        )
        self.assertIn("solve in full", run.result["message"])

    def test_none_flows_nothing_is_refused(self):
        case = plate({"kind": "carries", "current": "0 A"}, until="60 s")
        case["phenomena"]["charge"]["way"] = "by shapes"
        self.assertEqual(api.run(case).status, "finished")


class Told(unittest.TestCase):
    def said(self, patch, case=None):
        return [f.sentence for f in audit(Case(merge_patch(case or plate(), patch)))]

    def test_it_goes_through_the_suite(self):
        self.assertEqual(conformance.balance("charge", plate()), [])
        self.assertEqual(conformance.resume(plate()), [])
        self.assertEqual(conformance.restore(plate()), [])
        self.assertEqual(conformance.terms("charge", plate()), [])
        self.assertEqual(conformance.walls("charge", plate()), [])

    def test_a_sound_plate_is_left_alone(self):
        self.assertEqual(audit(Case(plate())), [])

    def test_tabs(self):
        case = plate()
        case["conditions"]["plus"] = {"charge.copper": {"kind": "carries", "current": "-1 A"}}
        (finding,) = found(case, "cell without its tabs")
        self.assertEqual(finding.sentence, "Both tabs are on copper: Minus and Plus.")
        self.assertEqual(found(cured(case, finding), "cell without its tabs"), [])
        case["conditions"]["plus"] = {}
        (finding,) = found(case, "cell without its tabs")
        self.assertEqual(finding.sentence, "No tab is on aluminium.")
        self.assertEqual(found(cured(case, finding), "cell without its tabs"), [])
        floats = {"conditions": {"plus": {"charge.aluminium": {"kind": "floats", "rate": None}}}}
        self.assertIn("Nothing draws from cell.", self.said(floats))

    def test_pulses_of_the_wrong_sign_or_unit_are_mended(self):
        apart = records(sign=-1).replace(", ", "\t")
        bare = records(sign=-1).split("\n", 1)[1]
        for text in (records(sign=-1), records(millivolts=True), apart, bare):
            case = plate()
            if "mV" in text:
                lines = text.replace("[mV]", "[V]").splitlines()
                rows = [line.rsplit(",", 1) for line in lines[1:]]
                text = (
                    "\n".join([lines[0], *(f"{a}, {1e3 * float(v):.3f}" for a, v in rows)]) + "\n"
                )
            case["phenomena"]["charge"]["cells"]["cell"]["pulses"] = pulsed(text)
            (finding,) = found(case, "pulses that cannot be used")
            self.assertTrue(finding.cure, finding.reason)
            self.assertEqual(found(cured(case, finding), "pulses that cannot be used"), [])

    def test_what_pulses_show(self):
        case = plate()
        cell = case["phenomena"]["charge"]["cells"]["cell"]
        for name in TOLD:
            del cell[name]
        cell["pulses"] = pulsed(records((0.4, 0.6, 0.8, 1.0), noise=1e-3))
        declared = Case(case).phenomena["charge"]
        pulses = next(p for p in declared.params() if p.name == "pulses")
        shown = pulses.shows(Case(case).settings["charge"]["cells"]["cell"])
        off = np.array([v for _, v in shown.off.points])
        self.assertEqual(len(shown.curve.points), len(off))
        self.assertAlmostEqual(float(np.sqrt(np.mean(off**2))), 1e-3, delta=2e-4)
        self.assertIn("4 pulses; the fit is", shown.says[0])
        self.assertRegex(shown.says[1], r"at once 7\d\d ± [\d.]+ mohm")
        self.assertIsNone(pulses.shows({"pulses": None}))
        run = api.run(case)
        told = api.run(plate())
        self.assertAlmostEqual(
            run.readouts["voltage"].value, told.readouts["voltage"].value, delta=4e-3
        )

    def test_by_hand(self):
        run = api.run(plate())
        self.assertAlmostEqual(run.readouts["level"].paper, 0.8 - 1 / 6, places=12)
        rest, once, soon, _, later, _ = at(0.8 - 1 / 6)
        self.assertAlmostEqual(
            run.readouts["voltage"].paper, rest - 60 * (once + soon + later), delta=2e-3
        )
        self.assertAlmostEqual(
            run.readouts["voltage"].value, run.readouts["voltage"].paper, delta=5e-3
        )

    def test_more_that_the_audit_says(self):
        round_ = {
            "dimension": "axisymmetric",
            "vessel": {"depth": None, "nozzles": None},
            "conditions": {"minus": None, "plus": None},
        }
        self.assertIn("Space is no sheet.", self.said(round_))
        power = {"kind": "at a power", "power": "-1 W"}
        second = {
            "conditions": {
                "plus": {"charge.aluminium": {**power, "rate": None}},
                "rim": {"charge.aluminium": power},
            }
        }
        self.assertIn("Plus is a second edge that brings a power.", self.said(second))
        self.assertIn(
            "Cells are empty after 1440 s.", self.said({"stages": {"go": {"until": "1500 s"}}})
        )
        waits = {"stages": {"go": {"until": "1500 s", "ends": "voltage < 3 V"}}}
        self.assertEqual(self.said(waits), [])


if __name__ == "__main__":
    unittest.main()
