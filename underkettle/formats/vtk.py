"""Frames as VTK XML: one unstructured grid of open cells per frame, and a collection with times."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import meshio
import numpy as np

from underkettle.case.case import Case
from underkettle.formats.cells import open_cells

Array = np.ndarray


def export_vtk(
    case: Case,
    frames: Iterable[tuple[float, Mapping[str, Array]]],
    stood: Sequence[Case] = (),
) -> bytes:
    """A zip of every frame as frame_00000.vtu, run.pvd with their times, and how to read them.

    frames : time (s) and fields (ny, nx) in SI by name, NaN where closed. stood : the case as it
    stood at other times, where parts of it moved.
    """
    cells = open_cells(case, stood)
    live, share = cells.live, cells.share
    out = io.BytesIO()
    with (
        zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed,
        tempfile.TemporaryDirectory() as folder,
    ):
        entries, scratch = [], Path(folder) / "frame.vtu"
        for k, (time, fields) in enumerate(frames):
            data = {
                "open_share": share,
                **{n: v.astype("f4")[live] for n, v in fields.items() if v.shape == live.shape},
            }
            name = f"frame_{k:05d}.vtu"
            mesh = meshio.Mesh(
                cells.points,
                [("quad", cells.corners)],
                cell_data={n: [values] for n, values in data.items()},
            )
            meshio.write(scratch, mesh, file_format="vtu", compression=None)
            packed.writestr(name, scratch.read_bytes())
            entries.append(f'    <DataSet timestep="{time!r}" part="0" file="{name}"/>')
        packed.writestr(
            "run.pvd",
            "\n".join(
                [
                    '<?xml version="1.0"?>',
                    '<VTKFile type="Collection" version="0.1">',
                    "  <Collection>",
                    *entries,
                    "  </Collection>",
                    "</VTKFile>",
                    "",
                ]
            ),
        )
        packed.writestr("read_me.py", READ_ME)
    return out.getvalue()


READ_ME = '''"""Reads the frames beside this file: fields in SI units, by cell."""
import meshio

mesh = meshio.read("frame_00000.vtu")
print(mesh)
for name, (values,) in mesh.cell_data.items():
    print(name, values.min(), values.max())
'''
