"""The boundary of a plane mesh, as outlines whose stretches are named.

Cells may be triangles and quadrangles. What names a stretch is a whole-number array on the mesh's
lines: one of zeros and ones names the lines where it is one; any other names them by its value.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.formats.drawn import Drawn

Array = np.ndarray

STRAIGHT = 1e-6  # sine of a turn too small to be one
FORBIDDEN = (b"<!DOCTYPE", b"<!ENTITY")


def boundary_of(data: bytes, ending: str) -> tuple[list[Drawn], None]:
    """Closed lines around the mesh in a VTK file, XML (.vtu) or legacy (.vtk). Raises ValueError."""
    import meshio

    if any(word in data[:4096] for word in FORBIDDEN):
        raise ValueError("it declares entities of its own")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"mesh.{ending}"
        path.write_bytes(data)
        try:
            mesh = meshio.read(path)
        except SystemExit as error:  # how the reader gives up on some files
            raise ValueError("the mesh cannot be read") from error
    points = np.asarray(mesh.points, float)
    if points.shape[1] > 2 and np.ptp(points[:, 2]) > 1e-9 * np.ptp(points[:, :2]):
        raise ValueError("the mesh is not plane: z differs between its points")
    names = _names(mesh)
    faces = [c.data for c in mesh.cells if c.type in ("triangle", "quad")]
    if not faces:
        raise ValueError("there are no triangles or quadrangles in it")
    rings = [_thinned(points[ring, :2], labels) for ring, labels in _rings(faces, names)]
    return [Drawn(ring, sides=labels) for ring, labels in rings], None


def _names(mesh: Any) -> dict[tuple[int, int], str]:
    """What lines of the mesh are called, by their two points, the lower number first."""
    found: dict[tuple[int, int], str] = {}
    for name, blocks in mesh.cell_data.items():
        values = [np.asarray(b) for b in blocks]
        if any(v.ndim != 1 or v.dtype.kind not in "iu" for v in values):
            continue
        lines = [(c.data, v) for c, v in zip(mesh.cells, values, strict=True) if c.type == "line"]
        plain = all(set(np.unique(v)) <= {0, 1} for _, v in lines)
        for ends, value in lines:
            for (a, b), v in zip(np.sort(ends, axis=1).tolist(), value.tolist(), strict=True):
                if plain and v:
                    found[a, b] = str(name)
                elif not plain:
                    found.setdefault((a, b), f"{name}{v}")
    return found


def _rings(
    faces: list[Array], names: dict[tuple[int, int], str]
) -> Iterator[tuple[list[int], list[str]]]:
    """Closed walks along sides that belong to one cell only, with the name of each side."""
    sides = np.concatenate(
        [np.stack([f, np.roll(f, -1, axis=1)], axis=2).reshape(-1, 2) for f in faces]
    )
    _, first, times = np.unique(
        np.sort(sides, axis=1), axis=0, return_index=True, return_counts=True
    )
    onward: dict[int, list[int]] = {}
    for a, b in sides[first[times == 1]].tolist():
        onward.setdefault(a, []).append(b)
        onward.setdefault(b, []).append(a)
    while onward:
        ring, here = [], next(iter(onward))
        while here in onward:
            ring.append(here)
            there = onward[here].pop()
            onward[there].remove(here)
            for node in (here, there):
                if not onward[node]:
                    del onward[node]
            here = there
        yield (
            ring,
            [names.get((min(p), max(p)), "") for p in zip(ring, [*ring[1:], ring[0]], strict=True)],
        )


def _thinned(points: Array, labels: list[str]) -> tuple[Array, tuple[str, ...]]:
    """Without points in the middle of a straight stretch of one name."""
    step = np.roll(points, -1, axis=0) - points
    before = np.roll(step, 1, axis=0)
    turn = np.abs(before[:, 0] * step[:, 1] - before[:, 1] * step[:, 0])
    turns = turn > STRAIGHT * np.hypot(*before.T) * np.hypot(*step.T)
    changes = np.array([a != b for a, b in zip(labels, [labels[-1], *labels[:-1]], strict=True)])
    kept = np.flatnonzero(turns | changes)
    return points[kept], tuple(labels[k] for k in kept)
