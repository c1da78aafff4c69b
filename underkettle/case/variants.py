"""Variants: a case changed by a JSON Merge Patch, kept as what differs and no more."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from underkettle.case.model import merge_patch


def difference(base: Any, other: Any) -> Any:
    """The smallest merge patch (RFC 7396) that makes `other` of `base`; both are JSON objects."""
    patch: dict[str, Any] = {}
    for key in {**base, **other}:
        if key not in other:
            patch[key] = None
        elif key not in base:
            patch[key] = other[key]
        elif isinstance(base[key], dict) and isinstance(other[key], dict):
            inner = difference(base[key], other[key])
            if inner:
                patch[key] = inner
        elif base[key] != other[key]:
            patch[key] = other[key]
    return patch


def edited(data: Mapping[str, Any], variant: str, patch: Mapping[str, Any]) -> dict[str, Any]:
    """The case with `patch` applied to one of its variants, or to the base ("")."""
    if not variant:
        return dict(merge_patch(data, patch))
    base = {k: v for k, v in data.items() if k != "variants"}
    changed = merge_patch(merge_patch(base, data["variants"][variant]), patch)
    variants = {**data["variants"], variant: difference(base, changed)}
    return {**data, "variants": variants}


def listed(base: Any, patch: Any, at: tuple[str, ...] = ()) -> Iterator[dict[str, Any]]:
    """What a variant changes, entry by entry: path, value in the base, value here (None: none)."""
    for key, value in patch.items():
        before = base.get(key) if isinstance(base, dict) else None
        if isinstance(value, dict) and isinstance(before, dict):
            yield from listed(before, value, (*at, key))
        else:
            yield {"path": [*at, key], "before": before, "here": value}
