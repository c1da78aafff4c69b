"""Reactions that belong together and are known from a paper: what a case may take from the library."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

from underkettle.engine.contract import KnownSet

FILE = Path(__file__).with_name("known.json")


@cache
def known_sets() -> tuple[KnownSet, ...]:
    """All of them, each reaction as it is typed, with its range and where its numbers come from."""
    return tuple(KnownSet(**entry) for entry in json.loads(FILE.read_text()))
