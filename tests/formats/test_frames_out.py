"""Frames as VTKHDF and Zarr, read back by other libraries: grid, times and every number."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import zarr
from vtkmodules.util.numpy_support import vtk_to_numpy
from vtkmodules.vtkIOHDF import vtkHDFReader

import underkettle as uk
from tests.formats.test_vtk import CASE
from underkettle.formats.hdf import export_hdf
from underkettle.formats.zarr import export_zarr


class Out(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.solved = uk.run(CASE)
        cls.folder = tempfile.TemporaryDirectory()

    @classmethod
    def tearDownClass(cls):
        cls.folder.cleanup()

    def written(self, to, name):
        path = Path(self.folder.name) / name
        path.write_bytes(self.solved.exported(to))
        return str(path)

    def test_hdf_is_read_at_every_time(self):
        reader = vtkHDFReader()
        reader.SetFileName(self.written("hdf", "run.vtkhdf"))
        reader.UpdateInformation()
        frames = self.solved.frames
        self.assertEqual(reader.GetNumberOfSteps(), len(frames))
        times = reader.GetOutputInformation(0).Get(reader.GetExecutive().TIME_STEPS())
        self.assertTrue(np.allclose(times, [f.value for f in frames]))
        live = np.isfinite(self.solved.field("salt"))
        for k in range(len(frames)):
            reader.SetStep(k)
            reader.Update()
            grid = reader.GetOutput()
            self.assertEqual(grid.GetNumberOfCells(), live.sum())
            for name in ("salt", "speed", "pressure"):
                told = vtk_to_numpy(grid.GetCellData().GetArray(name))
                ours = self.solved.field(name, k)[live].astype("f4")
                self.assertTrue(np.array_equal(told, ours), f"{name} at {k}")
        points = vtk_to_numpy(grid.GetPoints().GetData())
        self.assertAlmostEqual(points[:, 0].max(), 0.04)
        cell = grid.GetCell(0)
        self.assertEqual((cell.GetCellDimension(), cell.GetNumberOfPoints()), (2, 4))
        share = vtk_to_numpy(grid.GetCellData().GetArray("open_share"))
        self.assertTrue(0 < share.min() < 1 and share.max() == 1.0)

    def test_zarr_is_read_at_every_time(self):
        store = zarr.storage.ZipStore(self.written("zarr", "run.zarr.zip"), mode="r")
        group = zarr.open_group(store, mode="r")
        frames, grid = self.solved.frames, self.solved.case.grid
        self.assertTrue(np.allclose(group["time"][:], [f.value for f in frames]))
        self.assertTrue(np.array_equal(group["x_lines"][:], grid.x))
        self.assertEqual(group["y"].shape, (grid.ny,))
        salt = group["salt"]
        self.assertEqual(salt.shape, (len(frames), grid.ny, grid.nx))
        for k in range(len(frames)):
            ours = self.solved.field("salt", k).astype("f4")
            self.assertTrue(np.array_equal(salt[k], ours, equal_nan=True))
        self.assertEqual(salt.attrs["dimension"], "concentration")
        self.assertEqual(group.attrs["units"], "SI")

    def test_fields_that_some_frames_lack_are_nothing_there(self):
        case, frames = self.solved.case, self.solved.frames[:3]
        salt = [self.solved.field("salt", k) for k in range(3)]
        some = [
            (frames[0].value, {"salt": salt[0]}),
            (frames[1].value, {"speed": salt[1]}),
            (frames[2].value, {"salt": salt[2], "speed": salt[2]}),
        ]
        path = Path(self.folder.name) / "some.vtkhdf"
        path.write_bytes(export_hdf(case, some))
        reader = vtkHDFReader()
        reader.SetFileName(str(path))
        live = np.isfinite(salt[0])
        for k in range(3):
            reader.SetStep(k)
            reader.Update()
            cells = reader.GetOutput().GetCellData()
            for name in ("salt", "speed"):
                told = vtk_to_numpy(cells.GetArray(name))
                known = some[k][1].get(name)
                if known is None:
                    self.assertTrue(np.isnan(told).all())
                else:
                    self.assertTrue(np.array_equal(told, known[live].astype("f4")))
        path = Path(self.folder.name) / "some.zarr.zip"
        path.write_bytes(export_zarr(case, some))
        speed = zarr.open_group(zarr.storage.ZipStore(str(path), mode="r"), mode="r")["speed"]
        self.assertTrue(np.isnan(speed[0]).all())
        self.assertTrue(np.array_equal(speed[2], salt[2].astype("f4"), equal_nan=True))

    def test_what_is_not_written_is_refused(self):
        with self.assertRaises(KeyError):
            self.solved.exported("docx")


if __name__ == "__main__":
    unittest.main()
