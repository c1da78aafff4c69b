"""Battery cells as circuits: responses by hand, tables of pulses as pasted, circuits found in them."""

import unittest

import numpy as np

from tests.phenomena.batteries import AREA, HOLDS, KNOWN, records
from underkettle.case.faults import CaseError
from underkettle.case.sums import work_out
from underkettle.sums.all import SUMS
from underkettle.sums.pulses import (
    ROWS,
    Circuit,
    identified,
    look_up,
    over_levels,
    read_pulses,
    respond,
)
from underkettle.sums.sum import SumError

FLAT = Circuit(
    np.array([0.0, 1.0]),
    np.array([[3.0, 0.01, 0.02, 5.0, 0.03, 50.0], [4.0, 0.01, 0.02, 5.0, 0.03, 50.0]]),
)


class Responses(unittest.TestCase):
    def test_a_step_of_current_by_hand(self):
        t = np.array([0.0, 10.0, 15.0, 60.0])
        current = np.array([0.0, -2.0, -2.0, 0.0])
        volts = respond(t, current, 0.5, 1e3, FLAT.rows)
        self.assertAlmostEqual(volts[0], 3.5, places=12)
        self.assertAlmostEqual(volts[1], 3.5 - 2 * 0.01, places=12)  # felt at once
        late = 2 * 0.02 * (1 - np.exp(-1)) + 2 * 0.03 * (1 - np.exp(-0.1))
        self.assertAlmostEqual(volts[2], 3.5 - 0.01 - 0.02 - late, places=9)  # and 10 C of 1000
        fades = 2 * 0.02 * (1 - np.exp(-10)) + 2 * 0.03 * (1 - np.exp(-1.0))
        self.assertAlmostEqual(volts[3], 3.4 - fades, places=9)

    def test_tables_go_through_what_is_told_and_on_beyond(self):
        self.assertAlmostEqual(look_up(FLAT.rows, 0.25, 0), 3.25, places=12)
        self.assertAlmostEqual(look_up(FLAT.rows, 1.1, 0), 4.1, places=12)
        self.assertAlmostEqual(look_up(FLAT.rows, 1.1, 3), 5.0, places=12)
        self.assertEqual(len(FLAT.rows), ROWS)
        found = over_levels(KNOWN.levels, KNOWN.values, KNOWN.levels)
        np.testing.assert_allclose(found, KNOWN.values, rtol=1e-12)
        one = over_levels(np.array([0.5]), FLAT.values[:1], np.array([0.1, 0.9]))
        np.testing.assert_allclose(one, np.repeat(FLAT.values[:1], 2, axis=0))

    def test_beyond_the_levels_known_voltage_goes_on_straight_and_resistances_stay(self):
        values = FLAT.values.copy()
        values[:, 0] = 3.2, 3.4
        inner = Circuit(np.array([0.2, 0.4]), values)
        self.assertAlmostEqual(look_up(inner.rows, 0.6, 0), 3.6, places=9)
        self.assertAlmostEqual(look_up(inner.rows, 0.0, 0), 3.0, places=9)
        self.assertAlmostEqual(look_up(inner.rows, 0.6, 4), 0.03, places=12)

    def test_resistances_scale_and_times_do_not(self):
        twice = FLAT.scaled(2.0).values[0]
        np.testing.assert_allclose(twice, [3.0, 0.02, 0.04, 5.0, 0.06, 50.0])


class Reading(unittest.TestCase):
    def test_heads_units_and_separators(self):
        plain = read_pulses(records(levels=(0.4, 0.6)))
        other = records(levels=(0.4, 0.6)).replace(", ", "\t")
        for a, b in zip(plain, read_pulses(other), strict=True):
            np.testing.assert_array_equal(a.voltage, b.voltage)
        rows = "time [min]; voltage [mV]; level [%]; current [mA]\n" + "\n".join(
            f"{k / 60:.9g}; {3500 - 5 * (k > 2)}; {level}; {-100 * (k > 2)}"
            for level in (40, 60)
            for k in range(10)
        )
        low, high = read_pulses(rows)
        self.assertAlmostEqual(low.level, 0.4)
        self.assertAlmostEqual(high.level, 0.6)
        self.assertAlmostEqual(low.time[-1], 9.0, places=6)
        self.assertAlmostEqual(low.current[-1], -0.1)
        self.assertAlmostEqual(low.voltage[-1], 3.495)

    def test_a_level_need_stand_in_the_first_row_only(self):
        lines = records(levels=(0.4, 0.6)).splitlines()
        kept, seen = [lines[0]], set()
        for line in lines[1:]:
            level, rest = line.split(",", 1)
            kept.append(f",{rest}" if level in seen else line)
            seen.add(level)
        self.assertEqual([p.level for p in read_pulses("\n".join(kept))], [0.4, 0.6])

    def test_what_is_wrong_is_named(self):
        good = records(levels=(0.4, 0.6))
        first = good.splitlines()[1]
        for text, words in (
            ("", "is empty"),
            ("level, time [s], current [A]\n0.5, 0, 0\n", "no column voltage"),
            (good.replace("time [s]", "time [V]"), "is in 'V', which is no time"),
            (good.replace(first, first + ", 7"), "row 1 of the pulses has 5 entries instead of 4"),
            (good.replace(first, "0.4, 0, x, 3"), "holds what is no number"),
            (good.replace("level,", "level [%],").replace("0.4,", "140,"), "level of 1.4 is none"),
            (records(levels=(0.4, 0.6), sign=-1), "currents have the other sign"),
            (good.replace("voltage [V]", "voltage [mV]"), "is not the voltage of one cell"),
            (records(levels=(0.4,)), "at one charge level only"),
            (
                good + "\n".join(records(levels=(0.4,)).splitlines()[1:]),
                "at a level of 0.4 is there twice",
            ),
            ("\n".join(good.splitlines()[:6]), "has 5 rows: 8 at least"),
            (
                "\n".join(good.splitlines()[:1] + [f"0.5, {k}, -1, 3.5" for k in range(9)]),
                "no step of current",
            ),
        ):
            with self.subTest(words), self.assertRaisesRegex(SumError, words.replace("[", r"\[")):
                read_pulses(text)


class Finding(unittest.TestCase):
    def test_without_noise_a_known_cell_comes_back(self):
        found = identified(records(), HOLDS * AREA)
        self.assertLess(found.worst, 1e-3)  # the curve between other levels
        levels = [p.level for p in found.pulses]
        at = [k for k, s in enumerate(found.circuit.levels) if s in levels]
        told = over_levels(KNOWN.levels, KNOWN.scaled(1 / AREA).values, np.array(levels))
        np.testing.assert_allclose(found.circuit.values[at], told, rtol=0.05)

    def test_with_a_millivolt_of_noise(self):
        levels = (0.1, 0.25, 0.4, 0.55, 0.7, 0.85, 0.95)
        found = identified(records(levels, noise=1e-3), HOLDS * AREA)
        at = np.isin(found.circuit.levels, levels)
        told = over_levels(KNOWN.levels, KNOWN.scaled(1 / AREA).values, np.array(levels))
        off = np.abs(found.circuit.values[at] / told - 1)
        self.assertLess(np.median(off[:, [1, 2, 4]]), 0.03)
        self.assertLess(np.median(off[:, [3, 5]]), 0.10)
        self.assertAlmostEqual(found.off, 1e-3, delta=1e-4)
        # most of what was looked for lies within what it is said to be sure of
        within = np.abs(found.circuit.values[at] - told) <= found.sure[at]
        self.assertGreater(within.mean(), 0.75)

    def test_a_level_that_pulses_reach_beyond_is_told_too(self):
        found = identified(records(), HOLDS * AREA)
        lowest = 0.3 - 0.18 * 30 / (HOLDS * AREA)
        self.assertAlmostEqual(found.circuit.levels[0], lowest, places=12)
        rest = over_levels(KNOWN.levels, KNOWN.values, np.array([lowest]))[0, 0]
        self.assertAlmostEqual(found.circuit.values[0, 0], rest, delta=1e-3)

    def test_a_charge_of_nothing_is_refused(self):
        with self.assertRaisesRegex(SumError, "charge must be above nought"):
            identified(records(levels=(0.4, 0.6)), 0.0)

    def test_as_a_side_sum(self):
        chosen = SUMS["cell_from_pulses"]
        typed = {e.name: e.default for e in chosen.entries}
        told = work_out(chosen, typed)
        values = {g["name"]: g["value"] for g in told["gives"]}
        self.assertAlmostEqual(values["at_once"], 2.0e-3, delta=5e-5)
        self.assertAlmostEqual(values["fast_time"], 5.0, delta=0.25)
        self.assertLess(values["off"], 1e-4)
        self.assertEqual(len(told["curve"]["points"]), 40)
        with self.assertRaisesRegex(CaseError, "pulses tell levels from"):
            work_out(chosen, {**typed, "level": "0.05"})


if __name__ == "__main__":
    unittest.main()
