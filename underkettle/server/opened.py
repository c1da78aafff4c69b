"""What stays open between requests, and how fields travel."""

from __future__ import annotations

import json
import struct
import time
from collections import OrderedDict
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from threading import Event, Lock, Thread
from typing import Any, Generic, TypeVar

import numpy as np
from fastapi import HTTPException, Response
from pydantic import BaseModel, Field

from underkettle import __version__, matter
from underkettle.case.case import Case
from underkettle.case.cost import REMEMBERED, Pace, pace_of
from underkettle.case.faults import CaseError
from underkettle.case.later import added, case_with
from underkettle.engine.contract import find_phenomena
from underkettle.runs.execute import case_of
from underkettle.runs.margins import with_further, with_margins
from underkettle.runs.queue import Queue
from underkettle.runs.taste import Taste, Taster
from underkettle.runs.warming import warm_up
from underkettle.server import shelf
from underkettle.server.demo import templates
from underkettle.server.frames import Frames
from underkettle.server.views import case_view
from underkettle.store.database import StoreFault
from underkettle.store.home import BACKUP_EVERY, back_up
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

LOOKED_AT = 40  # newest runs of a case, one of which the next may begin from

T = TypeVar("T")
TEND_EVERY = 0.5  # s
AT_A_LOOK = 4  # cards of cases that are made at one look


class Edit(BaseModel):
    """A merge patch on a case or one of its variants, with the words the journal keeps for it."""

    patch: dict[str, Any]
    label: str = Field("edit", max_length=400)
    variant: str = ""


class Kept(Generic[T]):
    """The newest few of something that is costly to make again; safe to use from several threads."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._lock = Lock()
        self._found: OrderedDict[Any, T] = OrderedDict()

    def get(self, key: Any) -> T | None:
        with self._lock:
            if key in self._found:
                self._found.move_to_end(key)
            return self._found.get(key)

    def keep(self, key: Any, value: T) -> T:
        with self._lock:
            self._found[key] = value
            self._found.move_to_end(key)
            while len(self._found) > self.most:
                self._found.popitem(last=False)
        return value

    def forget(self, key: Any) -> None:
        with self._lock:
            self._found.pop(key, None)


class Opened:
    """Run files and cases kept open between requests."""

    def __init__(self, home: Path) -> None:
        self.library = Library(home)
        self.library.drop_cards(__version__)
        self.registry = find_phenomena()
        self.editing = Lock()  # an edit is read, worked out and written before the next one is read
        self.making_cards = Lock()
        self.taster = Taster()
        self.queue = Queue(self.library, self._kept)
        self.tastes: Kept[tuple[Case, Taste]] = Kept(24)  # the newest of each case
        self.notice = ""  # what is wrong with the home as a whole
        self._turns: dict[str, Lock] = {}
        self._took: dict[str, float] = {}  # finished runs: taken over estimated seconds
        self._files: Kept[RunFile] = Kept(128)
        self._run_cases: Kept[Case] = Kept(24)
        self._frames: Kept[tuple[Any, Frames]] = Kept(24)
        self._built: Kept[tuple[dict[str, Any], Case]] = Kept(48)

    @contextmanager
    def tended(self, ahead: bool) -> Iterator[None]:
        """While the server runs: the queue moves on, copies of the library are kept; ahead : what
        loads slowly is loaded.
        """
        ended = Event()

        def tend() -> None:
            backed_up = -BACKUP_EVERY
            while not ended.wait(TEND_EVERY):
                try:
                    self.queue.tick()
                    shelf.make_cards(self, AT_A_LOOK)
                    if time.monotonic() - backed_up > BACKUP_EVERY:
                        backed_up = time.monotonic()
                        back_up(self.library)
                    self.notice = ""
                except StoreFault as error:
                    self.notice = str(error)  # at the next look it may be mended

        for work in (tend, self.warm) if ahead else (tend,):
            Thread(target=work, daemon=True).start()
        try:
            yield
        finally:
            ended.set()
            self.taster.close()
            self.library.close()

    def helpers(self, run: str) -> list[str]:
        """Runs on coarser grids for the margin of this one, finer first."""
        return list(self.run(run).get("helpers") or [])

    def further(self, run: str) -> str:
        """The run with what is open further off, "" where none was asked for."""
        return str((self.run(run).get("further") or {}).get("run", ""))

    def row(self, run: str) -> dict[str, Any]:
        """What the library holds of a run. Raises 404 where there is no such run."""
        row = self.library.run(run)
        if row is None:
            raise HTTPException(404, "There is no such run.")
        return row

    def margins(self, run: str) -> None:
        """Write what other runs say into a run's result, once they have finished."""
        file, helpers = self.run(run), self.helpers(run)
        result, asked = file.get("result"), file.get("further")
        if helpers and result and "grids" not in result:
            others = [self.run(h).get("result") for h in helpers]
            if all(o and o["status"] == "finished" for o in others):
                result = with_margins(result, others)
                file.set(result=result)
        if asked and result and "further" not in result:
            other = self.run(asked["run"]).get("result")
            if other and other["status"] == "finished":
                file.set(result=with_further(result, other, asked["edges"]))

    def warm(self) -> None:
        """Load what loads slowly, so that nobody waits for it later."""
        warm_up()
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
        with self._turns.setdefault(case, Lock()):  # the same case is not worked out twice at once
            kept = self._built.get((case, variant))
            if kept is None or kept[0] != data:
                kept = self._built.keep(
                    (case, variant),
                    (
                        data,
                        Case(
                            data,
                            variant=variant or None,
                            registry=self.registry,
                            like=kept[1] if kept is not None else None,
                        ),
                    ),
                )
        return kept[1]

    def view(self, case: str, built: Case) -> dict[str, Any]:
        """What the Set screen shows of a case, worked out once."""
        pace = self.pace()
        with self._turns.setdefault(case, Lock()):
            if built.memo.get("pace of view") != pace:
                built.memo["view"], built.memo["pace of view"] = case_view(built, pace), pace
            found: dict[str, Any] = built.memo["view"]
        return found

    def pace(self) -> Pace:
        """What finished runs took here over what was estimated."""
        ratios = []
        for row in self.library.runs(most=REMEMBERED):
            if row["id"] not in self._took:
                try:
                    file = self.run(row["id"])
                    estimated, wall = file.get("estimated"), file.get("wall")
                    if file.get("status") != "finished" or not estimated or not wall:
                        continue
                except (HTTPException, StoreFault):
                    continue
                self._took[row["id"]] = wall / estimated
            ratios.append(self._took[row["id"]])
        return pace_of(ratios)

    def run(self, run: str) -> RunFile:
        """A run's file. Raises 404 where there is no such run, Damaged where its file is gone."""
        found = self._files.get(run)
        if found is None or not found.path.exists():
            row = self.row(run)
            found = self._files.keep(run, RunFile(row["file"]))
        return found

    def finished(self, case: str) -> Iterator[RunFile]:
        """Files of a case's runs, newest first, those that are gone or damaged left out."""
        for row in self.library.runs(case, most=LOOKED_AT):
            with suppress(LookupError, StoreFault):
                yield self._kept(row["id"])

    def _kept(self, run: str) -> RunFile:
        """A run's file. Raises LookupError where it is gone."""
        try:
            return self.run(run)
        except HTTPException as error:
            raise LookupError(run) from error

    def forget(self, run: str) -> None:
        """A run's case was changed: it is worked out again when it is asked for."""
        self._run_cases.forget(run)

    def drop(self, run: str) -> None:
        """Take a run away for good, with those that were run for it."""
        try:
            helpers = [*self.helpers(run), *filter(None, [self.further(run)])]
        except StoreFault:
            helpers = [r["id"] for r in self.library.runs() if r["serves"] == run]
        for one in (*helpers, run):
            for kept in (self._files, self._run_cases, self._frames):
                kept.forget(one)
            self.library.drop_run(one)

    def on_shelf(self, run: str) -> dict[str, Any]:
        """The case that a run is of, as it stands on the shelf; {} where it does not any more."""
        row = self.library.run(run)
        return (self.library.case(row["case"]) if row else None) or {}

    def frames(self, run: str) -> Frames:
        """The frames of a run, read with what its case on the shelf has come to derive since."""
        file, shelf, own = self.run(run), self.on_shelf(run), self.run_case(run)
        mark = (added(own.data, shelf), id(own))
        kept = self._frames.get(run)
        if kept is None or kept[0] != mark:
            kept = self._frames.keep(run, (mark, Frames(file, case_with(own, mark[0]))))
        return kept[1]

    def ask_of_runs(self, case: str, data: dict[str, Any]) -> None:
        """Let runs of a case that are under way watch what it has come to derive and ask for."""
        for row in self.library.runs(case, untold=True):
            try:
                file = self.run(row["id"])
                if file.get("status") == "running":
                    later = added(self.run_case(row["id"]).data, data)
                    if later != (file.get("later") or {}):
                        file.order("ask", later)
            except (HTTPException, CaseError, StoreFault):
                continue

    def run_case(self, run: str) -> Case:
        found = self._run_cases.get(run)
        if found is None:
            found = self._run_cases.keep(run, case_of(self.run(run), self.registry))
        return found


class Raw(Response):
    """A field: see `raw`."""

    media_type = "application/octet-stream"


def raw(header: dict[str, Any], values: np.ndarray) -> Raw:
    """Length of the header (uint32), the header as JSON padded to 4 bytes, float32 values."""
    text = json.dumps(header).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + np.ascontiguousarray(values, "<f4").tobytes()
    return Raw(body)
