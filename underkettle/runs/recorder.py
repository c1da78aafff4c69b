"""The listener that keeps a run: watches, frames, log, checkpoints, the live picture."""

from __future__ import annotations

import os
import time
from typing import Any

import numpy as np

from underkettle.case.case import Case
from underkettle.case.keeping import kept_fields, kept_part
from underkettle.case.later import case_with
from underkettle.case.stages import axis_of
from underkettle.engine.marching.march import Report, Stage
from underkettle.engine.marching.state import State
from underkettle.quantities import from_si
from underkettle.reading.fields import all_fields, cell_array
from underkettle.reading.readouts import evaluate_readouts, label_of
from underkettle.store.packing import even_sample
from underkettle.store.runfile import RunFile

CHECKPOINT_EVERY = float(os.environ.get("UNDERKETTLE_CHECKPOINT_EVERY", "20"))  # wall seconds
CHECKPOINT_WITH_FRAME = 0.25 * CHECKPOINT_EVERY  # a frame this long after takes one along
SLOW_STEP = 0.05  # wall seconds from which every step is worth a watch
LIVE_EVERY = 0.25
LIVE_WIDTH = 320


class Recorder:
    """Writes what the march tells it into a run file."""

    def __init__(self, case: Case, file: RunFile) -> None:
        self.own = self.case = case  # as it is solved; with what was asked since
        self.file = file
        self.last_checkpoint = time.time()
        self.last_live = 0.0
        self.watched: str = ""
        self.watched_until = 0.0
        self.asked: dict[str, Any] | None = None  # since: taken up at the next step
        self.later: dict[str, Any] | None = file.get("later")
        self._due_checkpoint = False

    def applied(self, case: Case) -> None:
        """A series has changed the case: what is told from here on is told of that one."""
        self.own, self.case = case, case_with(case, self.later) if self.later else case

    def ask(self, later: dict[str, Any], state: State) -> None:
        """Watch derived fields and readouts that were added after the run was fired."""
        self.case = case_with(self.own, later)
        self.later = later
        self.file.set(later=later)
        fresh = [
            label_of(self.case, n)
            for n in self.case.model.readouts
            if n not in self.own.model.readouts
        ]
        if fresh:
            self.log(f"Watched from here on: {', '.join(fresh)}", "you", state)

    def step(self, report: Report) -> None:
        state = report.state
        if self.asked is not None:
            later, self.asked = self.asked, None
            self.ask(later, state)
        due = (state.stage_step - 1) % self.case.model.keep.watch_every == 0
        if due or report.wall > SLOW_STEP or report.done >= 1.0:
            self.file.add_watch(state.step, state.time, self._watch(report))
        now = time.time()
        if self.watched and now < self.watched_until and now - self.last_live > LIVE_EVERY:
            self.last_live = now
            if self.watched in self.case.fields():
                self.show(state)

    def show(self, state: State) -> None:
        """Write the live picture of the field that is watched."""
        grid = self.case.grid
        values = cell_array(*self.case.field(self.watched), state)
        self.file.set_live(
            self.watched,
            state.step,
            state.time,
            even_sample(values, grid.x, grid.y, LIVE_WIDTH),
            self.case.far,
        )

    def _watch(self, report: Report) -> dict[str, Any]:
        readouts = evaluate_readouts(self.case, report.state)
        return {
            "stage": report.stage.name,
            "mode": report.stage.mode,
            "dt": report.dt,
            "reason": report.reason,
            "by": self._label(report.by),
            "parts": {self._label(n): count for n, count in report.parts.items()},
            "residuals": report.residuals,
            "iterations": report.iterations,
            "done": report.done,
            "wall": report.wall,
            "clock": time.time(),
            "gap": {q: b.relative for q, b in report.budgets.items()},
            "readouts": {
                n: from_si(r.value, r.unit) for n, r in readouts.items() if r.value is not None
            },
            "stage_step": report.state.stage_step,
            "stage_time": report.state.stage_time,
        }

    def _label(self, phenomenon: str) -> str:
        return self.own.phenomena[phenomenon].label.lower() if phenomenon else ""

    def frame(self, stage: Stage, state: State, axis: str, value: float) -> None:
        readouts = {n: r.value for n, r in evaluate_readouts(self.case, state).items()}
        with self.file.whole():
            self.file.add_frame(
                stage.name,
                axis,
                value,
                state.step,
                self._kept(state),
                readouts,
                self.case.grid.x,
                self.case.grid.y,
                {n: state.tables[one.array] for n, one in self.case.listings.items()},
                self.case.far,
            )
            words = axis_of(self.case, stage.name).says(value)
            self.file.add_log(
                f"Frame of {stage.name} kept {words}", "frame", state.time, state.step
            )
        self._due_checkpoint = time.time() - self.last_checkpoint > CHECKPOINT_WITH_FRAME

    def _kept(self, state: State) -> dict[str, Any]:
        """What a frame is to hold; NaN outside the part that is kept."""
        wanted, part = kept_fields(self.case), kept_part(self.case)
        found = all_fields(self.case, state)
        if wanted:
            found = {n: a for n, a in found.items() if n in wanted}
        for name, whole in found.items() if self.case.model.keep.box is not None else ():
            found[name] = np.full(whole.shape, np.nan)
            found[name][part] = whole[part]
        return found

    def log(self, text: str, kind: str, state: State) -> None:
        self.file.add_log(text, kind, state.time, state.step)

    def safe_point(self, state: State) -> None:
        if self._due_checkpoint or time.time() - self.last_checkpoint > CHECKPOINT_EVERY:
            self.checkpoint(state)

    def checkpoint(self, state: State) -> None:
        self.file.add_checkpoint(state.to_bytes(), state.step)
        self.last_checkpoint = time.time()
        self._due_checkpoint = False
