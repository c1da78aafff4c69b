"""Parts and nozzles become the outline of the open space, with every stretch named."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import shapely
from shapely.geometry import Polygon as Shape
from shapely.geometry.base import BaseGeometry

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.joining import join, polygons
from underkettle.case.model import Nozzle, Vessel
from underkettle.case.rings import Mark, Side, named_rings
from underkettle.case.shapes import Part
from underkettle.case.shapes.part import Thin
from underkettle.case.shapes.plate import Plate
from underkettle.case.values import Names, read_number, read_size
from underkettle.engine.mesh import Outline, outline_from_rings

Array = np.ndarray

SPACE = "space"
SAME = 1e-3  # of what is near, within which points are the same but for rounding
NOWHERE: Mapping[str, tuple[float, float]] = {}


@dataclass(frozen=True)
class Built:
    """The vessel worked out: outline, zones, fixed grid lines, and drawing data."""

    outline: Outline
    zones: dict[str, Outline | None]
    fixed_x: tuple[float, ...]
    fixed_y: tuple[float, ...]
    nozzles: dict[str, str]  # nozzle: the edge of the side it sits on
    depth: float
    round: bool
    boxes: dict[str, tuple[float, float, float, float]]  # parts, edges and zones
    space: BaseGeometry
    sides: list[Side]
    marks: list[Mark]
    shapes: dict[str, Shape]
    plates: list[tuple[Array, list[str]]]
    screens: dict[str, Array]  # from one end to the other, (n, 2)
    repeats: tuple[int, ...]  # axes
    rings: list[tuple[Array, list[str]]] = field(default_factory=list)
    zone_rings: dict[str, list[Array]] = field(default_factory=dict)
    part_rings: dict[str, Array] = field(default_factory=dict)

    def borders(self) -> dict[str, list[Array]]:
        """Where two zones of the open space meet: "bed-space" -> lines (n, 2), m."""
        own: dict[str, BaseGeometry] = {}
        taken: BaseGeometry = Shape()
        alike = SAME * _near(self.space)  # sums in another order end a rounding apart
        space = shapely.set_precision(self.space, alike)
        for name in reversed(self.zones):  # those drawn later take precedence
            drawn = None if name == SPACE else shapely.set_precision(self.shapes[name], alike)
            shape = space if drawn is None else space.intersection(drawn)
            own[name] = _areas(shape.difference(taken))
            taken = taken.union(shape)
        near, found = _near(self.space), {}
        for one, other in itertools.combinations(self.zones, 2):
            first, second = own[one], own[other]
            if first.is_empty or second.is_empty or first.distance(second) > near:
                continue
            shared = first.boundary.intersection(second.boundary)
            lines = [g for g in getattr(shared, "geoms", [shared]) if g.length > 10 * near]
            if lines:
                whole = shapely.line_merge(shapely.multilinestrings(lines))
                found[f"{one}-{other}"] = [
                    np.array(g.coords) for g in getattr(whole, "geoms", [whole])
                ]
        return found

    def without(self, zones: Sequence[str]) -> Outline:
        """The outline of the vessel with these zones cut out of it; new edges are their faces."""
        solid = shapely.union_all([self.shapes[z] for z in zones])
        sides = [
            *self.sides,
            *(
                Side(z, "outline", face_of(z), np.concatenate([r, r[:1]]), len(self.shapes))
                for z in zones
                for r in self.zone_rings[z]
            ),
        ]
        rings = named_rings(self.space.difference(solid), sides, self.marks, _near(self.space))
        return outline_from_rings([*rings, *self.plates]).joined(self.repeats)


def face_of(zone: str) -> str:
    """What the edge is called where a stream meets a zone that it cannot pass."""
    return f"{zone}_face"


def _areas(shape: BaseGeometry) -> BaseGeometry:
    """What has an area of it: shapes that meet along a line leave that line, too."""
    return shapely.union_all([g for g in getattr(shape, "geoms", [shape]) if g.area > 0])


def _near(space: BaseGeometry | Outline) -> float:
    """Distance (m) within which points are taken for one."""
    x0, y0, x1, y1 = space.box if isinstance(space, Outline) else space.bounds
    return float(1e-7 * max(x1 - x0, y1 - y0))


Far = Mapping[str, tuple[float, float]]  # how far parts are from where they are drawn (m)


def move(built: Built, vessel: Vessel, names: Names, far: Far) -> Built:
    """The same vessel with parts moved by (x, y). Its edges, and the grid's fixed lines, stay those
    of the drawing; an edge that is nowhere any more has no side. Raises CaseError.
    """
    edges = built.outline.edges
    if all(isinstance(vessel.parts[name], Plate) for name in far):
        plates = _plates(vessel, names, built.space, far)
        rings = [*(r for r in built.rings if len(r[0]) > 2), *plates]
        return replace(
            built,
            outline=outline_from_rings(rings, edges).joined(built.repeats),
            plates=plates,
            rings=rings,
            boxes={**built.boxes, **_plate_boxes(vessel, plates)},
        )
    found = build_vessel(vessel, names, built.round, far)
    return replace(
        found,
        outline=outline_from_rings(found.rings, edges).joined(built.repeats),
        fixed_x=built.fixed_x,
        fixed_y=built.fixed_y,
    )


def build_vessel(vessel: Vessel, names: Names, round_: bool = False, far: Far = NOWHERE) -> Built:
    """Join and cut the parts in order, place the nozzles. Raises CaseError.

    round_ : the sheet is half a section, turned about y = 0. far : of parts that have moved.
    """
    depth = read_size(vessel.depth, names, "vessel / depth")
    shapes: dict[str, Shape] = {}
    sides: list[Side] = []
    faults: list[Fault] = []
    for order, (name, part) in enumerate(vessel.parts.items()):
        if isinstance(part, Thin):
            continue  # it has no area; see _plates and _screens
        try:
            shape, own = _part(name, part, names, order, far.get(name, (0.0, 0.0)))
            shapes[name] = shape
            if part.does != "zone":
                sides += own
        except CaseError as error:
            faults += error.faults
    if faults:
        raise CaseError(faults)
    space = join(vessel, shapes)
    scale = max(space.bounds[2] - space.bounds[0], space.bounds[3] - space.bounds[1])
    if round_ and space.bounds[1] < -1e-9 * scale:
        raise fault(
            "vessel / parts",
            f"the vessel reaches below its axis, to y = {space.bounds[1] * 1e3:.4g} mm",
            "An axisymmetric vessel is drawn as one "
            "half, with the axis at y = 0: move its parts up.",
        )
    if round_ and "depth" in vessel.model_fields_set:
        raise fault(
            "vessel / depth", "an axisymmetric vessel has no depth", "Remove it.", vessel.depth
        )
    marks = _place_nozzles(vessel, names, sides)
    plates = _plates(vessel, names, space, far)
    screens = _screens(vessel, names, space, plates, far)
    rings = [*named_rings(space, sides, marks, _near(space)), *plates]
    present = {edge for _, edges in rings for edge in edges}
    for name in vessel.nozzles:
        if name not in present:
            raise fault(
                path("vessel", "nozzles", name),
                "the nozzle lies on no wall of the finished vessel",
                "Another part covers its place: move it.",
            )
    outline = outline_from_rings(rings)
    repeats = tuple(axis for axis in (0, 1) if "xy"[axis] in vessel.repeats)
    for axis in repeats:
        _check_repeats(vessel, outline, axis, round_)
    outline = outline.joined(repeats)
    zones, zone_rings = _zones(vessel, shapes, space)
    fixed = _fixed_lines(
        [points for points, _ in rings]
        + [points for own in zone_rings.values() for points in own]
        + [line for line in screens.values() if len(line) == 2]  # bends are followed in steps
    )
    boxes = {name: shape.bounds for name, shape in shapes.items()}
    for name, line in screens.items():
        boxes[name] = (*map(float, line.min(axis=0)), *map(float, line.max(axis=0)))
    boxes |= _plate_boxes(vessel, plates)
    for edge in outline.edges:
        found_at = outline.segments(edge)
        if not found_at.size:
            continue
        points = np.concatenate([outline.start[found_at], outline.end[found_at]])
        low, high = points.min(axis=0), points.max(axis=0)
        boxes.setdefault(edge, (low[0], low[1], high[0], high[1]))
    boxes[SPACE] = space.bounds
    return Built(
        outline,
        zones,
        fixed[0],
        fixed[1],
        {n: edge_of(vessel, z.part, z.side) for n, z in vessel.nozzles.items()},
        depth,
        round_,
        boxes,
        space,
        sides,
        marks,
        shapes,
        plates,
        screens,
        repeats,
        rings,
        zone_rings,
        {name: np.array(shape.exterior.coords)[:-1] for name, shape in shapes.items()},
    )


def _check_repeats(vessel: Vessel, outline: Outline, axis: int, round_: bool) -> None:
    """Both ends must open alike. Raises CaseError."""
    where = "vessel / repeats"
    if round_ and axis == 1:
        raise fault(
            where, "an axisymmetric vessel cannot repeat along its radius", "Leave y out.", "y"
        )
    openings = []
    for high in (False, True):
        lying = outline.rim(axis, high)
        for name in vessel.nozzles:
            if name in {outline.edges[k] for k in outline.edge[lying]}:
                raise fault(
                    path("vessel", "nozzles", name),
                    f"the vessel repeats along {'xy'[axis]}, so nothing else can pass there",
                    "Move the nozzle to another side, or let the vessel end there.",
                )
        ends = np.concatenate([outline.start[lying, 1 - axis], outline.end[lying, 1 - axis]])
        across, times = np.unique(np.round(ends / _near(outline)), return_counts=True)
        openings.append(across[times % 2 == 1] * _near(outline))
    low, high_end = openings
    if low.size != high_end.size or np.abs(low - high_end).max(initial=0) > 2 * _near(outline):
        shown = [
            " and ".join(
                f"{a * 1e3:.4g} to {b * 1e3:.4g} mm" for a, b in zip(o[0::2], o[1::2], strict=True)
            )
            or "nowhere"
            for o in openings
        ]
        raise fault(
            where,
            f"the two ends along {'xy'[axis]} do not open alike: {shown[0]}, and {shown[1]}",
            "Give both ends the same openings, or let the vessel end there.",
        )


def edge_of(vessel: Vessel, part: str, side: str) -> str:
    """The edge that a part's side is, where nothing else lies on it."""
    given = vessel.parts[part].edges
    if side in given:
        return given[side]
    return part if side == "outline" else f"{part}_{side}"


def _part(
    name: str, part: Part, names: Names, order: int, far: tuple[float, float]
) -> tuple[Shape, list[Side]]:
    where = path("vessel", "parts", name)
    if not name.isidentifier():
        raise fault(where, "a part's name has letters, digits and _", "Rename it.")
    points, labels = part.drawn(names, where)
    points = points + np.array(far)
    if len(points) < 3:
        raise fault(where, "a polygon has at least three points", "", len(points))
    shape = Shape(points)
    if not shape.is_valid or shape.area <= 0:
        raise fault(
            where, "the sides cross each other or enclose nothing", "Check the order of the points."
        )
    given = part.edges
    for side in given:
        if side not in labels:
            raise fault(
                path(where, "edges"),
                f"'{side}' is not a side of it",
                f"Its sides are {', '.join(dict.fromkeys(labels))}.",
            )
    closed = np.concatenate([points, points[:1]])
    sides, begin = [], 0
    for k, label in enumerate(labels):
        if k + 1 == len(labels) or labels[k + 1] != label:
            edge = given.get(label, name if label == "outline" else f"{name}_{label}")
            sides.append(Side(name, label, edge, closed[begin : k + 2], order))
            begin = k + 1
    return shape, sides


def _plate_boxes(
    vessel: Vessel, plates: list[tuple[Array, list[str]]]
) -> dict[str, tuple[float, float, float, float]]:
    found = {}
    for name, part in vessel.parts.items():
        if isinstance(part, Plate) and part.does == "cut":
            mine = [p for p, edges in plates if set(edges) <= {name, *part.edges.values()}]
            if mine:
                points = np.concatenate(mine)
                (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
                found[name] = (float(x0), float(y0), float(x1), float(y1))
    return found


def _plates(
    vessel: Vessel, names: Names, space: BaseGeometry, far: Far
) -> list[tuple[Array, list[str]]]:
    """Walls of no thickness, as rings that go there and back; only what lies in the open space."""
    rings = []
    for name, part in vessel.parts.items():
        if not isinstance(part, Plate) or part.does != "cut":
            continue
        where = path("vessel", "parts", name)
        line = _line(name, part, names, far)
        inside = shapely.intersection(line, space)
        lines = [g for g in getattr(inside, "geoms", [inside]) if g.length > _near(space)]
        if not lines and name not in far:
            raise fault(where, "the plate lies outside the vessel", "Move it into the open space.")
        low, high = part.edges.get("low", name), part.edges.get("high", name)
        for line in lines:
            points = np.array(line.coords)[[0, -1]]
            points = points[np.argsort(points.sum(axis=1))]
            # the open space lies to the left: above on the way along x, before it along y
            rings.append((points, [high, low] if part.along == "x" else [low, high]))
    return rings


def _line(name: str, part: Thin, names: Names, far: Far) -> BaseGeometry:
    """From one end of a thin part to the other."""
    where = path("vessel", "parts", name)
    if not name.isidentifier():
        raise fault(where, "a part's name has letters, digits and _", "Rename it.")
    return shapely.LineString(part.course(names, where) + np.array(far.get(name, (0.0, 0.0))))


def _screens(
    vessel: Vessel,
    names: Names,
    space: BaseGeometry,
    plates: list[tuple[Array, list[str]]],
    far: Far,
) -> dict[str, Array]:
    """The course of every thin screen. Raises CaseError where one lies outside, on a wall, or crosses
    itself.
    """
    found: dict[str, Array] = {}
    walls = shapely.union_all([space.boundary, *(shapely.LineString(p) for p, _ in plates)])
    for name, part in vessel.parts.items():
        if not isinstance(part, Thin) or part.does != "screen":
            continue
        where, near = path("vessel", "parts", name), _near(space)
        line = _line(name, part, names, far)
        if not line.is_simple:
            raise fault(where, "the screen crosses itself", "Draw it as two.")
        inside = line.intersection(space)
        if inside.length <= near:
            raise fault(where, "the screen lies outside the vessel", "Move it into the open space.")
        for other, points in found.items():
            if inside.intersection(shapely.LineString(points).buffer(near)).length > 10 * near:
                raise fault(where, f"the screen lies on {other}", "Move one of them.")
        if inside.difference(walls.buffer(near)).length <= 10 * near:
            raise fault(
                where, "the screen lies on a wall, so nothing passes it", "Move it off the wall."
            )
        found[name] = np.array(line.coords)
    return found


def _place_nozzles(vessel: Vessel, names: Names, sides: list[Side]) -> list[Mark]:
    marks, faults = [], []
    for name, nozzle in vessel.nozzles.items():
        try:
            marks.append(_mark(name, nozzle, names, sides, vessel))
        except CaseError as error:
            faults += error.faults
    if faults:
        raise CaseError(faults)
    return marks


def _mark(name: str, nozzle: Nozzle, names: Names, sides: list[Side], vessel: Vessel) -> Mark:
    where = path("vessel", "nozzles", name)
    if nozzle.part not in vessel.parts:
        raise fault(
            path(where, "part"),
            f"there is no part '{nozzle.part}'",
            f"Parts are {', '.join(vessel.parts)}.",
        )
    mine = {s.side: s for s in sides if s.part == nozzle.part and len(s.points) == 2}
    if nozzle.side not in mine:
        raise fault(
            path(where, "side"),
            f"'{nozzle.side}' is not a straight side of {nozzle.part}",
            f"Its straight sides are {', '.join(mine) or 'none'}.",
        )
    a, b = mine[nozzle.side].points
    axis = int(np.argmax(np.abs(b - a)))
    if b[axis] < a[axis]:
        a, b = b, a  # measured from the low end
    length = float(np.hypot(*(b - a)))
    bore = read_size(nozzle.bore, names, path(where, "bore"))
    at = read_number(nozzle.at, "length", names, path(where, "at"))
    if bore > length * (1 + 1e-9):
        raise fault(
            path(where, "bore"),
            f"the nozzle is wider than its wall: {bore * 1e3:g} mm on {length * 1e3:g} mm",
            "Make the bore smaller or the side longer.",
            nozzle.bore,
        )
    if at - bore / 2 < -1e-9 * length or at + bore / 2 > length * (1 + 1e-9):
        raise fault(
            path(where, "at"),
            f"the nozzle runs past the end of its wall: it reaches from "
            f"{(at - bore / 2) * 1e3:g} to {(at + bore / 2) * 1e3:g} mm of "
            f"{length * 1e3:g} mm",
            "Move it or make the bore smaller.",
            nozzle.at,
        )
    along = (b - a) / length
    return Mark(name, a + (at - bore / 2) * along, a + (at + bore / 2) * along)


def _fixed_lines(rings: list[Array]) -> tuple[tuple[float, ...], ...]:
    """Positions of sides that run along x or y, and of the ends of every such side."""
    fixed: tuple[set[float], set[float]] = (set(), set())
    for points in rings:
        after = np.roll(points, -1, axis=0)
        for axis in (0, 1):
            straight = np.abs(points[:, axis] - after[:, axis]) == 0.0
            length = np.abs(points[:, 1 - axis] - after[:, 1 - axis])
            for k in np.flatnonzero(straight & (length > 0)):
                fixed[axis].add(float(points[k, axis]))
                fixed[1 - axis].update((float(points[k, 1 - axis]), float(after[k, 1 - axis])))
    return tuple(sorted(fixed[0])), tuple(sorted(fixed[1]))


def _zones(
    vessel: Vessel, shapes: Mapping[str, Shape], space: BaseGeometry
) -> tuple[dict[str, Outline | None], dict[str, list[Array]]]:
    zones: dict[str, Outline | None] = {SPACE: None}
    rings: dict[str, list[Array]] = {}
    for name, part in vessel.parts.items():
        if part.does != "zone":
            continue
        points = []
        for polygon in polygons(space.intersection(shapes[name])):
            turned = shapely.geometry.polygon.orient(polygon, 1.0)
            points += [np.array(r.coords)[:-1] for r in (turned.exterior, *turned.interiors)]
        rings[name] = points
        zones[name] = outline_from_rings([(p, [name] * len(p)) for p in points])
    return zones, rings
