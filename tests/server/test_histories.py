"""Histories, spectra, residence times and boxes through the API."""

import tempfile
import time
import unittest
from pathlib import Path

from tests.phenomena.cases import SPECIES
from tests.server.client import client_of
from underkettle.case.model import merge_patch

# a marker step into a channel without reaction or release
STEP = merge_patch(
    SPECIES,
    {
        "vessel": {"nozzles": {"inlet": {"bore": "20 mm"}, "outlet": {"bore": "20 mm"}}},
        "grid": {"size": "2 mm"},
        "conditions": {
            "box_top": None,
            "space": None,
            "inlet": {"species.salt": {"value": "2 mol/m3"}, "flow": {"speed": "20 mm/s"}},
        },
        "stages": {
            "settle": {"solve": ["flow"], "mode": "steady"},
            "go": {"solve": ["species"], "hold": ["flow"], "until": "12 s", "frame_every": "6 s"},
        },
        "readouts": {
            "leaving": {"kind": "mean", "field": "salt", "place": "outlet", "weight": "flow"},
            "held": {"kind": "total", "field": "salt", "place": "space"},
        },
    },
)
STEP["stages"] = {"settle": STEP["stages"]["settle"], "go": STEP["stages"]["go"]}


class Histories(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        cls.client = client_of(Path(cls.folder.name))
        case = cls.client.post("/api/cases", json=STEP).json()["id"]
        cls.run_id = cls.client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
        end = time.monotonic() + 120
        while cls.client.get(f"/api/runs/{cls.run_id}").json()["status"] != "finished":
            assert time.monotonic() < end
            time.sleep(0.2)

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def told(self, what, status=200, **query):
        answer = self.client.get(f"/api/runs/{self.run_id}/{what}", params=query)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def test_a_step_stays_as_long_as_volume_over_flow(self):
        stay = self.told("stay/leaving", kind="step", before="0 mol/m3")
        passing = 0.04 / 0.02
        self.assertAlmostEqual(stay["mean"] / passing, 1.0, delta=0.05)
        self.assertAlmostEqual(stay["volume"] / stay["open_volume"], 1.0, delta=0.05)
        self.assertGreater(stay["recovered"], 0.98)
        self.assertEqual(len(stay["time"]), len(stay["exit_age"]))
        half = self.told("stay/leaving", kind="step", before="0 mol/m3", after="4 mol/m3")
        self.assertAlmostEqual(half["recovered"] / stay["recovered"], 0.5, delta=0.01)
        for query, words in (
            ({"kind": "flood"}, "step or a pulse"),
            ({"begin": "3 kg"}, "a mass"),
            ({"begin": "1 h"}, "nothing was recorded"),
            ({"before": "2 mol/m3"}, "does not change"),
        ):
            self.assertIn(words, self.told("stay/leaving", 422, **query)["text"])
        self.told("stay/ghost", 404)

    def test_one_readout_against_another(self):
        """What is in the vessel over what leaves: one way only, so nothing has come round."""
        told = self.told("against/held", over="leaving")
        self.assertEqual(len(told["x"]), len(told["y"]))
        self.assertEqual(told["over"]["unit"], "mol/m3")
        self.assertIsNone(told["round"])
        self.assertIsNone(told["enclosed"])
        self.assertTrue(told["legs"])
        self.assertEqual(told["legs"][0]["first"], 0)
        self.assertEqual(told["legs"][-1]["last"], len(told["x"]) - 1)
        self.told("against/held", status=404, over="nothing")

    def test_a_history_begins_and_ends_where_the_run_does(self):
        history = self.told("history/held")
        self.assertAlmostEqual(history["time"][-1], 12.0)
        self.assertAlmostEqual(history["value"][-1] / (2.0 * 0.04 * 0.02), 1.0, delta=0.02)
        self.assertEqual(history["unit"], "mol")
        spectrum = self.told("spectrum/held")
        self.assertIn("only", spectrum["doubt"])
        self.assertIn("fewer than", self.told("spectrum/held", 422, since="11.99 s")["text"])

    def test_a_box_over_everything_holds_what_the_readout_says(self):
        frames = self.told("frames")["frames"]
        box = self.told("box", frame=frames[-1]["id"], x0=0.05, y0=0.03, x1=-0.01, y1=-0.01)
        held = self.told("history/held")["value"][-1]
        salt = box["values"]["salt"]
        self.assertAlmostEqual(salt["total"] / held, 1.0, delta=1e-5)
        self.assertEqual(salt["total_unit"], "mol")
        self.assertAlmostEqual(box["volume"], 0.04 * 0.02)
        self.assertAlmostEqual(salt["mean"] * box["volume"], salt["total"], places=9)
        none = self.told("box", frame=frames[-1]["id"], x0=1, y0=1, x1=2, y1=2)
        self.assertEqual(none["values"], {})


if __name__ == "__main__":
    unittest.main()
