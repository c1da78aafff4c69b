"""Phenomena from outside, by all ways: Python, the command line, the server, and what goes out."""

import io
import json
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import numpy as np

import underkettle as uk
from tests.phenomena.cases import CASES
from tests.server.client import client_of
from underkettle.api import open_run
from underkettle.case.model import merge_patch

TOYS = ("brew", "fines", "gate", "grains", "grille", "liquids", "plates", "warmth")
KETTLE = [sys.executable, "-m", "underkettle.cli"]
# a number of each to compare, where its case asks for none
ASKED = {
    "fines": {"n": {"kind": "total", "field": "parcels_per_cell", "place": "space"}},
    "grains": {"tinted": {"kind": "total", "field": "tint", "place": "left"}},
    "gate": {"left": {"kind": "through", "quantity": "salt", "place": "outlet"}},
    "liquids": {"heavy": {"kind": "total", "field": "heavy", "place": "space"}},
}


def toy(name):
    return merge_patch(CASES[name], {"readouts": ASKED.get(name, {})})


class Ways(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def by_command(self, name, data):
        """Readouts of a run of the command line, and the file that it keeps."""
        file, kept = self.folder / f"{name}.json", self.folder / f"{name}.sqlite"
        file.write_text(json.dumps(data))
        done = subprocess.run(
            [*KETTLE, "run", str(file), "--json", "--out", str(kept)],
            capture_output=True,
            text=True,
            timeout=300,
            check=False,
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(done.stdout.strip().splitlines()[-1])["readouts"]
        return {n: r["value"] for n, r in told.items()}, kept

    def test_the_same_numbers_by_python_command_line_and_server(self):
        with client_of(self.folder / "home") as client:
            runs = {}
            for name in TOYS:
                case = client.post("/api/cases", json=toy(name)).json()["id"]
                self.assertTrue(client.get(f"/api/cases/{case}").json()["can_run"], name)
                runs[name] = client.post(f"/api/cases/{case}/fire", json={}).json()["id"]
            plain = {}
            for name in TOYS:
                run = uk.run(toy(name))
                plain[name] = {n: r.value for n, r in run.readouts.items()}
                told, kept = self.by_command(name, toy(name))
                self.assertEqual(told, plain[name], name)
                again = open_run(kept)
                for field in run.file.field_names(run.frames[-1].id):
                    np.testing.assert_array_equal(again.field(field), run.field(field))
            for name, run in runs.items():
                with self.subTest(name):
                    self.served(client, run, plain[name])

    def served(self, client, run, plain):
        end = time.monotonic() + 120
        while (told := client.get(f"/api/runs/{run}").json())["status"] in ("waiting", "running"):
            self.assertLess(time.monotonic(), end)
            client.get(f"/api/cases/{told['case']}/runs")
            time.sleep(0.2)
        self.assertEqual(told["status"], "finished", told.get("message"))
        readouts = {n: r["value"] for n, r in told["result"]["readouts"].items()}
        self.assertEqual(readouts, plain)
        frames = client.get(f"/api/runs/{run}/frames").json()
        last, name = frames["frames"][-1], frames["chief"]
        self.assertEqual(client.get(f"/api/runs/{run}/frames/{last['id']}/{name}").status_code, 200)
        packed = client.get(f"/api/runs/{run}/export/frames/vtk").content
        with zipfile.ZipFile(io.BytesIO(packed)) as opened:
            self.assertEqual(
                sum(n.endswith(".vtu") for n in opened.namelist()), len(frames["frames"])
            )
        if last["moved"]:
            rings = client.get(f"/api/runs/{run}/frames/{last['id']}/walls").json()["rings"]
            first = client.get(f"/api/runs/{run}/frames/{frames['frames'][0]['id']}/walls").json()
            self.assertNotEqual(rings, first["rings"])

    def test_the_command_line_hands_frames_and_what_is_followed_out(self):
        _, kept = self.by_command("fines", toy("fines"))
        for to, begins in (("listings", b"Parcels"), ("zarr", b"PK"), ("png", b"\x89PNG")):
            out = self.folder / f"out.{to}"
            done = subprocess.run(
                [*KETTLE, "export", str(kept), "--to", to, "--out", str(out)],
                capture_output=True,
                text=True,
                timeout=120,
                check=False,
            )
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertTrue(out.read_bytes().startswith(begins), to)


if __name__ == "__main__":
    unittest.main()
