"""Sizes worth drawing on the sheet, each with where it is typed.

axis "x", "y": a dimension line along it. "r": a leader from a middle outwards at `angle`. "at": a
number beside a point. `index` says which entry of a list of points it is; `chosen` ones show only
on the part taken hold of.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from underkettle.case.case import Case
from underkettle.case.model import Arc, Circle, Duct, Plate, Polygon, Rectangle

LEADERS = (0.25, -0.25, 0.12, -0.12)  # of half a turn: where circles' leaders go, in turn


def dimensions(case: Case) -> list[dict[str, Any]]:
    """Sizes of every part, in the order of the parts; places in m."""
    found: list[dict[str, Any]] = []
    circles = 0
    for name, part in case.model.vessel.parts.items():
        box = case.built.boxes[name]
        if isinstance(part, Circle):
            sizes = iter(
                [
                    _leader(
                        _middle(box),
                        0.5 * (box[2] - box[0]),
                        "radius",
                        part.radius,
                        LEADERS[circles % len(LEADERS)] * np.pi,
                        "\u00d8",
                        2.0,
                    )
                ]
            )
            circles += 1
        elif isinstance(part, Rectangle | Plate):
            sizes = _straight(part, box)
        elif isinstance(part, Arc):
            sizes = _of_arc(case, name, part)
        else:
            sizes = _through_points(case, name, part)
        found += [
            {
                "index": None,
                "chosen": False,
                "angle": 0.0,
                **size,
                "part": name,
                "path": ["vessel", "parts", name, size["path"]],
            }
            for size in sizes
        ]
    return found


def _middle(box: tuple[float, float, float, float]) -> list[float]:
    return [0.5 * (box[0] + box[2]), 0.5 * (box[1] + box[3])]


def _straight(part: Rectangle | Plate, box: tuple[float, ...]) -> Iterator[dict[str, Any]]:
    x0, y0, x1, y1 = box
    wide, high = ("width", "height") if isinstance(part, Rectangle) else ("length", "length")
    if isinstance(part, Rectangle) or part.along == "x":
        yield {
            "axis": "x",
            "begin": [x0, y0],
            "end": [x1, y0],
            "text": _mm(x1 - x0),
            "path": wide,
            "typed": str(getattr(part, wide)),
        }
    if isinstance(part, Rectangle) or part.along == "y":
        yield {
            "axis": "y",
            "begin": [x0, y0],
            "end": [x0, y1],
            "text": _mm(y1 - y0),
            "path": high,
            "typed": str(getattr(part, high)),
        }


def _leader(
    middle: list[float],
    radius: float,
    entry: str,
    typed: Any,
    angle: float,
    sign: str,
    times: float = 1.0,
) -> dict[str, Any]:
    return {
        "axis": "r",
        "begin": middle,
        "end": [middle[0] + radius, middle[1] + radius],
        "angle": angle,
        "text": f"{sign} {_mm(times * radius)}",
        "path": entry,
        "typed": str(typed),
    }


def _of_arc(case: Case, name: str, part: Arc) -> Iterator[dict[str, Any]]:
    where = f"vessel / parts / {name}"
    middle = [case.number(v, "length", where) for v in (part.x, part.y)]
    begin, end = (case.number(v, "number", where) for v in (part.begin, part.end))
    outer = case.number(part.outer, "length", where)
    for entry, share in (("inner", 0.35), ("outer", 0.65)):
        radius = case.number(getattr(part, entry), "length", where)
        yield _leader(
            middle, radius, entry, getattr(part, entry), float(begin + share * (end - begin)), "R"
        )
    for entry, angle in (("begin", begin), ("end", end)):
        at = [middle[0] + outer * np.cos(angle), middle[1] + outer * np.sin(angle)]
        yield {
            "axis": "at",
            "begin": at,
            "end": at,
            "text": f"{np.degrees(angle):.4g}\u00b0",
            "path": entry,
            "typed": str(getattr(part, entry)),
        }


def _through_points(case: Case, name: str, part: Polygon | Duct) -> Iterator[dict[str, Any]]:
    """The width of a duct; the coordinates of the part taken hold of."""
    points = [
        [case.number(c, "length", f"vessel / parts / {name}") for c in p] for p in part.points
    ]
    if isinstance(part, Duct):
        at = np.mean(points[:2], axis=0).tolist()
        width = case.number(part.width, "length", f"vessel / parts / {name}")
        yield {
            "axis": "at",
            "begin": at,
            "end": at,
            "text": f"width {_mm(width)}",
            "path": "width",
            "typed": str(part.width),
        }
    for k, (point, typed) in enumerate(zip(points, part.points, strict=True)):
        for axis in (0, 1):
            yield {
                "axis": "at",
                "begin": point,
                "end": point,
                "chosen": True,
                "path": "points",
                "text": f"{'xy'[axis]} {_mm(point[axis])}",
                "typed": str(typed[axis]),
                "index": [k, axis],
            }


def _mm(length: float) -> str:
    return f"{length * 1e3:.4g}"
