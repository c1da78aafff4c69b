"""What is said of places and values: missing, said twice, or said to no end."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from underkettle.case.rules.rule import CaseRule
from underkettle.engine.contract import Finding
from underkettle.engine.marching.order import providers
from underkettle.quantities import names_in

if TYPE_CHECKING:
    from underkettle.case.case import Case


def _missing(case: Case) -> Iterator[Finding]:
    for column in case.columns:
        for on, place in case.rows():
            cell = case.cell(on, place, column.id)
            if cell.state == "missing":
                yield Finding(
                    "stops",
                    f"{case.label(place)} says nothing about {column.label.lower()}.",
                    cell.why,
                    place,
                    column.id,
                    cure_label="Give value",
                )


def _twice(case: Case) -> Iterator[Finding]:
    for column in case.columns:
        for on, place in case.rows():
            cell = case.cell(on, place, column.id)
            if cell.ruled_by != "contradiction":
                continue
            typed = dict(cell.typed)
            condition = case.phenomena[column.phenomenon].condition(on, cell.kind)
            twice = [n for n in (condition.one_of if condition else ()) if n in typed]
            yield Finding(
                "contradiction",
                f"{case.label(place)} is told {column.label.lower()} twice.",
                f"{cell.text} and {cell.ruled_text}: the last one typed would rule.",
                place,
                column.id,
                cure=((f"conditions/{place}/{column.id}/{twice[0]}", None),),
                cure_label=f"Strike {typed[twice[0]]}",
            )


def _lost(case: Case) -> Iterator[Finding]:
    for place in case.lost_places():
        yield Finding(
            "doubt",
            f"Conditions are given for {place}, which is not drawn now.",
            "They are kept, and hold again if the place comes back.",
            place,
            cure=((f"conditions/{place}", None), (f"start/{place}", None)),
            cure_label="Forget them",
        )


def _lacking(case: Case) -> Iterator[Finding]:
    for name, phenomenon in case.phenomena.items():
        for need in phenomenon.needs:
            if not need.optional and not providers(need.capability, case.phenomena):
                yield Finding(
                    "stops",
                    f"{phenomenon.label} needs a {need.capability} and nothing "
                    "switched on offers one.",
                    "Switch on what provides it.",
                    column=name,
                )


def _rivals(case: Case) -> Iterator[Finding]:
    for capability in sorted({p for q in case.phenomena.values() for p in q.provides}):
        if capability.startswith(("force", "source:")):
            continue
        who = providers(capability, case.phenomena)
        if len(who) > 1:
            yield Finding(
                "contradiction",
                f"{' and '.join(who)} both offer {capability}.",
                "Only one can hold in a place; switch one off.",
                column=who[-1],
            )


def _texts(value: Any) -> Iterator[str]:
    if isinstance(value, dict):
        for inner in value.values():
            yield from _texts(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _texts(inner)
    elif isinstance(value, str):
        yield value


def _unused(case: Case) -> Iterator[Finding]:
    """Parameters that nothing names, here or in any variant."""
    used: set[str] = set()
    for text in _texts(
        {
            k: v
            for k, v in case.source.items()
            if k not in ("name", "summary", "question", "sources")
        }
    ):
        used |= names_in(text, case.model.parameters)
    controls = {s.control for s in case.model.stages.values()}
    for name in case.model.parameters:
        if name not in used | controls:
            yield Finding(
                "doubt",
                f"Nothing uses the parameter {name}.",
                "A change of it changes nothing.",
                column=name,
                cure=((f"parameters/{name}", None),),
                cure_label="Drop it",
            )


def _idle_variants(case: Case) -> Iterator[Finding]:
    for name, patch in case.source.get("variants", {}).items():
        if not patch:
            yield Finding(
                "doubt",
                f"The variant {name} differs in nothing.",
                "Its runs would be those of the base.",
                column=name,
            )


SAID = (
    CaseRule("says nothing", _missing),
    CaseRule("told twice", _twice),
    CaseRule("place not drawn", _lost),
    CaseRule("lacks what it needs", _lacking),
    CaseRule("two offer one thing", _rivals),
    CaseRule("parameter without use", _unused),
    CaseRule("variant without a difference", _idle_variants),
)
