"""A taste: a coarse solve within seconds, in a process that is warm, taken back by the next edit.

It is never mixed with runs: nothing of it is kept, and what it says is marked as a taste.
"""

from __future__ import annotations

import multiprocessing
import threading
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from underkettle.case.audit import audit, can_run
from underkettle.case.case import Case
from underkettle.case.cost import estimate
from underkettle.case.faults import CaseError
from underkettle.case.solve import build_march
from underkettle.engine.marching.march import RunFailed
from underkettle.engine.marching.state import State
from underkettle.quantities import from_si
from underkettle.reading.fields import cell_array
from underkettle.reading.readouts import evaluate_readouts

SECONDS = 2.3  # of solving: with what comes before and after, a taste takes three
LOADING = 30.0  # at the very most, with the kernels that a process loads once
AIM = 1.6  # of them, by the estimate: it may be off
FEWEST_CELLS = 150
COARSEST = 0.06
ACROSS = 8  # base cells across the shorter side: with fewer a taste tells nothing
GRACE = 4.0  # seconds after which a worker that does not answer is replaced
LOOSE = 30.0  # how much sooner a steady stage of a taste counts as settled


@dataclass
class Taste:
    """What a coarse solve came to. status : settled, cut short, failed or taken back.

    `says` : in words, what was done; fields : name -> (ny, nx) in SI, NaN where closed.
    """

    status: str
    says: str = ""
    factor: float = 1.0
    cells: int = 0
    seconds: float = 0.0
    chief: str = ""
    x: list[float] = field(default_factory=list)
    y: list[float] = field(default_factory=list)
    fields: dict[str, np.ndarray] = field(default_factory=dict)
    readouts: dict[str, dict[str, Any]] = field(default_factory=dict)
    reckoned: float = 0.0  # seconds, beforehand


class Taster:
    """One warm process. A new question takes back the one before it."""

    def __init__(self) -> None:
        self._turn = threading.Lock()  # who may speak with the process
        self._newest = 0
        self._process: multiprocessing.process.BaseProcess | None = None
        self._line: Connection | None = None

    def warm(self, cases: Sequence[Mapping[str, Any]]) -> None:
        """Let the process solve some small cases, so that the first taste need not wait for what is
        loaded once. Ends as soon as somebody asks for a taste of their own.
        """
        mine = self._newest
        for data in cases:
            if self._newest != mine:
                return
            mine += 1
            self.taste(data)

    def taste(self, data: Mapping[str, Any], variant: str = "") -> Taste:
        """A coarse solve; "taken back" as soon as another is asked for."""
        self._newest += 1
        mine = self._newest
        with self._turn:
            if mine != self._newest:
                return Taste("taken back")
            line, told = self._start(), 0.0
            try:
                line.send((dict(data), variant))
                while not line.poll(0.02):
                    if mine != self._newest and not told:
                        line.send("stop")
                        told = time.monotonic()
                    if (told and time.monotonic() - told > GRACE) or not self._alive():
                        raise EOFError
                found: Taste = line.recv()
            except (EOFError, OSError):  # it does not answer any more
                self.close()
                return Taste("taken back" if told else "failed", "the solve broke off")
            return found if mine == self._newest else Taste("taken back")

    def take_back(self) -> None:
        """Stop the solve that is under way, if there is one."""
        self._newest += 1

    def close(self) -> None:
        """End the process; the next taste starts another."""
        if self._process is not None:
            self._process.kill()
            self._process.join()
        self._process = self._line = None

    def _alive(self) -> bool:
        return self._process is not None and self._process.is_alive()

    def _start(self) -> Connection:
        if not self._alive() or self._line is None:
            spawn = multiprocessing.get_context("spawn")
            line, theirs = spawn.Pipe()
            self._line = line  # `close` may forget it at any time: what is spoken with is kept here
            self._process = spawn.Process(target=serve, args=(theirs,), daemon=True)
            self._process.start()
            return line
        return self._line


def serve(line: Connection) -> None:
    """The warm process: answer one question after the other until the line closes."""
    import os

    os.nice(5)  # runs come first
    pace = TastePace()
    try:
        while True:
            question = line.recv()
            if question == "stop":
                continue  # it came after the answer had been sent
            data, variant = question
            found = solve(data, variant, lambda: line.poll() and line.recv() == "stop", pace)
            pace.learn(found)
            line.send(found)
    except (EOFError, OSError):
        return


@dataclass
class TastePace:
    """How long tastes take here over what was reckoned; learnt from one to the next."""

    times: float = 1.0

    def learn(self, found: Taste) -> None:
        if found.status == "settled" and found.reckoned > 0:
            seen = self.times * found.seconds / found.reckoned
            self.times = float(np.clip((self.times * seen) ** 0.5, 0.2, 20.0))
        elif found.status == "cut short":
            self.times = min(20.0, 2.0 * self.times)


def solve(
    data: Mapping[str, Any],
    variant: str,
    taken_back: Any = lambda: False,
    pace: TastePace | None = None,
) -> Taste:
    """One taste in this process."""
    began = time.monotonic()
    try:
        whole = Case(loosened(data), variant=variant or None)
        if not can_run(audit(whole)):
            return Taste("failed", "something is still to settle")
        case, reckoned = coarse(whole, (pace or TastePace()).times)
        found = _march(case, began, taken_back)
        given = data.get("stages", {}).values()
        series = [s["control"] for s in given if s.get("mode") == "series" and s.get("control")]
        if series and found.says:
            found = replace(found, says=f"{found.says}; {series[0]} as it stands, no series")
        return replace(found, reckoned=reckoned)
    except CaseError as error:
        return Taste("failed", str(error))
    except RunFailed as error:
        return Taste("failed", f"it broke off: {error}")


def loosened(data: Mapping[str, Any]) -> dict[str, Any]:
    """The case with steady stages that count as settled sooner, and a series as one of them: the case
    as it stands.
    """
    stages = {}
    for name, stage in data.get("stages", {}).items():
        if stage.get("mode") == "series":
            kept = {k: v for k, v in stage.items() if k not in ("control", "values")}
            stage = {**kept, "mode": "steady"}
        looser = {
            "aim": float(stage.get("aim", 1e-6)) * LOOSE,
            "settle": float(stage.get("settle", 1e-5)) * LOOSE,
        }
        stages[name] = {**stage, **(looser if stage.get("mode", "steady") == "steady" else {})}
    return {**data, "stages": stages, "record": []}


def coarse(whole: Case, times: float = 1.0) -> tuple[Case, float]:
    """The same case on the finest grid, no finer than its own, that the time allows, and the
    seconds reckoned. times : by which solves here take longer than estimated.
    """
    size = whole.number(whole.model.grid.size, "length", "grid / size")
    least = max(COARSEST, min(1.0, ACROSS * size / min(whole.facts.size())))
    factor, case, seconds = 1.0, whole, 0.0
    for _ in range(6):
        seconds = times * estimate(case).seconds
        if seconds <= AIM or case.mesh.cells <= FEWEST_CELLS or factor <= least:
            break
        factor = max(least, factor * float(np.clip((AIM / seconds) ** (1 / 3), 0.4, 0.9)))
        case = Case(whole.source, None, whole.variant or None, factor, whole.registry)
    return case, seconds


def _march(case: Case, began: float, taken_back: Any) -> Taste:
    reason, first = "", 0.0

    def orders() -> str:
        """The time counts from the first step on: before it, kernels may be loaded."""
        nonlocal reason, first
        now = time.monotonic()
        if not first and march.state.step > 0:
            first = now
        if not reason and taken_back():
            reason = "taken back"
        if not reason and ((first and now - first > SECONDS) or now - began > LOADING):
            reason = "cut short"
        return "stop" if reason else ""

    march = build_march(case, orders=orders)
    march.run()
    if reason == "taken back":
        return Taste(reason)
    state, grid = march.state, case.grid
    found = Taste(
        reason or "settled",
        _says(case, state, reason),
        case.grid_factor,
        case.mesh.cells,
        time.monotonic() - began,
        _chief(case, state),
        grid.x.tolist(),
        grid.y.tolist(),
    )
    for name, (owner, f) in case.fields().items():
        found.fields[name] = np.asarray(cell_array(f, case.mesh_of(owner), state), np.float32)
    for name, r in evaluate_readouts(case, state).items():
        found.readouts[name] = {
            "value": None if r.value is None else from_si(r.value, r.unit),
            "unit": r.unit,
        }
    return found


def _says(case: Case, state: State, reason: str) -> str:
    cells = (
        f"{case.mesh.cells} cells instead of about {case.mesh.cells / case.grid_factor**2:.0f}"
        if case.grid_factor < 1
        else f"{case.mesh.cells} cells, as many as the run"
    )
    if not reason:
        return cells
    names = list(case.model.stages)
    name = names[min(state.stage, len(names) - 1)]
    stage = case.model.stages[name]
    if stage.mode == "transient":
        until = case.number(stage.until, "time", "stages")
        return (
            f"{cells}; three seconds reach {state.stage_time:.3g} s of {until:.4g} s of "
            f"{name}: the run itself goes on to the end"
        )
    return f"{cells}; {name} had not settled after three seconds; the run itself goes on until then"


def _chief(case: Case, state: State) -> str:
    """The field shown first: what the phenomenon that was solved last is about."""
    reached = list(case.model.stages.values())[: state.stage + 1]
    solved = [name for stage in reached for name in stage.solve]
    for owner in reversed(solved):
        for name, (mine, f) in case.fields().items():
            if mine == owner and f.chief:
                return name
    return next(iter(case.fields()), "")


def shown(case: Case, found: Taste, name: str) -> tuple[dict[str, Any], np.ndarray]:
    """Header and values of one field in the unit it is shown in. Raises KeyError."""
    values, unit = found.fields[name], case.fields()[name][1].shown_in
    one, none = from_si(1.0, unit), from_si(0.0, unit)
    scaled = values * (one - none) + none
    finite = scaled[np.isfinite(scaled)]
    if finite.size:  # what is left over from rounding is nought
        scaled[np.abs(scaled) < 1e-6 * np.abs(finite).max()] = 0.0
        finite = scaled[np.isfinite(scaled)]
    return (
        {
            "rows": values.shape[0],
            "columns": values.shape[1],
            "name": name,
            "unit": unit,
            "low": float(finite.min()) if finite.size else 0.0,
            "high": float(finite.max()) if finite.size else 0.0,
        },
        scaled,
    )
