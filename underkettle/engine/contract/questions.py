"""What audit rules, paper checks and defaults may ask of a case, and what they answer."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, Protocol

from underkettle.engine.mesh import Mesh


class Facts(Protocol):
    """What audit rules, paper checks and defaults may ask about a case."""

    @property
    def mesh(self) -> Mesh: ...

    def settings(self, phenomenon: str) -> Mapping[str, Any]:
        """Settings with numbers in SI; members under "members". Laws as they are at the start."""

    def law(self, phenomenon: str, setting: str) -> frozenset[str]:
        """Names of solved fields and readouts that a setting follows."""

    def blocked(self, zone: str) -> bool: ...

    def active(self, phenomenon: str) -> bool: ...

    def edges(self) -> Sequence[str]: ...

    def nozzles(self) -> Sequence[str]: ...

    def repeats(self) -> Sequence[str]:
        """Directions in which the vessel goes on and on, as places."""

    def zones(self) -> Sequence[str]: ...

    def edge_label(self, edge: str) -> str: ...

    def kind(self, place: str, column: str) -> str:
        """The kind of the condition in force, "" where none is."""

    def assumed(self, place: str, column: str) -> bool: ...

    def values(self, place: str, column: str) -> Mapping[str, Any]:
        """Its values in SI (numbers; formulas are given as their mean over the edge)."""

    def edge_length(self, edge: str) -> float: ...

    def edge_bounds(self, edge: str) -> tuple[float, float, float, float]: ...

    def edge_area(self, edge: str) -> float: ...

    def depth(self) -> float: ...

    def round(self) -> bool: ...

    def on_axis(self, edge: str) -> bool: ...

    def slips(self, edge: str) -> bool: ...

    def stream(self, edge: str) -> float | None:
        """Volume flow (m3/s) let in through an edge, negative if out; None if not given."""
        ...

    def section(self, low: float, high: float) -> float: ...

    def stream_volume(self) -> float:
        """Volume (m3) that a stream may fill."""
        ...

    def open_around(self, axis: int, at: float, point: float) -> tuple[float, float] | None:
        """The stretch (m) a stream may fill that holds `point`, across `axis` at this place."""

    def pockets(self) -> Sequence[frozenset[str]]:
        """Edges that share one stretch of open space, for each stretch."""
        ...

    def all_columns(self) -> Sequence[str]: ...

    def carries(self, edge: str, column: str) -> str:
        """ "in" or "out" where a column's condition travels with a stream through an edge."""
        ...

    def buoyant(self) -> bool:
        """Whether weight drives the stream."""
        ...

    def pushed(self) -> bool:
        """Whether another phenomenon offers a force on the stream."""
        ...

    def bodies(self) -> Sequence[tuple[str, float]]:
        """Edges of what stands in the stream with room all round it, and how wide each is (m)."""
        ...

    def modes(self, phenomenon: str) -> Sequence[str]:
        """Modes of the stages that solve it: "steady", "transient", "series"."""

    def until(self, phenomenon: str) -> float | None: ...

    def weight(self) -> tuple[float, float, float] | None:
        """Gravity along x and y (m/s2) and thermal expansion (1/K), where weight drives anything."""
        ...

    def readouts(self) -> Mapping[str, Any]: ...

    def measure(self, text: Any, dimension: str) -> float: ...


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
