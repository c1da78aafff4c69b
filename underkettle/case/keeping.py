"""What frames are to hold: which fields, and which part of the vessel."""

from __future__ import annotations

import numpy as np

from underkettle.case.faults import fault, path
from underkettle.case.worked import Worked
from underkettle.reading.boxes import ordered


def kept_fields(case: Worked) -> tuple[str, ...]:
    """Names of fields that frames are to hold; all when empty. Raises CaseError."""
    known = [n for n, (_, f) in case.fields().items() if f.where == "cell" and f.kept]
    strange = [n for n in case.model.keep.fields if n not in known]
    if strange and case.phenomena:
        raise fault(
            path("keep", "fields"),
            f"there is no field '{strange[0]}'",
            f"Fields: {', '.join(known)}.",
        )
    return tuple(case.model.keep.fields)


def kept_part(case: Worked) -> tuple[slice, slice]:
    """Rows and columns of the grid that frames are to hold; none where the box misses the vessel."""
    grid, box = case.grid, kept_box(case)
    if box is None:
        return slice(0, grid.ny), slice(0, grid.nx)
    slack = 1e-9 * max(abs(v) for v in (*grid.x[[0, -1]], *grid.y[[0, -1]]))
    x = np.flatnonzero((grid.x[1:] > box[0] + slack) & (grid.x[:-1] < box[2] - slack))
    y = np.flatnonzero((grid.y[1:] > box[1] + slack) & (grid.y[:-1] < box[3] - slack))
    if not x.size or not y.size:
        return slice(0, 0), slice(0, 0)
    return slice(int(y[0]), int(y[-1]) + 1), slice(int(x[0]), int(x[-1]) + 1)


def kept_box(case: Worked) -> tuple[float, float, float, float] | None:
    """Low x, low y, high x, high y (m) of what frames hold. Raises CaseError."""
    typed = case.model.keep.box
    if typed is None:
        return None
    return ordered([case.number(v, "length", path("keep", "box")) for v in typed])
