"""The board of phenomena: what each would take and give in this case, and whether it matters."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.model import merge_patch
from underkettle.case.paper import RegimeRow, regimes_of
from underkettle.engine.contract import DOES, Need, Phenomenon, Provides
from underkettle.engine.contract.offers import spoken

NAMED = 3  # so many things of one kind are named, more are counted


@dataclass(frozen=True)
class Link:
    """What one takes or gives, in words, and who in the case is at the other end.

    must : it cannot do without.
    """

    says: str
    who: list[str]
    must: bool = False


@dataclass(frozen=True)
class Offered:
    """One phenomenon as it would stand in a case.

    later : its regime numbers need values that only the modeller knows. trouble : why it cannot be
    switched on.
    """

    name: str
    label: str
    about: str
    does: str
    group: str
    on: bool
    needs: list[Link]
    gives: list[Link]
    regimes: list[RegimeRow]
    later: bool = False
    trouble: str = ""


def board(case: Case) -> list[Offered]:
    """Every installed phenomenon, group by group: those that are on as they are, the others as
    if they were switched on by themselves.
    """
    order = list(DOES)
    rows = sorted(case.registry.items(), key=lambda item: order.index(item[1].does))
    return [_offered(case, name, phenomenon) for name, phenomenon in rows]


def _offered(case: Case, name: str, phenomenon: Phenomenon) -> Offered:
    settings: Mapping[str, Any] = case.settings.get(name, phenomenon.blank())
    trouble, regimes = "", []
    try:
        there = case if name in case.phenomena else _with(case, name, phenomenon)
        settings = there.settings[name]
        if there is case or not phenomenon.guesses:
            regimes = regimes_of(there, [p for p in phenomenon.papers if p.regime])
    except CaseError as error:
        trouble = error.faults[0].says
    others = {n: p for n, p in case.phenomena.items() if n != name}
    provided = {p.label: p.provides(case.settings[n]) for n, p in others.items()}
    needed = {p.label: p.needs(case.settings[n]) for n, p in others.items()}
    needs, gives = phenomenon.needs(settings), phenomenon.provides(settings)
    return Offered(
        name,
        phenomenon.label,
        phenomenon.about,
        phenomenon.does,
        DOES[phenomenon.does],
        name in case.phenomena,
        list(_links(needs, provided)),
        list(_links(gives, needed)),
        regimes,
        name not in case.phenomena
        and phenomenon.guesses
        and any(p.regime for p in phenomenon.papers),
        trouble,
    )


def _with(case: Case, name: str, phenomenon: Phenomenon) -> Case:
    patch = {"phenomena": {name: phenomenon.blank()}}
    return Case(merge_patch(case.data, patch), registry=case.registry, like=case)


def _links(
    mine: Sequence[Need] | Sequence[Provides],
    theirs: Mapping[str, Sequence[Need] | Sequence[Provides]],
) -> Iterator[Link]:
    """One for each kind of offer; things of one kind stand together."""
    for kind in dict.fromkeys(m.kind for m in mine):
        ours = [m for m in mine if m.kind is kind]
        named = list(dict.fromkeys(m.of for m in ours if "." not in m.of))
        words = spoken(
            kind, " and ".join(named).replace("_", " ") if len(named) <= NAMED else str(len(named))
        )
        who = [
            label
            for label, offers in theirs.items()
            if any(o.kind is kind and o.of in {m.of for m in ours} for o in offers)
        ]
        yield Link(words, who, any(isinstance(m, Need) and not m.optional for m in ours))
