"""Which of the runs there are lies nearest to one that is to be made."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from underkettle.case.model import merge_patch
from underkettle.store.database import StoreFault
from underkettle.store.runfile import RunFile

SAID = ("parameters", "vessel", "grid", "phenomena", "conditions", "start", "dimension")


def _leaves(value: Any, path: tuple[str, ...] = ()) -> dict[tuple[str, ...], Any]:
    """Every value of a case, by where it stands."""
    if not isinstance(value, Mapping):
        return {path: value}
    found: dict[tuple[str, ...], Any] = {}
    for name, inner in value.items():
        found |= _leaves(inner, (*path, name))
    return found


def _said(data: Mapping[str, Any], variant: str) -> dict[tuple[str, ...], Any]:
    """What a case says of what is solved for, a variant applied."""
    patch = data.get("variants", {}).get(variant, {}) if variant else {}
    changed = merge_patch(data, {k: v for k, v in patch.items() if k in SAID})
    return _leaves({name: changed[name] for name in SAID if name in changed})


def apart(
    data: Mapping[str, Any],
    variant: str,
    grid: float,
    other: Mapping[str, Any],
    its: str,
    fine: float,
) -> float | None:
    """How far two cases lie apart: the values in which they differ, and half of how many times
    finer one grid is per direction, in octaves. None where one is turned and the other is not, or
    where they solve for other phenomena.
    """
    mine, theirs = _said(data, variant), _said(other, its)
    if data.get("dimension") != other.get("dimension"):
        return None
    if set(data.get("phenomena", {})) != set(other.get("phenomena", {})):
        return None
    differing = sum(mine.get(k) != theirs.get(k) for k in {*mine, *theirs})
    return differing + 0.5 * abs(math.log2(grid / fine))


def nearest(
    files: Iterable[RunFile], data: Mapping[str, Any], variant: str = "", grid: float = 1.0
) -> Path | None:
    """The file of the finished run that lies nearest; of equals the first. None without any."""
    best, found = math.inf, None
    for file in files:
        try:
            if file.get("status") != "finished":
                continue
            away = apart(
                data, variant, grid, file.get("data"), file.get("variant") or "", file.get("grid")
            )
        except StoreFault:
            continue
        if away is not None and away < best:
            best, found = away, file.path
    return found
