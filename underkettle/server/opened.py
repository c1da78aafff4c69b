"""What stays open between requests, and how fields travel."""

from __future__ import annotations

import json
import sqlite3
import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Event, Lock, Thread
from typing import Any

import numpy as np
from fastapi import HTTPException, Response
from pydantic import BaseModel

from underkettle import matter
from underkettle.case.case import Case
from underkettle.case.cost import REMEMBERED, Pace, pace_of
from underkettle.case.faults import CaseError
from underkettle.case.later import added, case_with
from underkettle.engine.contract import find_phenomena
from underkettle.runs.execute import case_of
from underkettle.runs.margins import with_margins
from underkettle.runs.queue import Queue
from underkettle.runs.taste import Taste, Taster
from underkettle.server.demo import templates
from underkettle.server.frames import Frames
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

TEND_EVERY = 0.5  # s


class Edit(BaseModel):
    """A merge patch on a case or one of its variants, with the words the journal keeps for it."""

    patch: dict[str, Any]
    label: str = "edit"
    variant: str = ""


class Opened:
    """Run files and cases kept open between requests."""

    def __init__(self, home: Path) -> None:
        self.library = Library(home)
        self.registry = find_phenomena()
        self.editing = Lock()  # an edit is read, worked out and written before the next one is read
        self.taster = Taster()
        self.queue = Queue(self.library, self._kept)
        self.tastes: dict[str, tuple[Case, Taste]] = {}  # the newest of each case
        self._took: dict[str, float] = {}  # finished runs: taken over estimated seconds
        self._files: dict[str, RunFile] = {}
        self._run_cases: dict[str, Case] = {}
        self._frames: dict[str, tuple[Any, Frames]] = {}
        self._built: dict[tuple[str, str], tuple[dict[str, Any], Case]] = {}

    @contextmanager
    def tended(self, ahead: bool) -> Iterator[None]:
        """While the server runs: the queue moves on; ahead : what loads slowly is loaded."""
        ended = Event()

        def tend() -> None:
            while not ended.wait(TEND_EVERY):
                try:
                    self.queue.tick()
                except sqlite3.Error:
                    continue  # busy for longer than it should be: at the next look

        for work in (tend, self.warm) if ahead else (tend,):
            Thread(target=work, daemon=True).start()
        try:
            yield
        finally:
            ended.set()
            self.taster.close()

    def serves(self, run: str) -> str:
        """The run whose margin this one is for, "" if it is one of its own."""
        try:
            return str(self.run(run).get("serves") or "")
        except HTTPException:
            return ""

    def helpers(self, run: str) -> list[str]:
        """Runs on coarser grids for the margin of this one, finer first."""
        return list(self.run(run).get("helpers") or [])

    def margins(self, run: str) -> None:
        """Write margins into a run's result, once its helpers have finished."""
        file, helpers = self.run(run), self.helpers(run)
        result = file.get("result")
        if not helpers or not result or "grids" in result:
            return
        others = [self.run(h).get("result") for h in helpers]
        if all(o and o["status"] == "finished" for o in others):
            file.set(result=with_margins(result, others))

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

    def _kept(self, run: str) -> RunFile:
        """A run's file. Raises LookupError where it is gone."""
        try:
            return self.run(run)
        except HTTPException as error:
            raise LookupError(run) from error

    def forget(self, run: str) -> None:
        """A run's case was changed: it is worked out again when it is asked for."""
        self._run_cases.pop(run, None)

    def frames(self, run: str) -> Frames:
        """The frames of a run, read with what its case on the shelf has come to derive since."""
        file, row = self.run(run), self.library.run(run)
        shelf = (self.library.case(row["case"]) if row else None) or {}
        own = self.run_case(run)
        mark = (added(own.data, shelf), id(own))
        if run not in self._frames or self._frames[run][0] != mark:
            self._frames[run] = (mark, Frames(file, case_with(own, mark[0])))
        return self._frames[run][1]

    def ask_of_runs(self, case: str, data: dict[str, Any]) -> None:
        """Let runs of a case that are under way watch what it has come to derive and ask for."""
        for row in self.library.runs(case):
            try:
                file = self.run(row["id"])
                if file.get("status") == "running":
                    later = added(self.run_case(row["id"]).data, data)
                    if later != (file.get("later") or {}):
                        file.order("ask", later)
            except (HTTPException, CaseError):
                continue

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
