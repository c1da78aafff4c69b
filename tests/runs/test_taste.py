"""Tastes: coarse solves in a warm process, within their time, taken back by the next one."""

import copy
import json
import threading
import time
import unittest
from pathlib import Path

import numpy as np

from tests.phenomena.cases import FLOW
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.runs.taste import SECONDS, Taste, TastePace, Taster, coarse, shown, solve

ROOT = Path(__file__).resolve().parent.parent.parent
LANCE = json.loads((ROOT / "demo" / "salt-lance.json").read_text())
CHANNEL = json.loads((ROOT / "demo" / "templates" / "2-channel.json").read_text())


class Solve(unittest.TestCase):
    def test_a_channel_comes_out_near_its_solution(self):
        found = solve(CHANNEL, "")
        self.assertIn(found.status, ("settled", "cut short"))
        drop = found.readouts["pressure_drop"]
        self.assertAlmostEqual(drop["value"] / 0.015, 1.0, delta=0.05)
        self.assertEqual(found.chief, "speed")
        header, values = shown(Case(CHANNEL), found, "speed")
        self.assertEqual(values.shape, (len(found.y) - 1, len(found.x) - 1))
        self.assertEqual(header["unit"], "m/s")
        self.assertTrue(np.isfinite(values).any())

    def test_a_long_run_is_cut_short_and_says_how_far_it_came(self):
        begun = time.monotonic()
        found = solve(merge_patch(FLOW, {"stages": {"go": {"until": "3 h"}}}), "")
        self.assertEqual(found.status, "cut short")
        self.assertRegex(found.says, r"three seconds reach [0-9.]+ s of 1.08e\+04 s of go")
        self.assertLess(time.monotonic() - begun, SECONDS + 8.0)

    def test_a_series_is_tasted_as_the_case_stands(self):
        values = ["1 cm/s", "9 cm/s"]
        stage = {"mode": "series", "control": "speed", "values": values, "solve": ["flow"]}
        patch = {
            "parameters": {"speed": "3 cm/s"},
            "stages": {**dict.fromkeys(CHANNEL["stages"]), "go": stage},
        }
        found = solve(merge_patch(CHANNEL, patch), "")
        self.assertEqual(found.status, "settled")
        self.assertIn("speed as it stands, no series", found.says)

    def test_what_is_not_settled_is_not_tasted(self):
        broken = merge_patch(copy.deepcopy(LANCE), {"conditions": {"inlet": {"flow": None}}})
        self.assertIn("settle", solve(broken, "").says)

    def test_the_grid_is_as_coarse_as_it_must_be_and_no_coarser(self):
        whole = Case(LANCE)
        near, _ = coarse(whole, times=1e-3)
        far, _ = coarse(whole, times=50.0)
        self.assertLess(far.mesh.cells, near.mesh.cells)
        self.assertGreaterEqual(far.grid.ny, 8)
        self.assertEqual(coarse(Case(CHANNEL), times=1e-3)[0].grid_factor, 1.0)

    def test_it_learns_its_pace(self):
        pace = TastePace()
        pace.learn(Taste("settled", seconds=4.0, reckoned=1.0))
        self.assertAlmostEqual(pace.times, 2.0)
        pace.learn(Taste("cut short"))
        self.assertAlmostEqual(pace.times, 4.0)


class Process(unittest.TestCase):
    def setUp(self):
        self.taster = Taster()
        self.addCleanup(self.taster.close)

    def test_the_next_one_takes_it_back(self):
        self.taster.taste(CHANNEL)  # warm
        answers = []
        first = threading.Thread(target=lambda: answers.append(self.taster.taste(LANCE)))
        first.start()
        time.sleep(0.8)
        second = self.taster.taste(CHANNEL)
        first.join(30)
        self.assertEqual(answers[0].status, "taken back")
        self.assertIn(second.status, ("settled", "cut short"))
        self.assertIn("pressure_drop", second.readouts)

    def test_an_edit_takes_it_back_and_a_dead_process_is_replaced(self):
        self.taster.taste(CHANNEL)
        answers = []
        first = threading.Thread(target=lambda: answers.append(self.taster.taste(LANCE)))
        first.start()
        time.sleep(0.5)
        self.taster.take_back()
        first.join(30)
        self.assertEqual(answers[0].status, "taken back")
        ended = threading.Thread(target=lambda: answers.append(self.taster.taste(LANCE)))
        ended.start()
        time.sleep(0.5)
        self.taster._process.kill()  # in the midst of it
        ended.join(30)
        self.assertEqual(answers[1].status, "failed")
        self.assertIn("broke off", answers[1].says)
        self.assertIn(self.taster.taste(CHANNEL).status, ("settled", "cut short"))


if __name__ == "__main__":
    unittest.main()
