"""What a cloth takes of the pressure, from what is known of it: (mu slow + rho fast u) u."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np

from underkettle.engine.contract import Given
from underkettle.sums.porous import from_table
from underkettle.sums.sum import SumError

WOVEN = (60.0, 600.0)  # Reynolds numbers of a thread that Wieghardt measured


@lru_cache(maxsize=1)
def _straightened() -> tuple[float, float]:
    """a Re + b Re^2 that comes nearest to Re^(5/3) over what was measured (within 9 %)."""
    re = np.geomspace(*WOVEN, 41)
    target = re ** (5 / 3)
    rows = np.stack([re, re**2], axis=1) / target[:, None]
    a, b = np.linalg.lstsq(rows, np.ones(re.size), rcond=None)[0]
    return float(a), float(b)


def woven(thread: float, pitch: float) -> tuple[float, float]:
    """Of a square weave: K = 6 (1 - b)/b^2 Re^(-1/3), Re = U d/(b nu), straightened; b : open share.
    Wieghardt 1953, from memory.
    """
    if thread >= pitch:
        raise SumError("the threads touch: the pitch must exceed the thread")
    open_ = (1 - thread / pitch) ** 2
    loss = 3 * (1 - open_) / open_**2
    a, b = _straightened()
    return loss * a * open_ / thread, loss * b


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
