"""Routes that read runs: frames, probes, sections, walls, exports."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from fastapi import FastAPI, HTTPException, Query, Response
from fastapi.responses import PlainTextResponse

from underkettle.api import Run
from underkettle.case.faults import fault
from underkettle.quantities import dimension_of, from_si
from underkettle.quantities.units import unit_of
from underkettle.reading.boxes import in_box, part_of
from underkettle.reading.readouts import dimension_of_readout, local_transfer
from underkettle.reading.sections import along_line, at_points, cell_of
from underkettle.reading.walls import along_edge, state_of, wall_quantities
from underkettle.server.opened import Opened, raw


def read_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/runs/{run}/frames", operation_id="get_frames")
    def frames(run: str) -> dict[str, Any]:
        """All frames, the grid, and the range of every field over the run."""
        file, case = kept.run(run), kept.run_case(run)
        found = file.frames()
        names = file.field_names(found[-1].id) if found else []
        fields = case.fields()
        ranges = {n: file.ranges(n) for n in names}
        chief = [n for n in names if fields[n][1].chief and len(set(ranges[n] or ())) > 1]
        return {
            "chief": (chief or names or [""])[-1 if chief else 0],
            "frames": [{"id": f.id, "stage": f.stage, "axis": f.axis, "value": f.value,
                        "step": f.step, "readouts": f.readouts} for f in found],
            "x": case.grid.x.tolist(), "y": case.grid.y.tolist(),
            "fields": {n: {"label": fields[n][1].says, "unit": fields[n][1].shown_in,
                           "centred": fields[n][1].centred, "range": ranges[n]}
                       for n in names},
            "readouts": {n: {"label": m.label or n.replace("_", " "), "unit": m.unit}
                         for n, m in case.model.readouts.items()},
        }

    @app.get("/api/runs/{run}/frames/{frame}/{name}", operation_id="get_field")
    def field(run: str, frame: int, name: str) -> Response:
        """One field of one frame: header, then (ny, nx) float32, NaN where closed."""
        found = kept.run(run).field(frame, name)
        if found is None:
            raise HTTPException(404, "This frame has no such field.")
        values, low, high = found
        return raw({"rows": values.shape[0], "columns": values.shape[1], "low": low,
                    "high": high}, values)

    @app.get("/api/runs/{run}/thumbs/{frame}/{name}", operation_id="get_thumb")
    def thumb(run: str, frame: int, name: str) -> Response:
        found = kept.run(run).thumb(frame, name)
        if found is None:
            raise HTTPException(404, "This frame has no such field.")
        values, low, high = found
        return raw({"rows": values.shape[0], "columns": values.shape[1], "low": low,
                    "high": high}, values)

    @app.get("/api/runs/{run}/probe", operation_id="probe")
    def probe(run: str, frame: int, x: float, y: float) -> dict[str, Any]:
        """Every field at one point (m), in its shown unit; empty in closed places."""
        file, case = kept.run(run), kept.run_case(run)
        grid = case.grid
        i, j = cell_of(grid.x, np.array([x]))[0], cell_of(grid.y, np.array([y]))[0]
        values: dict[str, Any] = {}
        for name in file.field_names(frame):
            found = file.field(frame, name)
            if found is None or i < 0 or j < 0 or not np.isfinite(found[0][j, i]):
                continue
            unit = case.fields()[name][1].shown_in
            value = at_points(found[0].astype(float), 0.5 * (grid.x[1:] + grid.x[:-1]),
                              0.5 * (grid.y[1:] + grid.y[:-1]), np.array([x]), np.array([y]))[0]
            values[name] = {"value": from_si(float(value), unit), "unit": unit,
                            "label": case.fields()[name][1].says}
        return {"x": x, "y": y, "values": values}

    @app.get("/api/runs/{run}/profile", operation_id="profile")
    def profile(run: str, frame: int, name: str, x0: float, y0: float, x1: float,
                y1: float) -> dict[str, Any]:
        """A field along a line (m): distance in mm, value in its shown unit, null if closed."""
        line, unit = _profile(kept, run, frame, name, (x0, y0), (x1, y1))
        shown = [None if not np.isfinite(v) else from_si(float(v), unit) for v in line["value"]]
        return {"distance": (line["distance"] * 1e3).tolist(), "value": shown, "unit": unit,
                "x": line["x"].tolist(), "y": line["y"].tolist()}

    @app.get("/api/runs/{run}/wall", operation_id="wall_profile")
    def wall_profile(run: str, frame: int, quantity: str, edge: str,
                     readout: str = "") -> dict[str, Any]:
        """Flux of a quantity into the vessel along an edge, or a transfer readout place by place:
        distance in mm, value in its unit.
        """
        line, values, unit = _wall(kept, run, frame, quantity, edge, readout)
        return {"distance": (line["distance"] * 1e3).tolist(), "unit": unit,
                "value": [from_si(float(v), unit) if np.isfinite(v) else None for v in values]}

    _export_routes(app, kept)


def _wall(kept: Opened, run: str, frame: int, quantity: str,
          edge: str, readout: str = "") -> tuple[dict[str, np.ndarray], np.ndarray, str]:
    file, case = kept.run(run), kept.run_case(run)
    known = wall_quantities(case)
    if quantity not in known:
        raise fault("quantity", f"the flux of '{quantity}' along walls cannot be read",
                    f"Choose from {', '.join(known) or 'none'}.")
    edges = case.places("edge")
    if edge not in edges:
        raise fault("edge", f"there is no edge '{edge}'", f"Edges: {', '.join(edges)}.")
    row = next((f for f in file.frames() if f.id == frame), None)
    if row is None:
        raise HTTPException(404, "There is no such frame.")
    kept_fields = {n: file.field(frame, n) for n in file.field_names(frame)}
    fields = {n: f[0].astype(float) for n, f in kept_fields.items() if f is not None}
    try:
        state = state_of(case, fields, quantity, row.value if row.axis == "time" else 0.0)
    except LookupError as error:
        raise fault("the wall", str(error), "Keep all fields of the whole vessel, and fire again."
                    ) from error
    line = along_edge(case, state, quantity, edge)
    if not readout:
        return line, line["flux"], unit_of(known[quantity])
    asked = case.model.readouts.get(readout)
    if asked is None or (asked.kind, asked.quantity, asked.place) != ("transfer", quantity, edge):
        raise fault("readout", f"'{readout}' is no transfer of {quantity} at {edge}",
                    "Ask for one of this edge and quantity.")
    return (line, local_transfer(case, readout, line, state),
            unit_of(dimension_of_readout(case, readout)))


def _profile(kept: Opened, run: str, frame: int, name: str, start: tuple[float, float],
             end: tuple[float, float]) -> tuple[dict[str, np.ndarray], str]:
    found = kept.run(run).field(frame, name)
    if found is None:
        raise HTTPException(404, "This frame has no such field.")
    if start == end:
        raise fault("section", "both ends of the section lie on one spot", "Draw it longer.")
    case = kept.run_case(run)
    line = along_line(found[0].astype(float), case.grid.x, case.grid.y, start, end)
    return line, case.fields()[name][1].shown_in


def _export_routes(app: FastAPI, kept: Opened) -> None:
    def csv(rows: list[list[Any]], name: str) -> PlainTextResponse:
        text = "\r\n".join(",".join(_quoted(c) for c in row) for row in rows) + "\r\n"
        return PlainTextResponse(text, media_type="text/csv", headers={
            "Content-Disposition": f'attachment; filename="{name}"'})

    @app.get("/api/runs/{run}/export/profile.csv", operation_id="export_profile",
             response_class=PlainTextResponse)
    def export_profile(run: str, frame: int, name: str, x0: float, y0: float, x1: float,
                       y1: float) -> PlainTextResponse:
        line, unit = _profile(kept, run, frame, name, (x0, y0), (x1, y1))
        rows: list[list[Any]] = [["distance [mm]", "x [mm]", "y [mm]", f"{name} [{unit or '1'}]"]]
        for d, x, y, v in zip(line["distance"], line["x"], line["y"], line["value"], strict=True):
            value = from_si(float(v), unit) if np.isfinite(v) else ""
            rows.append([d * 1e3, x * 1e3, y * 1e3, value])
        return csv(rows, "profile.csv")

    @app.get("/api/runs/{run}/export/wall.csv", operation_id="export_wall",
             response_class=PlainTextResponse)
    def export_wall(run: str, frame: int, quantity: str, edge: str,
                    readout: str = "") -> PlainTextResponse:
        line, values, unit = _wall(kept, run, frame, quantity, edge, readout)
        rows: list[list[Any]] = [["distance [mm]", "x [mm]", "y [mm]",
                                  f"{readout or quantity} [{unit or '1'}]"]]
        rows += [[d * 1e3, x * 1e3, y * 1e3, from_si(float(v), unit)] for d, x, y, v in zip(
            line["distance"], line["x"], line["y"], values, strict=True)]
        return csv(rows, "wall.csv")

    @app.get("/api/runs/{run}/export/field.csv", operation_id="export_field",
             response_class=PlainTextResponse)
    def export_field(run: str, frame: int,
                     names: Annotated[list[str] | None, Query()] = None) -> PlainTextResponse:
        """One row per open cell: position and fields."""
        file, case = kept.run(run), kept.run_case(run)
        wanted = names or file.field_names(frame)
        arrays = {n: file.field(frame, n) for n in wanted}
        if not arrays or any(a is None for a in arrays.values()):
            raise HTTPException(404, "This frame has no such field.")
        units = {n: case.fields()[n][1].shown_in for n in wanted}
        grid = case.grid
        xc, yc = 0.5 * (grid.x[1:] + grid.x[:-1]), 0.5 * (grid.y[1:] + grid.y[:-1])
        rows: list[list[Any]] = [["x [mm]", "y [mm]",
                                  *(f"{n} [{units[n] or '1'}]" for n in wanted)]]
        first = arrays[wanted[0]]
        assert first is not None
        for j, i in np.argwhere(np.isfinite(first[0])):
            rows.append([xc[i] * 1e3, yc[j] * 1e3,
                         *(from_si(float(a[0][j, i]), units[n])
                           for n, a in arrays.items() if a is not None)])
        return csv(rows, "field.csv")

    @app.get("/api/runs/{run}/box", operation_id="get_box")
    def box(run: str, frame: int, x0: float, y0: float, x1: float, y1: float) -> dict[str, Any]:
        """Mean, extremes and integral of every field in a box (m), and the open volume there."""
        case, file = kept.run_case(run), kept.run(run)
        grid = case.grid
        part = part_of(case.mesh.volume[0, 1 : grid.ny + 1, 1 : grid.nx + 1], grid.x, grid.y,
                       (min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)))
        values = {}
        for name in file.field_names(frame):
            found = file.field(frame, name)
            told = None if found is None else in_box(found[0].astype(float), part)
            if told is None or name not in case.fields():
                continue
            field = case.fields()[name][1]
            unit = field.shown_in
            values[name] = {
                "label": field.says, "unit": unit, "mean": from_si(told.mean, unit),
                "low": from_si(told.low, unit), "high": from_si(told.high, unit),
                "total": told.total, "total_unit": (dimension_of(field.dimension)
                                                    * dimension_of("volume")).name}
            values[name]["total_unit"] = unit_of(str(values[name]["total_unit"]))
        return {"volume": float(part.sum()), "values": values}

    @app.get("/api/runs/{run}/export/vtk.zip", operation_id="export_vtk_zip")
    def export_frames(run: str) -> Response:
        """Every frame as VTK XML with a collection of times, in one zip."""
        found = Run(kept.run(run), kept.run_case(run), {})
        return Response(found.vtk(), media_type="application/zip",
                        headers={"Content-Disposition": 'attachment; filename="frames.zip"'})

    @app.get("/api/runs/{run}/export/readouts.csv", operation_id="export_readouts",
             response_class=PlainTextResponse)
    def export_readouts(run: str) -> PlainTextResponse:
        """Readouts of the whole run, then their history frame by frame."""
        file, case = kept.run(run), kept.run_case(run)
        result = file.get("result") or {"readouts": {}}
        rows: list[list[Any]] = [["readout", "value", "unit", "paper", "measured from", "to"]]
        for name, r in result["readouts"].items():
            rows.append([name, "" if r["value"] is None else r["value"], r["unit"],
                         r.get("paper", ""), *r.get("measured", ())])
        names = list(case.model.readouts)
        units = {n: result["readouts"].get(n, {}).get("unit", "") for n in names}
        rows += [[], ["stage", "time [s]", *(f"{n} [{units[n] or '1'}]" for n in names)]]
        for f in file.frames():
            rows.append([f.stage, f.value, *(
                "" if f.readouts.get(n) is None else from_si(f.readouts[n], units[n])
                for n in names)])
        return csv(rows, "readouts.csv")


def _quoted(cell: Any) -> str:
    """One CSV cell; texts that a spreadsheet would run as a formula are defused."""
    if isinstance(cell, float | np.floating):
        return repr(float(cell))
    text = str(cell)
    if text[:1] in ("=", "+", "-", "@", "\t"):
        text = "'" + text
    return '"' + text.replace('"', '""') + '"' if any(c in text for c in ',"\r\n') else text
