"""What stays open between requests, and how fields travel."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
from fastapi import HTTPException, Response

from underkettle import matter
from underkettle.case.case import Case
from underkettle.case.cost import REMEMBERED, Pace, pace_of
from underkettle.engine.contract import find_phenomena
from underkettle.runs.execute import case_of
from underkettle.runs.taste import Taste, Taster
from underkettle.server.demo import templates
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile


class Opened:
    """Run files and cases kept open between requests."""

    def __init__(self, home: Path) -> None:
        self.library = Library(home)
        self.registry = find_phenomena()
        self.editing = Lock()  # an edit is read, worked out and written before the next one is read
        self.taster = Taster()
        self.tastes: dict[str, tuple[Case, Taste]] = {}  # the newest of each case
        self._took: dict[str, float] = {}  # finished runs: taken over estimated seconds
        self._files: dict[str, RunFile] = {}
        self._run_cases: dict[str, Case] = {}
        self._built: dict[tuple[str, str], tuple[dict[str, Any], Case]] = {}

    def warm(self) -> None:
        """Load what loads slowly, so that nobody waits for it later."""
        matter.find("water")
        self.taster.warm(templates())

    def case(self, case: str) -> dict[str, Any]:
        data = self.library.case(case)
        if data is None:
            raise HTTPException(404, "There is no such case on the shelf.")
        return data

    def built(self, case: str, data: dict[str, Any] | None = None, variant: str = "") -> Case:
        """The case worked out, again only after its data changed. Raises CaseError."""
        data = self.case(case) if data is None else data
        kept = self._built.get((case, variant))
        if kept is None or kept[0] != data:
            kept = (data, Case(data, variant=variant or None, registry=self.registry))
            self._built[case, variant] = kept
        return kept[1]

    def pace(self) -> Pace:
        """What finished runs took here over what was estimated."""
        ratios = []
        for row in self.library.runs()[:REMEMBERED]:
            if row["id"] not in self._took:
                try:
                    file = self.run(row["id"])
                except HTTPException:
                    continue
                estimated, wall = file.get("estimated"), file.get("wall")
                if file.get("status") != "finished" or not estimated or not wall:
                    continue
                self._took[row["id"]] = wall / estimated
            ratios.append(self._took[row["id"]])
        return pace_of(ratios)

    def run(self, run: str) -> RunFile:
        if run not in self._files:
            row = self.library.run(run)
            if row is None or not Path(row["file"]).exists():
                raise HTTPException(404, "There is no such run.")
            self._files[run] = RunFile(row["file"])
        return self._files[run]

    def run_case(self, run: str) -> Case:
        if run not in self._run_cases:
            self._run_cases[run] = case_of(self.run(run), self.registry)
        return self._run_cases[run]


def raw(header: dict[str, Any], values: np.ndarray) -> Response:
    """Length of the header (uint32), the header as JSON padded to 4 bytes, float32 values."""
    text = json.dumps(header).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + np.ascontiguousarray(values, "<f4").tobytes()
    return Response(body, media_type="application/octet-stream")
