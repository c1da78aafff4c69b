"""Frames as VTK XML: one unstructured grid of open cells per frame, and a collection with times.

After the open description of the format: binary arrays inline, base64, counted in 64 bits.
"""

from __future__ import annotations

import base64
import io
import struct
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from xml.sax.saxutils import quoteattr

import numpy as np

from underkettle.case.case import Case
from underkettle.formats.cells import open_cells

Array = np.ndarray

TYPES = {"f8": "Float64", "f4": "Float32", "i8": "Int64", "u1": "UInt8"}
QUAD = 9  # the format's number for a cell with four corners


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
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        entries = []
        for k, (time, fields) in enumerate(frames):
            data = {
                "open_share": share,
                **{n: v.astype("f4")[live] for n, v in fields.items() if v.shape == live.shape},
            }
            name = f"frame_{k:05d}.vtu"
            packed.writestr(name, _grid(cells.points, cells.corners, data))
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


def _grid(points: Array, corners: Array, data: Mapping[str, Array]) -> str:
    count = len(corners)
    arrays = "".join(_array(name, values) for name, values in data.items())
    return (
        '<?xml version="1.0"?>\n<VTKFile type="UnstructuredGrid" version="1.0" '
        'byte_order="LittleEndian" header_type="UInt64">\n<UnstructuredGrid>\n'
        f'<Piece NumberOfPoints="{len(points)}" NumberOfCells="{count}">\n'
        f"<Points>\n{_array('points', points, 3)}</Points>\n<Cells>\n"
        f"{_array('connectivity', corners.ravel())}"
        f"{_array('offsets', np.arange(4, 4 * count + 1, 4, dtype='i8'))}"
        f"{_array('types', np.full(count, QUAD, 'u1'))}</Cells>\n"
        f"<CellData>\n{arrays}</CellData>\n</Piece>\n</UnstructuredGrid>\n</VTKFile>\n"
    )


def _array(name: str, values: Array, components: int = 1) -> str:
    kind = TYPES[values.dtype.str[1:]]
    body = np.ascontiguousarray(values, values.dtype.newbyteorder("<")).tobytes()
    text = base64.b64encode(struct.pack("<Q", len(body)) + body).decode()
    many = f' NumberOfComponents="{components}"' if components > 1 else ""
    return (
        f'<DataArray type="{kind}" Name={quoteattr(name)}{many} format="binary">{text}'
        "</DataArray>\n"
    )
