"""What was measured beside what was computed: curves read from text, and the misfit as numbers."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

Array = np.ndarray

MOST_ROWS = 20_000
_UNIT = re.compile(r"\[([^\]]*)\]|\(([^)]*)\)\s*$|,\s*([^,\[\]()]+)$")


@dataclass(frozen=True)
class Curve:
    """Rows of two columns as they were typed, and the units their heads name ("" for none)."""

    x: Array
    y: Array
    x_unit: str = ""
    y_unit: str = ""


@dataclass(frozen=True)
class Misfit:
    """computed less measured, over the points that both have.

    rms : root of the mean square; share : that over the range measured; bias : mean; worst : the
    largest and where. left_out : points measured where nothing was computed.
    """

    points: int
    left_out: int
    rms: float
    share: float | None
    bias: float
    worst: float
    worst_at: float


def read_curve(text: str) -> Curve:
    """Two columns of numbers out of a table as text: split by tabs, semicolons, commas or blanks.

    Where semicolons or tabs split, a comma may be the decimal sign. A first row with words is the
    heads; a unit stands there in brackets. Raises ValueError naming the row.
    """
    lines = [line.strip() for line in text.replace("\r", "\n").split("\n")]
    rows = [(k, line) for k, line in enumerate(lines, 1) if line and not line.startswith("#")]
    if not rows:
        raise ValueError("there is nothing in it")
    if len(rows) > MOST_ROWS:
        raise ValueError(f"it has more than {MOST_ROWS} rows")
    sign = next((s for s in ("\t", ";", ",") if s in rows[-1][1]), None)
    heads: list[str] = []
    x: list[float | None] = []
    y: list[float | None] = []
    for k, line in rows:
        parts = [p.strip() for p in (line.split(sign) if sign else line.split())]
        parts = [p for p in parts if p] if sign is None else parts
        numbers = [_number(p, sign) for p in parts[:2]]
        if len(numbers) < 2 or None in numbers:
            if not x and not heads:
                heads = parts
                continue
            raise ValueError(f"row {k} has no two numbers: {line[:60]}")
        x.append(numbers[0])
        y.append(numbers[1])
    if not x:
        raise ValueError("it has no row of two numbers")
    units = [_unit(h) for h in (*heads, "", "")[:2]]
    return Curve(np.array(x, float), np.array(y, float), *units)


def _number(text: str, sign: str | None) -> float | None:
    text = text.strip('"').replace("−", "-")
    if sign in (";", "\t"):
        text = text.replace(",", ".")
    try:
        value = float(text)
    except ValueError:
        return None
    return value if np.isfinite(value) else None


def _unit(head: str) -> str:
    found = _UNIT.search(head.strip().strip('"'))
    return next((g.strip() for g in found.groups() if g), "") if found else ""


def misfit(x: Array, y: Array, measured_x: Array, measured_y: Array) -> Misfit:
    """How far a computed curve (x rising, NaN where it is not told) lies from measured points, all
    in the same units. Raises ValueError where they do not meet.
    """
    told = np.isfinite(y)
    if told.sum() < 2:
        raise ValueError("there is no curve to compare with")
    xs, ys = np.asarray(x, float)[told], np.asarray(y, float)[told]
    order = np.argsort(xs, kind="stable")
    xs, ys = xs[order], ys[order]
    slack = 1e-9 * (xs[-1] - xs[0])
    inside = (measured_x >= xs[0] - slack) & (measured_x <= xs[-1] + slack)
    if not inside.any():
        raise ValueError(
            f"the curve goes from {xs[0]:.4g} to {xs[-1]:.4g}, what was measured from "
            f"{measured_x.min():.4g} to {measured_x.max():.4g}"
        )
    mx, my = measured_x[inside], measured_y[inside]
    apart = np.interp(mx, xs, ys) - my
    k, rms = int(np.argmax(np.abs(apart))), float(np.sqrt((apart**2).mean()))
    span = float(np.ptp(my))
    return Misfit(
        int(mx.size),
        int((~inside).sum()),
        rms,
        rms / span if span > 0 else None,
        float(apart.mean()),
        float(apart[k]),
        float(mx[k]),
    )
