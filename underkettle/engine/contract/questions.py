"""What audit rules, paper checks and defaults may ask of a case, and what they answer."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

from underkettle.engine.mesh import Mesh


class Facts(Protocol):
    """What audit rules, paper checks and defaults may ask about a case. Places are edges, faces of
    blocked zones and zones, by name; columns by id.
    """

    @property
    def mesh(self) -> Mesh: ...

    def settings(self, phenomenon: str) -> Mapping[str, Any]:
        """Settings as numbers in SI; laws as they are at the start, in the middle."""
        ...

    def blocked(self, zone: str) -> bool:
        """Whether no stream passes a zone."""
        ...

    def law(self, phenomenon: str, setting: str) -> frozenset[str]:
        """What a setting follows of what is solved."""
        ...

    def setting_at(self, phenomenon: str, setting: str, x: float, y: float) -> float:
        """What a setting is at a point, at the start (SI); NaN where that is not known then."""
        ...

    def at_start(self, names: Iterable[str]) -> dict[str, float]:
        """Solved fields as they are at the start, on average; NaN for what is not known then."""
        ...

    def active(self, phenomenon: str) -> bool:
        """Whether it is switched on."""
        ...

    def edges(self) -> Sequence[str]:
        """Edges of the vessel, and faces of zones that no stream passes."""
        ...

    def nozzles(self) -> Sequence[str]:
        """By name."""
        ...

    def repeats(self) -> Sequence[str]:
        """Directions in which the vessel goes on and on, as places."""
        ...

    def screens(self) -> Sequence[str]:
        """Thin screens, as places."""
        ...

    def borders(self) -> Mapping[str, tuple[str, str]]:
        """Where two open zones meet, as places, and which zones."""
        ...

    def zones(self) -> Sequence[str]:
        """By name."""
        ...

    def edge_label(self, edge: str) -> str:
        """As people read it."""
        ...

    def kind(self, place: str, column: str) -> str:
        """The kind of the condition in force, "" where none is."""
        ...

    def says(self, place: str, column: str) -> str:
        """What a place does for a column, in the ledger's words."""
        ...

    def assumed(self, place: str, column: str) -> bool:
        """Whether a place is at its default."""
        ...

    def state(self, place: str, column: str) -> str:
        """ "given", "assumed", "missing", "overruled" or "absent"."""
        ...

    def values(self, place: str, column: str) -> Mapping[str, Any]:
        """Values in SI; formulas as their mean over the edge at time zero, tables over time."""
        ...

    def span(self, zone: str, column: str, name: str) -> tuple[float, float]:
        """The least and the largest that a value (SI) comes to in the cells of a zone, at the start."""
        ...

    def start(self, zone: str, column: str) -> Mapping[str, Any]:
        """Values at the start in a zone, in SI."""
        ...

    def through(self, edge: str) -> str:
        """ "in" or "out" where a stream passes the edge, "" where it is closed, "?" if unsaid."""
        ...

    def stream(self, edge: str) -> float | None:
        """Volume flow (m3/s) let in through an edge, negative if out; None if not given."""
        ...

    def carriers(self) -> Sequence[str]:
        """Phenomena that offer a stream and ask places about it."""
        ...

    def temperatures(self) -> Sequence[str]:
        """Phenomena that offer a temperature and ask places about it; the column, where it is a
        member's.
        """
        ...

    def inflow(self) -> float:
        """Volume flow (m3/s) of all given inflows."""
        ...

    def medium(self) -> tuple[float, float] | None:
        """Density (kg/m3) and viscosity (Pa s) of the stream, where it has numbers for them."""
        ...

    def fillers(self) -> Sequence[str]:
        """Phenomena that offer porous matter and ask places about it."""
        ...

    def all_columns(self) -> Sequence[str]:
        """Of all."""
        ...

    def carries(self, edge: str, column: str) -> str:
        """ "in" or "out" where a column's condition travels with a stream through an edge."""
        ...

    def profile(self, edge: str) -> str:
        """What profile the stream has that comes in through an edge; "" where none is said."""
        ...

    def entering(self, field: str) -> float | None:
        """What all streams bring in of a field on average (SI); None where none says."""
        ...

    def buoyant(self) -> bool:
        """Whether weight drives the stream: what is warmer or stronger weighs less, and there is
        gravity.
        """
        ...

    def bodies(self) -> Sequence[tuple[str, float]]:
        """Edges of what stands in the stream with room all round it, and how wide each is (m):
        across x or y, whichever is less. Plates are none.
        """
        ...

    def pushed(self) -> bool:
        """Whether another phenomenon offers a force on the stream."""
        ...

    def filled(self) -> bool:
        """Whether another phenomenon offers matter or thin sheets that hold the stream back."""
        ...

    def stirred(self) -> bool:
        """Whether another phenomenon tells what eddies do that are too fast to be followed."""
        ...

    def mixing_time(self) -> float | None:
        """In what time (s) eddies mix that come in; None where none are told."""
        ...

    def brought(self) -> Brought | None:
        """What streams bring of a gas that keeps account of its own heat, mixed; None if untold."""
        ...

    def pressed(self) -> bool:
        """Whether the pressure of what is in a vessel rises where nothing leaves it."""
        ...

    def weight(self) -> tuple[float, float, float] | None:
        """Gravity along x and y (m/s2) and thermal expansion (1/K), where weight drives anything."""
        ...

    def fluids_at_start(self) -> tuple[float, float] | None:
        """m3 of either of two fluids that do not mix, as they begin; None where that takes more than a
        sum.
        """
        ...

    def told_medium(self) -> bool:
        """Whether density and viscosity of a stream are what another phenomenon says."""
        ...

    def gravity(self) -> tuple[float, float] | None:
        """Gravity along x and y (m/s2), where there is any."""
        ...

    def matter(self) -> Mapping[str, Any]:
        """Substances that a phenomenon follows (`Stuff`), by the name of their quantity."""
        ...

    def begins_warm(self) -> list[float]:
        """Temperatures (K) that are told at the start."""
        ...

    def following(self, substances: Iterable[str]) -> tuple[tuple[str, Any], ...]:
        """Edits (path, value) by which more substances would be followed where others are, entering
        streams bringing none; none where that cannot be told of all of them.
        """
        ...

    def given(self, quantity: str) -> bool:
        """Whether another phenomenon makes or uses up a quantity."""
        ...

    def carried(self) -> bool:
        """Whether anything that is switched on offers a stream."""
        ...

    def held_back(self) -> bool:
        """Whether anything that is switched on feels what porous matter holds back."""
        ...

    def edge_length(self, edge: str) -> float:
        """m."""
        ...

    def edge_bounds(self, edge: str) -> tuple[float, float, float, float]: ...

    def edge_is_straight(self, edge: str) -> bool:
        """Whether the edge runs along x or along y throughout."""
        ...

    def depth(self) -> float:
        """Of a plane vessel (m)."""
        ...

    def round(self) -> bool:
        """Whether the vessel is axisymmetric: x along the axis, y the radius."""
        ...

    def section(self, low: float, high: float) -> float:
        """Area (m2) across x between two y, all the way round where the vessel is axisymmetric."""
        ...

    def on_axis(self, edge: str) -> bool:
        """Whether an edge is the axis of an axisymmetric vessel."""
        ...

    def slips(self, edge: str) -> bool:
        """Whether an edge drags nothing along: a mirror plane, a wall that slips."""
        ...

    def edge_area(self, edge: str) -> float:
        """Area (m2) of an edge, exact; all the way round where the vessel is axisymmetric."""
        ...

    def open_volume(self) -> float:
        """Exact open volume (m3) of the vessel as drawn."""
        ...

    def zone_volume(self, zone: str) -> float:
        """Volume (m3) of a zone that a stream may fill, on the grid."""
        ...

    def stream_volume(self) -> float:
        """Exact volume (m3) that a stream may fill."""
        ...

    def pore_volume(self) -> float:
        """Of what a stream may fill, the volume (m3) that porous matter leaves open, on the grid; all
        of it where there is none.
        """
        ...

    def permeability(self) -> tuple[float, float] | None:
        """Of porous matter along x and y (m2), on average over where it stands; None without any."""
        ...

    def size(self) -> tuple[float, float]:
        """Extent (m) along x and y."""
        ...

    def size_box(self) -> tuple[float, float, float, float]:
        """low x, low y, high x, high y of the vessel (m)."""
        ...

    def open_stream(self) -> bool:
        """Whether an edge along the stream is open: then a plate feels no opposite wall."""
        ...

    def wall_column(self, x: float) -> Sequence[tuple[float, float]]:
        """Stretches (m) across the vessel at this x that a stream may fill."""
        ...

    def open_around(self, axis: int, at: float, point: float) -> tuple[float, float] | None:
        """The stretch (m) a stream may fill that holds `point`, across `axis` at this place."""
        ...

    def pockets(self) -> Sequence[frozenset[str]]:
        """Edges that share one stretch of open space, for each stretch."""
        ...

    def holds(self, phenomenon: str) -> bool:
        """Whether a stage goes on with what this phenomenon solved before, without solving it."""
        ...

    def columns(self, phenomenon: str) -> Sequence[str]:
        """Of one phenomenon."""
        ...

    def modes(self, phenomenon: str) -> Sequence[str]:
        """Modes of the stages that solve it: "steady", "transient", "series"."""
        ...

    def stages(self, phenomenon: str) -> Sequence[str]:
        """Names of the stages that solve it."""
        ...

    def until(self, phenomenon: str) -> float | None:
        """Seconds that transient stages solve it for; None where none does."""
        ...

    def may_end(self, phenomenon: str) -> bool:
        """Whether a stage that solves it through time may be over before its time."""
        ...

    def measure(self, text: Any, dimension: str) -> float:
        """A typed value in SI."""
        ...

    def readouts(self) -> Mapping[str, Any]:
        """As they are typed."""
        ...

    def edge_cell_size(self, edge: str) -> float:
        """Mean size (m) of the cells along an edge."""
        ...

    def edge_cell_depth(self, edge: str) -> float:
        """Mean size (m) of the cells along an edge, straight across it."""
        ...

    def edge_cells(self, edge: str) -> int:
        """How many cells stand along an edge."""
        ...

    def cell_size(self) -> float: ...


def asked(facts: Facts) -> list[tuple[str, str, Callable[[str, str], Mapping[str, Any]]]]:
    """Edges, and zones at the start: name, label, and what tells the values of a column there."""
    found = [(e, facts.edge_label(e), facts.values) for e in facts.edges()]
    starts = [(z, f"{facts.edge_label(z)} at the start", facts.start) for z in facts.zones()]
    return [*found, *starts]


def apart(facts: Facts, edges: Sequence[str]) -> float | None:
    """How far (m) two straight edges lie from each other that face each other across x, or across y in
    a plane vessel; None for others.
    """
    if len(edges) != 2 or not all(map(facts.edge_is_straight, edges)):
        return None
    a, b = (facts.edge_bounds(e) for e in edges)
    for axis in (0,) if facts.round() else (0, 1):
        if a[axis] == a[axis + 2] and b[axis] == b[axis + 2] and a[axis] != b[axis]:
            return abs(a[axis] - b[axis])
    return None


def across(facts: Facts, zone: str) -> tuple[float, int]:
    """How far (m) a zone reaches along its shorter side, and over how many cells."""
    inside, grid = facts.mesh.zone_cells(zone)[0], facts.mesh.grid
    sides = grid.widths(0)[inside.any(axis=0)], grid.widths(1)[inside.any(axis=1)]
    shorter = min(sides, key=sum)
    return float(shorter.sum()), shorter.size


@dataclass(frozen=True)
class Brought:
    """What all streams bring, mixed: density (kg/m3), warm (K), and how warm so much heat (J/kg) makes
    it.
    """

    density: float
    warm: float
    warmed: Callable[[float], float]


@dataclass(frozen=True)
class Finding:
    """One audit result. `cure` is a list of edits (path, value) that would mend it."""

    grade: Literal["stops", "contradiction", "doubt"]
    sentence: str
    reason: str = ""
    place: str = ""
    column: str = ""
    cure: tuple[tuple[str, Any], ...] = ()
    cure_label: str = ""
    rule: str = ""  # which rule found it, set by the audit
    settled: str = ""  # why a doubt may stand, as the modeller said

    @property
    def key(self) -> str:
        """What a doubt is settled under."""
        return " / ".join(p for p in (self.rule, self.place, self.column) if p)


@dataclass(frozen=True)
class AuditRule:
    name: str
    check: Callable[[Facts], Iterable[Finding]]


@dataclass(frozen=True)
class Estimate:
    """A hand estimate: value in SI, whether the case lies inside the relation's range; a regime
    number's verdict where it depends on more than the number.
    """

    value: float
    inside: bool = True
    note: str = ""
    verdict: str = ""


@dataclass(frozen=True)
class Paper:
    """A hand relation. `readout` says which readouts it speaks to; None makes it a regime number.

    `compute(facts, readout)` returns None when it does not apply.
    """

    name: str
    tex: str
    source: str
    range: str
    dimension: str
    compute: Callable[[Facts, Any], Estimate | None]
    regime: str = ""  # short symbol, for regime numbers: "Re"
    verdict: Callable[[float], str] | None = None
    drawn: bool = False  # whether it speaks to readouts of a drawn line, arc or box
