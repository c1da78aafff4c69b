"""The circuit of a battery cell, from what its settings tell."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.sums.pulses import NAMES, Circuit, Found, identified

# of what no table tells
FILL = {"fast": 1e-12, "fast_time": 1.0, "slow": 1e-12, "slow_time": 1.0}


def found_in(settings: Mapping[str, Any]) -> Found | None:
    """What the records of a cell's settings tell; None where it has none. Raises SumError."""
    pulses = settings.get("pulses")
    if pulses is None:
        return None
    return identified(pulses.text, float(settings["holds"]) * float(settings["tested"]))


def circuit_of(settings: Mapping[str, Any]) -> Circuit:
    """The circuit per area of a surface's settings: from records of pulses, or from tables over how
    far it is charged. Raises SumError.
    """
    found = found_in(settings)
    if found is not None:
        return found.circuit.scaled(float(settings["tested"]))
    tables = [settings.get(name) for name in NAMES]
    levels = np.unique(np.concatenate([t.points for t in tables if t is not None]))
    columns = [
        np.full(levels.size, FILL[name]) if table is None else table.evaluate(levels)
        for name, table in zip(NAMES, tables, strict=True)
    ]
    return Circuit(levels, np.stack(columns, axis=1))
