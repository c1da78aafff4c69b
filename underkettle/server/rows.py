"""A run as lists show it. One that has ended is looked at once and remembered, until its file
changes; one that cannot be read says so and stands in no other's way.
"""

from __future__ import annotations

from typing import Any

from fastapi import HTTPException

from underkettle.case.cost import SPREAD
from underkettle.runs import control
from underkettle.runs.left import time_left
from underkettle.server.keeps import Keeps
from underkettle.store.database import StoreFault
from underkettle.store.runfile import RunFile, mark_of

LOOKED_AT = 200  # rows of the histories that tell how long a run still takes
ENDED = ("finished", "stopped", "failed")


def told_row(kept: Keeps, row: dict[str, Any]) -> dict[str, Any]:
    """row : of the library. Never raises for a damaged run."""
    mark = mark_of(row["file"])
    if row["told"] is not None and row["mark"] == mark:
        return dict(row["told"])
    try:
        told = run_row(kept, row)
    except (StoreFault, HTTPException) as error:
        says = str(error) if isinstance(error, StoreFault) else "Its file is gone."
        return {
            "id": row["id"],
            "number": row["number"],
            "case": row["case"],
            "created": row["created"],
            "serves": row["serves"],
            "status": "damaged",
            "message": f"{says} Drop this run; the others are not touched.",
            "last_frame": None,
        }
    ended = (*ENDED, "interrupted")
    others = [*told["helpers"], *filter(None, [told["further"]])]
    if told["status"] in ENDED and all(other in ended for other in others):
        kept.library.tell_run(row["id"], told, mark, row["reopened"])
    return told


def run_row(kept: Keeps, row: dict[str, Any]) -> dict[str, Any]:
    """Read from the run's file. Raises StoreFault."""
    file = kept.run(row["id"])
    status = control.status_of(file)
    message = file.get("message", "") if status != "interrupted" else _last_words(file)
    return {
        "id": row["id"],
        "number": row["number"],
        "case": row["case"],
        "variant": file.get("variant") or "",
        "created": row["created"],
        "status": status,
        "serves": row["serves"],
        "wall": file.get("wall", 0.0),
        "frames": file.frame_count(),
        "lines": file.log_lines(),
        "newest": file.newest_watch(),
        "message": message,
        "result": file.get("result"),
        "cells": file.get("cells"),
        "expected": file.get("expected"),
        "left": _left(file) if status == "running" else None,
        "adjusted": file.get("adjusted") or [],
        "place": kept.queue.places().get(row["id"], 0) if status == "waiting" else 0,
        "helpers": [_status(kept, h) for h in kept.helpers(row["id"])],
        "further": _status(kept, further) if (further := kept.further(row["id"])) else None,
        "last_frame": file.last_frame(),
    }


def _last_words(file: RunFile) -> str:
    """What a process that ended by itself left behind."""
    try:
        lines = file.path.with_suffix(".err").read_text(errors="replace").strip().splitlines()
    except OSError:
        return ""
    return lines[-1][:400] if lines else ""


def _status(kept: Keeps, run: str) -> str:
    try:
        return control.status_of(kept.run(run))
    except (StoreFault, HTTPException):
        return "damaged"


def _left(file: RunFile) -> tuple[float, float] | None:
    """Seconds a running run still takes, low and high."""
    return time_left(
        file.watches(most=LOOKED_AT), file.get("stages") or [], float(file.get("spread") or SPREAD)
    )
