"""The same case with what is open lying further off: whether surroundings were drawn wide enough."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.case.case import Case
from underkettle.case.faults import fault
from underkettle.case.variants import edited
from underkettle.case.vessel import edge_of

FURTHER = 1.5  # times as far across
WHOLE = 1e-6  # share of a side by which an end may be off and still lie at it
BOX = {  # sides of a rectangle: which end of which size
    "left": (0, -1),
    "right": (0, 1),
    "bottom": (1, -1),
    "top": (1, 1),
}


def further(case: Case) -> tuple[dict[str, Any], list[str]]:
    """The case's file with every open side moved out, so that its part is FURTHER times as far
    across, in the variant that the case is; and the edges moved. Raises CaseError.
    """
    parts: dict[str, Any] = {}
    nozzles: dict[str, Any] = {}
    moved: list[str] = []
    for name, part in case.model.vessel.parts.items():
        if part.does != "add" or part.shape not in ("rectangle", "polygon"):
            continue
        if part.shape == "rectangle":
            opened = {s: e for s in BOX if (e := _opens(case, name, s))}
            if opened:
                parts[name] = _wider(case, name, part, list(opened), nozzles)
                moved += opened.values()
        else:
            points, edges = _stretched(case, name, part)
            if edges:
                parts[name], moved = {"points": points}, moved + edges
    if not moved:
        raise fault(
            "the vessel",
            "no open side can be moved out",
            "It takes a rectangle or polygon with a side along x or y through which a stream leaves.",
        )
    vessel = {"parts": parts, **({"nozzles": nozzles} if nozzles else {})}
    return edited(case.source, case.variant, {"vessel": vessel}), list(dict.fromkeys(moved))


def _opens(case: Case, part: str, side: str) -> str:
    """The edge, or the nozzle, of one side through which a stream leaves; "" where none does."""
    edge, nozzles = edge_of(case.model.vessel, part, side), case.model.vessel.nozzles.items()
    for one in (edge, *(n for n, z in nozzles if z.part == part and z.side == side)):
        if one in case.places("edge") and case.facts.through(one) == "out":
            return one
    return ""


def _wider(
    case: Case, name: str, part: Any, opened: list[str], nozzles: dict[str, Any]
) -> dict[str, str]:
    """A rectangle's new sizes; nozzles on sides that grow keep taking all of one, or their place."""
    patch: dict[str, str] = {}
    for axis, (start, size) in enumerate((("x", "width"), ("y", "height"))):
        ends = [BOX[side][1] for side in opened if BOX[side][0] == axis]
        if not ends:
            continue
        old = f"({getattr(part, size)})"
        share = (FURTHER - 1.0) * ends.count(-1) / len(ends)  # of its size, to the low end
        patch[size] = f"{FURTHER:g}*{old}"
        if share:
            patch[start] = f"{getattr(part, start)} - {share:g}*{old}"
        whole = case.number(old, "length", "vessel")
        for one, nozzle in case.model.vessel.nozzles.items():
            if nozzle.part != name or BOX.get(nozzle.side, (axis, 0))[0] == axis:
                continue
            if case.number(nozzle.bore, "length", "vessel") >= (1.0 - WHOLE) * whole:
                ways = ("at", "bore")
                nozzles[one] = {w: f"{FURTHER:g}*({getattr(nozzle, w)})" for w in ways}
            elif share:
                nozzles[one] = {"at": f"{nozzle.at} + {share:g}*{old}"}
    return patch


def _stretched(case: Case, name: str, part: Any) -> tuple[list[list[str]], list[str]]:
    """A polygon's points with its open sides along x and y moved out, and their edges."""
    typed = [list(map(str, point)) for point in part.points]
    at = np.array([[case.number(v, "length", "vessel") for v in point] for point in typed])
    low, high = at.min(axis=0), at.max(axis=0)
    moved = []
    for k in range(len(typed)):
        edge, after = _opens(case, name, str(k + 1)), (k + 1) % len(typed)
        if not edge:
            continue
        for axis in (0, 1):
            level, size = at[k, axis], float(high[axis] - low[axis])
            if abs(at[after, axis] - level) > WHOLE * size:
                continue
            way = 1 if high[axis] - level <= WHOLE * size else -1
            if way < 0 and level - low[axis] > WHOLE * size:
                continue  # it lies between others, and moving it would cross them
            out = f" {'+' if way > 0 else '-'} {(FURTHER - 1) * size * 1e3:.9g} mm"
            for end in (k, after):
                typed[end][axis] += out
            moved.append(edge)
    return typed, moved
