"""Sets of members that a case may take from what phenomena know."""

from __future__ import annotations

from underkettle.case.faults import fault
from underkettle.engine.contract import KnownSet, find_phenomena


def known_sets(phenomenon: str, key: str = "") -> tuple[KnownSet, ...]:
    """Of those that it lists under a key, or of the first that it knows any of. Raises CaseError."""
    registry = find_phenomena()
    if phenomenon not in registry:
        names = ", ".join(n for n, d in registry.items() if any(k.known() for k in d.member_kinds))
        raise fault(
            "phenomenon", f"there is no '{phenomenon}'", f"These know some: {names}.", phenomenon
        )
    kinds = registry[phenomenon].member_kinds
    found = [k.known() for k in kinds if key in ("", k.key)]
    return next((sets for sets in found if sets), ())
