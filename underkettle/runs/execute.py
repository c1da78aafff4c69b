"""Solve one run file from wherever it stands to its end."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.faults import CaseError
from underkettle.case.nearing import Found
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_march
from underkettle.engine.compiled import is_warm
from underkettle.engine.contract import Budget
from underkettle.engine.marching.march import Listener, RunFailed
from underkettle.engine.marching.state import State
from underkettle.quantities import find_unit, from_si
from underkettle.quantities.units import unit_of
from underkettle.reading.along import along_series, goes_through_time, told_along
from underkettle.reading.fields import cell_array
from underkettle.reading.histories import of_history
from underkettle.reading.kinds.formula import by_formula
from underkettle.reading.kinds.history import AT_THE_END
from underkettle.reading.margin import Sampled, sampled
from underkettle.reading.readouts import (
    dimension_of_readout,
    evaluate_readouts,
    problems,
    quantities,
)
from underkettle.reading.tracer import tracer_field, tracer_of
from underkettle.runs.guard import Guard
from underkettle.runs.recorder import Recorder
from underkettle.runs.warming import warm_up
from underkettle.store.database import StoreFault, Unwritable
from underkettle.store.runfile import Frame, RunFile

BEAT_EVERY = 1.0
ROOM = 1_000_000  # bytes kept aside for a last word where there is no space left
ORDERS_EVERY = 0.2


def prepare(
    file: RunFile,
    data: dict[str, Any],
    set: dict[str, Any] | None = None,
    variant: str | None = None,
    grid: float = 1.0,
    begins: Path | None = None,
) -> None:
    """Write what is to be run into an empty run file. begins : the file of a run whose solution
    steady stages begin from.
    """
    file.set(
        begins=str(begins or ""),
        data=data,
        set=set or {},
        variant=variant or "",
        grid=grid,
        status="waiting",
        wall=0.0,
        created=time.time(),
    )


def case_of(file: RunFile, registry: Any = None) -> Case:
    return Case(
        file.get("data"), file.get("set"), file.get("variant") or None, file.get("grid"), registry
    )


def execute(
    file: RunFile, case: Case | None = None, listeners: Sequence[Listener] = (), alone: bool = False
) -> dict[str, Any]:
    """Run to the end, or until told to stop; returns the result that is also kept in the file.

    Goes on from the newest checkpoint if there is one. alone : the process is the run's own and may
    be ended within a sweep, see `guard`.
    """
    case = case or case_of(file)
    began, before = time.time(), float(file.get("wall", 0.0))
    file.set(
        status="running",
        pid=os.getpid(),
        pid_started=process_started(os.getpid()),
        beat=began,
        cells=case.mesh.cells,
    )
    with suppress(OSError):
        room(file).write_bytes(b"\0" * ROOM)
    saved = file.checkpoint()
    state = State.from_bytes(saved) if saved else None
    recorder = Recorder(case, file)
    if not is_warm():
        file.add_log(
            "Compiling the kernels; this happens once and takes about a minute", "solver", 0.0, 0
        )
        warm_up()
    if state is not None:
        file.add_log(
            f"Resumed from the checkpoint at step {state.step}", "you", state.time, state.step
        )
    recorder.asked = file.get("later") or None
    march = build_march(
        case,
        [recorder, *listeners],
        state,
        _order_reader(file, recorder, began, before),
        found_before(file),
    )
    guard = None
    if alone:

        def end(own: RunFile, kept: State) -> None:
            own.add_checkpoint(kept.to_bytes(), kept.step)
            own.add_log(
                "Stopped by you within a sweep; what the last whole one left is kept",
                "you",
                kept.time,
                kept.step,
            )
            spent = before + time.time() - began
            own.set(
                status="stopped",
                wall=spent,
                message="",
                beat=time.time(),
                result=summary(recorder.case, kept, "stopped", spent, own.watches(), own.frames()),
            )

        guard = Guard(file.path, march.state, end)
        march.listeners = [guard, *march.listeners]
        guard.start()
    status, message = "finished", ""
    try:
        march.run()
        if march.stopped:
            status = "stopped"
            recorder.log("Stopped by you; everything up to here is kept", "you", march.state)
    except RunFailed as failure:
        status, message = "failed", str(failure)
    except Unwritable as fault:
        return _no_room(file, str(fault), before + time.time() - began)
    if guard is not None:
        guard.hold()
    try:
        recorder.checkpoint(march.state)
    except Unwritable as fault:
        return _no_room(file, str(fault), before + time.time() - began)
    wall = before + time.time() - began
    result = summary(recorder.case, march.state, status, wall, file.watches(), file.frames())
    if message:
        result["message"] = message
    file.set(status=status, wall=wall, result=result, beat=time.time(), message=message)
    room(file).unlink(missing_ok=True)
    return result


def found_before(file: RunFile) -> Found | None:
    """What the run that this one begins from has found; None where there is none, or no more."""
    path = Path(file.get("begins") or "")
    if not path.is_file():
        return None
    try:
        other = RunFile(path)
        case, saved = case_of(other), other.checkpoint()
        other.close()
    except (StoreFault, CaseError):
        return None
    if saved is None:
        return None
    named = f"'{case.variant}'" if case.variant else "the case as it was"
    return Found(
        case,
        State.from_bytes(saved),
        f"what a run before has found: {named}, {case.mesh.cells} cells",
    )


def _no_room(file: RunFile, says: str, wall: float) -> dict[str, Any]:
    """End a run that cannot be written any more, with what its file holds; room was kept aside for
    these words.
    """
    room(file).unlink(missing_ok=True)
    message = f"{says} Everything up to the newest checkpoint is kept; resume it then."
    result = {
        **(
            file.get("result")
            or {"readouts": {}, "balance": {}, "steps": 0, "cells": 0, "warnings": []}
        ),
        "status": "stopped",
        "message": message,
        "wall_s": round(wall, 3),
    }
    try:
        file.add_log(message, "failed", 0.0, 0)
        file.set(status="stopped", wall=wall, message=message, result=result, beat=time.time())
    except Unwritable:
        print(message, file=sys.stderr)  # the run is found interrupted, with these words beside it
    return result


def room(file: RunFile) -> Path:
    """A file that only takes up space, given back when there is no other."""
    return file.path.with_suffix(".room")


def _order_reader(
    file: RunFile, recorder: Recorder, began: float, before: float
) -> Callable[[], str]:
    last = {"orders": 0.0, "beat": 0.0}

    def read() -> str:
        now = time.time()
        if now - last["beat"] > BEAT_EVERY:
            last["beat"] = now
            file.set(beat=now, wall=before + now - began)
        if now - last["orders"] < ORDERS_EVERY:
            return ""
        last["orders"] = now
        answer = ""
        for kind, payload in file.take_orders():
            if kind == "stop":
                answer = "stop"
            elif kind == "ask":
                recorder.asked = payload
            elif kind == "watch":
                recorder.watched = str(payload.get("field", ""))
                recorder.watched_until = now + float(payload.get("seconds", 10.0))
        return answer

    return read


def summary(
    case: Case,
    state: State,
    status: str,
    wall: float,
    rows: Sequence[Mapping[str, Any]] = (),
    frames: Sequence[Frame] = (),
) -> dict[str, Any]:
    """What a run answers with: readouts in their units, balances, counts, doubts.

    rows : its histories; a readout that swings about a mean is given that too, with the margin of
    sampling.
    """
    papers = {row.readout: row for row in paper_check(case).rows}
    readouts, known = {}, {}
    for name, r in evaluate_readouts(case, state).items():
        entry: dict[str, Any] = {"value": None, "unit": r.unit}
        if r.why:
            entry["why"] = r.why
        row, value = papers.get(name), r.value
        if row is not None and row.value is not None:
            entry["paper"] = from_si(row.value, r.unit)
        if row is not None and row.measured is not None:
            entry["measured"] = [from_si(v, r.unit) for v in row.measured]
        if r.why == AT_THE_END:
            value = told_of_history(case, rows, name, last_values(case, name, state), frames)
            entry["why"] = "" if value is not None else "its history does not tell it"
        if value is not None:
            known[name] = value
            entry["value"] = from_si(value, r.unit)
        mean = _swing(rows, name)
        if mean is not None:
            entry["sampled"] = asdict(mean)
        readouts[name] = entry
    _late_formulas(case, state, readouts, known)
    return {
        "status": status,
        "readouts": readouts,
        "balance": balances(case, state),
        "steps": state.step,
        "cells": case.mesh.cells,
        "wall_s": round(wall, 3),
        "ways": state.memory.ways,
        "cuts": bool(case.open_mesh.cuts),
        "warnings": [
            f"{f.sentence} Settled: {f.settled}" if f.settled else f.sentence
            for f in audit(case)
            if f.grade == "doubt"
        ],
    }


def _late_formulas(
    case: Case, state: State, readouts: dict[str, dict[str, Any]], known: dict[str, float]
) -> None:
    """Formulas of readouts that are only told when the run has ended."""
    waiting = [
        n
        for n, m in case.model.readouts.items()
        if m.kind == "formula" and n not in known and not problems(case, n)
    ]
    while waiting:
        found = {
            n: v
            for n in waiting
            if (v := by_formula(case, str(case.model.readouts[n].formula), known.get, state.time))
            is not None
            and np.isfinite(v)
        }
        if not found:
            return
        for name, value in found.items():
            readouts[name] = {k: v for k, v in readouts[name].items() if k != "why"}
            readouts[name]["value"] = from_si(value, readouts[name]["unit"])
        known.update(found)
        waiting = [n for n in waiting if n not in found]


def last_values(case: Case, name: str, state: State) -> np.ndarray | None:
    """The field whose history a readout tells of, at the end; None where it is no field."""
    of = case.model.readouts[name].of
    field = tracer_field(case, of) if of in case.model.readouts and of is not None else ""
    return cell_array(*case.field(field), state) if field else None


def _swing(rows: Sequence[Mapping[str, Any]], readout: str) -> Sampled | None:
    """Mean of a readout's history over the later half of the last transient stage, if it swings."""
    last = [r for r in rows if r["stage"] == rows[-1]["stage"] and r["mode"] == "transient"]
    told = [(r["time"], r["readouts"][readout]) for r in last if readout in r["readouts"]]
    return sampled(*np.array(told, float).T) if told else None


def told_of_history(
    case: Case,
    rows: Sequence[Mapping[str, Any]],
    name: str,
    last: np.ndarray | None = None,
    frames: Sequence[Frame] = (),
) -> float | None:
    """A readout that is told of another one's history, SI: in time, or along a series where nothing
    goes through time. last : the tracer's field at the end, (ny, nx).
    """
    model = case.model.readouts[name]
    if model.of is not None and model.tells is not None and not goes_through_time(case):
        return told_along(model.tells, *along_series(case, frames, model.of))
    told = [
        (r["time"], r["readouts"][model.of])
        for r in rows
        if r["mode"] == "transient" and model.of in r["readouts"]
    ]
    if not told or model.of is None or model.tells is None:
        return None
    time, value = np.array(told, float).T
    unit = find_unit(case.readout_unit(model.of, dimension_of_readout(case, model.of)))
    since = case.number(model.since, "time", f"readouts / {name} / since") if model.since else 0.0
    if unit is not None:
        value = np.array([unit.to_si(v) for v in value])
    reference = None
    if model.reference is not None:
        dimension = dimension_of_readout(case, model.of)
        reference = case.number(model.reference, dimension, f"readouts / {name} / reference")
    tracer = tracer_of(case, model.of, last)
    return of_history(model.tells, time, value, since, model.tracer, tracer, reference)


def balances(case: Case, state: State) -> dict[str, Any]:
    """The newest budget of every conserved quantity, whole."""
    found: dict[str, Any] = {}
    flows = quantities(case)
    for stage, kept in state.memory.budgets.items():
        for quantity, stored in kept.items():
            b = Budget(**stored)
            found[quantity] = {
                "in": sum(b.inflow.values()),
                "out": sum(b.outflow.values()),
                "made": b.made,
                "given": {case.phenomena[g].label.lower(): v for g, v in b.given.items()},
                "stored": b.stored,
                "began": b.began,
                "unit": b.unit,
                "relative": b.relative,
                "stage": stage,
                "inflow": b.inflow,
                "outflow": b.outflow,
                "flow_unit": unit_of(flows[quantity]) if quantity in flows else b.unit,
            }
    return found


def process_started(pid: int) -> str:
    """When a process began, in the system's own ticks; "" if it is gone or done."""
    try:
        with open(f"/proc/{pid}/stat") as stat:
            fields = stat.read().rpartition(")")[2].split()
    except OSError:
        return ""
    return "" if fields[0] in ("Z", "X") else fields[19]
