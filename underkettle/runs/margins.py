"""Margins of a run's readouts, from runs of the same case on coarser grids."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from underkettle.reading.margin import grid_margin


def with_margins(result: dict[str, Any], coarser: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """A run's result with a margin on every readout that three grids tell; coarser : results of the
    two other grids, finer one first.
    """
    sizes = [r["cells"] ** -0.5 for r in (result, *coarser)]
    readouts = {}
    for name, own in result["readouts"].items():
        values = [r["readouts"].get(name, {}).get("value") for r in (result, *coarser)]
        found = None if None in values else grid_margin(sizes, values)
        readouts[name] = own if found is None else {
            **own, "margin": found.margin, "order": found.order, "margin_says": found.says}
    return {**result, "readouts": readouts, "grids": [r["cells"] for r in (result, *coarser)]}
