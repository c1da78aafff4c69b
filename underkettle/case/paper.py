"""The paper check: regime numbers and a hand estimate beside every readout."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from underkettle.case.case import Case
from underkettle.engine.contract import Estimate, Paper
from underkettle.quantities.units import unit_of
from underkettle.reading.readouts import dimension_of_readout, label_of, problems

AGREES = (0.83, 1.2)
WORTH_A_LOOK = (0.5, 2.0)


@dataclass(frozen=True)
class RegimeRow:
    symbol: str
    name: str
    value: float
    unit: str
    verdict: str
    note: str
    source: str


@dataclass(frozen=True)
class PaperRow:
    """`value` in SI; None where no relation fits."""

    readout: str
    label: str
    value: float | None
    unit: str
    by: str = ""
    tex: str = ""
    source: str = ""
    range: str = ""
    inside: bool = True
    note: str = ""


@dataclass(frozen=True)
class PaperCheck:
    regimes: list[RegimeRow]
    rows: list[PaperRow]


def verdict(ratio: float) -> str:
    """Solved over paper, in words."""
    if AGREES[0] <= ratio <= AGREES[1]:
        return "agrees"
    return "worth a look" if WORTH_A_LOOK[0] <= ratio <= WORTH_A_LOOK[1] else "doubt one of them"


def _declared(case: Case) -> list[Paper]:
    return [paper for p in case.phenomena.values() for paper in p.papers]


def paper_check(case: Case) -> PaperCheck:
    regimes = []
    for paper in _declared(case):
        if not paper.regime:
            continue
        found = _try(paper, case, None)
        if found is not None:
            regimes.append(RegimeRow(
                paper.regime, paper.name, found.value, unit_of(paper.dimension),
                found.verdict or (paper.verdict(found.value) if paper.verdict else ""), found.note,
                paper.source))
    rows = []
    for name, model in case.model.readouts.items():
        if problems(case, name):
            continue
        unit = case.readout_unit(name, dimension_of_readout(case, name))
        row = PaperRow(name, label_of(case, name), None, unit)
        for paper in _declared(case):
            if paper.regime:
                continue
            found = _try(paper, case, model)
            if found is not None:
                row = PaperRow(name, label_of(case, name), found.value, unit, paper.name, paper.tex,
                               paper.source, paper.range, found.inside, found.note)
                break
        rows.append(row)
    return PaperCheck(regimes, rows)


def _try(paper: Paper, case: Case, readout: Any) -> Estimate | None:
    """An estimate, or None when what it needs is not given yet."""
    try:
        found = paper.compute(case.facts, readout)
    except (KeyError, ZeroDivisionError, ValueError):
        return None
    return found and replace(found, value=float(found.value), inside=bool(found.inside))
