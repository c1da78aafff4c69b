"""Colours, pictures and films: what is painted where, and what another reader finds in a film."""

import io
import tempfile
import unittest
from pathlib import Path

import imageio_ffmpeg
import numpy as np
from PIL import Image

from tests.phenomena.cases import SPECIES
from underkettle.case.case import Case
from underkettle.formats.colour import amount, difference, scale
from underkettle.formats.film import Film
from underkettle.formats.picture import Look, Picture, png

STOPS = (
    "1C1413 3F1C16 612612 803408 9B4801 B16116 C27E38 CE9B5F D9B88A E4D4B8 F2EEE4",
    "00604D 0E7D65 579980 89B69F B9D3C2 F1EEE6 D7CAB1 C0A682 AA8055 955B2C 7E3400",
)


def hexed(colours):
    return ["".join(f"{v:02X}" for v in c) for c in colours]


class Colours(unittest.TestCase):
    def test_the_stops_of_the_visual_language(self):
        t = np.linspace(0, 1, 11)
        self.assertEqual(hexed(amount(t)), STOPS[0].split())
        self.assertEqual(hexed(difference(t)), STOPS[1].split())

    def test_steps_and_direction(self):
        self.assertEqual(len({tuple(c) for c in scale(5)}), 5)
        self.assertTrue(np.array_equal(scale(is_reversed=True), scale()[::-1]))


class Pictures(unittest.TestCase):
    def setUp(self):
        self.case = Case(SPECIES)
        grid = self.case.grid
        self.ramp = np.broadcast_to(np.linspace(1, 3, grid.nx), (grid.ny, grid.nx)).copy()

    def test_the_field_is_where_the_vessel_is(self):
        picture = Picture(self.case, Look("Salt", "mol/m3", 1.0, 3.0), 600, 420)
        self.ramp[:, : self.case.grid.nx // 4] = np.nan
        image = np.asarray(picture.draw(self.ramp, "at 3 s"))
        self.assertEqual(image.shape, (420, 600, 3))
        row = image[40 + (420 - 40 - 84) // 2]
        found = [tuple(int(v) for v in row[k]) for k in (60, 570)]
        self.assertEqual(found[0], (244, 238, 223))  # closed
        self.assertTrue(np.abs(np.array(found[1], int) - amount(np.array([1.0]))[0]).max() < 3)
        again = Image.open(io.BytesIO(png(picture.draw(self.ramp, "at 3 s"))))
        self.assertTrue(np.array_equal(np.asarray(again), image))

    def test_a_logarithmic_scale(self):
        picture = Picture(self.case, Look("Salt", "", 0.01, 100.0, logarithmic=True), 600, 420)
        self.assertTrue(np.allclose(picture.share(np.array([0.01, 1.0, 100.0])), [0, 0.5, 1]))
        self.assertLess(picture.share(np.array([-1.0]))[0], 0)


class Films(unittest.TestCase):
    def pictures(self):
        for k in range(12):
            image = np.full((64, 96, 3), 20 * k, np.uint8)
            image[:, : 8 * k] = (200, 90, 30)
            yield image

    def test_another_reader_finds_every_picture(self):
        film = Film(96, 64, 6.0)
        for image in self.pictures():
            film.add(image)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "film.mp4"
            path.write_bytes(film.finish())
            read = imageio_ffmpeg.read_frames(str(path))
            told = next(read)
            self.assertEqual((told["size"], told["fps"]), ((96, 64), 6.0))
            frames = [np.frombuffer(f, np.uint8).reshape(64, 96, 3).astype(int) for f in read]
        self.assertEqual(len(frames), 12)
        self.assertLess(np.abs(frames[5][:, 60:] - 100).mean(), 6)
        self.assertLess(np.abs(frames[8][:, :50] - [200, 90, 30]).mean(), 8)

    def test_a_gif_has_them_too(self):
        film = Film(96, 64, 5.0, "gif")
        for image in self.pictures():
            film.add(image)
        gif = Image.open(io.BytesIO(film.finish()))
        self.assertEqual((gif.size, gif.n_frames, gif.info["duration"]), ((96, 64), 12, 200))
        gif.seek(8)
        colour = np.asarray(gif.convert("RGB"))[30, 20].astype(int)
        self.assertLess(np.abs(colour - [200, 90, 30]).max(), 10)

    def test_what_does_not_fit_is_refused(self):
        film = Film(96, 64, 5.0)
        with self.assertRaises(ValueError):
            film.add(np.zeros((10, 10, 3), np.uint8))
        with self.assertRaises(ValueError):
            film.finish()
        with self.assertRaises(ValueError):
            Film(96, 64, 5.0, "avi")


if __name__ == "__main__":
    unittest.main()
