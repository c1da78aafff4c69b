"""How long a run still takes, from how fast it has gone so far."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

HELD = 20.0  # s between two rows from which a run counts as held, where steps are much shorter
WINDOWS = (1.0, 0.5, 0.25, 0.1)  # shares of a stage's rows whose pace is looked at
FEWEST = 3  # rows that tell a pace
ROOM = 1.1  # either way, beyond what the windows differ by
FIRST_SHARE = 0.02  # of a stage, before which its pace is not trusted


def time_left(
    rows: Sequence[Mapping[str, Any]], stages: Sequence[tuple[str, float]], spread: float
) -> tuple[float, float] | None:
    """Seconds to the end of the last stage, low and high; None while nothing tells.

    rows : watches so far, with stage, clock (s) and done (0 to 1 of the stage). stages : in order,
    with the seconds each was estimated at; spread : by which factor estimates are off.

    What is left of the present stage follows from its own pace, over several windows so that a
    change of pace widens the answer; stages to come from their estimates, corrected by what the
    ones before took over theirs and by how far estimates are off.
    """
    if not rows:
        return None
    names = [name for name, _ in stages]
    here = str(rows[-1]["stage"])
    if here not in names:
        return None
    at = names.index(here)
    present = _present([r for r in rows if r["stage"] == here], stages[at][1], spread)
    if present is None:
        return None
    coming = sum(seconds for _, seconds in stages[at + 1 :])
    pace, room = _pace(rows, dict(stages), names[:at], here, present), spread**0.5
    # stages of another kind need not go at the pace of those before: both are within
    return (
        present[0] + coming * min(1.0, pace) / room,
        present[1] + coming * max(1.0, pace) * room,
    )


def _busy(rows: Sequence[Mapping[str, Any]]) -> np.ndarray:
    """Seconds of work up to each row, without what it was held for."""
    clock = np.array([r["clock"] for r in rows], float)
    gaps = np.diff(clock)
    held = gaps > max(HELD, 10 * float(np.median(gaps))) if gaps.size else gaps > 0
    return np.concatenate([[0.0], np.cumsum(np.where(held, 0.0, gaps))])


def _present(
    rows: Sequence[Mapping[str, Any]], estimated: float, spread: float
) -> tuple[float, float] | None:
    done = np.array([r["done"] for r in rows], float)
    if len(rows) < FEWEST or done[-1] < FIRST_SHARE:
        return (estimated / spread, estimated * spread) if estimated > 0 else None
    busy, left = _busy(rows), 1.0 - float(done[-1])
    found = []
    for share in WINDOWS:
        k = min(int(len(rows) * (1 - share)), len(rows) - FEWEST)
        gained, took = done[-1] - done[k], busy[-1] - busy[k]
        if gained > 0 and took > 0:
            found.append(left * took / gained)
    if not found:
        return (estimated / spread, estimated * spread) if estimated > 0 else None
    return min(found) / ROOM, max(found) * ROOM


def _pace(
    rows: Sequence[Mapping[str, Any]],
    estimated: Mapping[str, float],
    before: Sequence[str],
    here: str,
    present: tuple[float, float],
) -> float:
    """What stages took over what they were estimated at."""
    took = {
        name: float(_busy(mine)[-1])
        for name in before
        if len(mine := [r for r in rows if r["stage"] == name]) >= FEWEST
    }
    took[here] = float(_busy([r for r in rows if r["stage"] == here])[-1]) + sum(present) / 2
    ratios = [took[n] / estimated[n] for n in took if estimated.get(n, 0.0) > 0 and took[n] > 0]
    return float(np.exp(np.log(ratios).mean())) if ratios else 1.0
