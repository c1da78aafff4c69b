"""When a steady stage has come to rest: residuals low, readouts still."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import numpy as np

from underkettle.engine.contract import StepFailed
from underkettle.engine.marching.state import State

STALLED = 12  # looks after which a residual that no longer falls is taken for what it is
LOW = 1e-2  # and below which it must lie for that
LONG = 48  # looks after which readouts need stand less still for that
LOOSE = 100.0  # times what is asked of them
ROUND_OFF = 1e-4  # of the aim, below which residuals that no longer fall leave nothing to be found


def progress(first: float, now: float, aim: float) -> float:
    """How far a residual has come on its way, on a logarithmic scale."""
    if not (first > aim > 0) or now <= 0:
        return 1.0 if now <= aim else 0.0
    return float(min(max(math.log(first / max(now, aim)) / math.log(first / aim), 0.0), 1.0))


def settled(looks: list[dict[str, float]], count: int, aim: float) -> bool:
    """Whether all readouts agree over the last `count` looks; "" holds the residual."""
    if len(looks) < count:
        return False
    for name, value in looks[-1].items():
        past = [look[name] for look in looks[-count:] if name in look]
        if name and max(past) - min(past) > aim * max(abs(value), 1e-300):
            return False
    return True


def stalled(looks: list[dict[str, float]], aim: float) -> bool:
    """Whether residuals no longer fall, far below where they were, while readouts stand still, or
    for longer nearly so.
    """
    return _stands(looks, STALLED, 0.1 * aim) or _stands(looks, LONG, LOOSE * aim)


def _stands(looks: list[dict[str, float]], count: int, aim: float) -> bool:
    if len(looks) < count or len(looks[-1]) < 2:
        return False
    early = min(look[""] for look in looks[-count : -count // 2])
    late = min(look[""] for look in looks[-count // 2 :])
    return late > 0.5 * early and late < LOW and settled(looks, count, aim)


def swing(looks: list[dict[str, float]]) -> float:
    """How far a readout still moves, over its value: the largest of all over the later looks."""
    worst = 0.0
    for name, value in looks[-1].items():
        past = [look[name] for look in looks[-STALLED:] if name in look]
        if name and value:
            worst = max(worst, (max(past) - min(past)) / abs(value))
    return worst


def exhausted(looks: list[dict[str, float]], aim: float) -> bool:
    """Whether residuals have long been as small as arithmetic allows, far below the aim: a readout that
    still does not agree tells of round-off, such as a speed where nothing flows.
    """
    if len(looks) < STALLED:
        return False
    half, looks = STALLED // 2, looks[-STALLED:]
    early = max(look[""] for look in looks[:half])
    return early < ROUND_OFF * aim and max(look[""] for look in looks[half:]) > 0.1 * early


def change(
    before: Mapping[str, np.ndarray],
    now: Mapping[str, np.ndarray],
    vectors: Iterable[tuple[str, ...]] = (),
    least: Mapping[str, float] | None = None,
) -> float:
    """The largest change of any array, over its largest value, or over that of all that are parts of
    one of the `vectors`: along a straight duct, what a velocity has across it is round-off. least :
    sizes of arrays that count even where nothing in them is as large, as where a stream stands still.
    """
    least = least or {}
    most = {name: max(float(np.abs(now[name]).max()), least.get(name, 0.0)) for name in before}
    for parts in vectors:
        known = [name for name in parts if name in most]
        most.update(dict.fromkeys(known, max((most[name] for name in known), default=0.0)))
    worst = 0.0
    for name, old in before.items():
        if most[name] > 0 and old.shape == now[name].shape:
            worst = max(worst, float(np.abs(now[name] - old).max()) / most[name])
    return worst


def check_bounds(state: State, array: str, low: float, high: float) -> None:
    source = state.fields if array in state.fields else state.tables
    values = source[array]
    if values.size == 0:
        return
    least, most = float(values.min()), float(values.max())
    if not (math.isfinite(least) and math.isfinite(most)):
        raise StepFailed(array, "somewhere in the vessel", "not a finite number")
    if least < low or most > high:
        raise StepFailed(
            array,
            "somewhere in the vessel",
            f"{least:.4g} to {most:.4g} leaves {low:.4g} to {high:.4g}",
        )
