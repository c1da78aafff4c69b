"""What screens need, worked out of a case: sheet, ledger, cards, audit, paper."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
import shapely

from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.cost import Pace, estimate
from underkettle.case.equations import equations
from underkettle.case.faults import path
from underkettle.case.paper import PaperRow, paper_check
from underkettle.case.rules.vessel import TOO_MANY
from underkettle.case.sums import curve_view
from underkettle.case.values import Attached, read_param
from underkettle.case.variants import listed
from underkettle.engine.contract import Condition, Param, Phenomenon
from underkettle.quantities import Place, from_si
from underkettle.quantities.table import Table
from underkettle.quantities.units import unit_of
from underkettle.reading.kinds import KINDS
from underkettle.reading.readouts import quantities
from underkettle.reading.walls import wall_quantities

CUT_CELLS = 6000  # nor are more cut cells than this marked
CURVE_POINTS = 65
APPLIED_POINTS = 2521  # of what goes up and down: the ends of many a part are among them
FINENESS = 2e-5  # of the vessel's size: what lines are drawn to
FEW_POINTS = 24  # lines of no more are drawn as they are
GRID_LINES = 1200  # more lines than this per direction are not drawn


def _cut_cells(case: Case) -> list[list[int]]:
    """Column, row (from 0) and open share in per cent of every cell that a wall cuts; [] if many."""
    mesh = case.mesh
    share = np.divide(
        mesh.volume, mesh.full_volume, out=np.zeros(mesh.shape), where=mesh.full_volume > 0
    )[0]
    rows, columns = np.nonzero(mesh.live[0] & (share < 1 - 1e-6))
    if rows.size > CUT_CELLS:
        return []
    return [
        [int(i) - 1, int(j) - 1, round(100 * float(share[j, i]))]
        for j, i in zip(rows, columns, strict=True)
    ]


def param_view(param: Param) -> dict[str, Any]:
    return {
        "name": param.name,
        "label": param.says,
        "kind": param.kind,
        "dimension": param.dimension,
        "unit": unit_of(param.dimension),
        "why": param.why,
        "default": param.default,
        "choices": list(param.choices),
        "optional": param.optional,
        "live": param.live,
        "law": bool(param.law),
        "over": unit_of(param.over) if param.over else "",
        "among": param.among,
        "shows": param.shows is not None,
    }


def condition_view(condition: Condition) -> dict[str, Any]:
    return {
        "name": condition.name,
        "label": condition.says,
        "on": condition.on,
        "params": [param_view(p) for p in condition.params],
        "passes": bool(condition.through or condition.carries or condition.drawn),
        "one_of": list(condition.one_of),
        "kinds": list(condition.kinds),
        "applies": condition.applies is not None,
    }


def phenomenon_view(phenomenon: Phenomenon) -> dict[str, Any]:
    """The whole declaration, as a card editor and an equation view need it."""
    return {
        "name": phenomenon.name,
        "label": phenomenon.label,
        "summary": phenomenon.summary,
        "about": phenomenon.about,
        "blank": phenomenon.blank(),
        "equation": phenomenon.equation,
        "source": phenomenon.source,
        "settings": [param_view(p) for p in phenomenon.settings],
        "member_kinds": [
            {
                "name": k.name,
                "key": k.key,
                "column": k.column,
                "least": k.least,
                "settings": [param_view(p) for p in k.settings],
                "known": len(k.known()),
            }
            for k in phenomenon.member_kinds
        ],
        "pairings": [
            {"kinds": p.kinds, "key": p.key, "settings": [param_view(s) for s in p.settings]}
            for p in phenomenon.pairings
        ],
        "conditions": [condition_view(c) for c in phenomenon.conditions],
        "terms": [asdict(t) for t in phenomenon.terms],
    }


def understood(param: Param, text: Any, case: Case) -> str:
    """ "= 0.008 m/s" for a typed value. Raises CaseError when it cannot be read."""
    value = read_param(param, text, case.names, param.says, case.solved)
    if isinstance(value, str | bool):
        return ""
    if isinstance(value, Attached):
        return f"{value.name}, {len(value.text.splitlines())} lines"
    if isinstance(value, tuple):
        return f"{len(value)} values"
    if isinstance(value, Table):
        return f"{len(value.points)} rows"
    unit = unit_of(param.dimension)
    if hasattr(value, "at"):
        if value.reads:
            known = case.facts.at_start(value.reads)
            x, y = (0.5 * sum(_span(case, axis)) for axis in (0, 1))
            first = float(np.asarray(value.at(Place(x, y), known)))
            begins = f", {from_si(first, unit):.4g} {unit} at the start"
            names = ", ".join(sorted(value.reads)).replace("_", " ")
            return f"follows {names}{begins if np.isfinite(first) else ''}"
        if not value.steady:
            return "changes with time"
        found = value.at(Place(np.linspace(*_span(case, 0), 33), np.linspace(*_span(case, 1), 33)))
        low, high = float(np.min(found)), float(np.max(found))
        if low != high:
            return f"{from_si(low, unit):.4g} to {from_si(high, unit):.4g} {unit}"
        value = low
    return f"= {from_si(float(value), unit):.6g} {unit}".rstrip()


def curve(param: Param, text: Any, case: Case, place: str) -> dict[str, Any] | None:
    """A small plot of a typed value that is not one number: over time, or along a place (the longer
    way). None for one number, and for what follows the solution. Raises CaseError.
    """
    value = read_param(param, text, case.names, param.says, case.solved)
    if not hasattr(value, "at") or value.reads:
        return None
    unit = unit_of(param.dimension)
    x0, y0, x1, y1 = case.box_of(place)
    if not value.steady:
        table = getattr(value, "table", None)
        end = table.points[-1] if table is not None else _longest(case)
        at = np.linspace(0.0, end, CURVE_POINTS)
        if table is not None:
            at = np.unique(np.concatenate([[0.0], table.points]))
        middle = Place(0.5 * (x0 + x1), 0.5 * (y0 + y1))
        values = [float(np.mean(value.at(middle.then(float(t))))) for t in at]
        return _curve("time", "s", at, values, unit)
    share = np.linspace(0.0, 1.0, CURVE_POINTS)
    axis = int(y1 - y0 > x1 - x0)
    along = (x0, y0)[axis] + share * (x1 - x0, y1 - y0)[axis]
    x, y = (
        (along, np.full(share.size, 0.5 * (y0 + y1)))
        if axis == 0
        else (np.full(share.size, 0.5 * (x0 + x1)), along)
    )
    found = np.broadcast_to(np.asarray(value.at(Place(x, y)), float), share.shape)
    if np.ptp(found) == 0.0:
        return None
    return _curve("xy"[axis], "mm", along * 1e3, found, unit)


def applied(condition: Condition, typed: Any, case: Case) -> dict[str, Any] | None:
    """What a condition applies in time with values as they are typed; None where it says nothing of
    that, or values are missing. Raises CaseError.
    """
    if condition.applies is None or not isinstance(typed, dict):
        return None
    values = {
        p.name: read_param(p, typed[p.name], case.names, p.says, case.solved)
        for p in condition.params
        if typed.get(p.name) not in (None, "")
    }
    if any(not p.optional and p.default is None and p.name not in values for p in condition.params):
        return None
    at = np.linspace(0.0, _longest(case), APPLIED_POINTS)
    with np.errstate(all="ignore"):
        found = np.asarray(condition.applies.at(values, at), float)
    if not np.isfinite(found).all():
        return None
    return _curve("time", "s", at, found, unit_of(condition.applies.dimension))


def shown(case: Case, where: str) -> dict[str, Any]:
    """What is made of a setting that stands at a path of the case file. Raises KeyError."""
    _, phenomenon, *way, name = where.split("/")
    for keys, declared in case.phenomena[phenomenon].sets(case.model.phenomena[phenomenon]):
        if list(keys) == way:
            param = next((p for p in declared.params if p.name == name), None)
            if param is None or param.shows is None:
                break
            settings: Any = case.settings[phenomenon]
            for key in keys:
                settings = settings[key]
            none: dict[str, Any] = {"curve": None, "off": None, "says": [], "fault": ""}
            try:
                found = param.shows(settings)
            except ValueError as fault:
                return {**none, "fault": str(fault)}
            if found is None:
                return none
            off = curve_view(found.off) if found.off is not None else None
            return {**none, "curve": curve_view(found.curve), "off": off, "says": list(found.says)}
    raise KeyError(where)


def _curve(axis: str, axis_unit: str, at: Any, values: Any, unit: str) -> dict[str, Any]:
    return {
        "axis": axis,
        "axis_unit": axis_unit,
        "at": [float(v) for v in at],
        "unit": unit,
        "values": [from_si(float(v), unit) for v in values],
    }


def _longest(case: Case) -> float:
    """The end of the longest transient stage (s), 1 s where there is none."""
    ends = [
        case.number(s.until, "time", "stages")
        for s in case.model.stages.values()
        if s.until is not None
    ]
    return max(ends, default=1.0)


def _span(case: Case, axis: int) -> tuple[float, float]:
    box = case.built.outline.box
    return box[axis], box[axis + 2]


def ledger(case: Case) -> dict[str, Any]:
    """Columns, rows and cells, with counts of each state."""
    rows: list[dict[str, Any]] = []
    counts = {"given": 0, "assumed": 0, "missing": 0, "overruled": 0}
    for on, place in case.rows():
        cells = {}
        for column in case.columns:
            cell = case.cell(on, place, column.id)
            view: dict[str, Any] = {
                "state": cell.state,
                "kind": cell.kind,
                "text": cell.text,
                "why": cell.why,
                "typed": dict(cell.typed),
                "ruled_by": cell.ruled_by,
                "ruled_text": cell.ruled_text,
                "overrules": "",
            }
            if on == "edge":
                view["overrules"] = case.overrules(place, column.id)
            cells[column.id] = view
            if cell.state in counts:
                counts[cell.state] += 1
            if view["overrules"]:
                counts["overruled"] += 1
        rows.append(
            {
                "place": place,
                "on": on,
                "label": case.label(place),
                "nozzle": place in case.built.nozzles,
                "face": place in case.zone_faces,
                "cells": cells,
                "measure": _measure(case, on, place),
            }
        )
    rows = [
        r
        for r in rows
        if r["on"] in ("edge", "screen") or any(c["state"] != "absent" for c in r["cells"].values())
    ]
    return {"columns": [asdict(c) for c in case.columns], "rows": rows, "counts": counts}


def _measure(case: Case, on: str, place: str) -> str:
    if on == "edge":
        return f"{case.facts.edge_length(place) * 1e3:.4g} mm"
    if on in ("screen", "between"):
        lines = case.borders[place] if on == "between" else [case.built.screens[place]]
        return f"{sum(np.hypot(*np.diff(p, axis=0).T).sum() for p in lines) * 1e3:.4g} mm"
    return ""


def sheet(case: Case) -> dict[str, Any]:
    """What is drawn: outline, openings, parts, dimensions, grid lines; lengths in m."""
    outline = case.built.outline
    edges: dict[str, dict[str, Any]] = {}
    fine = FINENESS * max(case.facts.size())
    for name in case.places("edge"):
        around = case.outline_of(name)
        mine = around.segments(name)
        edges[name] = {
            "label": case.label(name),
            "segments": _thinned_segments(around.start[mine], around.end[mine], fine),
            "line": _line_type(case, name),
            "nozzle": name in case.built.nozzles,
            "on": "edge",
        }
    for name, axis in case.repeats.items():
        mine = outline.rim(axis, False) | outline.rim(axis, True)
        segments = np.concatenate([outline.start[mine], outline.end[mine]], axis=1)
        edges[name] = {
            "label": case.label(name),
            "segments": np.round(segments, 9).tolist(),
            "line": "repeat",
            "nozzle": False,
            "on": "repeat",
        }
    inside = {n: ("screen", [p]) for n, p in case.built.screens.items()}
    inside |= {n: ("between", lines) for n, lines in case.borders.items()}
    for name, (on, lines) in inside.items():
        segments = np.concatenate([np.concatenate([p[:-1], p[1:]], axis=1) for p in lines])
        edges[name] = {
            "label": case.label(name),
            "segments": _thinned_segments(segments[:, :2], segments[:, 2:], fine),
            "line": on,
            "nozzle": False,
            "on": on,
        }
    return {
        "box": outline.box,
        "drawn": _drawn(case),
        "round": case.built.round,
        "edges": edges,
        "rings": [_thinned(points, fine) for points, _ in case.built.rings],
        "zones": {
            z: [_thinned(p, fine) for p in rings] for z, rings in case.built.zone_rings.items()
        },
        "parts": {
            p: {
                "box": case.built.boxes[p],
                "does": part.does,
                "shape": part.shape,
                "points": _points(case, p),
                "centre": _centre(case, p),
                "outline": _thinned(_course(case, p), fine),
            }
            for p, part in case.model.vessel.parts.items()
        },
        "sides": [
            {
                "part": s.part,
                "side": s.side,
                "begin": s.points[0].tolist(),
                "end": s.points[1].tolist(),
            }
            for s in case.built.sides
            if len(s.points) == 2
        ],
        "nozzles": {
            m.name: {"begin": m.start.tolist(), "end": m.end.tolist()} for m in case.built.marks
        },
        "dimensions": dimensions(case),
    }


def dimensions(case: Case) -> list[dict[str, Any]]:
    """Sizes of every part worth drawing, in the order of the parts, each with where it is typed."""
    found: list[dict[str, Any]] = []
    seen: dict[str, int] = {}
    for name, part in case.model.vessel.parts.items():
        turn = seen[part.shape] = seen.get(part.shape, -1) + 1
        where, box = path("vessel", "parts", name), case.built.boxes[name]
        found += [
            {**asdict(size), "part": name, "path": ["vessel", "parts", name, size.path]}
            for size in part.sizes(case.names, where, box, turn)
        ]
    return found


def walls(case: Case) -> list[list[list[float]]]:
    """Walls as the case stands: closed lines (m), no finer than can be told apart."""
    fine = FINENESS * max(case.facts.size())
    return [_thinned(points, fine) for points, _ in case.built.rings]


def _thinned(points: np.ndarray, fine: float) -> list[list[float]]:
    """A closed line as it is drawn (m): with no more points than can be told apart."""
    if len(points) > FEW_POINTS:
        line = shapely.linestrings(np.concatenate([points, points[:1]]))
        points = shapely.get_coordinates(shapely.simplify(line, fine, preserve_topology=False))[:-1]
    found: list[list[float]] = np.round(points, 9).tolist()
    return found


def _thinned_segments(start: np.ndarray, end: np.ndarray, fine: float) -> list[list[float]]:
    """Segments of an edge as they are drawn (m), those that go on from each other thinned."""
    if len(start) > FEW_POINTS:
        breaks = np.flatnonzero((start[1:] != end[:-1]).any(axis=1)) + 1
        found = []
        for a, b in zip([0, *breaks], [*breaks, len(start)], strict=True):
            line = shapely.linestrings(np.concatenate([start[a:b], end[b - 1 : b]]))
            points = shapely.get_coordinates(shapely.simplify(line, fine, preserve_topology=False))
            found.append(np.concatenate([points[:-1], points[1:]], axis=1))
        segments = np.concatenate(found)
    else:
        segments = np.concatenate([start, end], axis=1)
    told: list[list[float]] = np.round(segments, 9).tolist()
    return told


def _points(case: Case, name: str) -> list[list[float]]:
    """The points a part was given by (m), where it was."""
    given = getattr(case.model.vessel.parts[name], "points", ())
    return [
        [case.number(c, "length", f"vessel / parts / {name}") for c in point] for point in given
    ]


def _centre(case: Case, name: str) -> tuple[float, float]:
    """The point (m) a part is placed by, else the middle of its box."""
    part = case.model.vessel.parts[name]
    where = path("vessel", "parts", name)
    if hasattr(part, "x"):
        x, y = (part.typed_length(entry, case.names, where) for entry in ("x", "y"))
        return x, y
    x0, y0, x1, y1 = case.built.boxes[name]
    return 0.5 * (x0 + x1), 0.5 * (y0 + y1)


def _course(case: Case, part: str) -> np.ndarray:
    """A part's outline, or the course of a screen: points (n, 2), m; none of a wall that is thin."""
    found = case.built.part_rings.get(part)
    return case.built.screens.get(part, np.zeros((0, 2))) if found is None else found


def _drawn(case: Case) -> tuple[float, float, float, float]:
    """What the sheet shows: with its mirrored half where the vessel is turned about its axis."""
    x0, y0, x1, y1 = case.built.outline.box
    return (x0, -y1, x1, y1) if case.built.round else (x0, y0, x1, y1)


def _line_type(case: Case, edge: str) -> str:
    """How an edge is drawn: wall, in, out, open, mirror, missing."""
    passes = case.facts.through(edge)
    if passes == "?":
        return "missing"
    for column in case.columns:
        found = case.phenomena[column.phenomenon].condition(
            "edge", case.cell("edge", edge, column.id).kind
        )
        if found is not None and found.drawn:
            return found.drawn
    return passes or "wall"


def _paper(row: PaperRow) -> dict[str, Any]:
    """A row in the unit it is shown in."""
    measured = None if row.measured is None else [from_si(v, row.unit) for v in row.measured]
    return {
        **asdict(row),
        "measured": measured,
        "value": None if row.value is None else from_si(row.value, row.unit),
    }


def case_view(case: Case, pace: Pace | None = None) -> dict[str, Any]:
    """Everything the Set screen shows. pace : how fast runs are here."""
    findings = audit(case)
    paper = paper_check(case)
    runs = can_run(findings)
    cost, grid = None, None
    if not any(f.rule == TOO_MANY for f in findings):
        cost = estimate(case, pace) if runs else None
        grid = {
            "nx": case.grid.nx,
            "ny": case.grid.ny,
            "cells": case.mesh.cells,
            "x": case.grid.x.tolist() if case.grid.nx <= GRID_LINES else [],
            "y": case.grid.y.tolist() if case.grid.ny <= GRID_LINES else [],
            "cut": _cut_cells(case),
        }
    return {
        "data": case.data,
        "name": case.model.name,
        "variant": case.variant,
        "variants": {
            v: list(listed(case.source, patch))
            for v, patch in case.source.get("variants", {}).items()
        },
        "sheet": sheet(case),
        "ledger": ledger(case),
        "audit": [{**asdict(f), "key": f.key} for f in findings],
        "review": [line for p in case.phenomena.values() for line in p.review(case.facts)],
        "can_run": runs,
        "regimes": paper.regimes,
        "paper": [_paper(r) for r in paper.rows],
        "added": [_paper(r) for r in paper.added],
        "cost": cost,
        "grid": grid,
        "equations": equations(case),
        "phenomena": {n: phenomenon_view(p) for n, p in case.registry.items()},
        "active": list(case.phenomena),
        "parameters": [
            {
                "name": n,
                "typed": t,
                "value": f"{from_si(case.names.values[n], unit):.6g}",
                "unit": unit,
            }
            for n, t in case.model.parameters.items()
            for unit in (unit_of(case.names.dimensions[n].name),)
        ],
        "fields": {
            n: {
                "label": f"{f.says} ({case.phenomena[owner].label.lower()})"
                if "." in n
                else f.says,
                "unit": f.shown_in,
                "centred": f.centred,
                "symbol": f.symbol,
                "chief": f.chief,
                "component": f.component,
            }
            for n, (owner, f) in case.fields().items()
        },
        "edge_fields": {
            n: {"label": f.says, "unit": f.shown_in} for n, (_, f) in case.edge_fields.items()
        },
        "listings": {
            n: {
                "label": one.says,
                "numbers": [e.name for e in one.entries if e.counts],
            }
            for n, one in case.listings.items()
            if not one.line
        },
        "readout_kinds": [
            {
                "name": n,
                "says": k.says,
                "sentence": k.sentence,
                "asks": k.asks or k.needs,
                "spans": k.spans,
                "places": [
                    *(["edges"] if k.edges else []),
                    *(["zones"] if k.zones else []),
                    *(["divides"] if k.divides else []),
                ],
            }
            for n, k in KINDS.items()
        ],
        "quantities": list(quantities(case)),
        "wall_quantities": list(wall_quantities(case)),
        "places": {
            "edges": list(case.places("edge")),
            "zones": list(case.zones),
            "divides": [*case.places("screen"), *case.places("between")],
        },
    }
