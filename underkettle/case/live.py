"""What may be adjusted while a run is held: values declared live, and the control of time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from underkettle.case.audit import audit, can_run, refusals
from underkettle.case.case import Case
from underkettle.case.faults import CaseError, Fault, fault
from underkettle.case.variants import difference, edited, listed
from underkettle.quantities.units import unit_of

TIMES = ("until", "frame_every", "longest_step")


@dataclass(frozen=True)
class Live:
    """One value that may be adjusted: where it is typed, and what stands there. choices : what it may
    be, where that is one of a few.
    """

    path: tuple[str, ...]
    says: str
    typed: Any
    unit: str
    choices: tuple[str, ...] = ()


def live_values(case: Case) -> list[Live]:
    """Everything that may change while a run of this case is held."""
    return [*_settings(case), *_conditions(case), *_times(case)]


def _settings(case: Case) -> Iterator[Live]:
    for name, declared in case.phenomena.items():
        for where, of in declared.sets(case.model.phenomena[name]):
            for p in of.params:
                if p.live and (p.name in of.values or p.choices):
                    yield Live(
                        ("phenomena", name, *where, p.name),
                        f"{of.label}: {p.says}",
                        of.values.get(p.name, p.default),
                        unit_of(p.dimension),
                        p.choices,
                    )


def _conditions(case: Case) -> Iterator[Live]:
    for on, place in case.rows():
        if on == "start":
            continue
        for column in case.columns:
            cell = case.cell(on, place, column.id)
            condition = case.phenomena[column.phenomenon].condition(on, cell.kind)
            if cell.state != "given" or condition is None:
                continue
            for p in condition.params:
                if p.live and p.name in cell.typed:
                    yield Live(
                        ("conditions", place, column.id, p.name),
                        f"{case.label(place)}: {column.label.lower()}, {p.says}",
                        cell.typed[p.name],
                        unit_of(p.dimension),
                    )


def _times(case: Case) -> Iterator[Live]:
    for name, stage in case.model.stages.items():
        if stage.mode == "transient":
            for entry in TIMES:
                yield Live(
                    ("stages", name, entry),
                    f"{case.label(name)}: {entry.replace('_', ' ')}",
                    getattr(stage, entry) or "",
                    "s",
                )


def adjusted(case: Case, patch: Mapping[str, Any]) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """A case file with live values changed, and what changed. Raises CaseError where anything else
    would change, or where the audit would not let the changed case run.
    """
    data = edited(case.source, case.variant, patch)
    after = Case(data, None, case.variant or None, case.grid_factor, case.registry)
    known = {live.path: live for live in live_values(case)}
    changes, faults = [], []
    for change in listed(case.data, difference(_bare(case.data), _bare(after.data))):
        where = tuple(change["path"])
        if where in known:
            changes.append({**change, "says": known[where].says})
        else:
            faults.append(
                Fault(
                    " / ".join(where),
                    "this cannot change while a run is held",
                    "Fire a new run with it, or adjust one of the values offered.",
                )
            )
    if faults:
        raise CaseError(faults)
    if not changes:
        raise fault("the adjustment", "nothing is changed by it", "Type another value.")
    findings = audit(after)
    if not can_run(findings):
        raise CaseError(refusals(after, findings))
    return data, changes


def _bare(data: Mapping[str, Any]) -> dict[str, Any]:
    return {k: v for k, v in data.items() if k != "variants"}
