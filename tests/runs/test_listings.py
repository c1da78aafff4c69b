"""What is followed one by one goes with every frame: kept, read, handed out, drawn."""

import csv
import io
import json
import struct
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

import underkettle as uk
from tests.phenomena.cases import FINES, GATE, SPECIES
from tests.server.client import client_of
from underkettle import exporting
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.store.database import Damaged
from underkettle.store.runfile import RunFile

MOVING = merge_patch(FINES, {"stages": {"go": {"until": "0.6 s", "frame_every": "0.2 s"}}})


class Followed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.run_ = uk.run(MOVING)

    def test_every_frame_holds_them(self):
        counts = [len(self.run_.listing("cloud", k)["x"]) for k in range(len(self.run_.frames))]
        self.assertEqual(counts[0], 0)
        self.assertEqual(counts, sorted(counts))
        self.assertAlmostEqual(counts[-1], 200 * 0.6, delta=2)  # 200 a second

    def test_they_are_those_of_the_state(self):
        march = build_march(Case(MOVING))
        march.run()
        table = march.state.tables["fines.cloud"]
        told = self.run_.listing("fines.cloud")
        for k, name in enumerate(("x", "y", "u", "v", "fate")):
            np.testing.assert_allclose(told[name], table[:, k], rtol=1e-6, atol=1e-9)

    def test_they_lie_where_the_balance_says(self):
        told = self.run_.listing("cloud")
        budget = self.run_.balance["parcels"]
        flying = int((told["fate"] == 0).sum())
        self.assertAlmostEqual(budget["stored"], flying, places=6)
        self.assertTrue((told["x"][told["fate"] == 0] >= 0).all())

    def test_rows_may_be_points_of_lines(self):
        run = uk.run(merge_patch(GATE, {"stages": {"go": {"until": "0.05 s"}}}))
        told, listing = run.listing("path"), run.case.listings["path"]
        self.assertEqual(listing.line, "line")
        self.assertEqual(set(told["line"].tolist()), {0.0})
        x, y = run.frames[-1].far["slide"]
        np.testing.assert_allclose([told["x"][-1], told["y"][-1]], [x, y], rtol=1e-6)

    def test_what_is_not_followed_is_not_there(self):
        with self.assertRaises(KeyError):
            self.run_.listing("ghosts")

    def test_they_go_out_as_rows_in_the_units_they_are_shown_in(self):
        rows = list(
            csv.reader(io.StringIO(exporting.exported(self.run_.file.path, "listings").decode()))
        )
        self.assertEqual(rows[0], ["Parcels"])
        self.assertEqual(rows[1][:5], ["stage", "step", "time [s]", "x [mm]", "y [mm]"])
        told, last = self.run_.listing("cloud"), [r for r in rows[2:] if float(r[2]) > 0.59]
        self.assertEqual(len(last), len(told["x"]))
        self.assertAlmostEqual(float(last[0][3]), told["x"][0] * 1e3, places=4)
        self.assertEqual({r[-1] for r in last} - {"flying", "left", "stuck"}, set())
        with self.assertRaisesRegex(CaseError, "nothing is followed"):
            exporting.listings(Case(SPECIES), self.run_.file)


class Kept(unittest.TestCase):
    def test_a_frame_made_again_replaces_its_own(self):
        with tempfile.TemporaryDirectory() as folder:
            file = RunFile(Path(folder) / "run.sqlite", new=True)
            x, cells = np.linspace(0.0, 1.0, 5), {"c": np.ones((4, 4))}
            for rows in (3, 2):
                cloud = {"cloud": np.arange(5.0 * rows).reshape(rows, 5)}
                file.add_frame("go", "time", 1.0, 7, cells, {}, x, x, cloud)
            file.add_frame("go", "time", 2.0, 8, cells, {}, x, x, {"cloud": np.zeros((0, 5))})
            first, second = (f.id for f in file.frames())
            self.assertEqual(file.listing(first, "cloud").shape, (2, 5))
            np.testing.assert_array_equal(file.listing(first, "cloud")[1], [5, 6, 7, 8, 9])
            self.assertEqual(file.listing(second, "cloud").shape, (0, 5))
            self.assertIsNone(file.listing(first, "ghosts"))

    def test_damaged_bytes_are_told(self):
        with tempfile.TemporaryDirectory() as folder:
            file = RunFile(Path(folder) / "run.sqlite", new=True)
            x = np.linspace(0.0, 1.0, 5)
            file.add_frame(
                "go", "time", 1.0, 7, {"c": np.ones((4, 4))}, {}, x, x, {"cloud": np.ones((2, 5))}
            )
            file.db.write("update listings set data = ?", (b"nonsense",))
            with self.assertRaises(Damaged):
                file.listing(file.frames()[0].id, "cloud")


class Served(unittest.TestCase):
    def test_the_page_gets_them_in_shown_units(self):
        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
            client = self.enterContext(client_of(folder))
            case = client.post("/api/cases", json=MOVING).json()["id"]
            run = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
            for _ in range(600):
                if client.get(f"/api/runs/{run}").json()["status"] == "finished":
                    break
                time.sleep(0.1)
            told = client.get(f"/api/runs/{run}/frames").json()
            self.assertEqual(told["listings"]["cloud"]["label"], "Parcels")
            entries = told["listings"]["cloud"]["entries"]
            self.assertEqual([e["unit"] for e in entries][:2], ["mm", "mm"])
            self.assertEqual(entries[-1]["words"], ["flying", "left", "stuck"])
            frame = told["frames"][-1]["id"]
            answer = client.get(f"/api/runs/{run}/frames/{frame}/listings/cloud")
            (size,) = struct.unpack_from("<I", answer.content)
            header = json.loads(answer.content[4 : 4 + size])
            rows = np.frombuffer(answer.content, np.float32, offset=4 + size)
            self.assertEqual(rows.size, header["rows"] * 5)
            self.assertLess(rows.reshape(-1, 5)[:, 0].max(), 45.0)  # mm
            self.assertGreater(rows.reshape(-1, 5)[:, 0].max(), 1.0)
            for path in ("listings/ghosts", "nothing"):
                found = client.get(f"/api/runs/{run}/frames/{frame}/{path}")
                self.assertEqual(found.status_code, 404)
            text = client.get(f"/api/runs/{run}/export/listings.csv", params={"frame": frame}).text
            self.assertEqual(len(text.strip().splitlines()), 2 + header["of"])


if __name__ == "__main__":
    unittest.main()
