"""The vessel and its grid."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from underkettle.case.faults import CaseError
from underkettle.case.gridding import BYTES_PER_CELL, Gridding
from underkettle.case.rules.rule import CaseRule
from underkettle.engine.contract import Finding
from underkettle.engine.mesh import Mesh

if TYPE_CHECKING:
    from underkettle.case.case import Case

Array = np.ndarray

GROWTH_LIMIT = 1.3
STRETCH_LIMIT = 20.0
ACROSS_GAP = 6  # cells; common practice for a developed profile
ACROSS_PART = 4
TOO_MANY = "too many cells"  # there is no grid to look at
PRACTICE = "(common practice)"


def _too_many(case: Case) -> Iterator[Finding]:
    try:
        _ = case.mesh
    except CaseError as error:
        fault = error.faults[0]
        yield Finding("stops", f"{fault.says[:1].upper()}{fault.says[1:]}.", fault.cure)


def _growth(case: Case) -> Iterator[Finding]:
    for axis, nodes in (("x", case.grid.x), ("y", case.grid.y)):
        h = np.diff(nodes)
        if h.size < 2:
            continue
        ratio = np.maximum(h[1:] / h[:-1], h[:-1] / h[1:])
        if ratio.max() > GROWTH_LIMIT + 1e-9:
            k = int(ratio.argmax())
            yield Finding(
                "doubt",
                f"Cells change quickly along {axis}.",
                f"Neighbours differ by {ratio.max():.2f} at {axis} = "
                f"{nodes[k + 1] * 1e3:.3g} mm; {GROWTH_LIMIT} is usual {PRACTICE}.",
                column=axis,
            )


def _stretched(case: Case) -> Iterator[Finding]:
    dx, dy = np.diff(case.grid.x), np.diff(case.grid.y)
    stretch = max(dx.max() / dy.min(), dy.max() / dx.min())
    if stretch > STRETCH_LIMIT:
        yield Finding(
            "doubt",
            f"Some cells are stretched {stretch:.0f} to 1.",
            f"Beyond {STRETCH_LIMIT:.0f} to 1 solvers slow down and fronts blur.",
        )


def _pocket(case: Case) -> Iterator[Finding]:
    if case.mesh.pocket.max() > 1:
        yield Finding(
            "doubt",
            "A pocket of open space is cut off from the rest.",
            f"The vessel falls into {int(case.mesh.pocket.max())} parts that share no opening.",
        )


def _memory(case: Case) -> Iterator[Finding]:
    need, limit = case.grid.count * BYTES_PER_CELL, Gridding(case).memory_limit()
    if need > 0.7 * limit:
        yield Finding(
            "doubt",
            "The grid nearly fills the memory allowed.",
            f"It needs about {need / 1e9:.2f} GB of {limit / 1e9:.2f} GB.",
        )


@dataclass(frozen=True)
class Gap:
    """A passage with few cells across: along `axis` from `begin` to `end`, across from `low` to
    `high` (m).
    """

    axis: int
    begin: float
    end: float
    low: float
    high: float
    cells: int


def narrow_gaps(mesh: Mesh, few: int, passed: Iterable[str]) -> list[Gap]:
    """Passages open at both ends, at least as long as they are wide, with fewer than `few` cells
    across; the narrowest of each direction. passed : edges that let a stream through.
    """
    found, grid, pieces = [], mesh.grid, mesh.pieces
    inside = (slice(1, grid.ny + 1), slice(1, grid.nx + 1))
    doors = np.zeros(mesh.shape[1:], bool)
    rows = np.isin(pieces.edge, [mesh.edge_index(e) for e in passed])
    doors[pieces.j[rows], pieces.i[rows]] = True
    for axis in (0, 1):
        live, ways = ((a.T if axis == 0 else a) for a in (mesh.live[0][inside], doors[inside]))
        along, across = (grid.x, grid.y) if axis == 0 else (grid.y, grid.x)
        gaps = [
            g
            for g in _passages(live, ways, along, across, few, axis)
            if g.end - g.begin >= g.high - g.low
        ]
        if gaps:
            found.append(min(gaps, key=lambda g: (g.cells, g.high - g.low)))
    return found


def _runs(line: Array) -> list[tuple[int, int]]:
    """First and past-the-last index of every stretch of open cells."""
    steps = np.flatnonzero(np.diff(np.concatenate([[False], line, [False]]).astype(np.int8)))
    return list(zip(steps[0::2].tolist(), steps[1::2].tolist(), strict=True))


def _passages(
    live: Array, ways: Array, along: Array, across: Array, few: int, axis: int
) -> Iterator[Gap]:
    lines = [_runs(line) for line in live]
    going: list[tuple[int, int, int, bool]] = []  # first line, low, high, open where it began
    for k, runs in enumerate([*lines, []]):
        narrow = [r for r in runs if r[1] - r[0] < few]
        wide = [r for r in runs if r[1] - r[0] >= few]
        left, goes_on = [], set()
        for first, low, high, opened in going:
            onward = [r for r in narrow if r[0] < high and r[1] > low]
            if onward:
                tight = min(onward, key=lambda r: r[1] - r[0])
                goes_on.update(onward)
                left.append(
                    (first, *(tight if tight[1] - tight[0] < high - low else (low, high)), opened)
                )
            elif opened and (
                ways[k - 1, low:high].any()
                if k == len(lines)
                else any(r[0] < high and r[1] > low for r in wide)
            ):
                yield Gap(
                    axis,
                    float(along[first]),
                    float(along[k]),
                    float(across[low]),
                    float(across[high]),
                    high - low,
                )
        before = lines[k - 1] if k else []
        for low, high in (r for r in narrow if r not in goes_on):
            opened = (
                bool(ways[0, low:high].any())
                if k == 0
                else any(b < high and t > low and t - b >= few for b, t in before)
            )
            left.append((k, low, high, opened))
        going = left


def _tight(case: Case) -> Iterator[Finding]:
    facts, passed = case.facts, [e for e in case.edges if case.facts.through(e) in ("in", "out")]
    open_zones = [z for z in facts.zones() if not facts.blocked(z)]
    fillers = facts.fillers()
    if fillers and all(not facts.assumed(z, c) for z in open_zones for c in fillers):
        return  # porous matter everywhere: no profile builds up between walls
    for gap in narrow_gaps(case.open_mesh, ACROSS_GAP, passed):
        wide, axis = gap.high - gap.low, "xy"[gap.axis]
        middle = 0.5 * (gap.begin + gap.end)
        box = (
            [gap.begin, gap.low, gap.end, gap.high]
            if gap.axis == 0
            else [gap.low, gap.begin, gap.high, gap.end]
        )
        finer = {
            "box": [f"{v * 1e3:.6g} mm" for v in box],
            "axis": "xy"[1 - gap.axis],
            "size": f"{wide / ACROSS_GAP * 1e3:.3g} mm",
            "growth": 1.15,
        }
        yield Finding(
            "doubt",
            f"A gap of {wide * 1e3:.3g} mm has {gap.cells} cells across.",
            f"At {axis} = {middle * 1e3:.3g} mm; {ACROSS_GAP} show a profile {PRACTICE}.",
            column=axis,
            cure=((f"grid/refine/gap_{axis}", finer),),
            cure_label="Finer there",
        )


def _small_part(case: Case) -> Iterator[Finding]:
    for name, part in case.model.vessel.parts.items():
        if part.does != "cut" or part.shape == "plate":
            continue
        x0, y0, x1, y1 = case.built.boxes[name]
        cells = [
            int(np.count_nonzero((n > low) & (n < high))) + 1
            for n, low, high in ((case.grid.x, x0, x1), (case.grid.y, y0, y1))
        ]
        if min(cells) < ACROSS_PART:
            size = min(x1 - x0, y1 - y0) / ACROSS_PART
            yield Finding(
                "doubt",
                f"{case.label(name)} is {min(cells)} cells across.",
                f"With fewer than {ACROSS_PART} its shape is hardly felt {PRACTICE}.",
                name,
                cure=((f"grid/refine/at_{name}", {"place": name, "size": f"{size * 1e3:.3g} mm"}),),
                cure_label="Finer there",
            )


def _overlapping(case: Case) -> Iterator[Finding]:
    """Zones that share space and say different things there."""
    zones = [z for z in case.zones if z in case.built.shapes]
    for first, second in combinations(zones, 2):
        shared = case.built.shapes[first].intersection(case.built.shapes[second]).area
        if shared <= 1e-9 * case.built.shapes[first].area:
            continue
        said = [
            c
            for c in case.columns
            if case.cell("zone", first, c.id).text != case.cell("zone", second, c.id).text
        ]
        if said:
            yield Finding(
                "doubt",
                f"{case.label(first)} and {case.label(second)} overlap.",
                f"Where they do, {case.label(second)} holds: it was drawn later.",
                second,
                said[0].id,
            )


def _idle_screen(case: Case) -> Iterator[Finding]:
    """A screen that nothing asks about lets everything pass."""
    for name in case.places("screen"):
        if all(case.cell("screen", name, c.id).state == "absent" for c in case.columns):
            yield Finding(
                "doubt",
                f"{case.label(name)} does nothing.",
                "No phenomenon that is switched on asks what a screen does: everything passes it.",
                name,
                cure=((f"vessel/parts/{name}", None),),
                cure_label="Drop it",
            )


def _all_one_size(case: Case) -> Iterator[Finding]:
    """A base size larger than the vessel is wide."""
    size = case.number(case.model.grid.size, "length", "grid / size") / case.grid_factor
    least = min(case.facts.size())
    if size > least / 4:
        yield Finding(
            "doubt",
            "The cells are nearly as large as the vessel.",
            f"They are {size * 1e3:.3g} mm and its shorter side is {least * 1e3:.3g} mm.",
            cure=(("grid/size", f"{least / 20 * 1e3:.3g} mm"),),
            cure_label="Twenty across",
        )


VESSEL = (
    CaseRule(TOO_MANY, _too_many),
    CaseRule("cells that change quickly", _growth),
    CaseRule("stretched cells", _stretched),
    CaseRule("cut-off pocket", _pocket),
    CaseRule("little memory left", _memory),
    CaseRule("few cells across a gap", _tight),
    CaseRule("few cells across a part", _small_part),
    CaseRule("zones that overlap", _overlapping),
    CaseRule("cells as large as the vessel", _all_one_size),
    CaseRule("screen without effect", _idle_screen),
)
