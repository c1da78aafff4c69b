"""Vessels that go on and on: where they are cut open must not matter."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import TRIPS, base
from underkettle import conformance
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.engine.linear import Helmholtz, Multigrid

SQUARE = {"shape": "rectangle", "x": "0 mm", "y": "0 mm", "width": "20 mm", "height": "20 mm"}
EDGES = dict.fromkeys(("left", "right", "top", "bottom"), "block")


def block(x, width):
    return {
        "shape": "rectangle",
        "does": "cut",
        "x": x,
        "y": "6 mm",
        "width": width,
        "height": "8 mm",
        "edges": EDGES,
    }


ROUND = base(
    vessel={"repeats": ["x", "y"], "parts": {"box": SQUARE, "block": block("8 mm", "4 mm")}},
    phenomena={
        "flow": {"density": "1000 kg/m3", "viscosity": "10 mPa s"},
        "species": {"members": {"salt": {"diffusivity": "1e-5 m2/s"}}},
        "heat": {
            "density": "1000 kg/m3",
            "heat_capacity": "4000 J/(kg K)",
            "conductivity": "50 W/(m K)",
        },
        "buoyancy": {"density": "1000 kg/m3", "expansion": "1e-3 1/K"},
    },
    conditions={
        "along_x": {"flow": {"fall": "0.05 Pa"}},
        "along_y": {"flow": {"fall": "0.02 Pa"}},
        "block": {
            "species.salt": {"kind": "held value", "value": "1 mol/m3"},
            "heat": {"kind": "held temperature", "value": "300 K"},
        },
        "space": {"species.salt": {"kind": "made", "loss": "0.5 1/s"}},
    },
    stages={
        "go": {
            "solve": ["flow", "species", "heat", "buoyancy"],
            "mode": "transient",
            "until": "0.5 s",
        }
    },
    readouts={
        "speed": {"kind": "mean", "field": "velocity_x", "place": "space"},
        "rise": {"kind": "mean", "field": "velocity_y", "place": "space"},
        "warm": {"kind": "mean", "field": "temperature", "place": "space"},
        "salt_held": {"kind": "total", "field": "salt", "place": "space"},
    },
)
SPLIT = merge_patch(
    ROUND, {"vessel": {"parts": {"block": block("0 mm", "2 mm"), "rest": block("18 mm", "2 mm")}}}
)


class Repeats(unittest.TestCase):
    def same(self, one, other, delta):
        a, b = uk.run(one), uk.run(other)
        self.assertEqual((a.status, b.status), ("finished", "finished"))
        for name, found in a.readouts.items():
            self.assertAlmostEqual(found.value / b.readouts[name].value, 1.0, delta=delta, msg=name)
        for quantity, budget in a.balance.items():
            self.assertLess(budget["relative"], 1e-9, quantity)
        return a

    def test_it_does_not_matter_where_a_transient_vessel_is_cut_open(self):
        self.same(ROUND, SPLIT, 1e-7)

    def test_nor_a_steady_one(self):
        steady = {
            "stages": {
                "go": {"solve": ["flow", "species"], "mode": "steady", "until": None, "aim": 1e-10}
            },
            "phenomena": {"heat": None, "buoyancy": None},
            "conditions": {"block": {"heat": None}},
            "readouts": {"warm": None},
        }
        self.same(merge_patch(ROUND, steady), merge_patch(SPLIT, steady), 1e-8)

    def test_a_tracer_comes_round_again_and_none_is_lost(self):
        case = base(
            vessel={"repeats": ["x", "y"], "parts": {"box": SQUARE}},
            conditions={},
            phenomena={
                "flow": {"density": "1000 kg/m3", "viscosity": "1 mPa s"},
                "species": {"members": {"salt": {"diffusivity": "1e-12 m2/s"}}},
            },
            start={
                "space": {
                    "flow": {"x_speed": "20 mm/s", "y_speed": "10 mm/s"},
                    "species.salt": {
                        "value": "1 mol/m3*exp(-((x - 10 mm)^2 + (y - 10 mm)^2)/(20 mm2))"
                    },
                }
            },
            grid={"size": "0.5 mm"},
            stages={"go": {"solve": ["flow", "species"], "mode": "transient", "until": "2 s"}},
            readouts={
                "all": {"kind": "total", "field": "salt", "place": "space"},
                "low": {"kind": "min", "field": "salt", "place": "space"},
            },
        )
        run = uk.run(case)
        there, back = run.field("salt", 0), run.field("salt")
        self.assertAlmostEqual(back.sum() / there.sum(), 1.0, delta=1e-6)
        self.assertGreaterEqual(run.readouts["low"].value, 0.0)
        self.assertLess(np.abs(back - there).mean(), 0.1 * there.mean())

    def test_a_steep_fall_drives_the_channel_that_plates_make(self):
        """Mean speed = fall / length x gap^2 / (12 viscosity), to second order."""
        errors = []
        for grid in (0.5, 1.0, 2.0):
            case = base(
                vessel={"repeats": ["x"], "parts": {"box": SQUARE}},
                grid={"size": "2 mm"},
                conditions={"along_x": {"flow": {"fall": "0.012 Pa"}}},
                stages={"go": {"solve": ["flow"], "aim": 1e-9}},
                readouts={"speed": ROUND["readouts"]["speed"]},
            )
            errors.append(uk.run(case, grid=grid).readouts["speed"].value / 2e-3 - 1)
        self.assertLess(abs(errors[-1]), 0.003)
        self.assertGreater(np.log2(errors[0] / errors[-1]) / 2, 1.8)

    def test_steps_can_be_taken_back_and_killed_runs_go_on(self):
        self.assertEqual(conformance.restore(ROUND), [])
        self.assertEqual(conformance.resume(ROUND), [])
        self.assertEqual(conformance.terms("flow", ROUND), [])

    def test_ends_that_do_not_open_alike_are_named(self):
        for parts, words in (({"block": block("0 mm", "2 mm")}, "do not open alike"),):
            with self.assertRaises(CaseError) as caught:
                Case(merge_patch(ROUND, {"vessel": {"parts": parts}}))
            self.assertIn(words, str(caught.exception))
            self.assertIn("0 to 6 mm and 14 to 20 mm", str(caught.exception))
        with self.assertRaises(CaseError) as caught:
            Case(
                merge_patch(
                    ROUND,
                    {
                        "vessel": {
                            "nozzles": {
                                "inlet": {
                                    "part": "box",
                                    "side": "left",
                                    "at": "10 mm",
                                    "bore": "2 mm",
                                }
                            }
                        }
                    },
                )
            )
        self.assertIn("nothing else can pass there", str(caught.exception))
        with self.assertRaises(CaseError) as caught:
            Case(merge_patch(ROUND, {"dimension": "axisymmetric"}))
        self.assertIn("cannot repeat along its radius", str(caught.exception))

    def test_what_repeats_is_in_the_ledger_and_an_idle_one_is_questioned(self):
        case = Case(ROUND)
        self.assertEqual(case.cell("repeat", "along_x", "flow").state, "given")
        self.assertEqual(case.cell("repeat", "along_x", "heat").state, "absent")
        self.assertEqual(case.edges, ("block",))
        idle = merge_patch(ROUND, {"conditions": {"along_x": None, "along_y": None}})
        self.assertEqual(Case(idle).cell("repeat", "along_y", "flow").state, "assumed")
        light = [f.sentence for f in audit(Case(idle))]  # warmth still lifts it
        self.assertNotIn("Nothing drives the flow.", light)
        idle = merge_patch(
            idle,
            {
                "phenomena": {"heat": None, "buoyancy": None},
                "conditions": {"block": {"heat": None}},
                "stages": {"go": {"solve": ["flow", "species"]}},
                "readouts": {"warm": None},
            },
        )
        self.assertIn("Nothing drives the flow.", [f.sentence for f in audit(Case(idle))])
        self.assertNotIn("Nothing drives the flow.", [f.sentence for f in audit(case)])
        self.assertIn("nothing drives", TRIPS["flow"])


class Solvers(unittest.TestCase):
    def ring(self, ny, nx):
        """Coefficients of a grid that repeats both ways, and the dense matrix without diagonal."""
        random = np.random.default_rng(5)
        ax, ay = np.zeros((ny + 3, nx + 3)), np.zeros((ny + 3, nx + 3))
        ax[1 : ny + 1, 1 : nx + 1] = random.uniform(0.5, 2.0, (ny, nx))
        ay[1 : ny + 1, 1 : nx + 1] = random.uniform(0.5, 2.0, (ny, nx))
        ax[:, nx + 1], ay[ny + 1] = ax[:, 1], ay[1]
        number = np.arange(ny * nx).reshape(ny, nx)
        matrix = np.zeros((ny * nx, ny * nx))
        for a, axis in ((ax, 1), (ay, 0)):
            for p, q, v in zip(
                number.ravel(),
                np.roll(number, 1, axis).ravel(),
                a[1 : ny + 1, 1 : nx + 1].ravel(),
                strict=True,
            ):
                matrix[p, p] += v
                matrix[q, q] += v
                matrix[p, q] -= v
                matrix[q, p] -= v
        return ax, ay, matrix

    def test_multigrid_goes_round(self):
        for ny, nx in ((24, 37), (33, 20)):
            ax, ay, matrix = self.ring(ny, nx)
            right = np.random.default_rng(6).standard_normal((ny, nx))
            right -= right.mean()
            b, x = np.zeros(ax.shape), np.zeros(ax.shape)
            b[1 : ny + 1, 1 : nx + 1] = right
            count, _ = Multigrid(ax, ay, np.zeros(ax.shape), repeats=(True, True)).solve(
                b, x, 1e-10
            )
            self.assertLessEqual(count, 20)
            found = x[1 : ny + 1, 1 : nx + 1].ravel()
            left = matrix @ found - right.ravel()
            self.assertLess(np.abs(left).max(), 1e-8)

    def test_implicit_steps_go_round(self):
        ny, nx = 12, 9
        ax, ay, matrix = self.ring(ny, nx)
        for strength in (0.02, 3.0):  # a few sweeps, and multigrid
            system = Helmholtz(strength * ax, strength * ay, repeats=(True, True))
            system.d[1 : ny + 1, 1 : nx + 1] = 1.0
            system.changed()
            b, x = np.zeros(ax.shape), np.zeros(ax.shape)
            b[1 : ny + 1, 1 : nx + 1] = np.random.default_rng(7).standard_normal((ny, nx))
            system.solve(b, x, 1e-9)
            exact = np.linalg.solve(
                strength * matrix + np.eye(ny * nx), b[1 : ny + 1, 1 : nx + 1].ravel()
            )
            self.assertLess(np.abs(x[1 : ny + 1, 1 : nx + 1].ravel() - exact).max(), 1e-7)


if __name__ == "__main__":
    unittest.main()
