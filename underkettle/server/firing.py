"""Routes for runs: firing, the queue, watching, holding and adjusting, margins."""

from __future__ import annotations

import asyncio
import re
import time
from collections.abc import AsyncIterator
from contextlib import suppress
from typing import Any

import numpy as np
from fastapi import FastAPI, HTTPException, Request, Response
from pydantic import BaseModel, Field
from sse_starlette import EventSourceResponse
from starlette.concurrency import run_in_threadpool

from underkettle.case.audit import audit, can_run, refusals
from underkettle.case.case import Case
from underkettle.case.cost import estimate
from underkettle.case.faults import CaseError, fault
from underkettle.case.further import FURTHER, further
from underkettle.case.live import adjusted, live_values
from underkettle.case.variants import difference
from underkettle.reading.margin import COARSER
from underkettle.runs import control
from underkettle.runs.nearest import nearest
from underkettle.server.answers.cases import CaseView
from underkettle.server.answers.runs import (
    Adjusted,
    Fired,
    Helped,
    Kind,
    LiveValue,
    RunView,
    RunWhole,
    Status,
    VariantName,
    Watch,
)
from underkettle.server.answers.shared import Identity
from underkettle.server.opened import Edit, Opened, Raw, raw
from underkettle.server.rows import told_row
from underkettle.server.views import case_view, walls
from underkettle.store.database import StoreFault
from underkettle.store.runfile import RunFile

EVENT_EVERY = 0.5  # s


class Fire(BaseModel):
    """anew : steady stages begin as the case says, not from what the nearest run has found."""

    variant: str = ""
    grid: float = Field(1.0, ge=0.05, le=50)
    anew: bool = False


class Order(BaseModel):
    """kind: "stop", or "watch" with a field and a number of seconds."""

    kind: str
    field: str = ""
    seconds: float = Field(10.0, ge=0, le=3600)


def _beside(kept: Opened, case: str, run: str, built: Case, says: str) -> str:
    """Put a case like that of a run into the queue, to serve it, and log why; its id."""
    file, cost = kept.run(run), estimate(built, kept.pace())
    data, variant, grid = built.source, built.variant or None, built.grid_factor
    other, _ = kept.library.add_run(
        case, lambda path: control.enqueue(path, data, variant, grid, begins=file.path), serves=run
    )
    file.add_log(f"{says}, about {cost.seconds:.0f} s", "you", 0.0, 0)
    return other


def _as_run(kept: Opened, run: str, data: Any = None, times: float = 1.0) -> Case:
    """The case of a run, or one of its kind, on a grid that many times as fine."""
    file = kept.run(run)
    grid = float(file.get("grid")) * times
    data = file.get("data") if data is None else data
    return Case(data, None, file.get("variant") or None, grid, kept.registry)


def _coarser(kept: Opened, case: str, run: str, times: float) -> str:
    """Put the same case on a coarser grid into the queue, for the margin of a run; its id."""
    says = f"Margin: a run on a grid {times:.2g} times as fine"
    return _beside(kept, case, run, _as_run(kept, run, times=times), says)


def _moved_out(kept: Opened, case: str, run: str) -> dict[str, Any]:
    """Put the same case with what is open further off into the queue; its id and the edges moved.
    Raises CaseError.
    """
    data, edges = further(_as_run(kept, run))
    moved = _as_run(kept, run, data)
    findings = audit(moved)
    if not can_run(findings):
        raise CaseError(refusals(moved, findings))
    says = f"Further off: a run with {', '.join(edges)} {FURTHER:g} times as far off"
    return {"run": _beside(kept, case, run, moved, says), "edges": edges}


def firing_routes(app: FastAPI, kept: Opened) -> None:
    library = kept.library

    @app.post("/api/cases/{case}/fire", operation_id="fire")
    def fire(case: str, order: Fire) -> Fired:
        """Start a run. Refused while the audit finds something that stops it."""
        data = kept.case(case)
        built = Case(data, None, order.variant or None, order.grid, kept.registry)
        findings = audit(built)
        if not can_run(findings):
            raise CaseError(refusals(built, findings))
        guess, told = estimate(built), estimate(built, kept.pace())
        begins = None
        if not order.anew:
            begins = nearest(kept.finished(case), data, order.variant, order.grid)
        run, number = library.add_run(
            case,
            lambda path: control.enqueue(
                path, data, order.variant or None, order.grid, guess, told, begins=begins
            ),
        )
        kept.queue.tick()
        return Fired(id=run, number=number)

    def finished(run: str, needs: str) -> tuple[RunFile, str]:
        """The file of a run that has ended well, and the case it is of. Raises CaseError."""
        file, row = kept.run(run), library.run(run)
        if file.get("status") != "finished" or row is None:
            raise fault("the run", needs, "Wait until it has, or fire it again.")
        return file, row["case"]

    @app.post("/api/runs/{run}/margin", operation_id="ask_margin")
    def ask_margin(run: str) -> Helped:
        """Run the same case on two coarser grids, so that every readout gets a margin."""
        file, case = finished(run, "a margin is for a run that has finished")
        with kept.editing:
            if not kept.helpers(run):
                file.set(helpers=[_coarser(kept, case, run, times) for times in COARSER])
        kept.queue.tick()
        return Helped(id=run, helpers=len(kept.helpers(run)))

    @app.post("/api/runs/{run}/further", operation_id="ask_further")
    def ask_further(run: str) -> Helped:
        """Run the same case with what is open 1.5 times as far off, so that every readout tells
        whether that matters.
        """
        needs = "it takes a run that has finished to move its surroundings out"
        file, case = finished(run, needs)
        with kept.editing:
            if not kept.further(run):
                file.set(further=_moved_out(kept, case, run))
        kept.queue.tick()
        return Helped(id=run, helpers=1)

    @app.get("/api/cases/{case}/runs", operation_id="list_runs")
    def list_runs(case: str) -> list[RunView]:
        kept.queue.tick()
        return [
            RunView.model_validate(told_row(kept, row))
            for row in library.runs(case)
            if not row["serves"]
        ]

    @app.get("/api/runs/{run}", operation_id="get_run")
    def get_run(run: str) -> RunWhole:
        row = kept.row(run)
        with suppress(StoreFault, HTTPException):  # a damaged one says so below
            kept.margins(run)
        told = told_row(kept, row)
        if told["status"] == "damaged":
            return RunWhole.model_validate(told)
        return RunWhole.model_validate({**told, "log": kept.run(run).log()})

    @app.delete("/api/runs/{run}", operation_id="drop_run")
    def drop_run(run: str) -> Identity:
        """Take a run away for good, with its file. One that is under way is stopped first."""
        row = kept.row(run)
        status = told_row(kept, row)["status"]
        if status in ("running", "waiting"):
            raise fault("the run", f"it is {status}", "Stop it, or take it out of the queue first.")
        kept.drop(run)
        return Identity(id=run)

    @app.get("/api/runs/{run}/case", operation_id="get_run_case")
    def get_run_case(run: str) -> CaseView:
        """The case as it was fired, whatever has become of it on the shelf."""
        return CaseView.model_validate(
            {
                **case_view(kept.run_case(run)),
                "id": run,
                "journal": {"undo": None, "redo": None, "count": 0},
            }
        )

    @app.get("/api/runs/{run}/watches", operation_id="get_watches")
    def get_watches(run: str, after: int = -1) -> list[Watch]:
        """Histories recorded after a step."""
        return [Watch.model_validate(w) for w in kept.run(run).watches(after)]

    @app.post("/api/runs/{run}/orders", operation_id="order")
    def give_order(run: str, order: Order) -> Kind:
        if order.kind not in ("stop", "watch", "first"):
            raise fault(
                "orders / kind",
                "this order is not known",
                "Orders: stop, watch, first.",
                order.kind,
            )
        if order.kind == "first":
            kept.queue.first(run)
            return Kind(kind=order.kind)
        if order.kind == "stop" and kept.queue.cancel(run):
            return Kind(kind=order.kind)
        kept.run(run).order(order.kind, {"field": order.field, "seconds": order.seconds})
        return Kind(kind=order.kind)

    @app.post("/api/runs/{run}/resume", operation_id="resume")
    def resume(run: str) -> Status:
        """Go on from the newest checkpoint of a run that was interrupted or stopped."""
        kept.run(run)  # or it is answered that there is none
        status = kept.queue.resume(run)
        if status not in ("interrupted", "stopped"):
            raise fault(
                "the run", f"it is {status} and cannot be resumed", "Fire a new run instead."
            )
        return Status(status="running")

    @app.get("/api/runs/{run}/adjust", operation_id="list_live")
    def list_live(run: str) -> list[LiveValue]:
        """Values that may be adjusted while the run is held."""
        return [
            LiveValue(
                path=list(v.path),
                says=v.says,
                typed=v.typed,
                unit=v.unit,
                choices=list(v.choices),
            )
            for v in live_values(kept.run_case(run))
        ]

    @app.post("/api/runs/{run}/adjust", operation_id="adjust")
    def adjust(run: str, edit: Edit) -> Adjusted:
        """Change live values of a held run and let it go on. The case on the shelf stays as it is;
        what was changed, and when, is kept with the run.
        """
        file = kept.run(run)
        status = control.status_of(file)
        if status not in ("interrupted", "stopped"):
            raise fault(
                "the run",
                f"it is {status} and cannot be adjusted",
                "Hold it first; one that has finished is fired anew.",
            )
        data, changes = adjusted(kept.run_case(run), edit.patch)
        at: dict[str, Any] = file.newest_watch() or {"time": 0.0, "step": 0, "stage": ""}
        words = "; ".join(f"{c['says']} {c['before']} -> {c['here']}" for c in changes)
        file.set(
            data=data,
            adjusted=[
                *(file.get("adjusted") or []),
                {
                    "clock": time.time(),
                    "time": at["time"],
                    "step": at["step"],
                    "stage": at["stage"],
                    "words": words,
                },
            ],
        )
        file.add_log(f"Adjusted: {words}", "you", at["time"], at["step"])
        kept.forget(run)
        resume(run)
        return Adjusted(status="running", words=words)

    @app.post("/api/runs/{run}/variant", operation_id="keep_as_variant")
    def keep_as_variant(run: str, edit: Edit) -> VariantName:
        """Keep what a run became by its adjustments as a variant of its case."""
        row = library.run(run)
        name = re.sub(r"[^a-z0-9]+", "_", edit.variant.lower()).strip("_")
        if row is None or not name:
            raise fault("the variant", "it has no name", "Give it one with letters or digits.")
        with kept.editing:
            data = kept.case(row["case"])
            if name in data.get("variants", {}):
                raise fault("the variant", f"there is one called '{name}'", "Give another name.")
            here = {k: v for k, v in kept.run_case(run).data.items() if k != "variants"}
            base = {k: v for k, v in data.items() if k != "variants"}
            changed = {
                **data,
                "variants": {**data.get("variants", {}), name: difference(base, here)},
            }
            Case(changed, None, name, 1.0, kept.registry)
            library.edit(row["case"], changed, f"variant {name} from a run")
        return VariantName(variant=name)

    @app.get(
        "/api/runs/{run}/live",
        operation_id="get_live",
        response_class=Raw,
        responses={204: {"description": "none is being made"}},
    )
    def live(run: str) -> Response:
        """The newest live picture, if one is being made."""
        found = kept.run(run).live()
        if found is None:
            return Response(status_code=204)
        name, step, now, values, far = found
        finite = values[np.isfinite(values)]
        header = {
            "name": name,
            "step": step,
            "time": now,
            "rows": values.shape[0],
            "columns": values.shape[1],
            "low": float(finite.min()) if finite.size else 0.0,
            "high": float(finite.max()) if finite.size else 0.0,
            "walls": walls(kept.run_case(run).moved(far)) if far else None,
        }
        return raw(header, values)

    @app.get("/api/events", operation_id="events", response_class=EventSourceResponse)
    async def events(request: Request) -> EventSourceResponse:
        """One stream for everything that changes: a "run" event per change of any run."""
        return EventSourceResponse(_changes(kept, request))


async def _changes(kept: Opened, request: Request) -> AsyncIterator[dict[str, str]]:
    seen: dict[str, tuple[Any, ...]] = {}
    while not await request.is_disconnected():
        for view in await run_in_threadpool(_changed, kept, seen):
            yield {"event": "run", "data": view}
        await asyncio.sleep(EVENT_EVERY)


def _changed(kept: Opened, seen: dict[str, tuple[Any, ...]]) -> list[str]:
    """Runs that have not ended, or have since the last look, where something has changed."""
    found = []
    open_now = {row["id"]: row for row in kept.library.runs(untold=True)}
    ended = [run for run in seen if run not in open_now]
    for run in ended:
        row = kept.library.run(run)
        if row is not None:
            open_now[run] = row
    for run, row in open_now.items():
        if row["told"] is not None and run not in seen:
            continue
        told = told_row(kept, row)
        newest = told.get("newest") or {}
        mark = (told["status"], newest.get("step"), told.get("frames"), told.get("lines"))
        if seen.get(run) != mark:
            seen[run] = mark
            found.append(RunView.model_validate({**told, "result": None}).model_dump_json())
    for run in ended:
        seen.pop(run)
    return found
