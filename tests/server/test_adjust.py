"""A run is held, one of its values changed, and it goes on; what was done is kept with it."""

import json
import tempfile
import time
import unittest
from pathlib import Path

from tests.phenomena.batteries import plate
from tests.phenomena.cases import FLOW
from tests.server.client import client_of
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.live import adjusted, live_values
from underkettle.case.model import merge_patch

CASE = merge_patch(
    FLOW,
    {
        "stages": {"go": {"until": "40 s", "frame_every": "1 s"}},
        "readouts": {"mass": {"kind": "through", "quantity": "mass", "place": "outlet"}},
    },
)
FASTER = {"conditions": {"inlet": {"flow": {"speed": "20 mm/s"}}}}


class Held(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.client = client_of(Path(folder.name))
        self.case = self.client.post("/api/cases", json=CASE).json()["id"]

    def run_view(self, run):
        return self.client.get(f"/api/runs/{run}").json()

    def until(self, run, right, seconds=120):
        end = time.monotonic() + seconds
        while not right(found := self.run_view(run)):
            self.assertLess(time.monotonic(), end, found["status"])
            time.sleep(0.1)
        return found

    def test_it_goes_on_with_what_was_changed(self):
        run = self.client.post(f"/api/cases/{self.case}/fire", json={}).json()["id"]
        early = self.client.post(f"/api/runs/{run}/adjust", json={"patch": FASTER})
        self.assertEqual(early.status_code, 422)
        self.assertIn("Hold it first", early.json()["text"])
        self.until(run, lambda r: r["newest"] and r["newest"]["time"] > 0.5)
        self.client.post(f"/api/runs/{run}/orders", json={"kind": "stop"})
        held = self.until(run, lambda r: r["status"] == "stopped")
        self.assertLess(held["newest"]["time"], 40.0)
        says = {v["says"]: v for v in self.client.get(f"/api/runs/{run}/adjust").json()}
        self.assertEqual(
            says["Inlet: flow, speed"]["typed"], FLOW["conditions"]["inlet"]["flow"]["speed"]
        )
        wrong = self.client.post(
            f"/api/runs/{run}/adjust",
            json={"patch": {"vessel": {"parts": {"box": {"width": "50 mm"}}}}},
        )
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("cannot change while a run is held", wrong.json()["text"])
        told = self.client.post(f"/api/runs/{run}/adjust", json={"patch": FASTER}).json()
        self.assertIn("20 mm/s", told["words"])
        done = self.until(run, lambda r: r["status"] == "finished")
        mass = done["result"]["readouts"]["mass"]["value"]
        case = Case(merge_patch(CASE, FASTER))
        self.assertAlmostEqual(mass / (1000 * case.facts.stream("inlet")), 1.0, delta=1e-6)
        (entry,) = done["adjusted"]
        self.assertGreater(entry["time"], 0.5)
        self.assertTrue(any(line["text"].startswith("Adjusted: Inlet") for line in done["log"]))
        shelf = self.client.get(f"/api/cases/{self.case}/file").json()
        self.assertEqual(shelf["conditions"], CASE["conditions"])
        kept = self.client.post(f"/api/runs/{run}/variant", json={"patch": {}, "variant": "Brisk"})
        self.assertEqual(kept.json(), {"variant": "brisk"})
        shelf = self.client.get(f"/api/cases/{self.case}/file").json()
        self.assertEqual(shelf["variants"]["brisk"], FASTER)
        again = self.client.post(f"/api/runs/{run}/variant", json={"patch": {}, "variant": "brisk"})
        self.assertEqual(again.status_code, 422)


class Values(unittest.TestCase):
    def test_only_what_is_declared_live_is_offered_and_taken(self):
        case = Case(CASE)
        paths = {"/".join(v.path) for v in live_values(case)}
        self.assertIn("conditions/inlet/flow/speed", paths)
        self.assertIn("stages/go/until", paths)
        self.assertNotIn("grid/size", paths)
        data, changes = adjusted(case, {"stages": {"go": {"until": "60 s"}}})
        self.assertEqual(data["stages"]["go"]["until"], "60 s")
        self.assertEqual([c["here"] for c in changes], ["60 s"])
        for patch, words in (
            ({}, "nothing is changed"),
            ({"grid": {"size": "2 mm"}}, "grid / size"),
            ({"conditions": {"inlet": {"flow": {"speed": "3 kg"}}}}, "a mass"),
        ):
            with self.assertRaises(CaseError) as caught:
                adjusted(case, json.loads(json.dumps(patch)))
            self.assertIn(words, str(caught.exception))

    def test_a_choice_that_stands_at_its_default_is_offered_with_what_it_may_be(self):
        case = Case(plate())
        (way,) = [v for v in live_values(case) if v.path[-1] == "way"]
        self.assertEqual((way.typed, way.choices), ("in full", ("in full", "by shapes")))
        data, changes = adjusted(case, {"phenomena": {"charge": {"way": "by shapes"}}})
        self.assertEqual(data["phenomena"]["charge"]["way"], "by shapes")
        self.assertEqual([c["here"] for c in changes], ["by shapes"])

    def test_a_variant_is_adjusted_as_the_variant(self):
        data = merge_patch(
            CASE, {"variants": {"slow": {"conditions": {"inlet": {"flow": {"speed": "1 mm/s"}}}}}}
        )
        after, changes = adjusted(Case(data, variant="slow"), FASTER)
        self.assertEqual(after["conditions"], CASE["conditions"])
        self.assertEqual(after["variants"]["slow"], FASTER)
        self.assertEqual(changes[0]["before"], "1 mm/s")


if __name__ == "__main__":
    unittest.main()
