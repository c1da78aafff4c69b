"""Frames as VTKHDF: one HDF5 file with an unstructured grid of open cells and every time.

After the open description of the format, version 2: the grid stands once, the fields of all times
one after the other, with offsets per time.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence

import h5py
import numpy as np

from underkettle.case.case import Case
from underkettle.formats.cells import open_cells

Array = np.ndarray

QUAD = 9  # the format's number for a cell with four corners


def export_hdf(
    case: Case,
    frames: Iterable[tuple[float, Mapping[str, Array]]],
    stood: Sequence[Case] = (),
) -> bytes:
    """frames : time (s) and fields (ny, nx) in SI by name, NaN where closed; what a frame does not
    hold is NaN in it. stood : the case as it stood at other times, where parts of it moved.
    """
    cells = open_cells(case, stood)
    out = io.BytesIO()
    with h5py.File(out, "w") as file:
        root = file.create_group("VTKHDF", track_order=True)
        root.attrs["Version"] = (2, 0)
        root.attrs.create("Type", b"UnstructuredGrid", dtype=h5py.string_dtype("ascii", 16))
        root["NumberOfPoints"] = np.array([len(cells.points)], "i8")
        root["NumberOfCells"] = np.array([cells.count], "i8")
        root["NumberOfConnectivityIds"] = np.array([4 * cells.count], "i8")
        root["Points"] = cells.points
        root["Connectivity"] = cells.corners.ravel()
        root["Offsets"] = np.arange(0, 4 * cells.count + 1, 4, dtype="i8")
        root["Types"] = np.full(cells.count, QUAD, "u1")
        times: list[float] = []
        data = root.create_group("CellData")
        data["open_share"] = cells.share
        for time, fields in frames:
            for name, values in fields.items():
                if values.shape != cells.live.shape:
                    continue
                if name not in data:
                    data.create_dataset(
                        name,
                        (0,),
                        "f4",
                        maxshape=(None,),
                        chunks=(cells.count,),
                        compression="gzip",
                        shuffle=True,
                        fillvalue=np.nan,
                    )
                data[name].resize((len(times) + 1) * cells.count, axis=0)
                data[name][-cells.count :] = values[cells.live]
            times.append(time)
        for name in data:
            if name != "open_share":
                data[name].resize(len(times) * cells.count, axis=0)
        _steps(root, times, cells.count)
    return out.getvalue()


def _steps(root: h5py.Group, times: list[float], count: int) -> None:
    """Where in the data each time begins; the grid is that of the first throughout."""
    steps = root.create_group("Steps")
    steps.attrs["NSteps"] = len(times)
    steps["Values"] = np.array(times)
    still = np.zeros(len(times), "i8")
    steps["PartOffsets"] = still
    steps["NumberOfParts"] = still + 1
    for name in ("PointOffsets", "CellOffsets", "ConnectivityIdOffsets"):
        steps[name] = still[:, None] if name != "PointOffsets" else still
    offsets = steps.create_group("CellDataOffsets")
    for name in root["CellData"]:
        offsets[name] = still if name == "open_share" else count * np.arange(len(times))
