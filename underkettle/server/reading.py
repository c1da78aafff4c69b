"""Routes that read frames: fields, probes, sections, walls, averages over time."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from fastapi import FastAPI, HTTPException, Response

from underkettle.case.case import Case
from underkettle.case.faults import fault
from underkettle.case.pictures import pictures
from underkettle.case.stages import axis_of
from underkettle.engine.marching.state import State
from underkettle.quantities import from_si
from underkettle.quantities.units import unit_of
from underkettle.reading.along import last_series
from underkettle.reading.averages import over_time
from underkettle.reading.kinds.transfer import local_transfer
from underkettle.reading.readouts import dimension_of_readout, label_of, shown_units
from underkettle.reading.sections import along_arc, along_line, at_points, cell_of
from underkettle.reading.walls import along_edge, along_edges, state_of, wall_quantities
from underkettle.runs.execute import told_of_history
from underkettle.server.answers.reading import (
    AxisView,
    EdgePieces,
    FramesView,
    HistoryView,
    ProbeView,
    ProfileView,
    WallsView,
    WallView,
)
from underkettle.server.answers.shared import Metres
from underkettle.server.frames import MOST, Frames
from underkettle.server.opened import Opened, Raw, raw
from underkettle.server.views import walls
from underkettle.store.packing import THUMB, even_sample
from underkettle.store.runfile import Frame

Array = np.ndarray

OVER = ("mean", "low", "high", "deviation")

MOST_ROWS = 20_000  # of a listing that is drawn


def read_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/runs/{run}/frames", operation_id="get_frames")
    def frames(run: str) -> FramesView:
        """All frames, the grid, and the range of every field over the run."""
        read = kept.frames(run)
        found, case = read.all(), read.case
        names = read.names(found[-1].id) if found else []
        fields = {n: read.field(n) for n in names}
        ranges = {n: read.range(n) for n in names}
        chief = [n for n in names if fields[n].chief and len(set(ranges[n] or ())) > 1]
        asked = shown_units(case)
        return FramesView.model_validate(
            {
                "chief": (chief or names or [""])[-1 if chief else 0],
                "frames": [
                    {
                        "id": f.id,
                        "stage": f.stage,
                        "axis": f.axis,
                        "value": f.value,
                        "shown": axis_of(case, f.stage).shown(f.value),
                        "step": f.step,
                        "moved": bool(f.far),
                    }
                    for f in found
                ],
                "axes": {
                    s: asdict(axis_of(case, s)) for s in dict.fromkeys(f.stage for f in found)
                },
                "x": case.grid.x.tolist(),
                "y": case.grid.y.tolist(),
                "fields": {
                    n: {
                        "label": f.says,
                        "unit": f.shown_in,
                        "centred": f.centred,
                        "range": ranges[n],
                        "derived": n in case.model.derived,
                        "component": f.component,
                    }
                    for n, f in fields.items()
                },
                "listings": {
                    n: {
                        "label": one.says,
                        "line": one.line,
                        "entries": [
                            {
                                "name": e.name,
                                "label": e.says,
                                "unit": e.shown_in,
                                "words": e.words,
                            }
                            for e in case.listing(n).entries
                        ],
                    }
                    for n, one in case.listings.items()
                },
                "readouts": {
                    n: {"label": label_of(case, n), "unit": unit, **_late(read, found, n, unit)}
                    for n, unit in asked.items()
                },
                "pictures": pictures(case, kept.on_shelf(run).get("pictures", {})),
            }
        )

    @app.get("/api/runs/{run}/frames/{frame}/walls", operation_id="get_walls")
    def get_walls(run: str, frame: int) -> WallsView:
        """Where walls stood at a frame, where parts of the vessel move."""
        read = kept.frames(run)
        return WallsView(rings=walls(read.case.at(read.one(frame))))

    @app.get(
        "/api/runs/{run}/frames/{frame}/listings/{name}",
        operation_id="get_listing",
        response_class=Raw,
    )
    def get_listing(run: str, frame: int, name: str) -> Response:
        """Things followed one by one, a row of float32 each, in the units the header names; of more
        than can be drawn every so many."""
        read = kept.frames(run)
        read.one(frame)
        if name not in read.case.listings:
            raise HTTPException(404, "This run follows nothing of that name.")
        found = read.file.listing(frame, read.case.listings.key(name))
        if found is None:
            raise HTTPException(404, "This frame has no such listing.")
        entries = read.case.listings[name].entries
        some = found[:: max(1, -(-len(found) // MOST_ROWS))].astype(float)
        for k, e in enumerate(entries):
            one, none = from_si(1.0, e.shown_in), from_si(0.0, e.shown_in)
            some[:, k] = some[:, k] * (one - none) + none
        header = {"rows": len(some), "of": len(found), "entries": [e.name for e in entries]}
        return raw(header, some)

    @app.get("/api/runs/{run}/frames/{frame}/{name}", operation_id="get_field", response_class=Raw)
    def field(run: str, frame: int, name: str) -> Response:
        """One field of one frame as shown: header, then (ny, nx) float32, NaN where closed."""
        read = kept.frames(run)
        held = read.held(frame, name)
        if held is not None:
            return sent(*held)
        return sent(read.shown(name, read.values(read.one(frame), name)))

    @app.get("/api/runs/{run}/thumbs/{frame}/{name}", operation_id="get_thumb", response_class=Raw)
    def thumb(run: str, frame: int, name: str) -> Response:
        """A small picture of it, at even points."""
        read, one = kept.frames(run), kept.run(run).thumb(frame, name)
        if one is not None:
            return sent(read.shown(name, one[0]), one[1:])
        grid, values = read.case.grid, read.shown(name, read.values(read.one(frame), name))
        return sent(even_sample(values, grid.x, grid.y, THUMB), read.ends(values))

    @app.get("/api/runs/{run}/over/{name}", operation_id="get_over", response_class=Raw)
    def over(run: str, name: str, what: str, since: str = "", until: str = "") -> Response:
        """Mean, lowest, highest or deviation of a field in every cell over frames in a span of
        time, by default the whole run.
        """
        read = kept.frames(run)
        if what not in OVER:
            raise fault(
                "what", "this is not told over time", f"Choose from {', '.join(OVER)}.", what
            )
        chosen = span_of_frames(read, since, until)
        values = (read.values(f, name) for f in chosen)
        found = getattr(over_time(np.array([f.value for f in chosen]), values), what)
        none = read.shown(name, np.zeros(1))[0] if what == "deviation" else 0.0
        return sent(read.shown(name, found) - none)

    @app.get("/api/runs/{run}/probe", operation_id="probe")
    def probe(run: str, frame: int, x: Metres, y: Metres) -> ProbeView:
        """Every field at one point (m), in its shown unit; empty in closed places."""
        read = kept.frames(run)
        one, values = read.one(frame), {}
        for name in read.names(frame):
            found = at_point(read, one, name, x, y)
            if found is not None:
                field = read.field(name)
                values[name] = {
                    "value": from_si(found, field.shown_in),
                    "unit": field.shown_in,
                    "label": field.says,
                }
        return ProbeView.model_validate({"x": x, "y": y, "values": values})

    @app.get("/api/runs/{run}/point/{name}", operation_id="point_history")
    def point_history(run: str, name: str, x: Metres, y: Metres) -> HistoryView:
        """A field at one point (m) over the frames in time, or along a series where none is."""
        read = kept.frames(run)
        series = [f for f in read.all() if f.stage == last_series(read.case)]
        moves = any(f.axis == "time" for f in read.all())
        chosen = span_of_frames(read, "", "") if moves or not series else series
        axis = axis_of(read.case, chosen[-1].stage)
        some = chosen[:: max(1, -(-len(chosen) // MOST))]
        found, unit = [at_point(read, f, name, x, y) for f in some], read.field(name).shown_in
        return HistoryView(
            label=read.field(name).says,
            unit=unit,
            axis=AxisView(name=axis.name, unit=axis.unit),
            time=[axis.shown(f.value) for f in some],
            value=[None if v is None else from_si(v, unit) for v in found],
        )

    @app.get("/api/runs/{run}/profile", operation_id="profile")
    def get_profile(
        run: str,
        frame: int,
        name: str,
        x0: Metres,
        y0: Metres,
        x1: Metres,
        y1: Metres,
        radius: Metres = 0.0,
    ) -> ProfileView:
        """A field along a line (m): distance in mm, value in its shown unit, null if closed. With a
        radius, along the arc from the first point to the second, see `arc_through`.
        """
        line, unit = profile(kept.frames(run), frame, name, (x0, y0), (x1, y1), radius)
        shown = [None if not np.isfinite(v) else from_si(float(v), unit) for v in line["value"]]
        return ProfileView(
            distance=(line["distance"] * 1e3).tolist(),
            value=shown,
            unit=unit,
            x=line["x"].tolist(),
            y=line["y"].tolist(),
            drawn=_drawn((x0, y0), (x1, y1), radius),
        )

    @app.get("/api/runs/{run}/frames/{frame}/edges/{quantity}", operation_id="edge_fluxes")
    def edge_fluxes(run: str, frame: int, quantity: str) -> EdgePieces:
        """What of a quantity goes into the vessel through its edges, place by place."""
        case, state, unit = _at_walls(kept, run, frame, quantity)
        pieces = along_edges(case, state, quantity)
        pieces[:, 4] = [from_si(float(v), unit) for v in pieces[:, 4]]
        pieces = pieces[np.isfinite(pieces[:, 4])]
        return EdgePieces(unit=unit, pieces=[*map(tuple, pieces.tolist())])

    @app.get("/api/runs/{run}/wall", operation_id="wall_profile")
    def wall_profile(run: str, frame: int, quantity: str, edge: str, readout: str = "") -> WallView:
        """Flux of a quantity into the vessel along an edge, or a transfer readout place by place:
        distance in mm, value in its unit.
        """
        line, values, unit = wall(kept, run, frame, quantity, edge, readout)
        return WallView(
            distance=(line["distance"] * 1e3).tolist(),
            unit=unit,
            x=line["x"].tolist(),
            y=line["y"].tolist(),
            value=[from_si(float(v), unit) if np.isfinite(v) else None for v in values],
        )


def _at_walls(kept: Opened, run: str, frame: int, quantity: str) -> tuple[Case, State, str]:
    """The case and the state of a frame as far as they tell what of a quantity passes walls, and
    the unit of that.
    """
    file, read = kept.run(run), kept.frames(run)
    row = read.one(frame)
    case = read.case_at(row)
    known = wall_quantities(case)
    if quantity not in known:
        raise fault(
            "quantity",
            f"the flux of '{quantity}' along walls cannot be read",
            f"Choose from {', '.join(known) or 'none'}.",
        )
    held = {n: file.field(frame, n) for n in file.field_names(frame)}
    fields = {n: f[0].astype(float) for n, f in held.items() if f is not None}
    try:
        state = state_of(case, fields, quantity, row.value if row.axis == "time" else 0.0)
    except LookupError as error:
        raise fault(
            "the wall", str(error), "Keep all fields of the whole vessel, and fire again."
        ) from error
    return case, state, unit_of(known[quantity])


def _late(read: Frames, frames: list[Frame], readout: str, unit: str) -> dict[str, Any]:
    """Whether a readout was added after the run was fired; then what the last frame tells of it."""
    late = bool(frames) and read.is_late(readout, frames[0])
    value = None
    if late and read.case.model.readouts[readout].kind == "history":
        value = told_of_history(read.case, read.file.watches(), readout, None, frames)
    elif late:
        value = read.readout(frames[-1], readout)
    return {"late": late, "value": None if value is None else from_si(value, unit)}


def sent(values: Array, ends: tuple[float, ...] | None = None) -> Response:
    """A field with its size and range."""
    low, high = ends or Frames.ends(values) or (0.0, 0.0)
    return raw(
        {"rows": values.shape[0], "columns": values.shape[1], "low": low, "high": high}, values
    )


def at_point(read: Frames, frame: Frame, name: str, x: float, y: float) -> float | None:
    """A field at a point (m) in SI, between cell centres; None where it is closed."""
    values, grid = read.tell(frame, name), read.case.grid
    i, j = cell_of(grid.x, np.array([x]))[0], cell_of(grid.y, np.array([y]))[0]
    if values is None or i < 0 or j < 0 or not np.isfinite(values[j, i]):
        return None
    return float(
        at_points(
            values,
            0.5 * (grid.x[1:] + grid.x[:-1]),
            0.5 * (grid.y[1:] + grid.y[:-1]),
            np.array([x]),
            np.array([y]),
        )[0]
    )


def span_of_frames(read: Frames, since: str, until: str) -> list[Frame]:
    """Frames in time from `since` to `until`, as typed. Raises CaseError where there is none."""
    case = read.case
    low = case.number(since, "time", "since") if since else -np.inf
    high = case.number(until, "time", "until") if until else np.inf
    found = [f for f in read.all() if f.axis == "time" and low - 1e-12 <= f.value <= high + 1e-12]
    if not found:
        raise fault(
            "the span",
            "there is no frame in it",
            "Begin earlier or end later.",
            f"{since} to {until}",
        )
    return found


def profile(
    read: Frames,
    frame: int,
    name: str,
    start: tuple[float, float],
    end: tuple[float, float],
    radius: float = 0.0,
) -> tuple[dict[str, Array], str]:
    """A field along a line, or an arc of a radius (m), in SI, and the unit it is shown in."""
    values = read.values(read.one(frame), name)
    if start == end:
        raise fault("section", "both ends of the section lie on one spot", "Draw it longer.")
    grid, unit = read.case.grid, read.field(name).shown_in
    if radius == 0.0:
        return along_line(values, grid.x, grid.y, start, end), unit
    x, y, begin, turn = arc_through(start, end, radius)
    return along_arc(values, grid.x, grid.y, x, y, abs(radius), begin, begin + turn), unit


def _drawn(
    start: tuple[float, float], end: tuple[float, float], radius: float
) -> dict[str, list[str]]:
    """The same as a readout draws it in a case file."""

    def mm(*sizes: float) -> list[str]:
        return [f"{v * 1e3:.6g} mm" for v in sizes]

    if radius == 0.0:
        return {"line": mm(*start, *end)}
    x, y, begin, turn = arc_through(start, end, radius)
    return {
        "arc": [
            *mm(x, y, abs(radius)),
            *(f"{np.degrees(a):.6g} deg" for a in (begin, begin + turn)),
        ]
    }


def arc_through(
    start: tuple[float, float], end: tuple[float, float], radius: float
) -> tuple[float, float, float, float]:
    """Middle, first angle and turn (rad) of the shorter arc of a radius (m) between two points; it
    bulges to the left of the way for a positive radius.
    """
    (x0, y0), (x1, y1) = start, end
    half = 0.5 * float(np.hypot(x1 - x0, y1 - y0))
    if abs(radius) < half * (1 - 1e-9):
        raise fault(
            "radius",
            "an arc between these points needs half their distance at least",
            f"Give {half * 1e3:.4g} mm or more.",
            f"{abs(radius) * 1e3:.4g} mm",
        )
    away = float(np.sqrt(max(radius * radius - half * half, 0.0))) * np.sign(radius)
    nx, ny = (y1 - y0) / (2 * half), -(x1 - x0) / (2 * half)  # to the right of the way
    x, y = 0.5 * (x0 + x1) + away * nx, 0.5 * (y0 + y1) + away * ny
    begin, last = (float(np.arctan2(py - y, px - x)) for px, py in (start, end))
    turn = (last - begin + np.pi) % (2 * np.pi) - np.pi
    if abs(abs(turn) - np.pi) < 1e-6:  # half a circle: the side decides
        turn = -np.pi * np.sign(radius)
    return float(x), float(y), begin, float(turn)


def wall(
    kept: Opened, run: str, frame: int, quantity: str, edge: str, readout: str = ""
) -> tuple[dict[str, Array], Array, str]:
    """What passes a wall place by place, or a transfer readout there, and its unit."""
    edges = kept.frames(run).case.places("edge")
    if edge not in edges:
        raise fault("edge", f"there is no edge '{edge}'", f"Edges: {', '.join(edges)}.")
    case, state, unit = _at_walls(kept, run, frame, quantity)
    line = along_edge(case, state, quantity, edge)
    if not readout:
        return line, line["flux"], unit
    asked = case.model.readouts.get(readout)
    if asked is None or (asked.kind, asked.quantity, asked.place) != ("transfer", quantity, edge):
        raise fault(
            "readout",
            f"'{readout}' is no transfer of {quantity} at {edge}",
            "Ask for one of this edge and quantity.",
        )
    return (
        line,
        local_transfer(case, readout, line, state),
        unit_of(dimension_of_readout(case, readout)),
    )
