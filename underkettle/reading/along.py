"""A readout along the values of a series: up, down and up again as they were applied."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import numpy as np

from underkettle.reading.averages import time_weights
from underkettle.reading.seen import Seen

Array = np.ndarray

TELLS = ("mean", "deviation", "low", "high")  # what a history can be told of along a series


class Kept(Protocol):
    """A frame, as far as it is needed."""

    @property
    def stage(self) -> str: ...
    @property
    def value(self) -> float: ...
    @property
    def readouts(self) -> Mapping[str, Any]: ...


def goes_through_time(case: Seen) -> bool:
    """Whether any stage does."""
    return any(stage.mode == "transient" for stage in case.model.stages.values())


def last_series(case: Seen) -> str:
    """The last stage that goes through a series; "" for none."""
    found = [name for name, stage in case.model.stages.items() if stage.mode == "series"]
    return found[-1] if found else ""


def along_series(case: Seen, frames: Sequence[Kept], readout: str) -> tuple[Array, Array]:
    """Applied values and the readout for each, SI, in the order in which they were applied; NaN
    where a frame does not tell it.
    """
    stage = last_series(case)
    rows = [(f.value, f.readouts.get(readout)) for f in frames if stage and f.stage == stage]
    found = np.array([(x, np.nan if y is None else y) for x, y in rows], float).reshape(-1, 2)
    return found[:, 0], found[:, 1]


def told_along(tells: str, applied: Array, value: Array) -> float | None:
    """One of `TELLS`; means weigh by how far the applied value goes, up and down alike."""
    good = np.isfinite(value)
    applied, value = applied[good], value[good]
    if tells not in TELLS or value.size < 2:
        return None
    if tells in ("low", "high"):
        return float(value.min() if tells == "low" else value.max())
    path = np.concatenate([[0.0], np.cumsum(np.abs(np.diff(applied)))])
    weight = time_weights(path) if path[-1] > 0 else np.full(value.size, 1.0 / value.size)
    mean = float((value * weight).sum())
    return mean if tells == "mean" else float(((value - mean) ** 2 * weight).sum()) ** 0.5
