"""The rings around the open space, with every stretch named by the side it lies on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from underkettle.case.joining import polygons

Array = np.ndarray


@dataclass(frozen=True)
class Side:
    """A stretch of one part's own outline."""

    part: str
    side: str
    edge: str
    points: Array  # (n, 2), open line
    order: int


@dataclass(frozen=True)
class Mark:
    """A nozzle on its side: both ends, m."""

    name: str
    start: Array
    end: Array


def named_rings(
    space: BaseGeometry, sides: list[Side], marks: list[Mark], near: float
) -> list[tuple[Array, list[str]]]:
    """Rings with the open space on the left, cut at nozzle ends, each side named."""
    found = []
    for polygon in polygons(space):
        turned = shapely.geometry.polygon.orient(polygon, 1.0)
        for ring in (turned.exterior, *turned.interiors):
            points = np.array(ring.coords)[:-1]
            points = _drop_straight(points, near)
            found.append(_insert(points, marks, near))
    whole = {_key(s.points[:-1]): s for s in sides if _is_closed(s)}
    same = [whole.get(_key(points)) for points in found]
    known = [None if s is None else s.edge for s in same]
    taken = {id(s) for s in same if s is not None}
    rest = [points for points, edge in zip(found, known, strict=True) if edge is None]
    names: list[str] = []
    if rest:
        middles = [0.5 * (points + np.roll(points, -1, axis=0)) for points in rest]
        names = _names(
            np.concatenate(middles), _Sides([s for s in sides if id(s) not in taken]), marks, near
        )
    rings, at = [], 0
    for points, edge in zip(found, known, strict=True):
        if edge is not None:
            rings.append((points, [edge] * len(points)))
        else:
            rings.append((points, names[at : at + len(points)]))
            at += len(points)
    return rings


def _is_closed(side: Side) -> bool:
    return bool((side.points[0] == side.points[-1]).all()) and len(side.points) > 3


def _key(points: Array) -> bytes:
    """The same for the same ring, wherever it begins and whichever way it goes."""
    first = int(np.lexsort((points[:, 1], points[:, 0]))[0])
    turned = np.roll(points, -first, axis=0)
    back = np.roll(turned[::-1], 1, axis=0)
    return min(turned.tobytes(), back.tobytes())


def _drop_straight(points: Array, near: float) -> Array:
    """Leave out points that repeat."""
    step = np.hypot(*(np.roll(points, -1, axis=0) - points).T)
    return points[step > 0.01 * near]


def _insert(points: Array, marks: list[Mark], near: float) -> Array:
    low, high = points.min(axis=0) - near, points.max(axis=0) + near
    for mark in marks:
        for end in (mark.start, mark.end):
            if (end < low).any() or (end > high).any():
                continue
            a, b = points, np.roll(points, -1, axis=0)
            length = np.hypot(*(b - a).T)
            along = ((end - a) * (b - a)).sum(axis=1) / length
            off = np.abs((end - a)[:, 0] * (b - a)[:, 1] - (end - a)[:, 1] * (b - a)[:, 0]) / length
            hit = np.flatnonzero((off < near) & (along > near) & (along < length - near))
            if hit.size:
                points = np.insert(points, hit[0] + 1, end, axis=0)
    return points


class _Sides:
    """Finds the side of a part on which a place lies: the nearest, of equally near ones that of the
    later part.
    """

    def __init__(self, sides: list[Side]) -> None:
        self.sides = sides
        counts = [len(s.points) - 1 for s in sides]
        starts = np.concatenate([s.points[:-1] for s in sides])
        ends = np.concatenate([s.points[1:] for s in sides])
        self.side = np.repeat(np.arange(len(sides)), counts)
        self.tree = shapely.STRtree(shapely.linestrings(np.stack([starts, ends], axis=1)))

    def edges(self, places: Array, near: float) -> list[str]:
        """Names of the edges at places (n, 2)."""
        spots = shapely.points(places)
        at, piece = self.tree.query(spots, predicate="dwithin", distance=near)
        order = np.array([s.order for s in self.sides])
        best = np.full(len(places), -1)
        found = self.side[piece]
        rank = np.lexsort((-found, order[found]))  # the last written wins
        best[at[rank]] = found[rank]
        lost = np.flatnonzero(best < 0)
        if lost.size:
            best[lost] = self.side[self.tree.nearest(spots[lost])]
        return [self.sides[k].edge for k in best]


def _names(middles: Array, sides: _Sides, marks: list[Mark], near: float) -> list[str]:
    names = sides.edges(middles, near)
    for mark in marks:
        line = shapely.linestrings(np.stack([mark.start, mark.end]))
        for k in np.flatnonzero(shapely.distance(line, shapely.points(middles)) < near):
            names[k] = mark.name
    return names
