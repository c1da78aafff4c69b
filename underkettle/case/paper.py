"""The paper check: regime numbers and a hand estimate beside every readout."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.worked import Worked
from underkettle.engine.contract import Estimate, Paper
from underkettle.paper.all import RELATIONS
from underkettle.paper.relation import Relation
from underkettle.quantities import dimension_of
from underkettle.quantities.units import unit_of
from underkettle.reading.readouts import dimension_of_readout, label_of, problems
from underkettle.reading.spans import drawn

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
    tex: str


@dataclass(frozen=True)
class PaperRow:
    """`value` in SI; None where no relation fits. `measured` : low and high (SI) where typed.
    `own` : the name of the entry in `papers`, where the modeller added it.
    """

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
    measured: tuple[float, float] | None = None
    own: str = ""


@dataclass(frozen=True)
class PaperCheck:
    """`added` are relations of the modeller's that speak to no readout."""

    regimes: list[RegimeRow]
    rows: list[PaperRow]
    added: list[PaperRow]


def verdict(ratio: float) -> str:
    """Solved over paper, in words."""
    if AGREES[0] <= ratio <= AGREES[1]:
        return "agrees"
    return "worth a look" if WORTH_A_LOOK[0] <= ratio <= WORTH_A_LOOK[1] else "doubt one of them"


def paper_check(case: Worked) -> PaperCheck:
    declared = [paper for p in case.phenomena.values() for paper in p.papers]
    own = {name: _own(case, name) for name in case.model.papers}
    rows = []
    for name in case.model.readouts:
        if problems(case, name):
            continue
        row = _row(case, name, [p for p in declared if not p.regime])
        mine = [r for r in own.values() if r.readout == name]
        if mine:
            row = replace(mine[0], label=row.label, measured=row.measured, unit=row.unit)
        rows.append(row)
    return PaperCheck(
        regimes_of(case, [p for p in declared if p.regime]),
        rows,
        [r for r in own.values() if not r.readout],
    )


def regimes_of(case: Worked, papers: list[Paper]) -> list[RegimeRow]:
    """Regime numbers of a case, as far as they apply."""
    found = []
    for paper in papers:
        value = _try(paper, case, None)
        if value is not None:
            told = value.verdict or (paper.verdict(value.value) if paper.verdict else "")
            found.append(
                RegimeRow(
                    paper.regime,
                    paper.name,
                    value.value,
                    unit_of(paper.dimension),
                    told,
                    value.note,
                    paper.source,
                    paper.tex,
                )
            )
    return found


def _row(case: Worked, name: str, papers: list[Paper]) -> PaperRow:
    model = case.model.readouts[name]
    unit = case.readout_unit(name, dimension_of_readout(case, name))
    row = PaperRow(name, label_of(case, name), None, unit, measured=measured(case, name))
    for paper in papers:
        if drawn(model) and not paper.drawn:
            continue  # it speaks of places as a whole
        found = _try(paper, case, model)
        if found is not None:
            return replace(
                row,
                value=found.value,
                by=paper.name,
                tex=paper.tex,
                source=paper.source,
                range=paper.range,
                inside=found.inside,
                note=found.note,
            )
    return row


def measured(case: Worked, readout: str) -> tuple[float, float] | None:
    """What was measured of a readout: low and high (SI). Raises CaseError."""
    typed = case.model.readouts[readout].measured
    if typed is None:
        return None
    where, dimension = path("readouts", readout, "measured"), dimension_of_readout(case, readout)
    ends = typed if isinstance(typed, tuple) else (typed, typed)
    low, high = sorted(case.number(v, dimension, where) for v in ends)
    return low, high


def check_papers(case: Worked) -> None:
    """Every relation added by hand, and everything measured, can be read. Raises CaseError."""
    faults: list[Fault] = []
    checks = [(measured, name) for name, r in case.model.readouts.items() if r.measured is not None]
    for check, name in (*checks, *((_own, name) for name in case.model.papers)):
        try:
            if check is _own or not problems(case, name):
                check(case, name)
        except CaseError as error:
            faults += error.faults
    if faults:
        raise CaseError(faults)


def taken(
    relation: Relation, typed: Mapping[str, Any], case: Worked | None, where: str
) -> dict[str, float]:
    """What a relation takes, in SI, from what was typed. Raises CaseError."""
    from underkettle.case.values import read_number, read_parameters

    known = {t.name: t for t in relation.takes}
    for name in typed:
        if name not in known:
            raise fault(
                path(where, name),
                f"{relation.label} takes no '{name}'",
                f"It takes {', '.join(known)}.",
            )
    names = case.names if case is not None else read_parameters({})
    values = {}
    for name, takes in known.items():
        text = typed.get(name, takes.default)
        if text in ("", None):
            raise fault(
                path(where, name),
                f"{takes.label} is not given",
                f"Give it, for instance '{f'1 {unit_of(takes.dimension)}'.strip()}'.",
            )
        values[name] = read_number(text, takes.dimension, names, path(where, name))
    return values


def evaluate(relation: Relation, values: Mapping[str, float], where: str) -> tuple[float, bool]:
    """Value (SI) and whether it lies inside the relation's range. Raises CaseError."""
    try:
        value = float(relation.compute(**values))
        inside = bool(relation.fits(**values))
    except (ValueError, ZeroDivisionError, OverflowError, TypeError) as error:
        raise fault(
            where,
            f"{relation.label} has no value for these numbers",
            "Look for a nought or a negative among them.",
        ) from error
    return value, inside


def _own(case: Worked, name: str) -> PaperRow:
    model, where = case.model.papers[name], path("papers", name)
    relation = RELATIONS.get(model.relation)
    if relation is None:
        raise fault(
            path(where, "relation"),
            f"there is no relation '{model.relation}'",
            f"Relations: {', '.join(RELATIONS)}.",
        )
    values = taken(relation, model.takes, case, path(where, "takes"))
    value, inside = evaluate(relation, values, where)
    if model.readout is not None and model.readout in case.model.readouts:
        dimension = dimension_of_readout(case, model.readout)
        if dimension_of(relation.dimension) != dimension_of(dimension):
            raise fault(
                path(where, "readout"),
                f"{relation.label} gives a {relation.dimension} and the readout is a {dimension}",
                "Choose another readout, or none.",
                model.readout,
            )
    readout = model.readout if model.readout in case.model.readouts else None
    return PaperRow(
        readout or "",
        relation.label,
        value,
        unit_of(relation.dimension),
        relation.label,
        relation.tex,
        f"{relation.source}; from memory",
        relation.range,
        inside,
        "added by hand",
        own=name,
    )


def _try(paper: Paper, case: Worked, readout: Any) -> Estimate | None:
    """An estimate, or None when what it needs is not given yet."""
    try:
        found = paper.compute(case.facts, readout)
    except (KeyError, ZeroDivisionError, ValueError):
        return None
    return found and replace(found, value=float(found.value), inside=bool(found.inside))
