"""What a cloth takes of the pressure, from what is known of it: (mu slow + rho fast u) u."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.engine.contract import Given
from underkettle.sums.porous import from_table, woven


def thread_reynolds(values: Mapping[str, Any], speed: float, density: float, mu: float) -> float:
    """Reynolds number of a thread of a weave."""
    open_ = (1 - values["thread"] / values["pitch"]) ** 2
    return float(density * speed * values["thread"] / (open_ * mu))


def resists(given: Given) -> tuple[float, float]:
    """1/m and a number, of any kind of cloth. Raises SumError."""
    v = given.values
    if given.kind == "layer":
        return v["thickness"] / v["permeability"], v["thickness"] * v["inertia"]
    if given.kind == "weave":
        return woven(v["thread"], v["pitch"])
    if given.kind == "loss":
        return 0.0, 0.5 * v["heads"]
    fit = v["measured"], 1.0, float(v["measured_viscosity"]), float(v["measured_density"])
    permeability, inertia = from_table(*fit)
    return 1.0 / permeability, inertia
