"""Side sums from typed entries: formulas of a case's parameters, rows of text, units on all."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.values import Names, read_number, read_parameters
from underkettle.quantities import from_si
from underkettle.quantities.curve import Curve
from underkettle.quantities.units import unit_of
from underkettle.sums.sum import Entry, SideSum, SumError

if TYPE_CHECKING:
    from underkettle.case.case import Case

_BETWEEN = re.compile(r"\s*[,;\t]\s*")


def work_out(chosen: SideSum, typed: Mapping[str, Any], case: Case | None = None) -> dict[str, Any]:
    """Numbers with units, a curve, and whether the entries lie in its range. Raises CaseError."""
    names = case.names if case is not None else read_parameters({})
    values: dict[str, Any] = {}
    faults: list[Fault] = []
    for entry in chosen.entries:
        try:
            values[entry.name] = _entry(
                entry, typed.get(entry.name, entry.default), names, path(chosen.label, entry.label)
            )
        except CaseError as error:
            faults += error.faults
    if faults:
        raise CaseError(faults)
    try:
        found = chosen.compute(**values)
        curve = chosen.curve(**values) if chosen.curve is not None else None
        table = chosen.table(**values) if chosen.table is not None else None
        inside = bool(chosen.fits(**values))
    except SumError as error:
        raise fault(chosen.label, str(error), "Change an entry.") from error
    except (ValueError, ZeroDivisionError, OverflowError, TypeError) as error:
        raise fault(
            chosen.label,
            "there is no value for these entries",
            "Look for a nought or a negative among them.",
        ) from error
    gives = []
    for g in chosen.gives:
        value, unit = float(found[g.name]), unit_of(g.dimension)
        shown = from_si(value, unit) if np.isfinite(value) else None
        gives.append(
            {
                "name": g.name,
                "label": g.label,
                "unit": unit,
                "value": shown,
                "typed": "" if shown is None else f"{shown:.6g} {unit}".strip(),
            }
        )
    return {
        "gives": gives,
        "inside": inside,
        "table": table,
        "curve": curve_view(curve) if curve is not None else None,
    }


def _entry(entry: Entry, text: Any, names: Names, where: str) -> Any:
    if entry.kind == "choice":
        if text not in entry.choices:
            raise fault(
                where,
                f"'{text}' is not one of the choices",
                f"Choose from {', '.join(entry.choices)}.",
            )
        return text
    if entry.kind == "text":
        return str(text).strip()
    if entry.kind == "table":
        return _rows(entry, str(text), names, where)
    if text in ("", None):
        raise fault(
            where,
            f"{entry.label} is not given",
            f"Give it, for instance '{f'1 {unit_of(entry.dimension)}'.strip()}'.",
        )
    return read_number(text, entry.dimension, names, where)


def _rows(entry: Entry, text: str, names: Names, where: str) -> np.ndarray:
    """Rows of a pasted table; what stands between values is a comma, a semicolon or a tab."""
    rows = []
    for number, line in enumerate((s for s in text.splitlines() if s.strip()), start=1):
        cells = _BETWEEN.split(line.strip())
        here = path(where, f"row {number}")
        if len(cells) != len(entry.columns):
            raise fault(
                here,
                f"{len(cells)} values stand there and {len(entry.columns)} are wanted",
                f"Give {', '.join(c for c, _ in entry.columns)}.",
                line,
            )
        rows.append(
            [
                read_number(c, dimension, names, path(here, label))
                for c, (label, dimension) in zip(cells, entry.columns, strict=True)
            ]
        )
    if not rows:
        raise fault(where, "the table is empty", "Give a row at least.")
    return np.array(rows)


def curve_view(curve: Curve) -> dict[str, Any]:
    """A curve in the units that people see."""
    x_unit, y_unit = unit_of(curve.x_dimension), unit_of(curve.y_dimension)

    def shown(value: float, unit: str) -> float | None:
        return from_si(float(value), unit) if np.isfinite(value) else None

    return {
        "axis": curve.x_label,
        "axis_unit": x_unit,
        "label": curve.y_label,
        "unit": y_unit,
        "at": [shown(v, x_unit) for v in curve.x],
        "values": [shown(v, y_unit) for v in curve.y],
        "points": [[shown(x, x_unit), shown(y, y_unit)] for x, y in curve.points],
    }
