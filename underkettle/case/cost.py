"""What a run will cost, before it is started: cells, steps, time, memory, disk."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from underkettle.case.case import Case
from underkettle.case.gridding import BYTES_PER_CELL
from underkettle.case.keeping import kept_fields, kept_part
from underkettle.case.solve import ties
from underkettle.engine.marching.march import TOLD
from underkettle.engine.marching.order import groups

SECONDS_PER_CELL_STEP = 3.0e-7  # measured on two shared cores with the demo cases
SECONDS_PER_STEP = 1.5e-3
NEXT_SWEEPS = 20  # of each value of a series
STEADY_SWEEPS = 800
HELD_IN_ONE = 21  # small steps that what a held stream carries takes for the work of one
REPEATS = 8  # in a step in time, of phenomena that act on each other within it
GROUP_TURNS = 10  # of phenomena that act on each other, as in the proofs
COURANT = 0.45
REMEMBERED = 30  # runs the pace is learnt from
GUESSES = 2
BYTES_KEPT = 2.5  # per value of a frame, packed
SPREAD = 2.0  # the estimate may be off by this factor either way


@dataclass(frozen=True)
class Cost:
    """seconds : wall time, `low` to `high` its likely range; learnt : from how many runs here.

    stages : seconds of each. disk : bytes of what frames are to hold, and checkpoints.
    """

    cells: int
    smallest: float
    steps: int
    seconds: float
    learnt: int
    low: float
    high: float
    memory: float
    disk: float
    frames: int
    stages: tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class Pace:
    """What runs on this machine took over what was estimated, and by which factor that scatters."""

    times: float = 1.0
    spread: float = SPREAD
    runs: int = 0


def pace_of(ratios: Sequence[float]) -> Pace:
    """The pace of finished runs, newest first: taken over estimated seconds of each.

    The first guess counts as two runs, so that one odd run does not rule.
    """
    logs = np.log(np.clip(np.array(ratios[:REMEMBERED], float), 1e-3, 1e3))
    if logs.size == 0:
        return Pace()
    middle = float(logs.sum() / (logs.size + GUESSES))
    square = float(((logs - middle) ** 2).sum() + GUESSES * np.log(SPREAD) ** 2)
    spread = float(np.exp((square / (logs.size + GUESSES)) ** 0.5))
    return Pace(float(np.exp(middle)), float(np.clip(spread, 1.15, 6.0)), int(logs.size))


def estimate(case: Case, pace: Pace | None = None) -> Cost:
    """pace : what was learnt of this machine."""
    key = f"cost {pace}"
    if key not in case.memo:
        case.memo[key] = _estimate(case, pace)
    cost: Cost = case.memo[key]
    return cost


def _to_rest(case: Case, solve: Sequence[str]) -> tuple[int, int, float]:
    """Steps that are marched until all is at rest, and sweeps of what tells how many it takes, with
    their seconds.
    """
    steps, swept, settling = 0, 0, 0.0
    for group in groups(solve, case.meetings, True, ties(case)):
        asked = {
            one: case.phenomena[one].steady_work(case.mesh, case.settings[one]) for one in group
        }
        # what balances nothing of its own and tells nothing passes on what others are
        known = {one: work for one, work in asked.items() if work is not None}
        # what balances nothing and still tells takes the others along at its own pace
        slow = max((w[0] for n, w in known.items() if not _balances(case, n)), default=0)
        if any(_balances(case, one) and one not in known for one in group):
            steps += STEADY_SWEEPS
        elif known:
            alone = next(iter(known.values()))[0]
            sweeps = alone if len(known) == 1 else max(GROUP_TURNS, slow)
            settling += sweeps * sum(seconds for _, seconds in known.values())
            swept += sweeps
    return steps, swept, settling


def _estimate(case: Case, pace: Pace | None) -> Cost:
    grid, cells = case.grid, case.mesh.cells
    smallest = grid.finest
    steps, frames, swept, settling, more = 0, 0, 0, 0.0, 0.0
    per_step = SECONDS_PER_STEP + SECONDS_PER_CELL_STEP * cells
    pace, parts, before = pace or Pace(), [], 0.0
    for name, stage in case.model.stages.items():
        if stage.mode != "transient":
            marched, turns, spent = _to_rest(case, stage.solve)
            times = 1
            if stage.mode == "series":  # each value begins with what the last one left
                times, marched = len(stage.values), min(marched, NEXT_SWEEPS)
            frames, steps = frames + times, steps + times * marched
            swept, settling = swept + times * turns, settling + times * spent
        elif stage.until is not None:
            until = case.number(stage.until, "time", "stages")
            dt = until / 100
            fastest = _fastest(case) * max(
                (case.phenomena[one].quickens(case.facts) for one in stage.solve), default=1.0
            )
            if fastest > 0:
                dt = min(dt, COURANT * smallest / fastest)
            if stage.longest_step:
                dt = min(dt, case.number(stage.longest_step, "time", "stages"))
            count = int(until / dt)
            meet = groups(stage.solve, case.meetings, False, ties(case))
            if stage.hold and all(len(group) == 1 for group in meet):
                count = max(count // HELD_IN_ONE, min(count, TOLD))
            told = [case.phenomena[one].timed_work(case.facts) for one in stage.solve]
            timed = [work for work in told if work is not None]
            swept += max((n for n, _ in timed), default=0)
            settling += sum(n * seconds for n, seconds in timed)
            if len(timed) < sum(bool(_balances(case, one)) for one in stage.solve):
                steps += count
                more += count * _beyond(case, meet, per_step)
            every = case.number(stage.frame_every, "time", "stages") if stage.frame_every else until
            frames += int(until / every) + 1
        seconds = pace.times * (settling + steps * per_step + more)
        parts.append((name, seconds - before))
        before = seconds
    fields = len(kept_fields(case)) or len(case.fields())
    rows, columns = kept_part(case)
    kept = (rows.stop - rows.start) * (columns.stop - columns.start)
    return Cost(
        cells,
        smallest,
        steps + swept,
        before,
        pace.runs,
        before / pace.spread,
        before * pace.spread,
        cells * BYTES_PER_CELL,
        frames * fields * kept * BYTES_KEPT + cells * 8.0 * 40,
        frames,
        tuple(parts),
    )


def _beyond(case: Case, meet: Sequence[Sequence[str]], per_step: float) -> float:
    """Seconds that a step takes beyond what any does: of what costs more, and of repeats."""
    found = 0.0
    for group in meet:
        own = sum(case.phenomena[n].step_work(case.mesh, case.settings[n]) for n in group)
        found += own if len(group) == 1 else REPEATS * own + (REPEATS - 1) * per_step
    return found


def _balances(case: Case, phenomenon: str) -> dict[str, str]:
    return case.phenomena[phenomenon].quantities(case.settings[phenomenon])


def _fastest(case: Case) -> float:
    """The largest speed typed anywhere, half as much again for what narrows it (m/s)."""
    edges = case.places("edge")
    worst = max(
        (
            abs(case.facts.stream(e) or 0.0) / case.facts.edge_area(e)
            for e in edges
            if case.facts.stream(e)
        ),
        default=0.0,
    )
    for column in case.columns:
        phenomenon = case.phenomena[column.phenomenon]
        for edge in edges:
            cell = case.cell("edge", edge, column.id)
            condition = phenomenon.condition("edge", cell.kind) if cell.kind else None
            values = case.facts.values(edge, column.id)
            for param in condition.params if condition else ():
                if param.name not in values or isinstance(values[param.name], str):
                    continue
                if param.dimension == "speed":
                    worst = max(worst, abs(float(values[param.name])))
    if case.porosity is not None:  # it is quicker in pores
        worst /= float(np.median(case.porosity))
    return 1.5 * worst
