"""Filling a home with the demo cases, and cases to begin from."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from underkettle.api import load
from underkettle.store.library import Library

FOLDER = Path(__file__).resolve().parent.parent.parent / "demo"


def templates() -> list[dict[str, Any]]:
    """Cases to begin from, in their order."""
    return [load(file) for file in sorted((FOLDER / "templates").glob("*.json"))]


def fill(home: Path) -> None:
    """Put demo cases on the shelf that have never been there; keep what was changed or removed."""
    library = Library(home)
    for file in sorted(FOLDER.glob("*.json")):
        if library.demo_case(file.stem) is None:
            library.add_case(load(file), demo=file.stem)
    library.close()
