"""What is asked of how a case names conductors and the surfaces between them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from underkettle.engine.contract import Facts
from underkettle.phenomena.charge.sweeping import Sweep, sweep_of

ME = "charge"
CHARGES, BUTLER, RESISTS = "charging only", "Butler-Volmer", "as a resistance"
KINETICS = (CHARGES, BUTLER, RESISTS)
# edges at one potential that is solved for, and those of them that are told what they carry
JOINED = "carries", "floats", "cycled", "through a load", "at a rate", "at a power"
DRIVEN = tuple(kind for kind in JOINED if kind != "through a load")
FULL, REDUCED = WAYS = "in full", "by shapes"
FORMS = "reduced", "oxidised"  # what a current out of a surface uses up, and what it makes of it
TAKES = "takes"  # what a double layer takes out of the liquid as it is charged
ROWS = 100  # steps that a sweep is told in, at least


def conductors(settings: Mapping[str, Any]) -> Mapping[str, Any]:
    return dict(settings.get("members", {}))


def passages(settings: Mapping[str, Any]) -> Mapping[str, Any]:
    return dict(settings.get("passages", {}))


def cells(settings: Mapping[str, Any]) -> Mapping[str, Any]:
    return dict(settings.get("cells", {}))


def between(settings: Mapping[str, Any]) -> Mapping[str, Any]:
    """All that leads from one conductor to another: passages and cells."""
    return {**passages(settings), **cells(settings)}


def forms(settings: Mapping[str, Any]) -> dict[str, list[str]]:
    """Substances that passages turn into each other or take up, and which passages do."""
    found: dict[str, list[str]] = {}
    for name, passage in passages(settings).items():
        for form in (*FORMS, TAKES):
            if passage.get(form):
                found.setdefault(str(passage[form]), []).append(name)
    return found


def ends(settings: Mapping[str, Any], passage: Mapping[str, Any]) -> tuple[str, str]:
    """The conductors that it leads out of and into; "" for what lies beyond a wall."""
    names = list(conductors(settings))
    first = names[0] if len(names) > 1 else ""
    return str(passage.get("out_of") or first), str(passage.get("into") or names[-1])


def swept(facts: Facts) -> Iterator[tuple[str, str, Sweep]]:
    """Edges that are swept, in which column, and their sweeps."""
    for name in conductors(facts.settings(ME)):
        column = f"{ME}.{name}"
        for edge in facts.edges():
            if facts.kind(edge, column) == "swept":
                yield edge, column, sweep_of(facts.values(edge, column))
