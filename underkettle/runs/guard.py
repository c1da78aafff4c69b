"""Stopping a run within a second, however long its sweeps are.

The march looks at orders between steps. A sweep that factors a large system takes seconds, so a
thread beside it looks too: an order to stop that the march has not taken by then is carried out
with the state as the last whole step left it, and the process ends.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable
from typing import Any

from underkettle.engine.marching.state import State
from underkettle.store.runfile import RunFile

LOOK_EVERY = 0.1  # s
LATE = 0.5  # s after which an order counts as not taken
SLOW = 0.25  # s; after a step this long its state is set aside for the guard


class Guard(threading.Thread):
    """A listener of the march and the thread that steps in. `end(file, state)` writes the result."""

    def __init__(self, path: Any, state: State, end: Callable[[RunFile, State], None]) -> None:
        super().__init__(daemon=True)
        self.path, self.end = path, end
        self.spare = State()
        state.copy_into(self.spare)
        self._wall = 0.0
        self._ending = threading.Lock()

    # ------------------------------------------------------------ what the march tells

    def step(self, report: Any) -> None:
        self.hold()
        self._wall = report.wall

    def frame(self, *args: Any) -> None:
        self.hold()

    def log(self, *args: Any) -> None:
        self.hold()

    def safe_point(self, state: State) -> None:
        self.hold()
        if self._wall > SLOW:
            with self._ending:
                state.copy_into(self.spare)

    def hold(self) -> None:
        """Wait for ever where the guard has stepped in."""
        with self._ending:
            pass

    # ------------------------------------------------------------ the thread

    def run(self) -> None:
        file, seen = RunFile(self.path), 0.0
        while True:
            time.sleep(LOOK_EVERY)
            if not file.is_ordered("stop"):
                seen = 0.0
                continue
            seen = seen or time.monotonic()
            if time.monotonic() - seen < LATE:
                continue
            with self._ending:
                if file.is_ordered("stop"):
                    file.take_orders()
                    self.end(file, self.spare)
                    os._exit(0)
