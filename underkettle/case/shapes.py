"""Outlines of parts: corner points, and the name of the side that starts at each."""

from __future__ import annotations

import numpy as np

from underkettle.case.faults import fault, path
from underkettle.case.model import Arc, Circle, Duct, Polygon, Rectangle
from underkettle.case.values import Names, read_number, read_size

Array = np.ndarray
Area = Rectangle | Polygon | Circle | Duct | Arc

CIRCLE_SIDES = 720
SHARPEST = 0.1  # a duct's corner must not turn further back than this (1 + cosine of the turn)


def outline_of(part: Area, names: Names, where: str) -> tuple[Array, list[str]]:
    """Points (n, 2) in m, in order, and the side from each to the next. Raises CaseError."""
    if isinstance(part, Polygon):
        points = _points(part, names, where)
        return points, [str(k + 1) for k in range(len(points))]
    if isinstance(part, Duct):
        return _duct(part, names, where)
    x, y = (
        read_number(getattr(part, entry), "length", names, path(where, entry))
        for entry in ("x", "y")
    )
    if isinstance(part, Rectangle):
        w, h = (
            read_size(getattr(part, entry), names, path(where, entry))
            for entry in ("width", "height")
        )
        return (
            np.array([[x, y], [x + w, y], [x + w, y + h], [x, y + h]]),
            ["bottom", "right", "top", "left"],
        )
    if isinstance(part, Arc):
        return _arc(part, x, y, names, where)
    r = read_size(part.radius, names, path(where, "radius"))
    angle = np.arange(CIRCLE_SIDES) * (2 * np.pi / CIRCLE_SIDES)
    return (
        np.column_stack([x + r * np.cos(angle), y + r * np.sin(angle)]),
        ["outline"] * CIRCLE_SIDES,
    )


def _points(part: Polygon | Duct, names: Names, where: str) -> Array:
    return np.array(
        [
            [read_number(c, "length", names, path(where, "points", k)) for c in point]
            for k, point in enumerate(part.points, start=1)
        ]
    ).reshape(-1, 2)


def _arc(part: Arc, x: float, y: float, names: Names, where: str) -> tuple[Array, list[str]]:
    """A piece of a ring between two angles, counted from the x axis towards y."""
    inner, outer = (
        read_size(getattr(part, entry), names, path(where, entry)) for entry in ("inner", "outer")
    )
    begin, end = (
        read_number(getattr(part, entry), "number", names, path(where, entry))
        for entry in ("begin", "end")
    )
    if outer <= inner:
        raise fault(
            f"{where} / outer", "the outer radius must exceed the inner one", "", part.outer
        )
    if not 0 < end - begin < 2 * np.pi:
        raise fault(
            f"{where} / end",
            "the arc must turn by more than nothing and less than all the way round",
            "Give an end angle past the begin, such as 90 deg.",
            part.end,
        )
    count = max(2, int(np.ceil(CIRCLE_SIDES * (end - begin) / (2 * np.pi))))
    angle = np.linspace(begin, end, count + 1)
    round_ = np.column_stack([np.cos(angle), np.sin(angle)])
    points = np.concatenate([outer * round_, inner * round_[::-1]]) + np.array([x, y])
    return points, [*["outer"] * count, "end", *["inner"] * count, "begin"]


def _duct(part: Duct, names: Names, where: str) -> tuple[Array, list[str]]:
    """A strip of even width along a line through points, with mitred corners."""
    line = _points(part, names, where)
    if len(line) < 2:
        raise fault(f"{where} / points", "a duct has at least two points", "", len(line))
    width = read_size(part.width, names, path(where, "width"))
    step = np.diff(line, axis=0)
    length = np.hypot(*step.T)
    if (length == 0).any():
        raise fault(
            f"{where} / points",
            "two points of the duct lie on each other",
            "Drop one of them.",
            int(np.argmin(length)) + 1,
        )
    normal = np.column_stack([-step[:, 1], step[:, 0]]) / length[:, None]
    before = np.concatenate([normal[:1], normal])
    after = np.concatenate([normal, normal[-1:]])
    turn = 1 + (before * after).sum(axis=1)
    if (turn < SHARPEST).any():
        raise fault(
            f"{where} / points",
            "the duct turns back on itself",
            "Put another point into the bend.",
            int(np.argmin(turn)) + 1,
        )
    out = 0.5 * width * (before + after) / turn[:, None]
    count = len(line) - 1
    points = np.concatenate([line - out, (line + out)[::-1]])
    return points, [*["right"] * count, "end", *["left"] * count, "begin"]
