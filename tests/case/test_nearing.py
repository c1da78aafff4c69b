"""A steady stage begins from what a coarser grid has settled to, and says so where that fails."""

import unittest
from unittest import mock

from tests.phenomena.cases import FLOW
from tests.recorder import Recorder
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.solve import build_march
from underkettle.engine.marching.march import March, RunFailed

FINE = merge_patch(
    FLOW,
    {
        "grid": {"size": "0.5 mm"},
        "stages": {"go": {"mode": "steady", "until": None}},
    },
)


class Nearing(unittest.TestCase):
    def said(self, spoils=None):
        run, cells = March.run, Case(FINE).mesh.cells

        def spoilt(march):
            if spoils is not None and march is not whole:
                spoils(march, lambda: run(march))
            else:
                run(march)

        told = Recorder()
        whole = build_march(Case(FINE), [told])
        with mock.patch.object(March, "run", spoilt):
            whole.run()
        self.assertGreater(cells, 2400)
        return " ".join(told.lines)

    def test_it_begins_from_a_coarser_grid(self):
        self.assertRegex(self.said(), r"begins from what a grid of \d+ cells has settled to")

    def test_a_coarser_grid_that_fails_is_told(self):
        def fails(march, run):
            raise RunFailed("too coarse for it")

        said = self.said(fails)
        self.assertIn("begins where it stands, a coarser grid did not help: too coarse", said)
        self.assertIn("settled", said)

    def test_what_is_no_number_is_not_handed_over(self):
        def spoils(march, run):
            run()
            march.state.fields["flow.p"][0, 3, 3] = float("nan")

        self.assertIn("did not help: flow.p: not finite numbers", self.said(spoils))


if __name__ == "__main__":
    unittest.main()
