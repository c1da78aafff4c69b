"""Runs that begin from one before: which lies nearest, what it says, and that it changes no answer."""

import tempfile
import unittest
from pathlib import Path

import underkettle as uk
from tests.phenomena.cases import FLOW
from tests.recorder import Recorder
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.runs.nearest import apart, nearest
from underkettle.store.runfile import RunFile

STILL = merge_patch(
    FLOW,
    {
        "stages": {"go": {"mode": "steady", "until": None}},
        "readouts": {
            "drop": {"kind": "difference", "field": "pressure", "place": "inlet", "to": "outlet"}
        },
        "variants": {
            "faster": {"conditions": {"inlet": {"flow": {"speed": "12 mm/s"}}}},
        },
    },
)


class Apart(unittest.TestCase):
    def test_values_that_differ_count_one_each_and_an_octave_of_the_grid_a_half(self):
        self.assertEqual(apart(STILL, "", 1.0, STILL, "", 1.0), 0.0)
        self.assertEqual(apart(STILL, "faster", 1.0, STILL, "", 1.0), 1.0)
        self.assertEqual(apart(STILL, "faster", 2.0, STILL, "faster", 0.5), 1.0)
        other = merge_patch(STILL, {"grid": {"size": "3 mm"}, "name": "Another", "readouts": None})
        self.assertEqual(apart(STILL, "", 1.0, other, "", 1.0), 1.0)

    def test_what_solves_for_something_else_is_no_neighbour(self):
        warm = merge_patch(STILL, {"phenomena": {"heat": {}}})
        self.assertIsNone(apart(STILL, "", 1.0, warm, "", 1.0))
        self.assertIsNone(apart(STILL, "", 1.0, {**STILL, "dimension": "axisymmetric"}, "", 1.0))


class Begun(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_the_nearest_finished_run_is_found(self):
        plain, faster = self.folder / "plain.sqlite", self.folder / "faster.sqlite"
        uk.run(STILL, out=plain)
        uk.run(STILL, variant="faster", grid=0.5, out=faster)
        waiting = RunFile(self.folder / "waiting.sqlite", new=True)
        waiting.set(status="waiting", data=STILL, variant="faster", grid=1.0)
        files = [waiting, RunFile(plain), RunFile(faster)]
        self.assertEqual(nearest(files, STILL, "faster", 1.0), faster)
        self.assertEqual(nearest(files, STILL, "", 1.0), plain)
        self.assertIsNone(nearest([waiting], STILL))

    def test_a_variant_settles_to_the_same_from_wherever_it_begins(self):
        before = self.folder / "before.sqlite"
        uk.run(STILL, grid=2.0, out=before)
        cold, warm = Recorder(), Recorder()
        one = uk.run(STILL, variant="faster", listeners=[cold])
        two = uk.run(STILL, variant="faster", listeners=[warm], start=before)
        self.assertIn("what a run before has found: the case as it was", " ".join(warm.lines))
        self.assertNotIn("a run before", " ".join(cold.lines))
        self.assertLessEqual(len(warm.residuals), len(cold.residuals))
        drops = [r.readouts["drop"].value for r in (one, two)]
        self.assertAlmostEqual(drops[1] / drops[0], 1.0, delta=1e-6)

    def test_the_same_again_is_there_at_once(self):
        before = self.folder / "before.sqlite"
        uk.run(STILL, out=before)
        again = Recorder()
        uk.run(STILL, listeners=[again], start=before)
        self.assertLessEqual(len(again.residuals), 3)

    def test_a_run_to_begin_from_that_is_not_there_is_refused(self):
        with self.assertRaises(CaseError) as caught:
            uk.run(STILL, start=self.folder / "nowhere.sqlite")
        self.assertIn("no such run file", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
