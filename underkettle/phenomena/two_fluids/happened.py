"""What has happened to drops and bubbles: which came in, broke off, merged and left, and when."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from underkettle.engine.interface.lumps import KINDS, Event

Array = np.ndarray

COLUMNS = "time", "what", "fluid", "number", "other", "volume", "x", "y"
# columns of a lump as it is kept: see `Lumps.of`, behind the number of its fluid
NUMBER, VOLUME, SIZE, X, Y, JOINED = 1, 2, 3, 4, 5, 9
MOST = 5000  # rows that are kept
COMES_IN, BREAKS_OFF, MERGES, LEAVES = (float(k) for k in range(len(KINDS)))


def nothing() -> Array:
    """No rows yet."""
    return np.zeros((0, len(COLUMNS)))


def with_more(
    so_far: Array,
    t: float,
    fluid: int,
    events: Sequence[Event],
    before: Mapping[float, Array],
    now: Mapping[float, Array],
    least: float,
) -> Array:
    """Rows with what happened by a time (s). before, now : lumps of the fluid by their numbers.

    Nothing is said of what is smaller than `least` (m3), nor of what comes and goes elsewhere than at
    openings, as specks do that cells can hardly hold. What comes back before it has gone its own width
    was never off: it is taken out again.
    """
    rows = [*so_far]
    for event in events:
        what = float(KINDS.index(event.what))
        row = (before if what in (MERGES, LEAVES) else now).get(event.number)
        if row is None or row[VOLUME] < least:
            continue
        if what in (COMES_IN, LEAVES) and not row[JOINED] > 0.0:
            continue
        if what == MERGES:
            off = _broke_off(rows, fluid, event.number)
            if off is not None and np.hypot(*(rows[off][6:8] - row[[X, Y]])) < row[SIZE]:
                del rows[off]
                continue
        rows.append(
            np.array([t, what, fluid, event.number, event.other, row[VOLUME], row[X], row[Y]])
        )
    return np.array(rows[-MOST:]) if rows else nothing()


def _broke_off(rows: Sequence[Array], fluid: int, number: float) -> int | None:
    """Which of the rows says that a lump broke off."""
    for k in range(len(rows) - 1, -1, -1):
        if rows[k][3] == number and rows[k][2] == fluid and rows[k][1] == BREAKS_OFF:
            return k
    return None
