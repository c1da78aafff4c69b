"""Openings within the grid: what comes in there is no loss of the closed cells behind."""

import unittest

from underkettle import api


def knee(mode):
    """A room beside a narrower way: both let water in, the room at a face with closed cells behind."""
    return {
        "format": "under-kettle case 1",
        "name": "knee",
        "vessel": {
            "depth": "10 mm",
            "parts": {
                "way": {
                    "shape": "rectangle",
                    "x": "0 mm",
                    "y": "0 mm",
                    "width": "15 mm",
                    "height": "5 mm",
                    "edges": {"left": "slow"},
                },
                "room": {
                    "shape": "rectangle",
                    "x": "15 mm",
                    "y": "0 mm",
                    "width": "60 mm",
                    "height": "15 mm",
                    "edges": {"right": "out"},
                },
            },
            "nozzles": {
                "slot": {"part": "room", "side": "left", "at": "11.25 mm", "bore": "7.5 mm"}
            },
        },
        "grid": {"size": "0.9 mm"},
        "phenomena": {"flow": {"density": "1000 kg/m3", "viscosity": "0.1 Pa s"}},
        "conditions": {
            "slow": {"flow": {"kind": "inflow", "speed": "10 mm/s"}},
            "slot": {"flow": {"kind": "inflow", "speed": "20 mm/s"}},
            "out": {"flow": {"kind": "outflow"}},
        },
        "stages": {"go": {"solve": ["flow"], "mode": mode}},
        "readouts": {"leaves": {"kind": "through", "quantity": "mass", "place": "out"}},
    }


class Inner(unittest.TestCase):
    def test_it_goes_through_time_and_closes(self):
        case = knee("transient")
        case["stages"]["go"]["until"] = "0.1 s"
        run = api.run(case)
        self.assertEqual(run.status, "finished", run.result.get("message"))
        self.assertLess(run.balance["mass"]["relative"], 1e-9)
        # 5 mm at 10 mm/s and 7.5 mm at 20 mm/s, 10 mm deep
        self.assertAlmostEqual(run.readouts["leaves"].value, 2e-3, delta=1e-9)


if __name__ == "__main__":
    unittest.main()
