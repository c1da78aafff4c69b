"""Runs: the same numbers by every way, faults, recovery, and a killed process."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path

import numpy as np

import underkettle as uk
from tests.phenomena.cases import FLOW, PLATES, SPECIES, WARMTH
from tests.recorder import Recorder
from underkettle.api import Refused
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.case.stages import axis_of
from underkettle.engine.contract import StepFailed
from underkettle.engine.marching.march import TRIES, RunFailed
from underkettle.engine.marching.state import State
from underkettle.reading.readouts import problems
from underkettle.runs import control
from underkettle.store.runfile import RunFile

ROOT = Path(__file__).resolve().parent.parent.parent
LANCE = json.loads((ROOT / "demo" / "salt-lance.json").read_text())
KETTLE = [sys.executable, "-m", "underkettle.cli"]


def kettle(*arguments):
    return subprocess.run(
        [*KETTLE, *map(str, arguments)], capture_output=True, text=True, timeout=300, check=False
    )


class KnownSets(unittest.TestCase):
    def test_the_command_line_shows_what_a_case_takes(self):
        done = kettle("known", "reactions", "char")
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout)
        self.assertEqual(told["unfollowed"], "char")
        self.assertEqual(told["members"]["char_with_dioxide"]["written"], "char + CO2 -> 2 CO")
        self.assertIn("hydrogen", kettle("known", "reactions").stdout)
        refused = kettle("known", "reactions", "coffee")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("Known:", refused.stderr)


class Same(unittest.TestCase):
    def test_lance_closes_and_cli_and_python_agree(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "case.json"
            file.write_text(json.dumps(LANCE))
            done = kettle("run", file, "--grid", 0.4, "--until", "4 s", "--json")
            self.assertEqual(done.returncode, 0, done.stderr)
            told = json.loads(done.stdout.strip().splitlines()[-1])
        self.assertEqual(
            set(told),
            {
                "status",
                "readouts",
                "balance",
                "steps",
                "cells",
                "wall_s",
                "warnings",
                "ways",
                "cuts",
            },
        )
        run = uk.run(LANCE, grid=0.4, until="4 s")
        for name, number in run.readouts.items():
            by_command = told["readouts"][name]["value"]
            self.assertAlmostEqual(by_command, number.value, delta=1e-9 * abs(number.value))
        for quantity in ("mass", "salt"):
            self.assertLess(run.balance[quantity]["relative"], 1e-6)
            self.assertLess(told["balance"][quantity]["relative"], 1e-6)
        salt = run.field("salt")
        self.assertGreaterEqual(np.nanmin(salt), -1e-9)
        self.assertLessEqual(np.nanmax(salt), 60.0)

    def test_a_held_flow_is_not_solved_again(self):
        run = uk.run(LANCE, grid=0.3, until="2 s")
        first, last = run.field("speed", 0), run.field("speed", -1)
        np.testing.assert_array_equal(first, last)

    def test_held_and_together_agree_once_the_flow_is_steady(self):
        both = merge_patch(
            SPECIES,
            {
                "stages": {
                    "go": None,
                    "flow": {"solve": ["flow"], "mode": "steady", "aim": 1e-9},
                    "both": {"solve": ["flow", "species"], "mode": "transient", "until": "1 s"},
                }
            },
        )
        held = merge_patch(both, {"stages": {"both": {"solve": ["species"], "hold": ["flow"]}}})
        a, b = uk.run(both).field("salt"), uk.run(held).field("salt")
        self.assertLess(np.nanmax(np.abs(a - b)), 1e-3)

    def test_a_zone_of_its_own_warms_and_what_it_makes_leaves(self):
        run = uk.run(merge_patch(WARMTH, {"stages": {"go": {"mode": "steady", "until": None}}}))
        self.assertGreater(run.readouts["hottest"].value, 290.0)
        self.assertLess(run.balance["warmth"]["relative"], 1e-9)

    def test_a_series_keeps_a_frame_per_value(self):
        run = uk.run(PLATES)
        self.assertEqual([round(f.value, 3) for f in run.frames], [0.1, 0.3, 0.5])
        currents = [f.readouts["current"] for f in run.frames]
        self.assertTrue(currents[0] < currents[1] < currents[2])

    def test_a_series_goes_up_and_down_on_an_axis_of_its_own(self):
        case = merge_patch(
            PLATES,
            {
                "stages": {"sweep": {"values": ["100 mV", "0.5 V", "100 mV"]}},
                "readouts": {
                    "power": {"kind": "formula", "formula": "applied*current"},
                    "best": {"kind": "history", "of": "power", "tells": "high"},
                    "usual": {"kind": "history", "of": "power", "tells": "mean"},
                },
            },
        )
        run = uk.run(case)
        self.assertEqual([round(f.value, 3) for f in run.frames], [0.1, 0.5, 0.1])
        axis = axis_of(run.case, "sweep")
        self.assertEqual((axis.name, axis.unit), ("applied", "V"))
        self.assertEqual(axis.says(run.frames[1].value), "at applied 0.5 V")
        self.assertEqual(axis_of(run.case, "ghost").says(3.0), "at 3 s")
        told = [(f.readouts["power"], f.value * f.readouts["current"]) for f in run.frames]
        for power, product in told:
            self.assertAlmostEqual(power / product, 1.0, places=9)
        self.assertAlmostEqual(told[0][0] / told[2][0], 1.0, places=6)
        low, high = told[0][0], told[1][0]
        self.assertAlmostEqual(run.readouts["best"].value / high, 1.0, places=9)
        self.assertAlmostEqual(run.readouts["usual"].value / (0.5 * (low + high)), 1.0, places=6)
        beat = {"readouts": {"beat": {"kind": "history", "of": "power", "tells": "peak"}}}
        self.assertIn("along a series", problems(Case(merge_patch(case, beat)), "beat"))
        self.assertIn("Frame of sweep kept at applied 0.5 V", [r["text"] for r in run.file.log()])

    def test_decay_in_plug_flow_follows_its_exponential(self):
        """Slip walls, first-order loss: c_out = c_in exp(-k L / u)."""
        case = merge_patch(
            SPECIES,
            {
                "phenomena": {"species": {"members": {"salt": {"diffusivity": "0 m2/s"}}}},
                "vessel": {"nozzles": {"inlet": {"bore": "20 mm"}, "outlet": {"bore": "20 mm"}}},
                "conditions": {
                    "box_top": {"flow": {"kind": "slip wall"}, "species.salt": None},
                    "box_bottom": {"flow": {"kind": "slip wall"}},
                    "space": {"species.salt": {"loss": "0.5 1/s"}},
                },
                "readouts": {
                    "out": {"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"}
                },
                "stages": {
                    "go": None,
                    "a": {"solve": ["flow"], "mode": "steady"},
                    "b": {"solve": ["species"], "hold": ["flow"], "mode": "steady"},
                },
            },
        )
        self.assertAlmostEqual(uk.run(case).readouts["out"].value / np.exp(-2.0), 1.0, delta=0.02)


class Faults(unittest.TestCase):
    def test_exit_codes(self):
        with tempfile.TemporaryDirectory() as folder:

            def told(data, name="c.json"):
                file = Path(folder) / name
                file.write_text(data if isinstance(data, str) else json.dumps(data))
                return kettle("run", file, "--json")

            broken = told('{"name": ')
            self.assertEqual(broken.returncode, 2)
            self.assertIn("not JSON", broken.stderr)
            self.assertEqual(json.loads(broken.stdout)["status"], "bad input")
            wrong = told(merge_patch(LANCE, {"parameters": {"speed": "2 kg"}}))
            self.assertEqual(wrong.returncode, 2)
            missing = merge_patch(LANCE, {"conditions": {"inlet": {"flow": None}}})
            refused = told(missing)
            self.assertEqual(refused.returncode, 1)
            self.assertIn("Inlet says nothing about flow", refused.stderr)
            self.assertEqual(kettle("check", Path(folder) / "c.json").returncode, 1)
            self.assertEqual(kettle("check", Path(folder) / "nothing.json").returncode, 2)

    def test_python_refuses_with_the_same_words(self):
        with self.assertRaises(Refused) as caught:
            uk.run(merge_patch(LANCE, {"conditions": {"inlet": {"flow": None}}}))
        self.assertIn("Inlet says nothing about flow", str(caught.exception))

    def march(self, failures):
        told = Recorder()
        march = build_march(Case(FLOW), [told])
        solver, left = march.solvers["flow"], [failures]
        advance = solver.advance

        def failing(state, t0, t1, inputs):
            work = advance(state, t0, t1, inputs)
            if march.state.step == 3 and left[0]:
                left[0] -= 1
                state.fields["flow.u"][:] = np.nan
                raise StepFailed("x velocity", "x 1 m", "not a finite number")
            return work

        solver.advance = failing
        return march, told

    def test_a_bad_step_is_taken_back_and_halved(self):
        march, told = self.march(2)
        march.run()
        back = [text for kind, text in told.said if kind == "back"]
        self.assertEqual(len(back), 2)
        self.assertIn("x velocity at x 1 m", back[0])
        self.assertTrue(np.isfinite(march.state.fields["flow.u"]).all())

    def test_after_the_stated_tries_the_run_fails_with_its_state_whole(self):
        march, _ = self.march(TRIES + 1)
        with self.assertRaises(RunFailed) as caught:
            march.run()
        self.assertIn(f"halved {TRIES} times", str(caught.exception))
        self.assertTrue(np.isfinite(march.state.fields["flow.u"]).all())
        self.assertEqual(march.state.step, 3)

    def test_a_full_frame_or_none(self):
        with tempfile.TemporaryDirectory() as folder:
            file = RunFile(Path(folder) / "r.sqlite", new=True)
            x = np.linspace(0, 1, 5)
            with self.assertRaises(RuntimeError), file.whole():
                file.add_frame("a", "time", 1.0, 1, {"c": np.ones((4, 4))}, {}, x, x)
                raise RuntimeError
            self.assertEqual(file.frames(), [])
            values = np.array([[1.0, np.nan], [-3.5, 1e-9]])
            with file.whole():
                file.add_frame("a", "time", 1.0, 1, {"c": values}, {}, x[:3], x[:3])
            back, low, high = file.field(file.frames()[0].id, "c")
            np.testing.assert_array_equal(back, values.astype(np.float32))
            self.assertEqual((low, high), (-3.5, 1.0))

    def test_what_is_set_together_is_seen_together(self):
        """A reader in another connection never finds a new status beside an old result."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "run.sqlite"
            writer, reader = RunFile(path, new=True), RunFile(path)
            writer.set(status=0, filler="x" * 200_000, result=0)
            ended, torn = threading.Event(), []

            def watch():
                while not ended.is_set():
                    rows = dict(
                        reader.db.rows(
                            "select key, value from meta where key in ('status', 'result')"
                        )
                    )
                    if rows["status"] != rows["result"]:
                        torn.append(rows)

            thread = threading.Thread(target=watch)
            thread.start()
            for k in range(1, 300):
                writer.set(status=k, filler="x" * 200_000, result=k)
            ended.set()
            thread.join()
            self.assertEqual(torn, [])


class Killed(unittest.TestCase):
    def wait(self, path, until, seconds=120):
        file = RunFile(path)
        end = time.time() + seconds
        while time.time() < end:
            if until(file):
                return file
            time.sleep(0.05)
        raise AssertionError(
            f"waited {seconds} s; status {file.get('status')}, {file.get('message')}"
        )

    def test_kill_and_resume_gives_the_undisturbed_numbers(self):
        """The process is killed twice, without warning, and resumed from its checkpoints."""
        data = merge_patch(
            LANCE,
            {
                "grid": {"size": "0.9 mm", "refine": {"near_lance": {"size": "0.25 mm"}}},
                "stages": {"spread": {"until": "20 s"}},
            },
        )
        whole = uk.run(data)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "run.sqlite"
            os.environ["UNDERKETTLE_CHECKPOINT_EVERY"] = "0.2"
            try:
                control.enqueue(path, data)
                control.launch(path)
                for frames in (2, 6):
                    file = self.wait(
                        path,
                        lambda f, n=frames: len(f.frames()) >= n and f.checkpoint() is not None,
                    )
                    os.kill(int(file.get("pid")), signal.SIGKILL)
                    self.wait(path, lambda f: control.status_of(f) == "interrupted")
                    kept = {f.value for f in file.frames()}
                    control.launch(path)
                    self.assertTrue(kept <= {f.value for f in file.frames()})
                file = self.wait(path, lambda f: control.status_of(f) == "finished")
            finally:
                del os.environ["UNDERKETTLE_CHECKPOINT_EVERY"]
            self.assertEqual(len(file.frames()), len(whole.frames))
            for name in ("salt", "speed", "pressure"):
                ours, _, _ = file.field(file.frames()[-1].id, name)
                theirs, _, _ = whole.file.field(whole.frames[-1].id, name)
                self.assertEqual(ours.tobytes(), theirs.tobytes(), name)
            told = file.get("result")["readouts"]
            for name, number in whole.readouts.items():
                self.assertEqual(told[name]["value"], number.value, name)
            self.assertTrue([e for e in file.log() if "Resumed" in e["text"]])

    def test_a_run_stops_within_a_second_however_long_its_sweeps_are(self):
        """A square whose every Newton sweep takes seconds: what the last whole one left is kept."""
        data = {
            "format": "under-kettle case 1",
            "name": "slow sweeps",
            "vessel": {
                "parts": {
                    "box": {
                        "shape": "rectangle",
                        "x": "0 m",
                        "y": "0 m",
                        "width": "1 m",
                        "height": "1 m",
                    }
                }
            },
            "grid": {"size": "1 m/120"},
            "phenomena": {"flow": {"density": "1 kg/m3", "viscosity": "1e-3 Pa s"}},
            "conditions": {"box_top": {"flow": {"kind": "moving wall", "x_speed": "1 m/s"}}},
            "stages": {"go": {"solve": ["flow"], "mode": "steady", "aim": 1e-12}},
            "readouts": {"fastest": {"kind": "max", "field": "speed", "place": "space"}},
        }
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "run.sqlite"
            control.enqueue(path, data)
            control.launch(path)
            file = self.wait(path, lambda f: len(f.watches()) >= 2)
            time.sleep(0.3)
            asked = time.time()
            file.order("stop", {})
            self.wait(path, lambda f: control.status_of(f) == "stopped", 30)
            took = time.time() - asked
            self.assertLess(took, max(1.5, file.watches()[-1]["wall"]))
            self.assertGreater(file.get("result")["readouts"]["fastest"]["value"], 0.1)
            self.assertGreater(State.from_bytes(file.checkpoint()).step, 0)


if __name__ == "__main__":
    unittest.main()
