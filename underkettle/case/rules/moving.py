"""What is said of parts of the vessel that move."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from underkettle.case.rules.rule import CaseRule
from underkettle.engine.contract import Finding, FollowsParts

if TYPE_CHECKING:
    from underkettle.case.case import Case


def _nowhere(case: Case) -> Iterator[Finding]:
    """A part that is to move and is not drawn."""
    parts = case.model.vessel.parts
    for name, declared in case.phenomena.items():
        for part in declared.moves(case.settings[name]):
            if part not in parts:
                yield Finding(
                    "stops",
                    f"{declared.label} moves {part}, which is not drawn.",
                    f"Parts: {', '.join(parts)}.",
                    column=name,
                )


def _not_solid(case: Case) -> Iterator[Finding]:
    """Only what is cut out can move: space and zones stay where they are drawn."""
    for part, name in case.moving.items():
        given = case.model.vessel.parts[part]
        if given.does != "cut":
            yield Finding(
                "contradiction",
                f"{case.label(part)} cannot move.",
                "Only what is cut out of the vessel can: space, zones and screens stay.",
                part,
                name,
                cure=((f"vessel/parts/{part}/does", "cut"),),
                cure_label="Cut it out",
            )
        for nozzle, on in case.model.vessel.nozzles.items():
            if on.part == part:
                yield Finding(
                    "contradiction",
                    f"{case.label(nozzle)} sits on {part}, which moves.",
                    "A nozzle stays where it is; put it on what stands still.",
                    nozzle,
                    name,
                )


def _rivals(case: Case) -> Iterator[Finding]:
    """Two that move one part."""
    movers: dict[str, list[str]] = {}
    for name, declared in case.phenomena.items():
        for part in declared.moves(case.settings[name]):
            movers.setdefault(part, []).append(name)
    for part, names in movers.items():
        if len(names) > 1:
            yield Finding(
                "contradiction",
                f"{' and '.join(names)} both move {part}.",
                "It can only be in one place; switch one off.",
                part,
                names[1],
            )


def _cannot_follow(case: Case) -> Iterator[Finding]:
    """Phenomena that know the vessel only as it is drawn."""
    for name in case.phenomena if case.moving else ():
        if not isinstance(case.reader(name), FollowsParts):
            yield Finding(
                "contradiction",
                f"{case.phenomena[name].label} cannot follow parts that move.",
                f"{', '.join(case.moving)} would move under it; switch one of them off.",
                column=name,
            )


MOVING = (
    CaseRule("moves what is not drawn", _nowhere),
    CaseRule("moves what cannot move", _not_solid),
    CaseRule("two move one part", _rivals),
    CaseRule("cannot follow what moves", _cannot_follow),
)
