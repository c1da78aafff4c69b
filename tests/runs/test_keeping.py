"""Frames hold what was asked for, and the estimate of the disk knows it."""

import itertools
import unittest
from unittest import mock

import numpy as np

import underkettle as uk
from tests.phenomena.cases import SPECIES
from underkettle.case.case import Case
from underkettle.case.cost import estimate
from underkettle.case.model import merge_patch

LESS = merge_patch(
    SPECIES,
    {
        "keep": {
            "fields": ["salt", "speed"],
            "box": ["10 mm", "0 mm", "20 mm", "20 mm"],
            "watch_every": 20,
        },
        "readouts": {"held": {"kind": "total", "field": "salt", "place": "space"}},
    },
)


class Keeping(unittest.TestCase):
    def test_less_is_kept_and_the_numbers_stay(self):
        whole = uk.run(merge_patch(LESS, {"keep": None}))
        with mock.patch("underkettle.runs.recorder.SLOW_STEP", np.inf):  # a busy machine keeps more
            less = uk.run(LESS)
        self.assertEqual(less.readouts["held"].value, whole.readouts["held"].value)
        frame = less.frames[-1]
        self.assertEqual(less.file.field_names(frame.id), ["speed", "salt"])
        salt, all_salt = less.field("salt"), whole.field("salt")
        inside = np.isfinite(salt)
        x = 0.5 * (less.case.grid.x[1:] + less.case.grid.x[:-1])
        self.assertTrue((inside == ((x > 0.01) & (x < 0.02))[None, :]).all())
        np.testing.assert_array_equal(salt[inside], all_salt[inside])
        steps = [w["step"] for w in less.file.watches()]
        self.assertEqual({b - a for a, b in itertools.pairwise(steps[:-1])}, {20})
        with self.assertRaises(LookupError) as caught:
            less.along_edge("salt", "box_top")
        self.assertIn("do not hold", str(caught.exception))
        self.assertGreater(whole.along_edge("salt", "box_top")["flux"].size, 10)

    def test_the_estimate_of_the_disk_follows(self):
        often = {"stages": {"go": {"frame_every": "1 ms"}}}
        less, whole = (
            estimate(Case(merge_patch(c, often))) for c in (LESS, merge_patch(LESS, {"keep": None}))
        )
        self.assertEqual(less.frames, 301)
        share = 2 / len(Case(SPECIES).fields()) * 20 / 80
        fixed = whole.cells * 8.0 * 40
        self.assertAlmostEqual((less.disk - fixed) / (whole.disk - fixed) / share, 1.0, places=6)
        self.assertEqual([n for n, _ in whole.stages], ["go"])
        self.assertAlmostEqual(sum(s for _, s in whole.stages), whole.seconds)


if __name__ == "__main__":
    unittest.main()
