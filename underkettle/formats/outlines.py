"""Outlines out of drawings: closed lines as points, whatever they were drawn with.

Units: a DXF says its own unit in its header, or says none; SVG lengths are counted 96 to the inch;
the others have none. What has none is read in the unit the caller names.
"""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
import shapely
from shapely.geometry import shape as shape_of

from underkettle.case.faults import fault
from underkettle.formats.drawn import Drawn
from underkettle.formats.meshes import boundary_of

Array = np.ndarray

UNITS = {"um": 1e-6, "mm": 1e-3, "cm": 1e-2, "m": 1.0, "in": 0.0254}
# header codes of the open DXF reference: inches, millimetres, centimetres, metres, micrometres
DXF_UNITS = {1: 0.0254, 4: 1e-3, 5: 1e-2, 6: 1.0, 13: 1e-6}
FLATNESS = 2e-4  # of the drawing's size, between a curve and its chords
CORNER = np.radians(20)  # a sharper turn parts two edges
CLOSE = 1e-6  # of the drawing's size, between ends that are meant to meet
MOST_POINTS = 2000  # per outline
MOST_OUTLINES = 1000
LARGEST_FILE = 8_000_000
LARGEST = 1e9  # in whatever unit: what lies further out is no drawing of a vessel
DEEPEST = 20  # collections within collections


@dataclass(frozen=True)
class Drawing:
    """Closed lines, and metres per unit of the drawing, or None where it does not say."""

    outlines: list[Drawn]
    unit: float | None


def read_drawing(data: bytes, name: str) -> Drawing:
    """Outlines in a file, by the end of its name. Raises CaseError that says what is amiss."""
    ending = name.rsplit(".", 1)[-1].lower()
    if ending not in READERS:
        raise fault(
            name,
            f"outlines cannot be read from .{ending}",
            f"Give one of {', '.join('.' + k for k in READERS)}.",
        )
    if len(data) > LARGEST_FILE:
        raise fault(name, "the file is larger than 8 MB", "", len(data))
    try:
        found, unit = READERS[ending](data)
        outlines = list(_tidy(found))
    except (Exception, RecursionError) as error:  # whatever a reader makes of a broken file
        why = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise fault(
            name,
            f"the file cannot be read as .{ending}: {why}",
            "Write it again from where it was drawn.",
        ) from error
    if len(outlines) > MOST_OUTLINES:
        raise fault(
            name,
            f"it holds more than {MOST_OUTLINES} closed lines",
            "Leave out what is no part of the vessel.",
            len(outlines),
        )
    if not outlines:
        raise fault(
            name,
            "there is no closed line in it",
            "Close the outline where it was drawn: the last point meets the first.",
        )
    return Drawing(outlines, unit)


def parts_of(
    drawing: Drawing, unit: str, place: tuple[float, float] | None = None
) -> dict[str, Any]:
    """Polygon parts of a case, in mm. The largest opens space, those inside it are cut out of it.

    unit : what lengths are in where the drawing does not say. place : where its lower left corner
    goes (m); where it was drawn if None. Raises CaseError.
    """
    metres = drawing.unit if drawing.unit is not None else UNITS.get(unit)
    if metres is None:
        raise fault(
            "unit", f"'{unit}' is no unit of length here", f"Choose from {', '.join(UNITS)}."
        )
    rings = [shapely.Polygon(d.points * metres) for d in drawing.outlines]
    low = np.min([r.bounds[:2] for r in rings], axis=0)
    shift = np.zeros(2) if place is None else np.array(place) - low
    area = shapely.area(rings)
    within, around = shapely.STRtree(rings).query(
        [r.representative_point() for r in rings], predicate="within"
    )
    depth = np.bincount(within[area[around] > area[within]], minlength=len(rings))
    parts: dict[str, Any] = {}
    for k in np.argsort(-area, kind="stable"):
        inside = int(depth[k])
        stem = _identifier(drawing.outlines[k].name) or "outline"
        name, count = stem, 1
        while name in parts:
            count += 1
            name = f"{stem}{count}"
        points = np.round((drawing.outlines[k].points * metres + shift) * 1e3, 6)
        parts[name] = {
            "shape": "polygon",
            "does": "cut" if inside % 2 else "add",
            "points": [[f"{x:.10g} mm", f"{y:.10g} mm"] for x, y in points],
            "edges": _named(drawing.outlines[k]) or _edges(points, name),
        }
    return parts


def _named(drawn: Drawn) -> dict[str, str]:
    """Names that the drawing itself gives its sides."""
    return {
        str(k): _identifier(side)
        for k, side in enumerate(drawn.sides, start=1)
        if _identifier(side)
    }


def _edges(points: Array, name: str) -> dict[str, str]:
    """Names for sides that make one smooth curve; a side between two corners keeps its own."""
    step = np.roll(points, -1, axis=0) - points
    before = np.roll(step, 1, axis=0)
    turn = np.abs(
        np.arctan2(
            before[:, 0] * step[:, 1] - before[:, 1] * step[:, 0], (before * step).sum(axis=1)
        )
    )
    corners = np.flatnonzero(turn > CORNER)
    if corners.size == 0:
        return {str(k + 1): name for k in range(len(points))}
    edges = {}
    for group, (a, b) in enumerate(
        zip(corners, [*corners[1:], corners[0] + len(points)], strict=True), start=1
    ):
        if b - a > 1:
            edges.update({str(k % len(points) + 1): f"{name}_curve{group}" for k in range(a, b)})
    return edges


def _identifier(text: str) -> str:
    plain = re.sub(r"[^A-Za-z0-9_]+", "_", text).strip("_")
    return f"part_{plain}" if plain[:1].isdigit() else plain


def _tidy(found: Iterable[Drawn]) -> Iterator[Drawn]:
    """Repeated points dropped, open lines left out, curves thinned until they are few enough."""
    for drawn in found:
        points = np.asarray(drawn.points, float).reshape(-1, 2)
        if len(points) < 3 or not np.isfinite(points).all() or np.abs(points).max() > LARGEST:
            continue
        size = float(np.ptp(points, axis=0).max())
        if size <= 0:
            continue
        step = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
        kept = step > CLOSE * size
        points = points[kept]
        sides = tuple(s for s, k in zip(drawn.sides, kept, strict=False) if k)
        thin = FLATNESS * size
        ring = shapely.Polygon(points)
        while len(points) > MOST_POINTS:
            ring = ring.simplify(thin)
            points, thin, sides = np.array(ring.exterior.coords)[:-1], 2 * thin, ()
        if len(points) >= 3 and ring.is_valid and ring.area > 0:
            yield Drawn(points, drawn.name, sides)


def _csv(data: bytes) -> tuple[list[Drawn], None]:
    """Two columns of numbers; an empty line or a line of words begins the next outline."""
    text = data.decode("utf-8-sig")
    dialect = ";" if text.count(";") > text.count(",") else "\t" if "\t" in text else ","
    outlines: list[Drawn] = []
    points: list[tuple[float, float]] = []
    name = "outline"

    def end() -> None:
        if points:
            outlines.append(Drawn(np.array(points), name))
            points.clear()

    for row in csv.reader(io.StringIO(text), delimiter=dialect):
        try:
            x, y = (float(c.replace(",", ".")) for c in row[:2])
            points.append((x, y))
        except ValueError:
            end()
            words = [c.strip() for c in row if c.strip()]
            name = words[0] if len(words) == 1 else "outline"
    end()
    return outlines, None


def _rings(geometry: Any, name: str) -> Iterator[Drawn]:
    for part in getattr(geometry, "geoms", [geometry]):
        if part.geom_type == "Polygon":
            for ring in (part.exterior, *part.interiors):
                yield Drawn(np.array(ring.coords)[:-1, :2], name)
        elif part.geom_type in ("LinearRing", "LineString") and part.is_ring:
            yield Drawn(np.array(part.coords)[:-1, :2], name)
        elif hasattr(part, "geoms"):
            yield from _rings(part, name)


def _geojson(data: bytes) -> tuple[list[Drawn], None]:
    found = json.loads(data)
    _check_depth(found, 0)
    features = found.get("features", [found])
    outlines = []
    for feature in features:
        geometry = feature.get("geometry", feature)
        name = str((feature.get("properties") or {}).get("name", "outline"))
        outlines += list(_rings(shape_of(geometry), name))
    return outlines, None


def _check_depth(found: Any, depth: int) -> None:
    """Deep nests overflow the stack of the geometry library."""
    if depth > DEEPEST:
        raise ValueError("it is nested too deeply")
    for inner in (
        found.values() if isinstance(found, dict) else found if isinstance(found, list) else ()
    ):
        if isinstance(inner, dict | list):
            _check_depth(inner, depth + 1)


def _wkt(data: bytes) -> tuple[list[Drawn], None]:
    text, depth = data.decode(), 0
    for sign in text:
        depth += (sign == "(") - (sign == ")")
        if depth > DEEPEST:
            raise ValueError("it is nested too deeply")
    return list(_rings(shapely.from_wkt(text), "outline")), None


def _dxf(data: bytes) -> tuple[list[Drawn], float | None]:
    """Closed polylines, circles, ellipses and splines, and chains of lines and arcs, by layer."""
    import ezdxf
    from ezdxf import path as paths

    document = ezdxf.read(io.StringIO(data.decode("utf-8", "replace")))
    closed: list[Drawn] = []
    loose: dict[str, list[Array]] = {}
    for entity in document.modelspace():
        try:
            line = paths.make_path(entity)
        except TypeError:
            continue  # texts, dimensions and the like
        extent = max((abs(v) for p in line.control_vertices() for v in (p.x, p.y)), default=1.0)
        points = np.array([(p.x, p.y) for p in line.flattening(FLATNESS * max(extent, 1e-9))])
        layer = str(entity.dxf.layer)
        (
            closed.append(Drawn(points, layer))
            if line.is_closed
            else loose.setdefault(layer, []).append(points)
        )
    for layer, lines in loose.items():
        closed += [Drawn(p, layer) for p in _chained(lines)]
    return closed, DXF_UNITS.get(int(document.header.get("$INSUNITS", 0)))


def _chained(lines: list[Array]) -> Iterator[Array]:
    """Closed loops of lines whose ends meet."""
    merged = shapely.line_merge(
        shapely.multilinestrings(
            [shapely.linestrings(np.round(line, 9)) for line in lines if len(line) > 1]
        )
    )
    for loop in shapely.get_parts(shapely.polygonize(shapely.get_parts(merged))):
        yield np.array(loop.exterior.coords)[:-1]


def _svg(data: bytes) -> tuple[list[Drawn], float]:
    """Closed paths and basic shapes; y is turned upwards. Lengths are 96 units to the inch."""
    import svgelements as svg

    read = svg.SVG.parse(io.BytesIO(data))
    outlines = []
    for element in read.elements():
        if not isinstance(element, svg.Shape):
            continue
        for piece in svg.Path(element).as_subpaths():
            path = svg.Path(piece)
            if not any(isinstance(s, svg.Close) for s in path):
                continue
            points = []
            for segment in path:
                if isinstance(segment, svg.Move):
                    continue
                straight = isinstance(segment, svg.Line | svg.Close)
                shares = np.array([1.0]) if straight else np.linspace(0, 1, 33)[1:]
                points.append(np.asarray(segment.npoint(shares), float).reshape(-1, 2))
            if points:
                outlines.append(
                    Drawn(np.concatenate(points) * [1.0, -1.0], str(element.id or "outline"))
                )
            if len(outlines) > MOST_OUTLINES:
                return outlines, 0.0254 / 96  # too many: no need to read on
    return outlines, 0.0254 / 96


READERS: dict[str, Callable[[bytes], tuple[list[Drawn], float | None]]] = {
    "dxf": _dxf,
    "svg": _svg,
    "geojson": _geojson,
    "json": _geojson,
    "wkt": _wkt,
    "csv": _csv,
    "txt": _csv,
    "vtu": partial(boundary_of, ending="vtu"),
    "vtk": partial(boundary_of, ending="vtk"),
}
