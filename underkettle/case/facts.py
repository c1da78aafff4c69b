"""What audit rules, paper checks and defaults may ask about a case."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
import shapely

from underkettle.case.cells import Cell
from underkettle.case.values import Timed
from underkettle.case.vessel import face_of
from underkettle.case.worked import Worked
from underkettle.engine.contract import (
    Brought,
    Carrier,
    Force,
    Jump,
    Medium,
    Offer,
    On,
    Resistance,
    Sheet,
    Source,
    Stuff,
    Temperature,
    Turbulence,
)
from underkettle.engine.mesh import Mesh, Outline
from underkettle.quantities import Place


class CaseFacts:
    """Answers from the case as it stands; nothing here changes it."""

    def __init__(self, case: Worked) -> None:
        self._case = case
        self._columns: dict[float, list[tuple[float, float]]] = {}
        self._bounds: dict[str, tuple[float, float, float, float]] = {}
        self._areas: dict[str, float] = {}
        self._on: dict[str, On] = {}
        self._settings: dict[str, Mapping[str, Any]] = {}
        self._streams: dict[str, float | None] = {}

    @property
    def mesh(self) -> Mesh:
        return self._case.mesh

    def settings(self, phenomenon: str) -> Mapping[str, Any]:
        """Settings as numbers in SI; laws as they are at the start, in the middle."""
        phenomenon = phenomenon.partition(".")[0]
        if phenomenon not in self._settings:
            self._settings[phenomenon] = self._numbers(phenomenon)
        return self._settings[phenomenon]

    def _numbers(self, phenomenon: str) -> Mapping[str, Any]:
        declared, settings = self._case.phenomena[phenomenon], self._case.settings[phenomenon]
        found = {n: self._number(v) for n, v in settings.items()}
        for kind in declared.listed:
            found[kind.key] = {
                m: {n: self._number(v) for n, v in values.items()}
                for m, values in settings[kind.key].items()
            }
        return found

    def blocked(self, zone: str) -> bool:
        """Whether no stream passes a zone."""
        return zone in self._case.blocked()

    def law(self, phenomenon: str, setting: str) -> frozenset[str]:
        """What a setting follows of what is solved."""
        value = self._case.settings[phenomenon.partition(".")[0]].get(setting)
        return frozenset(getattr(value, "reads", ()))

    def setting_at(self, phenomenon: str, setting: str, x: float, y: float) -> float:
        """What a setting is at a point, at the start (SI); NaN where that is not known then."""
        value = self._case.settings[phenomenon.partition(".")[0]][setting]
        return float(self._number(value, Place(x, y)))

    def _number(self, value: Any, place: Place | None = None) -> Any:
        if not hasattr(value, "at"):
            return value
        if isinstance(value, Timed):
            return value.mean
        return float(np.asarray(value.at(place or self._middle(), self.at_start(value.reads))))

    def _middle(self) -> Place:
        x0, y0, x1, y1 = self.size_box()
        return Place(0.5 * (x0 + x1), 0.5 * (y0 + y1))

    def at_start(self, names: Iterable[str]) -> dict[str, float]:
        """Solved fields as they are at the start, on average; NaN for what is not known then."""
        found, fields = {}, self._case.fields()
        for name in names:
            field = fields[name][1] if name in fields else None
            found[name] = np.nan if field is None or field.begins is None else field.begins
            if field is not None and field.made is not None and not field.member:
                found[name] = float(field.made(self._middle(), self.at_start(field.reads)))
                continue
            for column in self._case.columns:
                if column.id in self.columns_for(name):
                    values = [self.start(z, column.id).get("value") for z in self.zones()]
                    numbers = [float(v) for v in values if v is not None]
                    if numbers:
                        found[name] = float(np.mean(numbers))
        return found

    def columns_for(self, field: str) -> tuple[str, ...]:
        """Columns that may say something of a field; a column says something of itself."""
        if field not in self._case.fields():
            return (field,) if field in self.all_columns() else ()
        owner, found = self._case.fields()[field]
        asked = (owner, f"{owner}.{found.member or found.name}")
        return tuple(c for c in asked if c in self.all_columns())

    def matter(self) -> Mapping[str, Stuff]:
        """Substances that a phenomenon follows, by the name of their quantity."""
        found: dict[str, Stuff] = {}
        for name, declared in self._case.phenomena.items():
            found.update(declared.matter(self._case.settings[name]))
        return found

    def begins_warm(self) -> list[float]:
        """Temperatures (K) that are told at the start."""
        told = (self.start(z, c).get("value") for c in self.temperatures() for z in self.zones())
        return [float(value) for value in told if value is not None]

    def following(self, substances: Iterable[str]) -> tuple[tuple[str, Any], ...]:
        """Edits by which more substances would be followed where others are."""
        found: list[tuple[str, Any]] = []
        for substance in substances:
            edits = next(
                filter(None, (self._another(n, substance) for n in self._case.phenomena)), None
            )
            if edits is None:
                return ()
            found += edits
        return tuple(found)

    def _another(self, phenomenon: str, substance: str) -> list[tuple[str, Any]] | None:
        typed = self._case.model.phenomena[phenomenon]
        more = self._case.phenomena[phenomenon].another(substance, typed)
        if more is None:
            return None
        enters = [e for e in self.edges() if self.through(e) == "in"]
        return [
            (f"phenomena/{phenomenon}/{more.key}/{substance}", dict(more.values)),
            *((f"conditions/{e}/{phenomenon}.{substance}", dict(more.brought)) for e in enters),
        ]

    def given(self, quantity: str) -> bool:
        """Whether another phenomenon makes or uses up a quantity."""
        return any(
            what.kind is Source and what.of in (quantity, quantity.rpartition(".")[2])
            for meeting in self._case.meetings.values()
            for what in meeting.provides
        )

    def active(self, phenomenon: str) -> bool:
        return phenomenon in self._case.phenomena

    def edges(self) -> Sequence[str]:
        """Edges of the vessel, and faces of zones that no stream passes."""
        return self._case.places("edge")

    def nozzles(self) -> Sequence[str]:
        return [n for n in self._case.built.nozzles if n in self._case.edges]

    def repeats(self) -> Sequence[str]:
        """Directions in which the vessel goes on and on, as places."""
        return tuple(self._case.repeats)

    def screens(self) -> Sequence[str]:
        """Thin screens, as places."""
        return self._case.places("screen")

    def borders(self) -> Mapping[str, tuple[str, str]]:
        """Where two open zones meet, as places, and which zones."""
        found = {}
        for place in self._case.places("between"):
            one, _, other = place.partition("-")
            found[place] = one, other
        return found

    def zones(self) -> Sequence[str]:
        return self._case.zones

    def edge_label(self, edge: str) -> str:
        return self._case.label(edge)

    def _cell(self, place: str, column: str) -> Cell:
        if place not in self._on:
            found = self._case.on("conditions", place)
            if found is None:
                raise KeyError(place)
            self._on[place] = found
        on = self._on[place]
        return self._case.cell(on, place, column)

    def kind(self, place: str, column: str) -> str:
        return self._cell(place, column).kind

    def says(self, place: str, column: str) -> str:
        return self._cell(place, column).text

    def assumed(self, place: str, column: str) -> bool:
        return self._cell(place, column).state == "assumed"

    def state(self, place: str, column: str) -> str:
        return self._cell(place, column).state

    def values(self, place: str, column: str) -> Mapping[str, Any]:
        """Values in SI; formulas as their mean over the edge at time zero, tables over time."""
        cell = self._cell(place, column)
        return {name: self._mean(place, value) for name, value in cell.values.items()}

    def start(self, zone: str, column: str) -> Mapping[str, Any]:
        cell = self._case.cell("start", zone, column)
        return {name: self._mean(zone, value) for name, value in cell.values.items()}

    def _mean(self, place: str, value: Any) -> Any:
        if not hasattr(value, "at"):
            return value
        if isinstance(value, Timed):
            return value.mean
        x0, y0, x1, y1 = self._case.box_of(place)
        s = (np.arange(64) + 0.5) / 64
        return float(
            np.mean(
                value.at(Place(x0 + s * (x1 - x0), y0 + s * (y1 - y0)), self.at_start(value.reads))
            )
        )

    def span(self, zone: str, column: str, name: str) -> tuple[float, float]:
        """The least and the largest that a value (SI) comes to in the cells of a zone, at the start."""
        value = self._cell(zone, column).values[name]
        if hasattr(value, "at"):
            mesh = self.mesh
            found = value.at(mesh.place(), self.at_start(value.reads))
            cells = mesh.zone_cells(zone)[0]
            value = np.broadcast_to(found, cells.shape)[cells]
        value = np.asarray(value, float)
        return float(value.min(initial=np.inf)), float(value.max(initial=-np.inf))

    def through(self, edge: str) -> str:
        """ "in" or "out" where a stream passes the edge, "" where it is closed, "?" if unsaid."""
        answer = ""
        for name, phenomenon in self._case.phenomena.items():
            if not any(c.through for c in phenomenon.conditions):
                continue
            cell = self._case.cell("edge", edge, name)
            if cell.state == "missing":
                answer = answer or "?"
                continue
            condition = phenomenon.condition("edge", cell.kind)
            if condition is not None and condition.through:
                return condition.through
        return answer

    def stream(self, edge: str) -> float | None:
        """Volume flow (m3/s) let in through an edge, negative if out; None if not given."""
        if edge not in self._streams:
            self._streams[edge] = self._stream(edge)
        return self._streams[edge]

    def _stream(self, edge: str) -> float | None:
        carriers = self.carriers()
        for column in (c for c in self._case.columns if c.phenomenon in carriers):
            cell = self._cell(edge, column.id)
            if cell.kind:
                found = self._case.phenomena[column.phenomenon].stream(
                    cell.kind,
                    self.values(edge, column.id),
                    self.edge_area(edge),
                    self.settings(column.phenomenon),
                )
                if found is not None:
                    return found
        return None

    def carriers(self) -> list[str]:
        """Phenomena that offer a stream and ask places about it."""
        return self._asking(Carrier)

    def temperatures(self) -> list[str]:
        """Phenomena that offer a temperature and ask places about it."""
        return self._asking(Temperature)

    def inflow(self) -> float:
        """Volume flow (m3/s) of all given inflows."""
        return sum(max(self.stream(edge) or 0.0, 0.0) for edge in self.edges())

    def medium(self) -> tuple[float, float] | None:
        """Density (kg/m3) and viscosity (Pa s) of the stream, where it has numbers for them."""
        for column in self.carriers():
            settings = self.settings(column)
            if "density" in settings and "viscosity" in settings:
                return settings["density"], settings["viscosity"]
        return None

    def fillers(self) -> list[str]:
        """Phenomena that offer porous matter and ask places about it."""
        return self._asking(Resistance)

    def _asking(self, kind: type[Offer]) -> list[str]:
        """Who makes an offer, by the column that asks about it where that is a member's."""
        found: dict[str, None] = {}
        for column in self._case.columns:
            for what in self._case.meetings[column.phenomenon].provides:
                if what.kind is kind and what.member in ("", column.member):
                    found[column.id if what.member else column.phenomenon] = None
        return list(found)

    def all_columns(self) -> Sequence[str]:
        return [c.id for c in self._case.columns]

    def carries(self, edge: str, column: str) -> str:
        """ "in" or "out" where a column's condition travels with a stream through an edge."""
        name = column.partition(".")[0]
        found = self._case.phenomena[name].condition("edge", self._cell(edge, column).kind)
        return found.carries if found is not None else ""

    def profile(self, edge: str) -> str:
        """What profile the stream has that comes in through an edge; "" where none is said."""
        if self.through(edge) == "in":
            for name in self.carriers():
                found = self.values(edge, name).get("profile", "")
                if found:
                    return str(found)
        return ""

    def entering(self, field: str) -> float | None:
        """What all streams bring in of a field on average (SI); None where none says."""
        columns = self.columns_for(field)
        flow = amount = 0.0
        for edge in self._case.edges:
            for column in columns:
                stream = self.stream(edge) or 0.0
                value = self.values(edge, column).get("value")
                if self.carries(edge, column) == "in" and stream > 0 and value is not None:
                    flow, amount = flow + stream, amount + stream * float(value)
        return amount / flow if flow > 0 else None

    def buoyant(self) -> bool:
        """Whether weight drives the stream: what is warmer or stronger weighs less, and there is
        gravity.
        """
        lift = self.weight()
        if lift is not None and lift[2] and (lift[0] or lift[1]):
            return True
        return any(
            self.law(c, "density") and any(self.settings(c).get(f"gravity_{axis}") for axis in "xy")
            for c in self.carriers()
        )

    def bodies(self) -> list[tuple[str, float]]:
        """Edges of what stands in the stream with room all round it, and how wide each is (m):
        across x or y, whichever is less. Plates are none.
        """
        found = []
        for points, edges in self._case.built.rings:
            x, y = points[:, 0], points[:, 1]
            area = 0.5 * float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
            if len(points) > 2 and area < 0:  # the open space lies outside it
                found.append((edges[0], float(min(np.ptp(x), np.ptp(y)))))
        for zone in self._case.blocked():
            for points in self._case.built.zone_rings.get(zone, ()):
                inside = self._case.built.space.contains(shapely.Polygon(points))
                if inside and len(points) > 2:
                    found.append(
                        (face_of(zone), float(min(np.ptp(points[:, 0]), np.ptp(points[:, 1]))))
                    )
        return found

    def pushed(self) -> bool:
        """Whether another phenomenon offers a force on the stream."""
        return bool(self._case.makers(Force) or self._case.makers(Jump))

    def filled(self) -> bool:
        """Whether another phenomenon offers matter or thin sheets that hold the stream back."""
        return bool(self._case.makers(Resistance) or self._case.makers(Sheet))

    def stirred(self) -> bool:
        """Whether another phenomenon tells what eddies do that are too fast to be followed."""
        return bool(self._case.makers(Turbulence))

    def mixing_time(self) -> float | None:
        """In what time (s) eddies mix that come in; None where none are told."""
        found = (p.mixes(self) for p in self._case.phenomena.values())
        return next((time for time in found if time is not None), None)

    def brought(self) -> Brought | None:
        """What streams bring of a gas that keeps account of its own heat, mixed; None if untold."""
        found = (p.brought(self) for p in self._case.phenomena.values())
        return next((what for what in found if what is not None), None)

    def pressed(self) -> bool:
        """Whether the pressure of what is in a vessel rises where nothing leaves it."""
        return any(
            p.presses(self.settings(n)) and set(self.modes(n)) <= {"transient"}
            for n, p in self._case.phenomena.items()
        )

    def weight(self) -> tuple[float, float, float] | None:
        """Gravity along x and y (m/s2) and thermal expansion (1/K), where weight drives anything."""
        for settings in map(self.settings, self._case.phenomena):
            if "expansion" in settings and "gravity_y" in settings:
                return settings["gravity_x"], settings["gravity_y"], settings["expansion"]
        return None

    def fluids_at_start(self) -> tuple[float, float] | None:
        """m3 of either of two fluids that do not mix, as they begin; None where that takes more than a
        sum.
        """
        found = (p.fluids(self) for p in self._case.phenomena.values())
        return next((parts for parts in found if parts is not None), None)

    def told_medium(self) -> bool:
        """Whether density and viscosity of a stream are what another phenomenon says."""
        return bool(self._case.makers(Medium))

    def gravity(self) -> tuple[float, float] | None:
        """Gravity along x and y (m/s2), where there is any."""
        for settings in map(self.settings, self._case.phenomena):
            if "gravity_x" in settings and "gravity_y" in settings:
                found = float(settings["gravity_x"]), float(settings["gravity_y"])
                if any(found):
                    return found
        return None

    def carried(self) -> bool:
        """Whether anything that is switched on offers a stream."""
        return bool(self._case.makers(Carrier))

    def held_back(self) -> bool:
        """Whether anything that is switched on feels what porous matter holds back."""
        return any(
            need.kind is Resistance
            for name, phenomenon in self._case.phenomena.items()
            for need in phenomenon.needs(self._numbers(name))
        )

    def edge_length(self, edge: str) -> float:
        a, b = self._ends(edge)
        return float(np.hypot(*(b - a).T).sum())

    def edge_bounds(self, edge: str) -> tuple[float, float, float, float]:
        if edge not in self._bounds:
            a, b = self._ends(edge)
            (x0, y0), (x1, y1) = (f(np.concatenate([a, b]), axis=0) for f in (np.min, np.max))
            self._bounds[edge] = float(x0), float(y0), float(x1), float(y1)
        return self._bounds[edge]

    def _ends(self, edge: str) -> tuple[np.ndarray, np.ndarray]:
        """Where the straight pieces of an edge begin and end, each (n, 2), m."""
        outline = self._case.outline_of(edge)
        mine = outline.segments(edge)
        return outline.start[mine], outline.end[mine]

    def edge_is_straight(self, edge: str) -> bool:
        """Whether the edge runs along x or along y throughout."""
        a, b = self._ends(edge)
        step = np.abs(b - a)
        return bool((step.min(axis=1) <= 1e-9 * step.max()).all())

    def depth(self) -> float:
        """Of a plane vessel (m)."""
        return self._case.built.depth

    def round(self) -> bool:
        """Whether the vessel is axisymmetric: x along the axis, y the radius."""
        return self._case.built.round

    def section(self, low: float, high: float) -> float:
        """Area (m2) across x between two y, all the way round where the vessel is axisymmetric."""
        if self.round():
            return float(np.pi * (high * high - low * low))
        return (high - low) * self.depth()

    def on_axis(self, edge: str) -> bool:
        """Whether an edge is the axis of an axisymmetric vessel."""
        low, high = self.edge_bounds(edge)[1::2]
        return self.round() and max(abs(low), abs(high)) <= 1e-9 * max(self.size())

    def slips(self, edge: str) -> bool:
        """Whether an edge drags nothing along: a mirror plane, a wall that slips."""
        for column in self._case.columns:
            found = self._case.phenomena[column.phenomenon].condition(
                "edge", self._cell(edge, column.id).kind
            )
            if found is not None and found.slips:
                return True
        return False

    def edge_area(self, edge: str) -> float:
        """Area (m2) of an edge, exact; all the way round where the vessel is axisymmetric."""
        if edge not in self._areas:
            a, b = self._ends(edge)
            length = np.hypot(*(b - a).T)
            around = np.pi * (a[:, 1] + b[:, 1]) if self.round() else self.depth()
            self._areas[edge] = float((around * length).sum())
        return self._areas[edge]

    def open_volume(self) -> float:
        """Exact open volume (m3) of the vessel as drawn."""
        return self._volume(self._case.built.outline)

    def zone_volume(self, zone: str) -> float:
        """Volume (m3) of a zone that a stream may fill, on the grid."""
        return float(self.mesh.volume[self.mesh.zone_cells(zone)].sum())

    def stream_volume(self) -> float:
        """Exact volume (m3) that a stream may fill."""
        return self._volume(self._case.stream_outline)

    def _volume(self, o: Outline) -> float:
        if self.round():
            y0, y1, dx = o.start[:, 1], o.end[:, 1], o.end[:, 0] - o.start[:, 0]
            return -float((np.pi / 3 * dx * (y0 * y0 + y0 * y1 + y1 * y1)).sum())
        area = 0.5 * float((o.start[:, 0] * o.end[:, 1] - o.end[:, 0] * o.start[:, 1]).sum())
        return area * self.depth()

    def pore_volume(self) -> float:
        """Of what a stream may fill, the volume (m3) that porous matter leaves open, on the grid; all
        of it where there is none.
        """
        share, volume = self._case.porosity, self._case.open_mesh.open_volume
        return float((volume if share is None else share * volume).sum())

    def permeability(self) -> tuple[float, float] | None:
        """Of porous matter along x and y (m2), on average over where it stands; None without any."""
        return self._case.permeability

    def size(self) -> tuple[float, float]:
        """Extent (m) along x and y."""
        x0, y0, x1, y1 = self._case.built.outline.box
        return x1 - x0, y1 - y0

    def size_box(self) -> tuple[float, float, float, float]:
        """low x, low y, high x, high y of the vessel (m)."""
        return self._case.built.outline.box

    def open_stream(self) -> bool:
        """Whether an edge along the stream is open: then a plate feels no opposite wall."""
        for edge in self.edges():
            low, high = self.edge_bounds(edge)[1::2]
            if low == high and self.through(edge) == "out":
                return True
        return False

    def wall_column(self, x: float) -> list[tuple[float, float]]:
        """Stretches (m) across the vessel at this x that a stream may fill."""
        from underkettle.engine.mesh.boundary import scan

        if x not in self._columns:
            line = scan(self._case.stream_outline, 0, x)
            self._columns[x] = list(zip(line.low.tolist(), line.high.tolist(), strict=True))
        return self._columns[x]

    def open_around(self, axis: int, at: float, point: float) -> tuple[float, float] | None:
        """The stretch (m) a stream may fill that holds `point`, across `axis` at this place."""
        from underkettle.engine.mesh.boundary import scan

        line = scan(self._case.stream_outline, axis, at)
        inside = (line.low <= point) & (line.high >= point)
        if not inside.any():
            return None
        k = int(np.argmax(inside))
        return float(line.low[k]), float(line.high[k])

    def pockets(self) -> Sequence[frozenset[str]]:
        """Edges that share one stretch of open space, for each stretch."""
        mesh = self._case.open_mesh
        pieces = mesh.pieces
        where = mesh.pocket[0, pieces.j, pieces.i]
        return [
            frozenset(mesh.edges[k] for k in np.unique(pieces.edge[where == p]))
            for p in np.unique(where[where > 0])
        ]

    def holds(self, phenomenon: str) -> bool:
        """Whether a stage goes on with what this phenomenon solved before, without solving it."""
        return any(phenomenon in s.hold for s in self._case.model.stages.values())

    def columns(self, phenomenon: str) -> Sequence[str]:
        return [c.id for c in self._case.columns if c.phenomenon == phenomenon]

    def modes(self, phenomenon: str) -> Sequence[str]:
        return [s.mode for s in self._case.model.stages.values() if phenomenon in s.solve]

    def stages(self, phenomenon: str) -> Sequence[str]:
        """Names of the stages that solve it."""
        return [name for name, s in self._case.model.stages.items() if phenomenon in s.solve]

    def until(self, phenomenon: str) -> float | None:
        spans = [
            self._case.number(s.until, "time", "stages")
            for s in self._case.model.stages.values()
            if phenomenon in s.solve and s.until is not None
        ]
        return sum(spans) if spans else None

    def may_end(self, phenomenon: str) -> bool:
        stages = self._case.model.stages.values()
        return any(s.ends and phenomenon in s.solve and s.mode == "transient" for s in stages)

    def measure(self, text: Any, dimension: str) -> float:
        """A typed value in SI."""
        return self._case.number(text, dimension, "readouts")

    def readouts(self) -> Mapping[str, Any]:
        return self._case.model.readouts

    def edge_cell_size(self, edge: str) -> float:
        """Mean size (m) of the cells along an edge."""
        mesh = self._mesh_with(edge)
        pieces, grid = mesh.pieces, mesh.grid
        rows = pieces.of(mesh.edge_index(edge))
        area = grid.widths(0)[pieces.i[rows]] * grid.widths(1)[pieces.j[rows]]
        return float(np.sqrt(area).mean())

    def edge_cell_depth(self, edge: str) -> float:
        """Mean size (m) of the cells along an edge, straight across it."""
        mesh = self._mesh_with(edge)
        pieces, grid = mesh.pieces, mesh.grid
        rows = pieces.of(mesh.edge_index(edge))
        wide, high = grid.widths(0)[pieces.i[rows]], grid.widths(1)[pieces.j[rows]]
        return float((np.abs(pieces.nx[rows]) * wide + np.abs(pieces.ny[rows]) * high).mean())

    def edge_cells(self, edge: str) -> int:
        """How many cells stand along an edge."""
        mesh = self._mesh_with(edge)
        return int(mesh.pieces.of(mesh.edge_index(edge)).size)

    def _mesh_with(self, edge: str) -> Mesh:
        return self._case.open_mesh if edge in self._case.zone_faces else self.mesh

    def cell_size(self) -> float:
        return self._case.number(self._case.model.grid.size, "length", "grid / size")
