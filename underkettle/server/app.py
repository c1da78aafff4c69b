"""The web server: thin routes over cases, runs and readings.

Bad input answers 422 with {"faults": [...], "text": ...}: the same sentences as on the command
line. Fields travel as raw little-endian float32 behind a small JSON header.
"""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

import numpy as np
from fastapi import FastAPI, HTTPException, Request, Response
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel
from sse_starlette import EventSourceResponse

from underkettle import __version__
from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.cost import estimate
from underkettle.case.faults import CaseError, fault
from underkettle.case.model import read_json
from underkettle.case.schema import case_schema
from underkettle.case.variants import edited
from underkettle.reading.margin import COARSER
from underkettle.runs import control
from underkettle.server.making import making_routes, thumb
from underkettle.server.opened import Opened, raw
from underkettle.server.reading import read_routes
from underkettle.server.tasting import tasting_routes
from underkettle.server.views import case_view, curve, understood

WEB = Path(__file__).resolve().parent / "web"
LARGEST_CASE = 4_000_000  # bytes
EVENT_EVERY = 0.5


class Edit(BaseModel):
    """A merge patch on a case or one of its variants, with the words the journal keeps for it."""

    patch: dict[str, Any]
    label: str = "edit"
    variant: str = ""


class Typed(BaseModel):
    """A typed value to be understood, for a declared param of a condition or setting."""

    phenomenon: str
    on: str = ""
    kind: str = ""
    param: str
    text: Any = None
    variant: str = ""
    place: str = ""


class Fire(BaseModel):
    variant: str = ""
    grid: float = 1.0


class Order(BaseModel):
    """kind: "stop", or "watch" with a field and a number of seconds."""

    kind: str
    field: str = ""
    seconds: float = 10.0


def build_app(home: Path | str) -> FastAPI:
    """The application over one home folder."""
    kept = Opened(Path(home))

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        with kept.tended():
            yield

    app = FastAPI(title="Under Kettle", version=__version__, docs_url=None, redoc_url=None,
                  lifespan=life)

    @app.exception_handler(CaseError)
    async def refuse(request: Request, error: CaseError) -> JSONResponse:
        return JSONResponse({"faults": [f.as_dict() for f in error.faults], "text": str(error)},
                            422)

    _case_routes(app, kept)
    _run_routes(app, kept)
    making_routes(app, kept)
    tasting_routes(app, kept)
    read_routes(app, kept)
    _web_routes(app)
    return app


def _case_routes(app: FastAPI, kept: Opened) -> None:
    library = kept.library

    @app.get("/api/cases", operation_id="list_cases")
    def list_cases() -> list[dict[str, Any]]:
        """Every case on the shelf, newest first, with its state and its last run."""
        runs = [r for r in library.runs() if not kept.serves(r["id"])]
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
    def get_case(case: str, variant: str = "") -> dict[str, Any]:
        """Everything the Set screen shows: sheet, ledger, audit, paper check."""
        built = kept.built(case, variant=variant)
        return {**case_view(built, kept.pace()), "id": case, "journal": library.journal(case)}

    @app.get("/api/cases/{case}/file", operation_id="get_case_file")
    def get_file(case: str) -> dict[str, Any]:
        """The case file as it stands."""
        return kept.case(case)

    @app.patch("/api/cases/{case}", operation_id="edit_case")
    def edit_case(case: str, edit: Edit) -> dict[str, Any]:
        """Apply a merge patch. Refused edits change nothing."""
        with kept.editing:
            before = kept.case(case)
            if edit.variant and edit.variant not in before.get("variants", {}):
                raise HTTPException(404, "There is no such variant.")
            data = edited(before, edit.variant, edit.patch)
            view = case_view(kept.built(case, data, edit.variant), kept.pace())
            library.edit(case, data, edit.label)
            kept.taster.take_back()
            return {**view, "id": case, "journal": library.journal(case)}

    @app.post("/api/cases/{case}/undo", operation_id="undo")
    def undo(case: str, variant: str = "") -> dict[str, Any]:
        with kept.editing:
            kept.case(case)
            library.undo(case)
            return get_case(case, _still(case, variant))

    @app.post("/api/cases/{case}/redo", operation_id="redo")
    def redo(case: str, variant: str = "") -> dict[str, Any]:
        with kept.editing:
            kept.case(case)
            library.redo(case)
            return get_case(case, _still(case, variant))

    def _still(case: str, variant: str) -> str:
        """The variant if there is one of that name now."""
        return variant if variant in kept.case(case).get("variants", {}) else ""

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
    def understand(case: str, typed: Typed) -> dict[str, Any]:
        """What a typed value means, without keeping it, and a curve where it is not one number."""
        built = kept.built(case, variant=typed.variant)
        phenomenon = kept.registry.get(typed.phenomenon)
        if phenomenon is None:
            raise HTTPException(404, "There is no such phenomenon.")
        condition = phenomenon.condition(typed.on, typed.kind) if typed.on else None
        params = condition.params if condition else (
            *phenomenon.settings, *(phenomenon.member_settings or ()))
        for param in params:
            if param.name == typed.param:
                return {"text": understood(param, typed.text, built),
                        "curve": curve(param, typed.text, built, typed.place)}
        raise HTTPException(404, "There is no such value.")

    @app.get("/api/schema", operation_id="get_schema")
    def schema() -> dict[str, Any]:
        """The JSON Schema of case files, with every phenomenon installed here."""
        return case_schema(kept.registry)


def _shelf_card(kept: Opened, row: dict[str, Any], runs: list[dict[str, Any]]) -> dict[str, Any]:
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
        card["sheet"] = thumb(built)
    except CaseError as error:
        card["trouble"] = str(error)
    if runs:
        card["last_run"] = _run_row(kept, runs[0])
        kept_frames = ((r["id"], kept.run(r["id"]).frames()) for r in runs)
        card["picture"] = next(({"run": run, "frame": frames[-1].id}
                                for run, frames in kept_frames if frames), None)
    return card


def _run_row(kept: Opened, row: dict[str, Any]) -> dict[str, Any]:
    file = kept.run(row["id"])
    result = file.get("result") or {}
    newest = file.watches(most=1)
    frames = file.frames()
    return {
        "id": row["id"], "number": row["number"], "case": row["case"],
        "variant": file.get("variant") or "", "created": row["created"],
        "status": control.status_of(file),
        "wall": file.get("wall", 0.0), "frames": len(frames), "lines": file.log_lines(),
        "newest": newest[-1] if newest else None, "message": file.get("message", ""),
        "result": result, "cells": file.get("cells"), "expected": file.get("expected"),
        "serves": file.get("serves") or "", "place": kept.queue.places().get(row["id"], 0),
        "helpers": [control.status_of(kept.run(h)) for h in kept.helpers(row["id"])],
        "last_frame": frames[-1].id if frames else None,
    }


def _run_routes(app: FastAPI, kept: Opened) -> None:
    library = kept.library

    @app.post("/api/cases/{case}/fire", operation_id="fire")
    def fire(case: str, order: Fire) -> dict[str, Any]:
        """Start a run. Refused while the audit finds something that stops it."""
        data = kept.case(case)
        built = Case(data, None, order.variant or None, order.grid, kept.registry)
        findings = audit(built)
        if not can_run(findings):
            raise CaseError([_as_fault(f) for f in findings if f.grade != "doubt"])
        run, number, path = library.add_run(case)
        control.enqueue(path, data, order.variant or None, order.grid,
                        estimate(built), estimate(built, kept.pace()))
        kept.queue.tick()
        return {"id": run, "number": number}

    @app.post("/api/runs/{run}/margin", operation_id="ask_margin")
    def ask_margin(run: str) -> dict[str, Any]:
        """Run the same case on two coarser grids, so that every readout gets a margin."""
        file, row = kept.run(run), library.run(run)
        if file.get("status") != "finished" or row is None:
            raise fault("the run", "a margin is for a run that has finished",
                        "Wait until it has, or fire it again.")
        if not kept.helpers(run):
            data, variant = file.get("data"), file.get("variant") or None
            for times in COARSER:
                grid = float(file.get("grid")) * times
                cost = estimate(Case(data, None, variant, grid, kept.registry), kept.pace())
                _, _, path = library.add_run(row["case"])
                control.enqueue(path, data, variant, grid, None, None, run)
                file.add_log(f"Margin: a run on a grid {times:.2g} times as fine, about "
                             f"{cost.seconds:.0f} s", "you", 0.0, 0)
            kept.queue.tick()
        return {"id": run, "helpers": len(kept.helpers(run))}

    @app.get("/api/cases/{case}/runs", operation_id="list_runs")
    def list_runs(case: str) -> list[dict[str, Any]]:
        kept.queue.tick()
        return [row for row in (_run_row(kept, r) for r in library.runs(case))
                if not row["serves"]]

    @app.get("/api/runs/{run}", operation_id="get_run")
    def get_run(run: str) -> dict[str, Any]:
        row = library.run(run)
        if row is None:
            raise HTTPException(404, "There is no such run.")
        kept.margins(run)
        return {**_run_row(kept, row), "log": kept.run(run).log()}

    @app.get("/api/runs/{run}/case", operation_id="get_run_case")
    def get_run_case(run: str) -> dict[str, Any]:
        """The case as it was fired, whatever has become of it on the shelf."""
        return {**case_view(kept.run_case(run)), "id": run,
                "journal": {"undo": None, "redo": None, "count": 0}}

    @app.get("/api/runs/{run}/watches", operation_id="get_watches")
    def get_watches(run: str, after: int = -1) -> list[dict[str, Any]]:
        """Histories recorded after a step."""
        return kept.run(run).watches(after)

    @app.post("/api/runs/{run}/orders", operation_id="order")
    def give_order(run: str, order: Order) -> dict[str, str]:
        if order.kind not in ("stop", "watch", "first"):
            raise fault("orders / kind", "this order is not known", "Orders: stop, watch, first.",
                        order.kind)
        if order.kind == "first":
            kept.queue.first(run)
            return {"kind": order.kind}
        if order.kind == "stop" and kept.queue.cancel(run):
            return {"kind": order.kind}
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
        kept.queue.reopened(run)
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


async def _changes(kept: Opened, request: Request) -> AsyncIterator[dict[str, str]]:
    seen: dict[str, tuple[Any, ...]] = {}
    while not await request.is_disconnected():
        for row in kept.library.runs():
            try:
                status = kept.run(row["id"]).get("status")
                if seen.get(row["id"], ("",))[0] == status not in ("running", "waiting"):
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



