"""Starting, stopping and looking after run processes.

Each run is a process of its own, in its own session: it outlives the server that started it.
"""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path
from typing import Any

from underkettle.case.cost import Cost
from underkettle.runs.execute import prepare, process_started
from underkettle.store.runfile import RunFile

SILENT = 60.0  # seconds without a sign of life before a run of unknown process counts as gone

_BEHIND = 1e9  # seconds later than anything fired

_children: list[subprocess.Popen[bytes]] = []


def launch(path: Path) -> None:
    """Start or resume the process of a run file."""
    with path.with_suffix(".err").open("ab") as errors:
        child = subprocess.Popen(
            [sys.executable, "-m", "underkettle.runs.worker", str(path)],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=errors,
            start_new_session=True,
        )
    _children.append(child)
    file = RunFile(path)
    file.set(
        pid=child.pid, pid_started=process_started(child.pid), beat=time.time(), status="running"
    )
    file.close()


def enqueue(
    path: Path,
    data: dict[str, Any],
    variant: str | None = None,
    grid: float = 1.0,
    guess: Cost | None = None,
    told: Cost | None = None,
    behind: bool = False,
    begins: Path | None = None,
) -> None:
    """Put a run into the queue. guess : its cost before anything was learnt here; told : what
    people were told; behind : whatever comes without this goes before it. begins : the file of
    a run whose solution steady stages begin from.
    """
    file = RunFile(path, new=True)
    prepare(file, data, variant=variant, grid=grid, begins=begins)
    if guess is not None and told is not None:
        file.set(
            estimated=guess.seconds,
            expected=[told.low, told.high],
            stages=told.stages,
            spread=(told.high / max(told.low, 1e-9)) ** 0.5,
        )
    file.set(queued=time.time() + (_BEHIND if behind else 0.0))  # last: now it may begin
    file.close()


def status_of(file: RunFile) -> str:
    """The status as kept, but "interrupted" when a running run's process is gone."""
    for child in list(_children):
        if child.poll() is not None:
            _children.remove(child)
    status = str(file.get("status", "waiting"))
    if status != "running":
        return status
    pid, started = int(file.get("pid", 0)), str(file.get("pid_started", ""))
    if pid and started and process_started(pid) == started:
        return "running"
    # it may have ended between the two looks
    status = str(file.get("status", "waiting"))
    return "interrupted" if status == "running" else status
