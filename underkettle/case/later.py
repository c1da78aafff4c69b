"""A case as it was run, with what has been added to it since: derived fields and readouts.

Neither changes what is solved, so a run that is under way or over can be read with them.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.case.case import Case
from underkettle.case.faults import CaseError


def added(data: Mapping[str, Any], shelf: Mapping[str, Any]) -> dict[str, dict[str, Any]]:
    """What the case on the shelf derives and asks for beyond what was run: sections as in a case
    file, empty ones left out.
    """
    derived = {
        k: v for k, v in shelf.get("derived", {}).items() if data.get("derived", {}).get(k) != v
    }
    readouts = {
        k: v for k, v in shelf.get("readouts", {}).items() if k not in data.get("readouts", {})
    }
    return {k: v for k, v in (("derived", derived), ("readouts", readouts)) if v}


def case_with(case: Case, later: Mapping[str, Mapping[str, Any]]) -> Case:
    """The case with what was added since; what does not fit it is left out, one by one."""
    if not later:
        return case

    def joined(extra: Mapping[str, Mapping[str, Any]]) -> Case:
        # variants are applied already: what is added stands beside them
        data = {k: v for k, v in case.data.items() if k != "variants"}
        for section, entries in extra.items():
            data[section] = {**data.get(section, {}), **entries}
        return Case(data, None, None, case.grid_factor, case.registry).moved(case.far)

    try:
        return joined(later)
    except CaseError:
        good: dict[str, dict[str, Any]] = {section: {} for section in later}
    for section, entries in later.items():
        for name, entry in entries.items():
            tried = {s: dict(e) for s, e in good.items()}
            tried[section][name] = entry
            try:
                joined(tried)
            except CaseError:
                continue
            good[section][name] = entry
    return joined(good)
