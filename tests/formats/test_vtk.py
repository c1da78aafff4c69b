"""Frames as VTK, read back by another library: points, cells, times and every number."""

import io
import tempfile
import unittest
import xml.etree.ElementTree as Tree
import zipfile
from pathlib import Path

import meshio
import numpy as np

import underkettle as uk
from tests.phenomena.cases import SPECIES
from underkettle.case.model import merge_patch

CASE = merge_patch(
    SPECIES,
    {
        "grid": {"size": "2 mm"},
        "stages": {"go": {"frame_every": "0.1 s"}},
        "vessel": {
            "parts": {
                "rod": {
                    "shape": "circle",
                    "does": "cut",
                    "x": "20 mm",
                    "y": "10 mm",
                    "radius": "3 mm",
                }
            }
        },
    },
)


class Vtk(unittest.TestCase):
    def test_another_reader_finds_the_same_numbers(self):
        run = uk.run(CASE)
        with tempfile.TemporaryDirectory() as folder:
            with zipfile.ZipFile(io.BytesIO(run.exported("vtk"))) as packed:
                packed.extractall(folder)
            collection = Tree.parse(Path(folder) / "run.pvd").getroot().iter("DataSet")
            entries = [(float(e.attrib["timestep"]), e.attrib["file"]) for e in collection]
            self.assertEqual([t for t, _ in entries], [f.value for f in run.frames])
            mesh = meshio.read(Path(folder) / entries[-1][1])
        self.assertEqual(set(mesh.cells_dict), {"quad"})
        salt = run.field("salt")
        live = np.isfinite(salt)
        (told,) = mesh.cell_data["salt"]
        self.assertEqual(told.size, live.sum())
        self.assertTrue(np.array_equal(told, salt[live].astype("f4")))
        corners = mesh.points[mesh.cells_dict["quad"]]
        middle = corners.mean(axis=1)
        x = 0.5 * (run.case.grid.x[1:] + run.case.grid.x[:-1])
        self.assertTrue(np.allclose(middle[:, 0], np.broadcast_to(x, live.shape)[live]))
        (share,) = mesh.cell_data["open_share"]
        side = corners[:, 2] - corners[:, 0]
        area = float((share * side[:, 0] * side[:, 1]).sum())
        exact = run.case.facts.open_volume() / run.case.facts.depth()
        self.assertAlmostEqual(area / exact, 1.0, delta=1e-3)


if __name__ == "__main__":
    unittest.main()
