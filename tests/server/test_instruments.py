"""Instruments through the API: each number against what is known of the frame or the core."""

import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

import underkettle as uk
from tests.reading.test_derived import RAMP
from tests.server.client import client_of
from tests.server.test_histories import STEP
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.reading.readouts import problems
from underkettle.server.reading import arc_through

FILLING = merge_patch(
    STEP,
    {
        "stages": {"go": {"frame_every": "1 s"}},
        "keep": {"watch_every": 1},  # every step: which were slow differs from run to run
        "readouts": {
            "percent": {"kind": "mean", "field": "salt", "place": "space", "unit": "mmol/l"}
        },
    },
)


def wait(client, run):
    end = time.monotonic() + 120
    while client.get(f"/api/runs/{run}").json()["status"] != "finished":
        assert time.monotonic() < end
        time.sleep(0.1)


class Instruments(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.client = client_of(Path(cls.folder.name))
        cls.case = cls.client.post("/api/cases", json=FILLING).json()["id"]
        cls.run_id = cls.client.post(f"/api/cases/{cls.case}/fire", json={}).json()["id"]
        wait(cls.client, cls.run_id)
        cls.frames = cls.client.get(f"/api/runs/{cls.run_id}/frames").json()
        cls.last = cls.frames["frames"][-1]["id"]

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def told(self, where, status=200, **query):
        answer = self.client.get(f"/api/runs/{self.run_id}/{where}", params=query)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def raw(self, where, **query):
        answer = self.client.get(f"/api/runs/{self.run_id}/{where}", params=query)
        self.assertEqual(answer.status_code, 200, answer.text)
        size = int.from_bytes(answer.content[:4], "little")
        return np.frombuffer(answer.content[4 + size :], "<f4").astype(float)

    def test_over_time_is_what_the_frames_say(self):
        times = [f["value"] for f in self.frames["frames"] if f["stage"] == "go"]
        each = np.array(
            [
                self.raw(f"frames/{f['id']}/salt")
                for f in self.frames["frames"]
                if f["stage"] == "go" and 3 <= f["value"] <= 8
            ]
        )
        self.assertEqual(len(each), 6)
        weight = np.array([0.5, 1, 1, 1, 1, 0.5]) / 5
        mean = (weight[:, None] * each).sum(axis=0)
        span = {"since": "3 s", "until": "8000 ms"}
        self.assertTrue(np.allclose(self.raw("over/salt", what="mean", **span), mean, atol=1e-6))
        self.assertTrue(np.allclose(self.raw("over/salt", what="high", **span), each.max(axis=0)))
        deviation = np.sqrt((weight[:, None] * (each - mean) ** 2).sum(axis=0))
        self.assertTrue(
            np.allclose(self.raw("over/salt", what="deviation", **span), deviation, atol=1e-5)
        )
        self.assertIn("no frame", self.told("over/salt", 422, what="mean", since="1 h")["text"])
        self.assertIn("mean, low", self.told("over/salt", 422, what="mood")["text"])
        self.assertGreater(len(times), 10)

    def test_a_point_in_time(self):
        line = self.told("point/salt", x=0.02, y=0.01)
        probe = self.told("probe", frame=self.last, x=0.02, y=0.01)["values"]["salt"]
        self.assertAlmostEqual(line["value"][-1], probe["value"], places=9)
        self.assertEqual(line["time"][-1], 12.0)
        self.assertEqual(set(self.told("point/salt", x=5, y=5)["value"]), {None})

    def test_an_edge(self):
        edge = self.told("edge", frame=self.last, edge="inlet")
        self.assertAlmostEqual(edge["area"], 0.02)
        self.assertAlmostEqual(edge["values"]["salt"]["mean"], 2.0, delta=0.02)
        self.assertEqual(edge["values"]["salt"]["total_unit"], "mol/m")
        self.assertLess(edge["passed"]["mass"]["out"], 0)
        self.assertIn("Edges:", self.told("edge", 422, frame=self.last, edge="ghost")["text"])

    def test_the_sides_of_a_box(self):
        found = self.told("balance", x0=0.0302, y0=0.021, x1=0.0098, y1=-0.01)
        self.assertTrue(np.allclose(found["box"], [0.01, 0.0, 0.03, 0.02], atol=1e-9))
        mass = found["balance"]["mass"]
        self.assertAlmostEqual(mass["inflow"]["left"] / (1000 * 0.02 * 0.02), 1.0, delta=1e-6)
        self.assertLess(mass["relative"], 1e-6)
        self.assertEqual(mass["unit"], "kg/s")
        self.assertFalse(found["rests"])

    def test_a_distribution(self):
        whole = self.told("distribution/salt", frame=self.last)
        held = self.told("history/held")["value"][-1]
        self.assertAlmostEqual(whole["mean"] * whole["volume"] / held, 1.0, delta=1e-5)
        self.assertAlmostEqual(sum(whole["share"]), 1.0, places=9)
        part = self.told(
            "distribution/salt", frame=self.last, x0=0.0, y0=0.0, x1=0.01, y1=0.02, bins=7
        )
        self.assertEqual(len(part["ends"]), 8)
        self.assertAlmostEqual(part["volume"], 0.01 * 0.02)
        self.assertIn(
            "nothing is open",
            self.told("distribution/salt", 422, frame=self.last, x0=1, y0=1, x1=2, y1=2)["text"],
        )

    def test_an_arc_and_its_readout(self):
        line = self.told(
            "profile",
            frame=self.last,
            name="speed",
            x0=0.01,
            y0=0.01,
            x1=0.03,
            y1=0.01,
            radius=0.01,
        )
        self.assertAlmostEqual(max(line["y"]), 0.02, delta=1e-4)
        self.assertAlmostEqual(line["distance"][-1], np.pi * 10, delta=0.1)
        self.assertEqual(line["drawn"]["arc"][:3], ["20 mm", "10 mm", "10 mm"])
        self.assertIn(
            "half their distance",
            self.told(
                "profile",
                422,
                frame=self.last,
                name="speed",
                x0=0,
                y0=0.01,
                x1=0.04,
                y1=0.01,
                radius=0.001,
            )["text"],
        )
        down = arc_through((0.0, 0.0), (2.0, 0.0), -2.0)
        self.assertAlmostEqual(down[1], 3**0.5)  # bulging down: its middle is above
        self.assertAlmostEqual(abs(down[3]), np.pi / 3)

    def test_what_is_added_later_is_read_from_frames(self):
        read = self.told("frames")
        self.assertNotIn("twice", read["fields"])
        edit = {
            "patch": {
                "derived": {"twice": {"formula": "2*salt + 0*held/(1 m3)", "unit": "mmol/l"}},
                "readouts": {
                    "late": {
                        "kind": "mean",
                        "field": "twice",
                        "box": ["0 mm", "0 mm", "40 mm", "20 mm"],
                    },
                    "share": {"kind": "formula", "formula": "late/percent", "unit": "%"},
                },
            },
            "label": "later",
        }
        answer = self.client.patch(f"/api/cases/{self.case}", json=edit)
        self.assertEqual(answer.status_code, 200, answer.text)
        read = self.told("frames")
        self.assertTrue(read["fields"]["twice"]["derived"])
        self.assertTrue(read["readouts"]["late"]["late"])
        self.assertFalse(read["readouts"]["held"]["late"])
        salt, twice = self.raw(f"frames/{self.last}/salt"), self.raw(f"frames/{self.last}/twice")
        self.assertTrue(np.allclose(twice, 2 * salt, equal_nan=True, rtol=1e-6))
        held = self.told("history/held")["value"][-1] / (0.04 * 0.02)
        late = self.told("history/late")
        self.assertEqual((late["unit"], late["time"][-1]), ("mmol/l", 12.0))
        self.assertAlmostEqual(late["value"][-1] / (2 * held), 1.0, delta=1e-5)
        self.assertAlmostEqual(self.told("history/share")["value"][-1], 200.0, delta=0.01)
        self.assertAlmostEqual(self.raw(f"thumbs/{self.last}/twice").max(), twice.max(), places=4)
        csv = self.client.get(f"/api/runs/{self.run_id}/export/readouts.csv").text
        self.assertAlmostEqual(float(csv.splitlines()[-1].split(",")[-1]), 200.0, delta=0.01)

    def test_readouts_of_histories(self):
        asked = {
            "stayed": {"kind": "history", "of": "leaving", "tells": "stay"},
            "seen": {"kind": "history", "of": "leaving", "tells": "recovered", "unit": "%"},
            "most": {"kind": "history", "of": "percent", "tells": "high", "since": "2 s"},
        }
        answer = self.client.patch(
            f"/api/cases/{self.case}", json={"patch": {"readouts": asked}, "label": "histories"}
        )
        self.assertEqual(answer.status_code, 200, answer.text)
        late = self.told("frames")["readouts"]
        core = self.told("stay/leaving")
        self.assertAlmostEqual(late["stayed"]["value"] / core["mean"], 1.0, places=9)
        self.assertEqual((late["stayed"]["unit"], late["most"]["unit"]), ("s", "mmol/l"))
        self.assertAlmostEqual(late["seen"]["value"] / core["recovered"], 100.0, places=6)
        self.assertAlmostEqual(late["most"]["value"], max(self.told("history/percent")["value"]))
        run = uk.run(merge_patch(FILLING, {"readouts": asked}))
        self.assertAlmostEqual(run.readouts["stayed"].value / core["mean"], 1.0, places=9)
        self.assertNotIn("why", {k: v for k, v in run.result["readouts"]["seen"].items() if v})
        wrong = {
            "bad": {"kind": "history", "of": "ghost", "tells": "stay"},
            "self": {"kind": "history", "of": "stayed", "tells": "stay"},
        }
        case = Case(merge_patch(FILLING, {"readouts": {**asked, **wrong}}))
        for name in wrong:
            self.assertIn("choose from leaving", problems(case, name))
        self.client.patch(
            f"/api/cases/{self.case}",
            json={"patch": {"readouts": dict.fromkeys(asked)}, "label": "without"},
        )

    def test_a_history_in_a_unit_of_its_own(self):
        percent, held = self.told("history/percent"), self.told("history/held")
        self.assertEqual(percent["unit"], "mmol/l")
        self.assertAlmostEqual(
            percent["value"][-1] * 0.04 * 0.02 / held["value"][-1], 1.0, places=5
        )

    def test_what_was_measured_over_what_was_computed(self):
        laid = {
            "text": "x [cm], p [kPa]\n1, 0.001\n2, 0.0025\n9, 1\n",
            "x": [0, 10, 20, 30],
            "y": [0, 1, 2, None],
            "x_unit": "mm",
            "y_unit": "Pa",
        }
        told = self.client.post("/api/measured", json=laid).json()
        self.assertEqual(told["x"], [10.0, 20.0, 90.0])
        self.assertAlmostEqual(told["misfit"]["worst"], -0.5)
        self.assertEqual((told["misfit"]["points"], told["misfit"]["left_out"]), (2, 1))
        self.assertEqual(told["assumed"], [False, False])
        plain = self.client.post("/api/measured", json={**laid, "text": "10 1\n20 2"}).json()
        self.assertEqual((plain["misfit"]["rms"], plain["assumed"]), (0.0, [True, True]))
        for text, words in (
            ("x [s]\ty\n1\t2", "do not measure the same"),
            ("x [foo],y\n1,2", "not known"),
            ("", "two columns"),
            ("500 1", "goes from 0 to 20"),
        ):
            answer = self.client.post("/api/measured", json={**laid, "text": text})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])


class Odd(unittest.TestCase):
    def test_what_the_shelf_derives_now_may_not_fit_an_old_run(self):
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
            client = client_of(Path(folder))
            case = client.post("/api/cases", json=RAMP).json()["id"]
            run = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
            wait(client, run)
            client.patch(
                f"/api/cases/{case}",
                json={
                    "label": "more",
                    "patch": {
                        "parameters": {"new": "3 mol/m3"},
                        "derived": {"good": {"formula": "salt*3"}, "bad": {"formula": "salt/new"}},
                    },
                },
            )
            fields = client.get(f"/api/runs/{run}/frames").json()["fields"]
            self.assertIn("good", fields)
            self.assertNotIn("bad", fields)
            self.assertEqual(fields["share"]["unit"], "%")
            self.assertAlmostEqual(fields["share"]["range"][1], 100 * 3.975 / 2, places=3)


class Asked(unittest.TestCase):
    def test_a_run_under_way_watches_what_is_added_and_goes_on_with_it(self):
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
            client = client_of(Path(folder))
            case = client.post(
                "/api/cases",
                json=merge_patch(
                    FILLING, {"stages": {"go": {"until": "150 s", "frame_every": "50 s"}}}
                ),
            ).json()["id"]
            run = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
            self.until(client, run, lambda r: r["newest"] and r["newest"]["mode"] == "transient")
            client.patch(
                f"/api/cases/{case}",
                json={
                    "label": "watch",
                    "patch": {
                        "derived": {
                            "double": {"formula": "2*salt"},
                            "bad": {"formula": "salt*held"},
                        },
                        "readouts": {"extra": {"kind": "max", "field": "double", "place": "space"}},
                    },
                },
            )
            self.until(client, run, lambda r: "extra" in (r["newest"] or {}).get("readouts", {}))
            client.post(f"/api/runs/{run}/orders", json={"kind": "stop"})
            held = self.until(client, run, lambda r: r["status"] in ("stopped", "finished"))
            if held["status"] == "stopped":
                self.assertIsNone(held["left"])
                client.post(f"/api/runs/{run}/resume")
            done = self.until(client, run, lambda r: r["status"] == "finished")
            self.assertAlmostEqual(done["result"]["readouts"]["extra"]["value"], 4.0, delta=0.01)
            self.assertTrue([e for e in done["log"] if e["text"] == "Watched from here on: Extra"])
            rows = client.get(f"/api/runs/{run}/watches").json()
            told = ["extra" in w["readouts"] for w in rows]
            self.assertFalse(told[0])
            self.assertTrue(all(told[told.index(True) :]))

    def until(self, client, run, right, seconds=120):
        end = time.monotonic() + seconds
        while not right(found := client.get(f"/api/runs/{run}").json()):
            self.assertLess(time.monotonic(), end, found["status"])
            time.sleep(0.1)
        return found


if __name__ == "__main__":
    unittest.main()
