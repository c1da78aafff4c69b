"""Filling a home with the demo cases, and cases to begin from."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from underkettle.api import load
from underkettle.case.case import Case
from underkettle.case.cost import Cost, estimate
from underkettle.runs import control
from underkettle.server.shelf import card_of
from underkettle.store.library import Library

FOLDER = Path(__file__).resolve().parent.parent.parent / "demo"


def templates() -> list[dict[str, Any]]:
    """Cases to begin from, in their order."""
    return [load(file) for file in sorted((FOLDER / "templates").glob("*.json"))]


def fill(home: Path, runs: bool = False) -> None:
    """Put demo cases on the shelf that have never been there; keep what was changed or removed.

    runs : put those that come fresh into the queue, the quickest first, behind what anybody fires.
    """
    library = Library(home)
    fresh = []
    for file in sorted(FOLDER.glob("*.json")):
        if library.demo_case(file.stem) is None:
            data = load(file)
            built = Case(data)
            case = library.add_case(data, demo=file.stem, card=card_of(data, built))
            if runs:
                fresh.append((estimate(built), case, data))
    for cost, case, data in sorted(fresh, key=lambda f: f[0].seconds):
        library.add_run(case, partial(_waiting, data, cost))
    library.close()


def _waiting(data: dict[str, Any], cost: Cost, path: Path) -> None:
    control.enqueue(path, data, guess=cost, told=cost, behind=True)
