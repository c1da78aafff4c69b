"""The web server: thin routes over cases, runs and readings.

Bad input answers with `Refused`: the same sentences as on the command line. Fields travel as raw
little-endian float32 behind a small JSON header.
"""

from __future__ import annotations

import gc
import json
import time
from collections.abc import AsyncIterator, Callable, Collection
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Annotated, Any

from fastapi import Body, FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse, Response
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel, TypeAdapter
from starlette.exceptions import HTTPException as AnyHTTPException

from underkettle import __version__
from underkettle.case.case import Case
from underkettle.case.faults import CaseError, fault
from underkettle.case.schema import case_schema
from underkettle.case.variants import edited
from underkettle.server.access import Access
from underkettle.server.answers.cases import CaseFile, CaseView, ShownView, Understood
from underkettle.server.answers.runs import About, ShelfCard
from underkettle.server.answers.shared import Identity
from underkettle.server.described import described
from underkettle.server.door import Door
from underkettle.server.exporting import export_routes
from underkettle.server.filming import film_routes
from underkettle.server.firing import firing_routes
from underkettle.server.histories import history_routes
from underkettle.server.instruments import instrument_routes
from underkettle.server.making import making_routes
from underkettle.server.opened import Edit, Opened
from underkettle.server.reading import read_routes
from underkettle.server.shelf import card_of, cards, keep_card, worked_card
from underkettle.server.tasting import tasting_routes
from underkettle.server.views import applied, curve, shown, understood
from underkettle.store.database import Busy, Damaged, StoreFault, Unwritable

SELDOM = (20_000, 20, 50)  # objects made before memory is looked through, and how deeply
WEB = Path(__file__).resolve().parent / "web"


class Typed(BaseModel):
    """A typed value to be understood, for a declared param of a condition or setting; without one,
    all values of a condition, by name, to be seen as what they apply in time.
    """

    phenomenon: str
    on: str = ""
    kind: str = ""
    param: str = ""
    text: Any = None
    variant: str = ""
    place: str = ""


SHELF = TypeAdapter(list[ShelfCard])


def sent(model: BaseModel) -> Response:
    """A large answer, written the quick way."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")


class Answer(JSONResponse):
    """JSON that can always be written: what is no number goes out as null."""

    def render(self, content: Any) -> bytes:
        try:
            return super().render(content)
        except ValueError:
            return json.dumps(_plain(content), ensure_ascii=False, separators=(",", ":")).encode(
                "utf-8", "replace"
            )


def _plain(content: Any) -> Any:
    if isinstance(content, dict):
        return {str(k): _plain(v) for k, v in content.items()}
    if isinstance(content, list | tuple):
        return [_plain(v) for v in content]
    if isinstance(content, float) and not -1.8e308 < content < 1.8e308:
        return None
    return content


def build_app(
    home: Path | str, ahead: bool = False, hosts: Collection[str] = (), access: Access | None = None
) -> FastAPI:
    """The application over one home folder. ahead : load what loads slowly in the background;
    hosts : names it may be called by beside loopback; access : who is let in, where not everybody.
    Raises StoreFault.
    """
    kept = Opened(Path(home))

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        gc.collect()
        gc.freeze()  # what is loaded stays: looking through it again and again takes 100 ms
        usual = gc.get_threshold()
        gc.set_threshold(*SELDOM)
        with kept.tended(ahead):
            yield
        gc.set_threshold(*usual)
        gc.unfreeze()

    app = FastAPI(
        title="Under Kettle",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        lifespan=life,
        default_response_class=Answer,
    )
    app.openapi = lambda: described(app)  # type: ignore[method-assign]
    app.add_middleware(Door, hosts=hosts, access=access)
    _refusals(app)
    _case_routes(app, kept)
    firing_routes(app, kept)
    making_routes(app, kept)
    tasting_routes(app, kept)
    read_routes(app, kept)
    history_routes(app, kept)
    instrument_routes(app, kept)
    export_routes(app, kept)
    film_routes(app)
    _web_routes(app, kept)
    return app


def _refusals(app: FastAPI) -> None:
    """One shape for everything that is refused, whoever refuses it."""

    def no(status: int, text: str, faults: list[dict[str, str]] | None = None) -> JSONResponse:
        return Answer({"faults": faults or [], "text": text}, status)

    @app.exception_handler(CaseError)
    async def refuse(request: Request, error: CaseError) -> JSONResponse:
        return no(422, str(error), [f.as_dict() for f in error.faults])

    @app.exception_handler(RequestValidationError)
    async def misfit(request: Request, error: RequestValidationError) -> JSONResponse:
        found = [
            fault(" / ".join(str(p) for p in e["loc"]), e["msg"][:1].lower() + e["msg"][1:]).faults[
                0
            ]
            for e in error.errors()[:8]
        ]
        return no(422, "\n".join(map(str, found)), [f.as_dict() for f in found])

    @app.exception_handler(AnyHTTPException)
    async def missing(request: Request, error: AnyHTTPException) -> JSONResponse:
        answer = no(error.status_code, str(error.detail))
        answer.headers.update(error.headers or {})
        return answer

    @app.exception_handler(StoreFault)
    async def kept_badly(request: Request, error: StoreFault) -> JSONResponse:
        status = {Damaged: 409, Unwritable: 507, Busy: 503}.get(type(error), 503)
        return no(status, str(error))


def _case_routes(app: FastAPI, kept: Opened) -> None:
    library = kept.library

    def view(case: str, built: Case) -> Response:
        return sent(
            CaseView.model_validate(
                {**kept.view(case, built), "id": case, "journal": library.journal(case)}
            )
        )

    @app.get("/api/cases", operation_id="list_cases", response_model=list[ShelfCard])
    def list_cases() -> Response:
        """Every case on the shelf, newest first, with its state and its last run."""
        shelf = SHELF.validate_python(cards(kept))
        return Response(SHELF.dump_json(shelf, by_alias=True), media_type="application/json")

    @app.post("/api/cases", operation_id="add_case")
    def add_case(data: Annotated[CaseFile, Body()]) -> Identity:
        """Put a case file on the shelf. It must be readable; what is missing may be missing."""
        built = Case(data, registry=kept.registry)
        return Identity(id=library.add_case(data, card=card_of(data, built)))

    @app.get("/api/cases/{case}", operation_id="get_case", response_model=CaseView)
    def get_case(case: str, variant: str = "") -> Response:
        """Everything the Set screen shows: sheet, ledger, audit, paper check."""
        return view(case, kept.built(case, variant=variant))

    @app.get("/api/cases/{case}/file", operation_id="get_case_file")
    def get_file(case: str) -> CaseFile:
        """The case file as it stands."""
        return kept.case(case)

    @app.patch("/api/cases/{case}", operation_id="edit_case", response_model=CaseView)
    def edit_case(case: str, edit: Edit) -> Response:
        """Apply a merge patch. Refused edits change nothing."""
        with kept.editing:
            before = kept.case(case)
            if edit.variant and edit.variant not in before.get("variants", {}):
                raise HTTPException(404, "There is no such variant.")
            data = edited(before, edit.variant, edit.patch)
            base = kept.built(case, data)
            built = kept.built(case, data, edit.variant)
            library.edit(case, data, edit.label)
            library.set_card(case, card_of(data, base), data)
            kept.taster.take_back()
            kept.ask_of_runs(case, data)
            return view(case, built)

    @app.post("/api/cases/{case}/undo", operation_id="undo", response_model=CaseView)
    def undo(case: str, variant: str = "") -> Response:
        """Take back the newest edit."""
        return stepped(case, variant, library.undo)

    @app.post("/api/cases/{case}/redo", operation_id="redo", response_model=CaseView)
    def redo(case: str, variant: str = "") -> Response:
        """Make the edit again that was taken back last."""
        return stepped(case, variant, library.redo)

    def stepped(case: str, variant: str, step: Callable[[str], str | None]) -> Response:
        with kept.editing:
            kept.case(case)
            step(case)
            keep_card(kept, case, kept.case(case))
            return get_case(case, _still(case, variant))

    def _still(case: str, variant: str) -> str:
        """The variant if there is one of that name now."""
        return variant if variant in kept.case(case).get("variants", {}) else ""

    @app.post("/api/cases/{case}/copy", operation_id="copy_case")
    def copy_case(case: str) -> Identity:
        data = kept.case(case)
        copy = {**data, "name": f"{data['name']}, copy"[:120]}
        return Identity(
            id=library.add_case(copy, card=worked_card(copy, lambda: kept.built(case, data)))
        )

    @app.delete("/api/cases/{case}", operation_id="delete_case")
    def delete_case(case: str) -> Identity:
        """Take a case off the shelf; it can be put back."""
        if not library.set_deleted(case, True):
            raise HTTPException(404, "There is no such case on the shelf.")
        return Identity(id=case)

    @app.post("/api/cases/{case}/restore", operation_id="restore_case")
    def restore_case(case: str) -> Identity:
        if not library.set_deleted(case, False):
            raise HTTPException(404, "There never was such a case.")
        return Identity(id=case)

    @app.post("/api/cases/{case}/understand", operation_id="understand")
    def understand(case: str, typed: Typed) -> Understood:
        """What a typed value means, without keeping it, and a curve where it is not one number."""
        built = kept.built(case, variant=typed.variant)
        phenomenon = kept.registry.get(typed.phenomenon)
        if phenomenon is None:
            raise HTTPException(404, "There is no such phenomenon.")
        condition = phenomenon.condition(typed.on, typed.kind) if typed.on else None
        if condition and not typed.param:
            told = applied(condition, typed.text, built)
            return Understood.model_validate({"text": "", "curve": told})
        params = condition.params if condition else phenomenon.params()
        for param in params:
            if param.name == typed.param:
                return Understood.model_validate(
                    {
                        "text": understood(param, typed.text, built),
                        "curve": curve(param, typed.text, built, typed.place),
                    }
                )
        raise HTTPException(404, "There is no such value.")

    @app.get("/api/cases/{case}/shown", operation_id="get_shown")
    def get_shown(case: str, at: str, variant: str = "") -> ShownView:
        """What is made of a setting at a path of the case file, to be looked at before the run."""
        try:
            return ShownView.model_validate(shown(kept.built(case, variant=variant), at))
        except (KeyError, ValueError) as none:
            raise HTTPException(404, "Nothing is shown of that.") from none

    @app.get("/api/schema", operation_id="get_schema")
    def schema() -> dict[str, Any]:
        """The JSON Schema of case files, with every phenomenon installed here."""
        return case_schema(kept.registry)


def _web_routes(app: FastAPI, kept: Opened) -> None:
    @app.get("/api/about", operation_id="about")
    def about() -> About:
        return About(
            name="Under Kettle", version=__version__, clock=time.time(), notice=kept.notice
        )

    if not (WEB / "index.html").exists():
        return
    app.mount("/assets", StaticFiles(directory=WEB / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            raise HTTPException(404, "There is no such address.")
        return FileResponse(WEB / "index.html")
