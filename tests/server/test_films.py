"""Films of pictures that the page sends, frames as files, and the same from the command line."""

import io
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

from PIL import Image

import underkettle as uk
from tests.phenomena.cases import SPECIES
from tests.server.client import client_of
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.exporting import ENDINGS, exported

PNG = {"content-type": "image/png"}


def picture(size=(96, 64), colour=(200, 90, 30), kind="PNG"):
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, kind)
    return out.getvalue()


class Films(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.client = client_of(Path(folder.name))

    def begin(self, status=200, **more):
        answer = self.client.post(
            "/api/films", json={"width": 97, "height": 64, "per_second": 5, **more}
        )
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json().get("id", answer.json().get("text"))

    def test_pictures_become_a_film(self):
        film = self.begin(kind="gif")
        for k in range(5):
            sent = self.client.post(
                f"/api/films/{film}/pictures",
                content=picture((97, 64), (50 * k, 90, 30)),
                headers=PNG,
            )
            self.assertEqual(sent.json(), {"count": k + 1})
        gif = Image.open(io.BytesIO(self.client.post(f"/api/films/{film}/finish").content))
        self.assertEqual((gif.size, gif.n_frames), ((96, 64), 5))
        self.assertEqual(self.client.post(f"/api/films/{film}/finish").status_code, 404)

    def test_what_cannot_be_a_film_is_refused(self):
        self.assertIn("mp4", self.begin(422, kind="avi"))
        film = self.begin()
        for body, words in (
            (b"no picture", "cannot be read"),
            (picture((10, 10)), "does not fit"),
            (b"<svg/>", "cannot be read"),
        ):
            answer = self.client.post(f"/api/films/{film}/pictures", content=body, headers=PNG)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.json()["text"])
        answer = self.client.post(f"/api/films/{film}/finish")
        self.assertEqual((answer.status_code, "no picture" in answer.text), (422, True))
        films = [self.begin() for _ in range(4)]
        self.assertIn("already", self.begin(422))
        for film in films:
            self.assertEqual(self.client.delete(f"/api/films/{film}").status_code, 200)
        self.assertEqual(self.client.delete(f"/api/films/{films[0]}").status_code, 404)


class Exported(unittest.TestCase):
    def test_every_kind_by_the_command_line(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "run.sqlite"
            run = uk.run(
                merge_patch(
                    SPECIES,
                    {
                        "grid": {"size": "2 mm"},
                        "stages": {"go": {"frame_every": "0.1 s"}},
                        "readouts": {"held": {"kind": "total", "field": "salt", "place": "space"}},
                    },
                ),
                out=path,
            )
            for kind, start in (
                ("csv", b"readout,value,margin"),
                ("png", b"\x89PNG"),
                ("hdf", b"\x89HDF"),
            ):
                self.assertTrue(exported(path, kind).startswith(start), kind)
            self.assertIn(repr(run.readouts["held"].value), exported(path, "csv").decode())
            rows = exported(path, "histories").decode().splitlines()
            self.assertIn("held", rows[0])
            self.assertEqual(float(rows[-1].split(",")[-1]), run.readouts["held"].value)
            names = zipfile.ZipFile(io.BytesIO(exported(path, "zarr"))).namelist()
            self.assertIn("salt/c/3/0/0", names)
            film = Path(folder) / "film.gif"
            done = subprocess.run(
                [
                    sys.executable,
                    "-m",
                    "underkettle.cli",
                    "export",
                    str(path),
                    "--to",
                    "gif",
                    "--out",
                    str(film),
                    "--field",
                    "speed",
                    "--per-second",
                    "4",
                ],
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertEqual((done.returncode, done.stdout.strip()), (0, str(film)), done.stderr)
            gif = Image.open(film)
            self.assertEqual((gif.n_frames, gif.size), (len(run.frames), (960, 600)))
            for wrong, said in (
                (("--to", "docx"), "docx"),
                (("--to", "png", "--field", "ghost"), "no 'ghost'"),
                (("--to", "listings"), "nothing is followed"),
            ):
                done = subprocess.run(
                    [sys.executable, "-m", "underkettle.cli", "export", str(path), *wrong],
                    capture_output=True,
                    text=True,
                    check=False,
                )
                self.assertEqual(done.returncode, 2)
                self.assertIn(said, done.stderr)
        with self.assertRaises(CaseError):
            exported(Path("nowhere.sqlite"), "csv")
        self.assertEqual(
            set(ENDINGS),
            {"vtk", "hdf", "zarr", "csv", "histories", "listings", "png", "mp4", "gif"},
        )


if __name__ == "__main__":
    unittest.main()
