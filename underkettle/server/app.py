"""The web server: thin routes over cases, runs and readings.

Bad input answers 422 with {"faults": [...], "text": ...}: the same sentences as on the command
line. Fields travel as raw little-endian float32 behind a small JSON header.
"""

from __future__ import annotations

import asyncio
import json
import struct
import time
from collections.abc import AsyncIterator
from pathlib import Path
from typing import Annotated, Any

import numpy as np
from fastapi import FastAPI, HTTPException, Query, Request, Response
from fastapi.responses import FileResponse, JSONResponse, PlainTextResponse
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel
from sse_starlette import EventSourceResponse

from underkettle import __version__
from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.faults import CaseError, fault
from underkettle.case.model import merge_patch, read_json
from underkettle.case.schema import case_schema
from underkettle.engine.contract import find_phenomena
from underkettle.quantities import from_si
from underkettle.quantities.units import unit_of
from underkettle.reading.sections import along_line, at_points, cell_of
from underkettle.reading.walls import along_edge, wall_quantities
from underkettle.runs import control
from underkettle.runs.execute import case_of
from underkettle.server.views import case_view, understood
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

WEB = Path(__file__).resolve().parent / "web"
LARGEST_CASE = 4_000_000  # bytes
EVENT_EVERY = 0.5


class Edit(BaseModel):
    """A merge patch on a case, with the words the journal keeps for it."""

    patch: dict[str, Any]
    label: str = "edit"


class Typed(BaseModel):
    """A typed value to be understood, for a declared param of a condition or setting."""

    phenomenon: str
    on: str = ""
    kind: str = ""
    param: str
    text: Any = None


class Fire(BaseModel):
    variant: str = ""
    grid: float = 1.0


class Order(BaseModel):
    """kind: "stop", or "watch" with a field and a number of seconds."""

    kind: str
    field: str = ""
    seconds: float = 10.0


class _Open:
    """Run files and cases kept open between requests."""

    def __init__(self, home: Path) -> None:
        self.library = Library(home)
        self.registry = find_phenomena()
        self._files: dict[str, RunFile] = {}
        self._run_cases: dict[str, Case] = {}
        self._built: dict[str, tuple[dict[str, Any], Case]] = {}

    def case(self, case: str) -> dict[str, Any]:
        data = self.library.case(case)
        if data is None:
            raise HTTPException(404, "There is no such case on the shelf.")
        return data

    def built(self, case: str, data: dict[str, Any] | None = None) -> Case:
        """The case worked out, again only after its data changed. Raises CaseError."""
        data = self.case(case) if data is None else data
        kept = self._built.get(case)
        if kept is None or kept[0] != data:
            kept = self._built[case] = (data, Case(data, registry=self.registry))
        return kept[1]

    def run(self, run: str) -> RunFile:
        if run not in self._files:
            row = self.library.run(run)
            if row is None or not Path(row["file"]).exists():
                raise HTTPException(404, "There is no such run.")
            self._files[run] = RunFile(row["file"])
        return self._files[run]

    def run_case(self, run: str) -> Case:
        if run not in self._run_cases:
            self._run_cases[run] = case_of(self.run(run), self.registry)
        return self._run_cases[run]


def raw(header: dict[str, Any], values: np.ndarray) -> Response:
    """Length of the header (uint32), the header as JSON padded to 4 bytes, float32 values."""
    text = json.dumps(header).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<I", len(text)) + text + np.ascontiguousarray(values, "<f4").tobytes()
    return Response(body, media_type="application/octet-stream")


def build_app(home: Path | str) -> FastAPI:
    """The application over one home folder."""
    app = FastAPI(title="Under Kettle", version=__version__, docs_url=None, redoc_url=None)
    kept = _Open(Path(home))

    @app.exception_handler(CaseError)
    async def refuse(request: Request, error: CaseError) -> JSONResponse:
        return JSONResponse({"faults": [f.as_dict() for f in error.faults], "text": str(error)},
                            422)

    _case_routes(app, kept)
    _run_routes(app, kept)
    _read_routes(app, kept)
    _web_routes(app)
    return app


def _case_routes(app: FastAPI, kept: _Open) -> None:
    library = kept.library

    @app.get("/api/cases", operation_id="list_cases")
    def list_cases() -> list[dict[str, Any]]:
        """Every case on the shelf, newest first, with its state and its last run."""
        runs = library.runs()
        return [_shelf_card(kept, row, [r for r in runs if r["case"] == row["id"]])
                for row in library.cases()]

    @app.post("/api/cases", operation_id="add_case")
    async def add_case(request: Request) -> dict[str, str]:
        """Put a case file on the shelf. It must be readable; what is missing may be missing."""
        body = await request.body()
        if len(body) > LARGEST_CASE:
            raise fault("the file", "the case is larger than 4 MB", "", len(body))
        data = read_json(body)
        Case(data, registry=kept.registry)
        return {"id": library.add_case(data)}

    @app.get("/api/cases/{case}", operation_id="get_case")
    def get_case(case: str) -> dict[str, Any]:
        """Everything the Set screen shows: sheet, ledger, audit, paper check."""
        return {**case_view(kept.built(case)), "id": case, "journal": library.journal(case)}

    @app.get("/api/cases/{case}/file", operation_id="get_case_file")
    def get_file(case: str) -> dict[str, Any]:
        """The case file as it stands."""
        return kept.case(case)

    @app.patch("/api/cases/{case}", operation_id="edit_case")
    def edit_case(case: str, edit: Edit) -> dict[str, Any]:
        """Apply a merge patch. Refused edits change nothing."""
        data = merge_patch(kept.case(case), edit.patch)
        built = Case(data, registry=kept.registry)
        view = case_view(built)
        library.edit(case, data, edit.label)
        return {**view, "id": case, "journal": library.journal(case)}

    @app.post("/api/cases/{case}/undo", operation_id="undo")
    def undo(case: str) -> dict[str, Any]:
        kept.case(case)
        library.undo(case)
        return get_case(case)

    @app.post("/api/cases/{case}/redo", operation_id="redo")
    def redo(case: str) -> dict[str, Any]:
        kept.case(case)
        library.redo(case)
        return get_case(case)

    @app.post("/api/cases/{case}/copy", operation_id="copy_case")
    def copy_case(case: str) -> dict[str, str]:
        data = kept.case(case)
        return {"id": library.add_case({**data, "name": f"{data['name']}, copy"[:120]})}

    @app.delete("/api/cases/{case}", operation_id="delete_case")
    def delete_case(case: str) -> dict[str, str]:
        """Take a case off the shelf; it can be put back."""
        if not library.set_deleted(case, True):
            raise HTTPException(404, "There is no such case on the shelf.")
        return {"id": case}

    @app.post("/api/cases/{case}/restore", operation_id="restore_case")
    def restore_case(case: str) -> dict[str, str]:
        if not library.set_deleted(case, False):
            raise HTTPException(404, "There never was such a case.")
        return {"id": case}

    @app.post("/api/cases/{case}/understand", operation_id="understand")
    def understand(case: str, typed: Typed) -> dict[str, str]:
        """What a typed value means, without keeping it."""
        built = kept.built(case)
        phenomenon = kept.registry.get(typed.phenomenon)
        if phenomenon is None:
            raise HTTPException(404, "There is no such phenomenon.")
        condition = phenomenon.condition(typed.on, typed.kind) if typed.on else None
        params = condition.params if condition else (
            *phenomenon.settings, *(phenomenon.member_settings or ()))
        for param in params:
            if param.name == typed.param:
                return {"text": understood(param, typed.text, built)}
        raise HTTPException(404, "There is no such value.")

    @app.get("/api/schema", operation_id="get_schema")
    def schema() -> dict[str, Any]:
        """The JSON Schema of case files, with every phenomenon installed here."""
        return case_schema(kept.registry)


def _shelf_card(kept: _Open, row: dict[str, Any], runs: list[dict[str, Any]]) -> dict[str, Any]:
    data = row["data"]
    card: dict[str, Any] = {
        "id": row["id"], "name": data["name"], "summary": data.get("summary", ""),
        "touched": row["touched"], "demo": row["demo"],
        "phenomena": list(data.get("phenomena", {})), "runs": len(runs), "missing": 0,
        "last_run": None, "picture": None}
    try:
        built = kept.built(row["id"], data)
        findings = audit(built)
        card["missing"] = sum(f.grade != "doubt" for f in findings)
        card["sheet"] = {"rings": [np.round(p, 9).tolist() for p, _ in built.built.rings],
                         "box": built.built.outline.box}
    except CaseError as error:
        card["trouble"] = str(error)
    if runs:
        card["last_run"] = _run_row(kept, runs[0])
        kept_frames = ((r["id"], kept.run(r["id"]).frames()) for r in runs)
        card["picture"] = next(({"run": run, "frame": frames[-1].id}
                                for run, frames in kept_frames if frames), None)
    return card


def _run_row(kept: _Open, row: dict[str, Any]) -> dict[str, Any]:
    file = kept.run(row["id"])
    result = file.get("result") or {}
    newest = file.watches(most=1)
    frames = file.frames()
    return {
        "id": row["id"], "number": row["number"], "case": row["case"],
        "created": row["created"], "status": control.status_of(file),
        "wall": file.get("wall", 0.0), "frames": len(frames), "lines": file.log_lines(),
        "newest": newest[-1] if newest else None, "message": file.get("message", ""),
        "result": result, "cells": file.get("cells"),
        "last_frame": frames[-1].id if frames else None,
    }


def _run_routes(app: FastAPI, kept: _Open) -> None:
    library = kept.library

    @app.post("/api/cases/{case}/fire", operation_id="fire")
    def fire(case: str, order: Fire) -> dict[str, Any]:
        """Start a run. Refused while the audit finds something that stops it."""
        data = kept.case(case)
        findings = audit(Case(data, None, order.variant or None, order.grid, kept.registry))
        if not can_run(findings):
            raise CaseError([_as_fault(f) for f in findings if f.grade != "doubt"])
        run, number, path = library.add_run(case)
        control.start(path, data, order.variant or None, order.grid)
        return {"id": run, "number": number}

    @app.get("/api/cases/{case}/runs", operation_id="list_runs")
    def list_runs(case: str) -> list[dict[str, Any]]:
        return [_run_row(kept, row) for row in library.runs(case)]

    @app.get("/api/runs/{run}", operation_id="get_run")
    def get_run(run: str) -> dict[str, Any]:
        row = library.run(run)
        if row is None:
            raise HTTPException(404, "There is no such run.")
        return {**_run_row(kept, row), "log": kept.run(run).log()}

    @app.get("/api/runs/{run}/watches", operation_id="get_watches")
    def get_watches(run: str, after: int = -1) -> list[dict[str, Any]]:
        """Histories recorded after a step."""
        return kept.run(run).watches(after)

    @app.post("/api/runs/{run}/orders", operation_id="order")
    def give_order(run: str, order: Order) -> dict[str, str]:
        if order.kind not in ("stop", "watch"):
            raise fault("orders / kind", "this order is not known", "Orders: stop, watch.",
                        order.kind)
        kept.run(run).order(order.kind, {"field": order.field, "seconds": order.seconds})
        return {"kind": order.kind}

    @app.post("/api/runs/{run}/resume", operation_id="resume")
    def resume(run: str) -> dict[str, str]:
        """Go on from the newest checkpoint of a run that was interrupted or stopped."""
        file = kept.run(run)
        status = control.status_of(file)
        if status not in ("interrupted", "stopped"):
            raise fault("the run", f"it is {status} and cannot be resumed",
                        "Fire a new run instead.")
        file.take_orders()
        control.launch(file.path)
        return {"status": "running"}

    @app.get("/api/runs/{run}/live", operation_id="get_live")
    def live(run: str) -> Response:
        """The newest live picture, if one is being made."""
        found = kept.run(run).live()
        if found is None:
            return Response(status_code=204)
        name, step, now, values = found
        finite = values[np.isfinite(values)]
        header = {"name": name, "step": step, "time": now, "rows": values.shape[0],
                  "columns": values.shape[1],
                  "low": float(finite.min()) if finite.size else 0.0,
                  "high": float(finite.max()) if finite.size else 0.0}
        return raw(header, values)

    @app.get("/api/events", operation_id="events")
    async def events(request: Request) -> EventSourceResponse:
        """One stream for everything that changes: a "run" event per change of any run."""
        return EventSourceResponse(_changes(kept, request))


def _as_fault(finding: Any) -> Any:
    from underkettle.case.faults import Fault

    return Fault(finding.place or "the case", finding.sentence.rstrip("."), finding.reason)


async def _changes(kept: _Open, request: Request) -> AsyncIterator[dict[str, str]]:
    seen: dict[str, tuple[Any, ...]] = {}
    while not await request.is_disconnected():
        for row in kept.library.runs():
            try:
                if seen.get(row["id"], ("",))[0] == kept.run(row["id"]).get("status") != "running":
                    continue
                view = _run_row(kept, row)
            except HTTPException:
                continue
            newest = view["newest"] or {}
            mark = (view["status"], newest.get("step"), view["frames"], view["lines"])
            if seen.get(row["id"]) != mark:
                seen[row["id"]] = mark
                view.pop("result")
                yield {"event": "run", "data": json.dumps(view)}
        await asyncio.sleep(EVENT_EVERY)


def _read_routes(app: FastAPI, kept: _Open) -> None:
    @app.get("/api/runs/{run}/frames", operation_id="get_frames")
    def frames(run: str) -> dict[str, Any]:
        """All frames, the grid, and the range of every field over the run."""
        file, case = kept.run(run), kept.run_case(run)
        found = file.frames()
        names = file.field_names(found[-1].id) if found else []
        fields = case.fields()
        return {
            "frames": [{"id": f.id, "stage": f.stage, "axis": f.axis, "value": f.value,
                        "step": f.step, "readouts": f.readouts} for f in found],
            "x": case.grid.x.tolist(), "y": case.grid.y.tolist(),
            "fields": {n: {"label": fields[n][1].says, "unit": unit_of(fields[n][1].dimension),
                           "centred": fields[n][1].centred, "range": file.ranges(n)}
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
            unit = unit_of(case.fields()[name][1].dimension)
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
    def wall_profile(run: str, frame: int, quantity: str, edge: str) -> dict[str, Any]:
        """Flux of a quantity into the vessel along an edge: distance in mm, value in its unit."""
        line, unit = _wall(kept, run, frame, quantity, edge)
        return {"distance": (line["distance"] * 1e3).tolist(), "unit": unit,
                "value": [from_si(float(v), unit) for v in line["flux"]]}

    _export_routes(app, kept)


def _wall(kept: _Open, run: str, frame: int, quantity: str,
          edge: str) -> tuple[dict[str, np.ndarray], str]:
    file, case = kept.run(run), kept.run_case(run)
    known = wall_quantities(case)
    if quantity not in known:
        raise fault("quantity", f"the flux of '{quantity}' along walls cannot be read",
                    f"Choose from {', '.join(known) or 'none'}.")
    if edge not in case.edges:
        raise fault("edge", f"there is no edge '{edge}'", f"Edges: {', '.join(case.edges)}.")
    row = next((f for f in file.frames() if f.id == frame), None)
    if row is None:
        raise HTTPException(404, "There is no such frame.")
    kept_fields = {n: file.field(frame, n) for n in file.field_names(frame)}
    fields = {n: f[0].astype(float) for n, f in kept_fields.items() if f is not None}
    line = along_edge(case, fields, quantity, edge, row.value if row.axis == "time" else 0.0)
    return line, unit_of(known[quantity])


def _profile(kept: _Open, run: str, frame: int, name: str, start: tuple[float, float],
             end: tuple[float, float]) -> tuple[dict[str, np.ndarray], str]:
    found = kept.run(run).field(frame, name)
    if found is None:
        raise HTTPException(404, "This frame has no such field.")
    if start == end:
        raise fault("section", "both ends of the section lie on one spot", "Draw it longer.")
    case = kept.run_case(run)
    line = along_line(found[0].astype(float), case.grid.x, case.grid.y, start, end)
    return line, unit_of(case.fields()[name][1].dimension)


def _export_routes(app: FastAPI, kept: _Open) -> None:
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
    def export_wall(run: str, frame: int, quantity: str, edge: str) -> PlainTextResponse:
        line, unit = _wall(kept, run, frame, quantity, edge)
        rows: list[list[Any]] = [["distance [mm]", "x [mm]", "y [mm]", f"{quantity} [{unit}]"]]
        rows += [[d * 1e3, x * 1e3, y * 1e3, from_si(float(v), unit)] for d, x, y, v in zip(
            line["distance"], line["x"], line["y"], line["flux"], strict=True)]
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
        units = {n: unit_of(case.fields()[n][1].dimension) for n in wanted}
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

    @app.get("/api/runs/{run}/export/readouts.csv", operation_id="export_readouts",
             response_class=PlainTextResponse)
    def export_readouts(run: str) -> PlainTextResponse:
        """Readouts of the whole run, then their history frame by frame."""
        file, case = kept.run(run), kept.run_case(run)
        result = file.get("result") or {"readouts": {}}
        rows: list[list[Any]] = [["readout", "value", "unit", "paper"]]
        for name, r in result["readouts"].items():
            rows.append([name, "" if r["value"] is None else r["value"], r["unit"],
                         r.get("paper", "")])
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


def _web_routes(app: FastAPI) -> None:
    @app.get("/api/about", operation_id="about")
    def about() -> dict[str, Any]:
        return {"name": "Under Kettle", "version": __version__, "clock": time.time()}

    if not (WEB / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such address.")
        return FileResponse(WEB / "index.html")



