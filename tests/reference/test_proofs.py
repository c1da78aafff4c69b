"""Proofs through the public path, and hand relations against worked examples."""

import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from underkettle import proving
from underkettle.case.faults import CaseError
from underkettle.paper import flow, heat, transfer
from underkettle.proving import proofs, prove, prove_all
from underkettle.reading.sections import along_line, at_points


class Proofs(unittest.TestCase):
    def test_every_quick_proof_holds(self):
        """The quick ones; `make proofs` runs the rest."""
        self.assertTrue({"cylinders", "poiseuille", "pulse", "pipe"} < set(proofs(quick=True)))
        self.assertTrue({"cavity", "cylinder", "side_heated"} < set(proofs()) - set(proofs(True)))
        for name in proofs(quick=True):
            with self.subTest(name):
                result = prove(name)
                missed = [c for c in result["checks"] if not c["passed"]]
                self.assertEqual((missed, result["broke"]), ([], ""))
                self.assertGreaterEqual(len(result["checks"]), 3)


class Together(unittest.TestCase):
    def test_two_at_once_both_come_back(self):
        names = ["poiseuille", "pulse"]
        self.assertEqual(
            {r["name"] for r in prove_all(names, at_once=2) if r["passed"]}, set(names)
        )

    def test_one_that_breaks_is_told_and_the_next_still_runs(self):
        case = {"name": "Two lines"}
        texts = {
            "a_breaks": "def checks(prove):\n    prove.at_least('order', 2.0, 1.0, '')\n    1 / 0\n",
            "b_asks_nothing": "def checks(prove):\n    pass\n",
            "c_holds": "def checks(prove):\n    prove.at_least('order', 2.0, 1.0, '')\n",
            "d_misses": "def checks(prove):\n    prove.at_least('order', 0.5, 1.0, '')\n",
        }
        with tempfile.TemporaryDirectory() as folder:
            for name, text in texts.items():
                (Path(folder) / name).mkdir()
                (Path(folder) / name / "proof.py").write_text(text)
                (Path(folder) / name / "case.json").write_text(json.dumps(case))
            with (
                mock.patch.object(proving, "FOLDER", Path(folder)),
                mock.patch.object(proving.api, "load", return_value=case),
            ):
                told = {r["name"]: r for r in prove_all(proofs(), at_once=1)}
                with self.assertRaises(CaseError):
                    list(prove_all(["missing"], at_once=1))
        self.assertEqual([told[n]["passed"] for n in texts], [False, False, True, False])
        self.assertIn("ZeroDivisionError", told["a_breaks"]["broke"])


class Hand(unittest.TestCase):
    def test_worked_examples(self):
        self.assertAlmostEqual(flow.reynolds(1000, 0.1, 0.02, 1e-3), 2000)
        self.assertAlmostEqual(flow.plane_poiseuille_drop(1e-3, 1e-4, 1.0, 0.01), 1.2)
        plate = flow.plane_conductance(1.0, 0.01)
        even = flow.channel_drop(1e-3, 1e-4, 0.1, [[plate]] * 10)
        self.assertAlmostEqual(even, 1.2)
        beside = flow.channel_drop(1e-3, 1e-4, 0.1, [[plate, plate]] * 10)
        self.assertAlmostEqual(beside, 0.6)
        with self.assertRaises(ValueError):
            flow.channel_drop(1e-3, 1e-4, 0.1, [[]])
        self.assertAlmostEqual(flow.passing_time(2.0, 0.5), 4.0)

    def test_cylinder_goes_to_its_limits(self):
        """Re to zero leaves 0.3; Re 100, Sc 0.7 gives about 5.2 (tabled Nu of air)."""
        self.assertAlmostEqual(transfer.sherwood_cylinder(0.0, 1.0), 0.3)
        self.assertAlmostEqual(transfer.sherwood_cylinder(100.0, 0.7), 5.2, delta=0.2)

    def test_a_plate_agrees_with_its_closed_form(self):
        """Without an idle stretch the mean is twice the local value at the end."""
        speed, nu, d, length = 0.6, 1.9e-5, 3e-5, 0.12
        mean = transfer.plate_coefficient(speed, nu, d, 0.0, length)
        closed = 0.664 * (speed * length / nu) ** 0.5 * (nu / d) ** (1 / 3) * d / length
        self.assertAlmostEqual(mean / closed, 1.0, delta=1e-6)
        wet = [transfer.plate_coefficient(speed, nu, d, 0.0, x) * x for x in (0.04, 0.16)]
        self.assertGreater(
            transfer.plate_coefficient(speed, nu, d, 0.04, 0.16) * 0.12, 1.2 * (wet[1] - wet[0])
        )

    def test_heat_relations_at_their_limits(self):
        self.assertAlmostEqual(heat.nusselt_pipe(1e-9), 3.66, delta=1e-3)
        self.assertAlmostEqual(heat.nusselt_plates(1e-9), 7.55, delta=1e-3)
        self.assertAlmostEqual(heat.nusselt_square(1e6), 8.8, delta=0.02)
        self.assertAlmostEqual(heat.in_series(10.0, 10.0), 5.0)
        self.assertAlmostEqual(heat.towards_wall(350.0, 300.0, 1e3, 1.0), 300.0)
        self.assertAlmostEqual(heat.prandtl(1e-3, 4180.0, 0.6), 6.97, delta=0.01)

    def test_pipes_and_annuli_carry_what_their_solutions_say(self):
        pipe = flow.round_conductance(0.0, 0.01)
        self.assertAlmostEqual(
            flow.channel_drop(1e-3, 1e-5, 1.0, [[pipe]]), 8 * 1e-3 * 1e-5 / (np.pi * 0.01**4)
        )
        thin = flow.round_conductance(0.099, 0.1)  # a slot rolled up
        self.assertAlmostEqual(
            thin / flow.plane_conductance(2 * np.pi * 0.0995, 0.001), 1.0, delta=1e-3
        )

    def test_leveque_falls_with_the_cube_root_of_length(self):
        ratio = transfer.sherwood_leveque_plates(
            100, 700, 0.01, 0.01
        ) / transfer.sherwood_leveque_plates(100, 700, 0.01, 0.08)
        self.assertAlmostEqual(ratio, 2.0)


class Looking(unittest.TestCase):
    def setUp(self):
        self.x, self.y = np.linspace(0, 1, 11), np.linspace(0, 0.5, 6)
        self.xc, self.yc = 0.5 * (self.x[1:] + self.x[:-1]), 0.5 * (self.y[1:] + self.y[:-1])
        self.plane = 2 * self.xc[None, :] - 3 * self.yc[:, None]

    def test_a_plane_is_read_exactly_between_centres(self):
        x, y = np.array([0.31, 0.77]), np.array([0.21, 0.37])
        found = at_points(self.plane, self.xc, self.yc, x, y)
        np.testing.assert_allclose(found, 2 * x - 3 * y, atol=1e-12)

    def test_closed_cells_give_nothing(self):
        self.plane[2, 3] = np.nan
        line = along_line(self.plane, self.x, self.y, (0.0, self.yc[2]), (1.0, self.yc[2]))
        self.assertEqual(int(np.isnan(line["value"]).sum()), 1)
        self.assertEqual(line["value"].size, 10)


if __name__ == "__main__":
    unittest.main()
