"""Reading a field over something drawn: a box, a line, an arc."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from underkettle.reading.boxes import ordered, part_of
from underkettle.reading.sections import along_path, arc_points, line_points
from underkettle.reading.seen import Asked, Seen

Array = np.ndarray

DRAWN = ("box", "line", "arc")
SAMPLES = 400  # along a line or arc


@dataclass(frozen=True)
class Span:
    """Values with their weights: volumes (m3) of a box's cells, or lengths (m) along a line."""

    value: Array
    weight: Array


def drawn(model: Asked) -> str:
    """Which of "box", "line" and "arc" a readout has, "" for none."""
    return next((d for d in DRAWN if getattr(model, d) is not None), "")


def sized(case: Seen, model: Asked, where: str) -> tuple[float, ...]:
    """Sizes of what is drawn, in SI (m, rad). Raises CaseError."""
    what = drawn(model)
    typed = getattr(model, what)
    kinds = ("length",) * 4 if what != "arc" else ("length",) * 3 + ("number",) * 2
    return tuple(case.number(v, k, where) for v, k in zip(typed, kinds, strict=True))


def outline_of(case: Seen, model: Asked) -> Any:
    """What a readout draws, as a shapely geometry (m)."""
    sizes = sized(case, model, "readouts")
    if model.box is not None:
        return shapely.box(*ordered(sizes))
    if model.line is not None:
        return shapely.LineString([sizes[:2], sizes[2:]])
    x, y, _ = arc_points(sizes[0], sizes[1], sizes[2], sizes[3], sizes[4], SAMPLES)
    return shapely.LineString(np.stack([x, y], axis=1))


def span_of(case: Seen, mesh: Any, model: Asked, values: Array, where: str) -> Span:
    """A field (ny, nx) over what a readout draws; only where it has a value."""
    sizes, grid = sized(case, model, where), mesh.grid
    if model.box is not None:
        part = part_of(mesh.open_volume, grid.x, grid.y, ordered(sizes))
        here = np.isfinite(values) & (part > 0)
        return Span(values[here], part[here])
    if model.line is not None:
        x, y, step = line_points(sizes[:2], sizes[2:], SAMPLES)
    else:
        x, y, step = arc_points(sizes[0], sizes[1], sizes[2], sizes[3], sizes[4], SAMPLES)
    found = along_path(values, grid.x, grid.y, x, y)
    here = np.isfinite(found)
    return Span(found[here], np.full(int(here.sum()), step))


def told(kind: str, span: Span) -> float | None:
    """mean, total, spread (standard deviation), max or min; None where nothing is open."""
    value, weight = span.value, span.weight
    if value.size == 0 or weight.sum() <= 0:
        return None
    if kind in ("max", "min"):
        return float(value.max() if kind == "max" else value.min())
    total = float((value * weight).sum())
    if kind == "total":
        return total
    mean = total / float(weight.sum())
    if kind == "mean":
        return mean
    return float(((value - mean) ** 2 * weight).sum() / weight.sum()) ** 0.5
