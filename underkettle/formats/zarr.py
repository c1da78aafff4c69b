"""Frames as a Zarr store (version 3 of its open description), zipped: an array per field.

Each array is (time, y, x) in float32, a chunk per frame, compressed with zstandard; NaN where the
vessel is closed. `time`, `x` and `y` (middles of cells) and `x_lines`, `y_lines` stand beside them.
"""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import zstandard

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
    grid, press = case.grid, zstandard.ZstdCompressor(level=3)
    out, times, seen = io.BytesIO(), [], dict[str, tuple[int, ...]]()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as packed:
        for k, (time, fields) in enumerate(frames):
            times.append(time)
            for name, values in fields.items():
                seen.setdefault(name, values.shape)
                body = np.ascontiguousarray(values, "<f4").tobytes()
                packed.writestr(f"{name}/c/{k}/0/0", press.compress(body))
        middles = {"x": 0.5 * (grid.x[1:] + grid.x[:-1]), "y": 0.5 * (grid.y[1:] + grid.y[:-1])}
        lines = {**middles, "x_lines": grid.x, "y_lines": grid.y, "time": np.array(times)}
        for name, values in lines.items():
            body = np.ascontiguousarray(values, "<f8").tobytes()
            packed.writestr(f"{name}/c/0", press.compress(body))
            packed.writestr(
                f"{name}/zarr.json",
                _array(
                    (values.size,),
                    (max(values.size, 1),),
                    "float64",
                    {"unit": "s" if name == "time" else "m"},
                    [name],
                ),
            )
        for name, shape in seen.items():
            field = case.fields()[name][1]
            packed.writestr(
                f"{name}/zarr.json",
                _array(
                    (len(times), *shape),
                    (1, *shape),
                    "float32",
                    {"label": field.says, "dimension": field.dimension},
                    ["time", "y", "x"],
                ),
            )
        packed.writestr(
            "zarr.json",
            json.dumps(
                {
                    "zarr_format": 3,
                    "node_type": "group",
                    "attributes": {"case": case.model.name, "units": "SI"},
                }
            ),
        )
    return out.getvalue()


def _array(
    shape: tuple[int, ...],
    chunk: tuple[int, ...],
    kind: str,
    attributes: dict[str, Any],
    axes: list[str],
) -> str:
    return json.dumps(
        {
            "zarr_format": 3,
            "node_type": "array",
            "shape": shape,
            "data_type": kind,
            "chunk_grid": {"name": "regular", "configuration": {"chunk_shape": chunk}},
            "chunk_key_encoding": {"name": "default", "configuration": {"separator": "/"}},
            "codecs": [
                {"name": "bytes", "configuration": {"endian": "little"}},
                {"name": "zstd", "configuration": {"level": 3, "checksum": False}},
            ],
            "fill_value": "NaN",
            "dimension_names": axes,
            "attributes": attributes,
        }
    )
