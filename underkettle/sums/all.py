"""Every side sum by name, the hand relations among them, and how entries are read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.paper.all import RELATIONS
from underkettle.paper.relation import Relation
from underkettle.sums import air, burning, gasifying, moving, porous, pulses, reactors
from underkettle.sums.sum import Entry, Gives, SideSum


def _as_sum(relation: Relation) -> SideSum:
    return SideSum(
        relation.name,
        relation.label,
        f"relations: {relation.group}",
        "",
        f"{relation.source}; from memory",
        tuple(Entry(t.name, t.label, t.dimension, t.default) for t in relation.takes),
        (Gives("value", relation.dimension, relation.label),),
        lambda **values: {"value": float(relation.compute(**values))},
        tex=relation.tex,
        range=relation.range,
        fits=relation.fits,
    )


OWN = {
    s.name: s
    for module in (air, burning, gasifying, moving, porous, pulses, reactors)
    for s in module.SUMS
}
SUMS: dict[str, SideSum] = {**OWN, **{n: _as_sum(r) for n, r in RELATIONS.items()}}


def side_sum(name: str, **values: Any) -> dict[str, float]:
    """A side sum from SI values by name, tables as arrays. Raises KeyError, SumError."""
    found = SUMS[name].compute(**_filled(SUMS[name], values))
    return {n: float(v) for n, v in found.items()}


def _filled(chosen: SideSum, values: Mapping[str, Any]) -> dict[str, Any]:
    tables = {e.name for e in chosen.entries if e.kind == "table"}
    return {n: np.asarray(v, float) if n in tables else v for n, v in values.items()}
