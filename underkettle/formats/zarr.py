"""Frames as a Zarr store (version 3 of its open description), zipped: an array per field.

Each array is (time, y, x) in float32, a chunk per frame, compressed with zstandard; NaN where the
vessel is closed. `time`, `x` and `y` (middles of cells) and `x_lines`, `y_lines` stand beside them.
"""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

import numpy as np

from underkettle.case.case import Case

Array = np.ndarray


def export_zarr(
    case: Case,
    frames: Iterable[tuple[float, Mapping[str, Array]]],
    stood: Sequence[Case] = (),
) -> bytes:
    """frames : time (s) and fields (ny, nx) in SI by name; what a frame lacks is NaN.

    stood : the case as it stood at other times; closed cells are NaN here whenever they are.
    """
    import zarr  # it takes a while to load, and few ask for it
    from zarr.codecs import ZstdCodec
    from zarr.storage import LocalStore

    grid = case.grid
    with tempfile.TemporaryDirectory() as folder:
        root = zarr.create_group(
            LocalStore(folder),
            zarr_format=3,
            attributes={"case": case.model.name, "units": "SI"},
        )
        times: list[float] = []
        arrays: dict[str, zarr.Array] = {}
        for k, (time, fields) in enumerate(frames):
            times.append(time)
            for name, values in fields.items():
                if name not in arrays:
                    field = case.fields()[name][1]
                    arrays[name] = root.create_array(
                        name,
                        shape=(k + 1, *values.shape),
                        chunks=(1, *values.shape),
                        dtype="float32",
                        compressors=ZstdCodec(level=3),
                        fill_value=np.nan,
                        dimension_names=["time", "y", "x"],
                        attributes={"label": field.says, "dimension": field.dimension},
                    )
                arrays[name].resize((k + 1, *values.shape))
                arrays[name][k] = np.asarray(values, np.float32)
        for array in arrays.values():
            array.resize((len(times), *array.shape[1:]))
        lines = {
            "x": 0.5 * (grid.x[1:] + grid.x[:-1]),
            "y": 0.5 * (grid.y[1:] + grid.y[:-1]),
            "x_lines": grid.x,
            "y_lines": grid.y,
            "time": np.array(times),
        }
        for name, values in lines.items():
            root.create_array(
                name,
                data=values,
                dimension_names=[name],
                attributes={"unit": "s" if name == "time" else "m"},
            )
        return _zipped(Path(folder))


def _zipped(folder: Path) -> bytes:
    """All files of a folder; they are small already."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as packed:
        for file in sorted(f for f in folder.rglob("*") if f.is_file()):
            packed.write(file, file.relative_to(folder).as_posix())
    return out.getvalue()
