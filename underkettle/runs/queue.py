"""The queue: runs wait, and start in their order, at most as many at once as there are cores."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator

from underkettle.runs import control
from underkettle.store.database import StoreFault
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile


class Queue:
    """Looks after the runs of one library. Waiting runs wait in their files, so that a server that
    starts again goes on with them.
    """

    def __init__(
        self, library: Library, file_of: Callable[[str], RunFile], slots: int | None = None
    ) -> None:
        self.library, self.file_of = library, file_of
        self.slots = slots or max(1, os.cpu_count() or 1)
        self._closed: set[str] = set()  # runs that have ended: not looked at again
        self._turn = threading.Lock()

    def _open(self) -> Iterator[tuple[str, float, RunFile]]:
        """Runs that have not ended, when each was queued, and their files."""
        for row in self.library.runs(untold=True):
            if row["id"] in self._closed:
                continue
            try:
                file = self.file_of(row["id"])
                queued = file.get("queued")
            except (LookupError, StoreFault):
                continue  # gone or damaged: it stands in no other's way
            if queued is not None:  # else it is being written just now
                yield row["id"], float(queued), file

    def tick(self) -> None:
        """Start what may start now. What stands behind all others leaves one core free, so that
        what anybody fires begins at once.
        """
        with self._turn:
            running, waiting = 0, []
            for run, queued, file in self._open():
                status = control.status_of(file)
                if status == "running":
                    running += 1
                elif status == "waiting":
                    waiting.append((queued, file))
                else:
                    self._closed.add(run)
            free = self.slots - running
            for queued, file in sorted(waiting, key=lambda pair: pair[0]):
                kept_free = 1 if queued > time.time() and self.slots > 1 else 0
                if free <= kept_free:
                    break
                control.launch(file.path)
                free -= 1

    def resume(self, run: str) -> str:
        """Let a run that had ended go on from its newest checkpoint; its status before. Nothing
        happens to one that waits, runs or is done.
        """
        with self._turn:
            file = self.file_of(run)
            status = control.status_of(file)
            if status in ("interrupted", "stopped"):
                file.take_orders()
                control.launch(file.path)
                self.library.reopen_run(run)  # now that nobody can take it for ended any more
                self._closed.discard(run)
            return status

    def places(self) -> dict[str, int]:
        """Waiting runs and their place, 1 for the next."""
        waiting = [
            (queued, run) for run, queued, file in self._open() if file.get("status") == "waiting"
        ]
        return {run: k for k, (_, run) in enumerate(sorted(waiting), start=1)}

    def first(self, run: str) -> None:
        """Let a waiting run be the next."""
        earliest = min(
            (float(self.file_of(r).get("queued", 0.0)) for r in self.places()), default=time.time()
        )
        self.file_of(run).set(queued=min(earliest - 1.0, time.time()))

    def cancel(self, run: str) -> bool:
        """Take a waiting run out; False where it does not wait any more."""
        with self._turn:
            file = self.file_of(run)
            if file.get("status") != "waiting":
                return False
            file.set(status="stopped", message="Taken out of the queue before it began.")
            return True
