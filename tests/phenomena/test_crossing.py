"""The balance of any drawn box: what passes its sides, exactly, for every phenomenon that tells."""

import unittest

import numpy as np

import underkettle as uk
from tests.phenomena.cases import CASES, HEAT, SPECIES
from underkettle.case.model import merge_patch
from underkettle.engine.contract import TellsFaces
from underkettle.engine.marching.state import State
from underkettle.reading.boxes import box_balance, cells_of
from underkettle.reading.readouts import quantities

STEADY = ("species", "heat", "scalar", "mixture", "swirl")
SOMEWHERE = (0.0133, 0.0041, 0.0287, 0.0171)


def settled(name):
    case = CASES[name]
    solve = case["stages"]["go"]["solve"]
    stages = {
        "go": None,
        "still": {"solve": ["flow"], "mode": "steady"},
        "rest": {
            "solve": [s for s in solve if s != "flow"],
            "hold": ["flow"],
            "mode": "steady",
            "aim": 1e-11,
            "settle": 1e-9,
        },
    }
    return uk.run(merge_patch(case, {"stages": stages}))


class Crossing(unittest.TestCase):
    def test_at_rest_every_box_closes(self):
        told = set()
        for name in STEADY:
            run = settled(name)
            state, grid = State.from_bytes(run.file.checkpoint()), run.case.grid
            for quantity in quantities(run.case):
                found = run.case.crossing(quantity, state)
                self.assertIsNotNone(found, quantity)
                told.add(quantity)
                for box in (SOMEWHERE, (0.0, 0.0, 0.04, 0.02), (0.03, 0.0, 0.05, 0.02)):
                    b = box_balance(found, grid.x, grid.y, box)
                    self.assertLess(b.relative, 1e-6, f"{name}: {quantity} in {box}: {b}")
                    self.assertGreater(sum(b.inflow.values()) + abs(b.given), 0)
        self.assertLessEqual({"mass", "salt", "heat", "vapour", "age"}, told)

    def test_of_the_whole_vessel_it_is_the_balance_of_the_run(self):
        run = settled("species")
        state, grid = State.from_bytes(run.file.checkpoint()), run.case.grid
        b = box_balance(run.case.crossing("salt", state), grid.x, grid.y, (0, 0, 0.04, 0.02))
        whole = run.balance["salt"]
        self.assertLess(abs(b.given - b.taken), 1e-6 * whole["in"])
        self.assertGreater(b.given, 0.5 * whole["in"])
        self.assertEqual(b.net, 0.0)  # nothing passes the sides: openings are inside

    def test_a_readout_of_a_box_is_what_the_sides_say(self):
        box = ["10 mm", "0 mm", "30 mm", "20 mm"]
        case = merge_patch(
            SPECIES,
            {
                "readouts": {
                    "lost": {"kind": "through", "quantity": "salt", "box": box},
                    "pumped": {"kind": "through", "quantity": "mass", "box": box},
                }
            },
        )
        run = uk.run(case)
        state, grid = State.from_bytes(run.file.checkpoint()), run.case.grid
        b = box_balance(run.case.crossing("salt", state), grid.x, grid.y, (0.01, 0, 0.03, 0.02))
        self.assertEqual(run.readouts["lost"].value, b.net)
        self.assertEqual(run.readouts["lost"].unit, "mol/s")
        inflow = 0.01 * 0.01 * 1000
        self.assertLess(abs(run.readouts["pumped"].value), 1e-7 * inflow)
        # in time the sides give what the box comes to hold
        early = uk.run(merge_patch(case, {"stages": {"go": {"until": "0.299 s"}}}))
        part = np.s_[:, 20:60]
        held = [float(np.nansum(r.field("salt")[part])) * 0.0005**2 for r in (early, run)]
        self.assertAlmostEqual((held[1] - held[0]) / 0.001 / b.left, 1.0, delta=0.02)

    def test_sides_fall_on_grid_lines(self):
        nodes = np.linspace(0, 1, 11)
        self.assertEqual(cells_of(nodes, 0.24, 0.66), (2, 7))
        self.assertEqual(cells_of(nodes, 0.31, 0.32), (3, 4))
        self.assertEqual(cells_of(nodes, -5, 9), (0, 10))

    def test_who_does_not_tell_leaves_no_number(self):
        run = uk.run(CASES["warmth"])
        state = State.from_bytes(run.file.checkpoint())
        self.assertNotIsInstance(run.case.reader("warmth"), TellsFaces)
        self.assertIsNone(run.case.crossing("warmth", state))
        self.assertIsNone(run.case.crossing("nothing", state))

    def test_heat_counts_from_its_origin(self):
        run = uk.run(
            merge_patch(
                HEAT,
                {
                    "readouts": {
                        "lost": {
                            "kind": "through",
                            "quantity": "heat",
                            "box": ["5 mm", "0 mm", "40 mm", "20 mm"],
                        }
                    }
                },
            )
        )
        self.assertLess(abs(run.readouts["lost"].value), 2e3)
        self.assertEqual(run.readouts["lost"].unit, "W")


if __name__ == "__main__":
    unittest.main()
