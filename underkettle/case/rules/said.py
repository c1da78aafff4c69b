"""What is said of places and values: missing, said twice, or said to no end."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import TYPE_CHECKING, Any

from underkettle.case.rules.rule import CaseRule
from underkettle.engine.contract import Finding, Source
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


def _unplaced(case: Case) -> Iterator[Finding]:
    """Settings that name a place which is not drawn."""
    for name, declared in case.phenomena.items():
        for where, of in declared.sets(case.settings[name]):
            for param in of.params:
                value = of.values.get(param.name)
                if param.kind != "place" or value is None:
                    continue
                known = {
                    "edge": case.places("edge"),
                    "zone": case.zones,
                    "": (*case.places("edge"), *case.zones),
                }[param.among]
                if value not in known:
                    yield Finding(
                        "stops",
                        f"{of.label}: {param.says} "
                        + (f"is {value}, which is not drawn now." if value else "is not said yet."),
                        f"Places: {', '.join(known)}.",
                        column=name,
                        cure=(("/".join(("phenomena", name, *where, param.name)), known[0]),)
                        if len(known) == 1
                        else (),
                        cure_label="Take the only one",
                    )


def _lacking(case: Case) -> Iterator[Finding]:
    for name, meeting in case.meetings.items():
        label = case.phenomena[name].label
        for need in meeting.needs:
            if not need.optional and not providers(need.kind, need.of, case.meetings):
                yield Finding(
                    "stops",
                    f"{label} needs {need.says}, and nothing switched on offers one.",
                    "Switch on what provides it.",
                    column=name,
                )


def _rivals(case: Case) -> Iterator[Finding]:
    """Two that offer what only one can in some zone."""
    offered = [(n, p) for n, m in sorted(case.meetings.items()) for p in m.provides]
    for (one, mine), (other, theirs) in combinations(offered, 2):
        alike = (mine.kind, mine.of) == (theirs.kind, theirs.of)
        if not alike or mine.kind.adds or one == other:
            continue
        everywhere = mine.zones is None or theirs.zones is None
        shared = sorted({*(mine.zones or ())} & {*(theirs.zones or ())})
        if everywhere or shared:
            where = f" in {', '.join(map(case.label, shared))}" if shared else ""
            yield Finding(
                "contradiction",
                f"{one} and {other} both offer {mine.says}{where}.",
                "Only one can hold in a place; switch one off.",
                column=other,
            )


def _following(case: Case) -> set[str]:
    """Substances that others leave room for, so that nobody has to balance them."""
    told = (p.matter(case.settings[n]) for n, p in case.phenomena.items())
    return {name for matter in told for name, stuff in matter.items() if stuff.follows}


def _given_to(case: Case) -> Iterator[Finding]:
    """Sources of what nothing balances, or of a name that two bear."""
    follow = _following(case)
    for name, meeting in case.meetings.items():
        nowhere = []
        for what in meeting.provides:
            if what.kind is not Source:
                continue
            takers = [
                f"{n}.{q}"
                for n, p in case.phenomena.items()
                for q in p.quantities(case.settings[n])
                if what.of in (q, f"{n}.{q}")
            ]
            if not takers and what.of not in follow:
                nowhere.append(what.of)
            elif len(takers) > 1:
                yield Finding(
                    "contradiction",
                    f"{name} gives {what.of}, which {' and '.join(takers)} both are.",
                    "What it gives would be counted twice.",
                    column=name,
                )
        if nowhere:
            yield Finding(
                "doubt",
                f"{name} gives {' and '.join(nowhere)}, which nothing balances.",
                "What it gives goes nowhere.",
                column=name,
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
    CaseRule("set to a place not drawn", _unplaced),
    CaseRule("lacks what it needs", _lacking),
    CaseRule("two offer one thing", _rivals),
    CaseRule("given to nobody", _given_to),
    CaseRule("parameter without use", _unused),
    CaseRule("variant without a difference", _idle_variants),
)
