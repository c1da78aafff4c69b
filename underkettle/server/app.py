"""The web server: thin routes over cases, runs and readings.

Bad input answers 422 with {"faults": [...], "text": ...}: the same sentences as on the command
line. Fields travel as raw little-endian float32 behind a small JSON header.
"""

from __future__ import annotations

import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, HTTPException, Request
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel

from underkettle import __version__
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError, fault
from underkettle.case.model import read_json
from underkettle.case.schema import case_schema
from underkettle.case.variants import edited
from underkettle.server.exporting import export_routes
from underkettle.server.filming import film_routes
from underkettle.server.firing import firing_routes, run_row
from underkettle.server.histories import history_routes
from underkettle.server.instruments import instrument_routes
from underkettle.server.making import making_routes, thumb
from underkettle.server.opened import Edit, Opened
from underkettle.server.reading import read_routes
from underkettle.server.tasting import tasting_routes
from underkettle.server.views import case_view, curve, understood

WEB = Path(__file__).resolve().parent / "web"
LARGEST_CASE = 4_000_000  # bytes


class Typed(BaseModel):
    """A typed value to be understood, for a declared param of a condition or setting."""

    phenomenon: str
    on: str = ""
    kind: str = ""
    param: str
    text: Any = None
    variant: str = ""
    place: str = ""


def build_app(home: Path | str, ahead: bool = False) -> FastAPI:
    """The application over one home folder. ahead : load what loads slowly in the background."""
    kept = Opened(Path(home))

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        with kept.tended(ahead):
            yield

    app = FastAPI(title="Under Kettle", version=__version__, docs_url=None, redoc_url=None,
                  lifespan=life)

    @app.exception_handler(CaseError)
    async def refuse(request: Request, error: CaseError) -> JSONResponse:
        return JSONResponse({"faults": [f.as_dict() for f in error.faults], "text": str(error)},
                            422)

    _case_routes(app, kept)
    firing_routes(app, kept)
    making_routes(app, kept)
    tasting_routes(app, kept)
    read_routes(app, kept)
    history_routes(app, kept)
    instrument_routes(app, kept)
    export_routes(app, kept)
    film_routes(app)
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
            kept.ask_of_runs(case, data)
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
        card["last_run"] = run_row(kept, runs[0])
        kept_frames = ((r["id"], kept.run(r["id"]).frames()) for r in runs)
        card["picture"] = next(({"run": run, "frame": frames[-1].id}
                                for run, frames in kept_frames if frames), None)
    return card


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



