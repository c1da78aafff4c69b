"""What the parts of a case see of the whole: more than reading does, and nothing of how it is made.

Facts, grids, derived fields, paper checks and solvers are worked out from a case and are part of
it; they know it by this, so that no file imports the one that puts them together.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Protocol

from underkettle.case.cells import Cell, Column
from underkettle.case.model import CaseModel
from underkettle.case.values import Names
from underkettle.case.vessel import Built
from underkettle.engine.contract import On, Phenomenon
from underkettle.engine.mesh import Mesh, Outline
from underkettle.reading.seen import Seen


class Worked(Seen, Protocol):
    """A case worked out."""

    @property
    def model(self) -> CaseModel: ...
    @property
    def names(self) -> Names: ...
    @property
    def solved(self) -> Mapping[str, Any]:
        """Fields and readouts that laws may name, and their dimensions."""

    @property
    def data(self) -> Mapping[str, Any]: ...
    @property
    def variant(self) -> str: ...
    @property
    def grid_factor(self) -> float: ...
    @property
    def memo(self) -> dict[str, Any]:
        """What has been worked out of it and is asked for again."""

    @property
    def built(self) -> Built: ...
    @property
    def columns(self) -> Sequence[Column]: ...
    @property
    def registry(self) -> Mapping[str, Phenomenon]:
        """Every phenomenon that is installed."""

    @property
    def repeats(self) -> Mapping[str, int]: ...
    @property
    def borders(self) -> Mapping[str, Sequence[Any]]:
        """Where two zones meet, as places, and the lines (m) they meet on."""

    @property
    def stream_outline(self) -> Outline: ...
    @property
    def open_mesh(self) -> Mesh: ...

    def cell(self, on: On, place: str, column: str) -> Cell: ...

    def on(self, section: str, place: str) -> On | None: ...

    def rows(self) -> Iterator[tuple[On, str]]: ...

    def label(self, place: str) -> str: ...

    def box_of(self, place: str) -> tuple[float, float, float, float]: ...

    def blocked(self) -> Sequence[str]: ...

    def laws(self) -> Iterator[tuple[str, str, frozenset[str]]]: ...

    @property
    def far(self) -> Mapping[str, tuple[float, float]]:
        """Parts that have moved from where they are drawn, and by how much (m)."""

    def moved(self, far: Mapping[str, tuple[float, float]]) -> Worked:
        """The case with parts of its vessel that far from where they are drawn."""

    def coarser(self, by: float) -> Worked:
        """The same on a grid with cells that many times as wide. Raises CaseError."""

    def edges_of(self, part: str) -> Sequence[str]: ...

    @property
    def moving(self) -> Mapping[str, str]:
        """Parts that a phenomenon moves, and its name."""

    def applied(self, stage: str, value: float) -> Worked:
        """The case with the value (SI) that a series applies in one of its stages."""
