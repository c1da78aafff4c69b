"""The queue and margins through the API: order, taking out, a restart, grids of a margin."""

import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests.phenomena.cases import FLOW
from tests.server.client import client_of
from underkettle.case.model import merge_patch
from underkettle.runs import control
from underkettle.runs.control import enqueue
from underkettle.runs.queue import Queue
from underkettle.server.demo import fill
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

QUICK = merge_patch(
    FLOW,
    {
        "readouts": {
            "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}
        }
    },
)
LONG = merge_patch(QUICK, {"stages": {"go": {"until": "300 s"}}})


class Waiting(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)

    def client(self):
        client = client_of(self.home)
        self.addCleanup(client.close)
        return client

    def until(self, client, run, *wanted, seconds=90):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            found = client.get(f"/api/runs/{run}").json()
            if found["status"] in wanted:
                return found
            client.get(f"/api/cases/{found['case']}/runs")
            time.sleep(0.2)
        raise AssertionError(f"it is {found['status']}: {found['message']}")

    def test_runs_wait_change_places_and_are_taken_out(self):
        client = self.client()
        case = client.post("/api/cases", json=LONG).json()["id"]
        fire = lambda: client.post(f"/api/cases/{case}/fire", json={}).json()["id"]  # noqa: E731
        runs = [fire() for _ in range(5)]
        told = {r: client.get(f"/api/runs/{r}").json() for r in runs}
        working = [r for r in runs if told[r]["status"] == "running"]
        waiting = [r for r in runs if told[r]["status"] == "waiting"]
        self.assertGreaterEqual(len(working), 1)
        self.assertGreaterEqual(len(waiting), 2)
        self.assertEqual([told[r]["place"] for r in waiting], list(range(1, len(waiting) + 1)))
        client.post(f"/api/runs/{waiting[-1]}/orders", json={"kind": "first"})
        self.assertEqual(client.get(f"/api/runs/{waiting[-1]}").json()["place"], 1)
        client.post(f"/api/runs/{waiting[0]}/orders", json={"kind": "stop"})
        gone = client.get(f"/api/runs/{waiting[0]}").json()
        self.assertEqual((gone["status"], gone["place"]), ("stopped", 0))
        for r in working:
            client.post(f"/api/runs/{r}/orders", json={"kind": "stop"})
        for r in working:
            self.until(client, r, "stopped")
        self.until(client, waiting[-1], "running", "finished")
        for r in runs:
            client.post(f"/api/runs/{r}/orders", json={"kind": "stop"})
        for r in runs:
            self.until(client, r, "stopped", "finished")

    def test_what_is_fired_goes_before_the_runs_of_the_demo(self):
        fill(self.home, runs=True)
        library = Library(self.home)
        self.addCleanup(library.close)
        queue = Queue(library, lambda run: RunFile(Path(library.run(run)["file"])))
        demos = queue.places()
        self.assertGreaterEqual(len(demos), 3)
        mine, _ = library.add_run(library.add_case(QUICK), lambda path: enqueue(path, QUICK))
        self.assertEqual(queue.places()[mine], 1)
        self.assertEqual({r: queue.places()[r] - 1 for r in demos}, demos)
        queue.slots = 2
        with mock.patch.object(control, "launch") as launch:  # and one core stays free for more
            queue.tick()
        self.assertEqual([call.args[0].stem for call in launch.call_args_list], [mine])
        last = max(demos, key=demos.get)
        queue.first(last)
        self.assertEqual(queue.places()[last], 1)

    def test_a_server_that_starts_again_goes_on_with_the_queue(self):
        client = self.client()
        case = client.post("/api/cases", json=QUICK).json()["id"]
        runs = [client.post(f"/api/cases/{case}/fire", json={}).json()["id"] for _ in range(4)]
        client.close()
        again = self.client()
        for run in runs:
            self.assertEqual(self.until(again, run, "finished")["status"], "finished")

    def test_a_margin_comes_from_two_coarser_grids(self):
        client = self.client()
        case = client.post("/api/cases", json=QUICK).json()["id"]
        run = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
        refused = client.post(f"/api/runs/{run}/margin")
        if refused.status_code == 422:
            self.assertIn("finished", refused.json()["text"])
        self.until(client, run, "finished")
        self.assertEqual(client.post(f"/api/runs/{run}/margin").json()["helpers"], 2)
        self.assertEqual(client.post(f"/api/runs/{run}/margin").json()["helpers"], 2)
        end = time.monotonic() + 90
        while not client.get(f"/api/runs/{run}").json()["result"]["grids"]:
            self.assertLess(time.monotonic(), end)
            client.get(f"/api/cases/{case}/runs")
            time.sleep(0.2)
        told = client.get(f"/api/runs/{run}").json()
        drop = told["result"]["readouts"]["drop"]
        self.assertGreater(drop["margin"], 0)
        self.assertLess(drop["margin"], abs(drop["value"]))
        self.assertEqual(len(told["result"]["grids"]), 3)
        self.assertEqual(told["helpers"], ["finished", "finished"])
        self.assertEqual([r["id"] for r in client.get(f"/api/cases/{case}/runs").json()], [run])

    def test_what_is_open_further_off(self):
        client = self.client()
        case = client.post("/api/cases", json=QUICK).json()["id"]
        run = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
        refused = client.post(f"/api/runs/{run}/further")
        if refused.status_code == 422:
            self.assertIn("finished", refused.json()["text"])
        self.until(client, run, "finished")
        self.assertEqual(client.post(f"/api/runs/{run}/further").json()["helpers"], 1)
        end = time.monotonic() + 90
        while not client.get(f"/api/runs/{run}").json()["result"]["further"]:
            self.assertLess(time.monotonic(), end)
            client.get(f"/api/cases/{case}/runs")
            time.sleep(0.2)
        told = client.get(f"/api/runs/{run}").json()
        drop = told["result"]["readouts"]["drop"]
        self.assertGreater(drop["further"], drop["value"])
        self.assertEqual(told["further"], "finished")
        self.assertEqual([r["id"] for r in client.get(f"/api/cases/{case}/runs").json()], [run])
        client.delete(f"/api/runs/{run}")
        self.assertEqual(client.get(f"/api/cases/{case}/runs").json(), [])


if __name__ == "__main__":
    unittest.main()
