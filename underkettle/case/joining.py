"""Parts joined and cut in order: the open space."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
import shapely
from shapely.geometry import Polygon as Shape
from shapely.geometry.base import BaseGeometry

from underkettle.case.faults import fault, path
from underkettle.case.model import Vessel

MANY = 8  # cuts in a row from which on those that touch nothing are cut at once


def join(vessel: Vessel, shapes: Mapping[str, Shape]) -> BaseGeometry:
    """The open space after all additions and cuts, in order. Raises CaseError."""
    space: BaseGeometry = Shape()
    if not any(p.does == "add" for p in vessel.parts.values()):
        raise fault(
            "vessel / parts",
            "nothing is drawn yet",
            "Add a part that opens space, for instance a rectangle.",
        )
    for does, names in _runs(vessel, shapes):
        if does == "add":
            for name in names:
                space = space.union(shapes[name])
            continue
        if len(names) >= MANY:
            space, names = _cut_at_once(space, shapes, names)
        for name in names:
            space = _cut(space, shapes[name], path("vessel", "parts", name))
    for name, part in vessel.parts.items():
        if part.does == "zone" and space.intersection(shapes[name]).area <= 0:
            raise fault(
                path("vessel", "parts", name),
                "the zone lies outside the vessel",
                "Move it into the open space.",
            )
    return space


def _runs(vessel: Vessel, shapes: Mapping[str, Shape]) -> Iterator[tuple[str, list[str]]]:
    """Parts that do the same one after the other: what they do, and their names."""
    run: list[str] = []
    doing = ""
    for name, part in vessel.parts.items():
        if name not in shapes or part.does == "zone":
            continue
        if part.does != doing and run:
            yield doing, run
            run = []
        doing = part.does
        run.append(name)
    if run:
        yield doing, run


def _cut(space: BaseGeometry, shape: Shape, where: str) -> BaseGeometry:
    if not space.intersects(shape) or space.intersection(shape).area <= 0:
        raise fault(
            where,
            "the part lies outside the vessel",
            "Move it into the open space, or add the space it should be cut from first.",
        )
    space = space.difference(shape)
    if space.area <= 0:
        raise fault(where, "the part cuts away all open space", "Make it smaller.")
    return space


def _cut_at_once(
    space: BaseGeometry, shapes: Mapping[str, Shape], names: list[str]
) -> tuple[BaseGeometry, list[str]]:
    """Cut out those that lie wholly inside and touch no other: each becomes a hole, whatever the
    order. The rest is given back.
    """
    if not isinstance(space, Shape):
        return space, names
    found = np.array([shapes[n] for n in names])
    shapely.prepare(space)
    free = shapely.contains_properly(space, found)
    one, other = shapely.STRtree(found).query(found, predicate="intersects")
    free[one[one != other]] = False
    if not free.any():
        return space, names
    holes = [*space.interiors, *(s.exterior for s in found[free])]
    return Shape(space.exterior, holes), [n for n, k in zip(names, free, strict=True) if not k]


def polygons(shape: BaseGeometry) -> list[Shape]:
    """What of a shape has an area."""
    if isinstance(shape, Shape):
        return [shape] if shape.area > 0 else []
    return [g for g in getattr(shape, "geoms", []) if isinstance(g, Shape) and g.area > 0]
