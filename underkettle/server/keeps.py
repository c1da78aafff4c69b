"""What lists see of what the server keeps open."""

from __future__ import annotations

from threading import Lock
from typing import Any, Protocol

from underkettle.case.case import Case
from underkettle.runs.queue import Queue
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile


class Keeps(Protocol):
    """Cases and runs kept open between requests."""

    library: Library
    queue: Queue
    making_cards: Lock

    def built(self, case: str, data: dict[str, Any] | None = None, variant: str = "") -> Case:
        """The case worked out. Raises CaseError."""

    def run(self, run: str) -> RunFile:
        """A run's file. Raises 404 where there is no such run, Damaged where its file is gone."""

    def further(self, run: str) -> str:
        """The run with what is open further off, "" where none was asked for."""

    def helpers(self, run: str) -> list[str]:
        """Runs on coarser grids for the margin of this one, finer first."""
