"""What other runs of a case say of one: margins from coarser grids, and what surroundings do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from underkettle.reading.margin import FIRST, FORMAL, grid_margin


def with_margins(result: dict[str, Any], coarser: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """A run's result with a margin on every readout that three grids tell; coarser : results of the
    two other grids, finer one first. Of a readout that swings, the margin is that of its mean.
    """
    formal = FIRST if result.get("cuts") else FORMAL
    apart = [r for r in coarser if r.get("ways") != result.get("ways")]
    sizes = [r["cells"] ** -0.5 for r in (result, *coarser)]
    readouts = {}
    for name, own in result["readouts"].items():
        told = [r["readouts"].get(name, {}) for r in (result, *coarser)]
        swings = all("sampled" in t for t in told)
        values = [t["sampled"]["mean"] if swings else t.get("value") for t in told]
        found = None if None in values else grid_margin(sizes, values, formal)
        if found is None:
            readouts[name] = own
            continue
        sampling = own["sampled"]["margin"] if swings else 0.0
        readouts[name] = {
            **own,
            "margin": (found.margin**2 + sampling**2) ** 0.5,
            "order": found.order,
            "margin_says": found.says
            + ("; with the sampling of its mean" if swings else "")
            + (
                "; the grids went different ways to rest, so part of it may be that"
                if apart
                else ""
            ),
        }
    return {**result, "readouts": readouts, "grids": [r["cells"] for r in (result, *coarser)]}


def with_further(
    result: dict[str, Any], other: Mapping[str, Any], edges: Sequence[str]
) -> dict[str, Any]:
    """A run's result with what each readout came to with `edges` further off. other : the result of
    that run.
    """
    readouts = {}
    for name, own in result["readouts"].items():
        told = other["readouts"].get(name, {})
        swings = "sampled" in own and "sampled" in told
        value = told["sampled"]["mean"] if swings else told.get("value")
        readouts[name] = own if value is None else {**own, "further": value}
    return {**result, "readouts": readouts, "further": list(edges)}
