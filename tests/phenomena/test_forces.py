"""What a stream pushes and drags each wall with: by hand, and by the momentum of all it holds."""

import json
import unittest
from pathlib import Path

import numpy as np

from underkettle import api
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.phenomena.flow.forces import pressed

CHANNEL = json.loads((Path(__file__).parents[2] / "proofs/poiseuille/case.json").read_text())
LENGTH, GAP, SPEED, VISCOSITY = 40e-3, 10e-3, 10e-3, 10e-3
BOX = {
    "format": "under-kettle case 1",
    "name": "driven",
    "vessel": {
        "parts": {
            "box": {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"},
            "bar": {
                "shape": "rectangle",
                "does": "cut",
                "x": "0.3 m",
                "y": "0.5 m",
                "width": "0.2 m",
                "height": "0.1 m",
            },
        }
    },
    "grid": {"size": "25 mm"},
    "phenomena": {"flow": {"density": "1 kg/m3", "viscosity": "20 mPa s"}},
    "conditions": {"box_top": {"flow": {"kind": "moving wall", "x_speed": "1 m/s"}}},
    "stages": {"go": {"solve": ["flow"], "mode": "steady"}},
}


def on(places):
    return {
        f"{axis}_{place}": {"kind": "on", "field": f"force_{axis}", "place": place}
        for place in places
        for axis in "xy"
    }


class Walls(unittest.TestCase):
    def test_a_developed_stream_drags_and_pushes_its_plates(self):
        run = api.run({**CHANNEL, "readouts": on(["channel_top", "channel_bottom", "inlet"])})
        found = {name: readout.value for name, readout in run.readouts.items()}
        self.assertNotIn("x_inlet", found)
        self.assertIn("opening", run.result["readouts"]["x_inlet"]["why"])
        drag = 6 * VISCOSITY * SPEED / GAP * LENGTH  # N per m of depth
        push = 0.5 * 12 * VISCOSITY * SPEED * LENGTH / GAP**2 * LENGTH
        for wall, out in (("top", 1.0), ("bottom", -1.0)):
            self.assertAlmostEqual(found[f"x_channel_{wall}"] / drag, 1.0, delta=0.005)
            self.assertAlmostEqual(out * found[f"y_channel_{wall}"] / push, 1.0, delta=0.02)

    def test_what_a_lid_gives_the_other_walls_and_a_bar_take(self):
        sides = ("left", "right", "top", "bottom")
        places = [f"{part}_{side}" for part in ("box", "bar") for side in sides]
        run = api.run({**BOX, "readouts": on(places)})
        x, y = ([run.readouts[f"{axis}_{place}"].value for place in places] for axis in "xy")
        lid = -x[places.index("box_top")]
        self.assertGreater(lid, 0.02)  # it is held back
        self.assertLess(abs(sum(x)), 0.03 * lid)
        self.assertLess(abs(sum(y)), 0.03 * lid)

    def test_a_wall_that_cuts_cells_says_why_it_tells_nothing(self):
        slanted = {
            "vessel": {
                "parts": {
                    "box": {
                        "shape": "polygon",
                        "points": [
                            ["0 m", "0 m"],
                            ["1 m", "0 m"],
                            ["0.7 m", "1 m"],
                            ["0 m", "1 m"],
                        ],
                        "edges": {"2": "slope"},
                        "x": None,
                        "y": None,
                        "width": None,
                        "height": None,
                    }
                }
            },
            "conditions": {"box_top": None},
            "readouts": on(["slope"]),
        }
        run = api.run(merge_patch(BOX, slanted))
        self.assertNotIn("x_slope", run.readouts)
        self.assertIn("cuts cells", run.result["readouts"]["x_slope"]["why"])

    def test_pressure_is_carried_on_to_the_wall(self):
        mesh = Case(BOX).mesh
        x = np.broadcast_to(mesh.grid.centres(0), mesh.shape[1:])
        p = np.where(mesh.live[0], 3.0 * x, 0.0)
        by_edge = dict(zip(mesh.edges, pressed(mesh, p, 0), strict=True))
        self.assertAlmostEqual(by_edge["box_right"], 3.0)
        self.assertAlmostEqual(by_edge["box_left"], 0.0)
        self.assertAlmostEqual(by_edge["bar_left"], 0.9 * 0.1)
        self.assertAlmostEqual(by_edge["bar_right"], -1.5 * 0.1)


if __name__ == "__main__":
    unittest.main()
