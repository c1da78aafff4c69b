"""The audit: what is missing, contradictory or suspicious, in the modeller's words."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import partial

from underkettle.case.case import Case
from underkettle.case.faults import CaseError, Fault
from underkettle.case.rules import RULES
from underkettle.engine.contract import Finding

_RANK = {"stops": 0, "contradiction": 1, "doubt": 2}


def audit(case: Case) -> list[Finding]:
    """All findings, gravest first; doubts that were settled come last."""
    if "audit" not in case.memo:
        case.memo["audit"] = _found(case)
    return list(case.memo["audit"])


def _found(case: Case) -> list[Finding]:
    checks: list[tuple[str, Callable[[], Iterable[Finding]]]] = [
        (rule.name, partial(rule.check, case)) for rule in RULES
    ]
    checks += [
        (rule.name, partial(rule.check, case.facts))
        for phenomenon in case.phenomena.values()
        for rule in phenomenon.audit
    ]
    found: list[Finding] = []
    for name, check in checks:
        try:
            found += [_settled(case, replace(f, rule=name)) for f in check()]
        except CaseError:  # no grid to look at: "too many cells" says so
            continue
    return sorted(found, key=lambda f: (bool(f.settled), _RANK[f.grade]))


def can_run(findings: list[Finding]) -> bool:
    return not any(f.grade in ("stops", "contradiction") for f in findings)


def refusals(case: Case, findings: Iterable[Finding]) -> list[Fault]:
    """What keeps a case from running, as faults that name the place and the cure."""
    return [
        Fault(case.label(f.place) if f.place else "the case", f.sentence.rstrip("."), f.reason)
        for f in findings
        if f.grade != "doubt"
    ]


def _settled(case: Case, finding: Finding) -> Finding:
    """With the reason for which a doubt may stand; nothing graver can be settled."""
    if finding.grade != "doubt":
        return finding
    return replace(finding, settled=case.model.settled.get(finding.key, ""))
