"""Means and deviations that run along: by hand, over a restart, and where they cannot be."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import BOX, base
from underkettle import conformance
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch

RATE, END, SINCE = 3.0, 0.4, 0.1  # mol/(m3 s), s
RISING = base(
    vessel={"parts": {"box": {**BOX, "width": "6 mm", "height": "4 mm"}}},
    phenomena={"species": {"members": {"salt": {"diffusivity": "1e-9 m2/s"}}}},
    conditions={"space": {"species.salt": {"kind": "made", "source": f"{RATE} mol/(m3 s)"}}},
    stages={
        "go": {
            "solve": ["species"],
            "mode": "transient",
            "until": f"{END} s",
            "longest_step": "7 ms",
            "frame_every": "0.05 s",
        }
    },
    derived={
        "usual": {"formula": "salt", "since": f"{SINCE} s"},
        "swing": {"formula": "salt", "since": f"{SINCE} s", "tells": "deviation"},
        "power": {"formula": "salt*salt", "since": f"{SINCE} s"},
    },
    readouts={
        "highest": {"kind": "max", "field": "usual", "place": "space"},
        "swings": {"kind": "mean", "field": "swing", "place": "space"},
    },
)


class RunningAlong(unittest.TestCase):
    def test_what_rises_evenly(self):
        """c = r t: its mean from a to b is r (a + b)/2, its deviation r (b - a)/sqrt(12)."""
        run = uk.run(RISING)
        mean, swing = RATE * (SINCE + END) / 2, RATE * (END - SINCE) / np.sqrt(12)
        np.testing.assert_allclose(run.field("usual"), mean, rtol=0.012)  # the first step is cut
        np.testing.assert_allclose(run.field("swing"), swing, rtol=0.03)
        square = RATE**2 * (END**3 - SINCE**3) / 3 / (END - SINCE)
        np.testing.assert_allclose(run.field("power"), square, rtol=0.03)
        self.assertAlmostEqual(run.readouts["highest"].value, mean, delta=0.012 * mean)
        self.assertAlmostEqual(run.readouts["swings"].value, swing, delta=0.03 * swing)

    def test_nothing_is_told_before_it_begins(self):
        run = uk.run(RISING)
        self.assertTrue(np.isnan(run.field("usual", frame=1)).all())
        self.assertTrue(np.isfinite(run.field("usual", frame=-2)).all())

    def test_a_run_that_was_killed_goes_on_with_it(self):
        self.assertEqual(conformance.resume(RISING, 40), [])

    def test_a_step_taken_back_leaves_no_trace(self):
        self.assertEqual(conformance.restore(RISING), [])

    def test_a_time_that_is_none_is_named(self):
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(RISING, {"derived": {"usual": {"since": "3 m"}}})).fields()
        self.assertIn("derived / usual / since", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
