"""The march: stages in order, steps with recovery, listeners told of everything.

A bad step is taken back, halved and tried again; the state holds all that a run needs to go on.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

import numpy as np

from underkettle.engine.contract import (
    Budget,
    Carrier,
    Couples,
    FollowsParts,
    Geometry,
    Phenomenon,
    Shift,
    Solver,
    StepFailed,
    Work,
)
from underkettle.engine.marching import binding, settling, turns
from underkettle.engine.marching.agreeing import Agreeing
from underkettle.engine.marching.order import (
    Asked,
    Made,
    Meeting,
    Offers,
    groups,
    providers,
    set_aside,
    when,
)
from underkettle.engine.marching.state import GroupMemory, State
from underkettle.engine.marching.together import AIM, Pace, Together

TRIES = 8  # times a step is halved before the run is given up
TOLD = 200  # steps of a stage at least, where only how often it is told limits them
END = 1e-4  # of a stage, within which it ends where what it waits for comes
GROWTH = 1.25  # a step may be this much longer than the one before
LOOK_EVERY = 10  # steady sweeps between two looks at the readouts
SETTLED = 3  # looks in a row that must agree
SETTLED_WHOLE = 2  # after sweeps that solve for everything at once
TURNS = 15  # sweeps in turn without progress after which a group goes through time instead
JUMP = 10.0  # a residual that rises by this much from one sweep to the next is explained
GROUP_SWEEPS = 20  # repeats of a coupled group within one step
_THEN = "before:"  # arrays as they were at the last look
GROUP_AIM = 1e-7


@dataclass(frozen=True)
class Stage:
    """One leg of the solution.

    `until` : simulated seconds of a transient stage. `frame_every` : s between frames.
    `ended(state)` : whether what a transient stage waits for has come, before `until`.
    `aim` : residual below which a steady stage may end. `most` : sweeps after which it must.
    `values` : applied values of a series; `apply(value)` returns the solvers for one, and for the
    case as it is (None).
    """

    name: str
    solve: tuple[str, ...]
    hold: tuple[str, ...] = ()
    mode: Literal["steady", "transient", "series"] = "transient"
    until: float = 0.0
    frame_every: float = 0.0
    longest_step: float = math.inf
    aim: float = 1e-6
    settle: float = 1e-5
    most: int = 5000
    values: tuple[float, ...] = ()
    apply: Callable[[float | None], dict[str, Solver]] | None = None
    ended: Callable[[State], bool] | None = None


@dataclass
class Report:
    """What one step or sweep was like, for listeners."""

    stage: Stage
    state: State
    dt: float
    reason: str
    residuals: dict[str, float]
    iterations: int
    budgets: dict[str, Budget]
    done: float  # share of the stage done, 0 to 1; an estimate in steady stages
    wall: float = 0.0
    by: str = ""  # who set the step, "" for none of the phenomena
    parts: Mapping[str, int] = field(default_factory=dict)  # own steps of those that took several


class Listener(Protocol):
    def step(self, report: Report) -> None: ...

    def frame(self, stage: Stage, state: State, axis: str, value: float) -> None: ...

    def log(self, text: str, kind: str, state: State) -> None: ...

    def safe_point(self, state: State) -> None:
        """The state is whole: a checkpoint may be taken."""


class Movable(Protocol):
    """The vessel, where parts of it move."""

    def to(self, shifts: Mapping[str, Shift]) -> Mapping[str, Geometry]:
        """Lay it out as at the end of a step: what each phenomenon is to take over."""

    def keep(self) -> None:
        """The step has been taken."""

    def longest(self, shifts: Mapping[str, Shift]) -> float:
        """The longest step (s) it can follow."""


class RunFailed(Exception):
    """The march was given up; the message says where and why."""


@dataclass
class March:
    """Drives solvers through stages.

    `meetings` : what each offers and needs. `ties` : what laws follow, see `order.groups`.
    `called(phenomenon, quantity)` is the name that a budget is kept under. `readouts(state)` gives
    the numbers a steady stage waits for; `orders()` returns "stop" or "".
    """

    phenomena: Mapping[str, Phenomenon]
    meetings: Mapping[str, Meeting]
    solvers: dict[str, Solver]
    stages: Sequence[Stage]
    state: State
    listeners: Sequence[Listener] = ()
    readouts: Callable[[State], Mapping[str, float]] = lambda state: {}
    orders: Callable[[], str] = lambda: ""
    ties: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    called: Callable[[str, str], str] = lambda phenomenon, quantity: quantity
    space: Movable | None = None
    shifts: Callable[[State, float], Mapping[str, Shift]] = lambda state, t: {}
    after: Callable[[State, float], None] = lambda state, dt: None  # a step (s) in time is taken
    near: Callable[[Stage], str] = lambda stage: ""  # brings the state near to rest; how, in words
    stopped: bool = False
    _spare: State = field(default_factory=State)
    _together: Together | None = None
    _near: bool = False  # whether the stage began nearly at rest
    _parts: dict[str, int] = field(default_factory=dict)  # own steps taken within the last one

    def run(self) -> None:
        """From wherever the state stands to the end of the last stage. Raises RunFailed."""
        while self.state.stage < len(self.stages) and not self.stopped:
            stage = self.stages[self.state.stage]
            if self.state.stage_step == 0:
                self._begin(stage)
            {"transient": self._transient, "steady": self._steady, "series": self._series}[
                stage.mode
            ](stage)
            if self.stopped:
                return
            if stage.mode == "transient":
                self.log(f"{stage.name} reached {self.state.time:g} s", "settled")
            elif not self.state.memory.unsettled:
                self.log(f"{stage.name} settled", "settled")
            self.state.memory.unsettled = False
            self.state.stage += 1
            self.state.stage_step, self.state.stage_time = 0, 0.0
            self.state.series_index, self.state.dt = 0, 0.0
            if stage.apply is not None and self.state.stage < len(self.stages):
                self.solvers.update(stage.apply(None))  # what comes next is the case as it is
            self._safe()

    def _begin(self, stage: Stage) -> None:
        held = f", holding {', '.join(stage.hold)}" if stage.hold else ""
        self.log(f"{stage.name}: solving {', '.join(stage.solve)}{held}, {stage.mode}", "solver")
        self.state.memory.budgets[stage.name] = {}
        if self.state.step == 0 and stage.mode == "transient":
            self._frame(stage, "time", self.state.time)
        if stage.mode != "transient":
            words = self.near(stage)
            self._near = bool(words)
            if words:
                self.log(f"{stage.name}: begins from {words}", "solver")

    # ------------------------------------------------------------ transient

    def _transient(self, stage: Stage) -> None:
        state = self.state
        order = groups(stage.solve, self.meetings, False, self.ties)
        while stage.until - state.stage_time > 1e-12 * stage.until:
            if self._ordered():
                return
            began = time.perf_counter()
            dt, reason, by = self._length(stage, stage.solve)
            target = self._next_stop(stage)
            left = target - state.stage_time
            lands = dt >= left * (1 - 1e-9)
            dt = left if lands else (0.5 * left if dt > 0.5 * left else dt)
            work, dt = self._step(stage, order, dt)
            ended = self._has_ended(stage)
            while ended and dt > END * stage.until and self.space is None:  # closely to where
                self._spare.copy_into(state)
                work, dt = self._step(stage, order, 0.5 * dt)
                ended = self._has_ended(stage)
            state.stage_time = target if lands and dt == left else state.stage_time + dt
            if ended:
                self.log(f"{stage.name}: what it waits for came at {state.time:.6g} s", "settled")
                state.stage_time = target = stage.until
            self.after(state, dt)
            budgets = self._balances(stage, stage.solve, state.time - dt, state.time)
            self._tell(stage, dt, reason, work, budgets, state.stage_time / stage.until, began, by)
            if state.stage_time == target:
                self._frame(stage, "time", state.time)
            self._safe()

    def _has_ended(self, stage: Stage) -> bool:
        """Whether what a stage waits for has come."""
        return stage.ended is not None and stage.ended(self.state)

    def _length(self, stage: Stage, names: Sequence[str]) -> tuple[float, str, str]:
        """The step (s), the reason in words, and who asks for it: "" where no phenomenon does."""
        limits = [(stage.longest_step, "the longest step asked for", "")]
        for name in names:
            dt, reason = self.solvers[name].limit(self.state, self._offers(name, {}))
            limits.append((dt, reason, name))
        if self.space is not None:
            longest = self.space.longest(self.shifts(self.state, self.state.time))
            limits.append((longest, "no part passes more than a share of a cell", ""))
        dt, reason, by = min(limits, key=lambda limit: limit[0])
        single = getattr(self.solvers[by], "single", math.inf) if by else math.inf
        if stage.mode == "transient" and dt > max(stage.until / TOLD, single):
            dt, reason = max(stage.until / TOLD, single), f"{TOLD} steps of a stage are told"
        if self.state.dt > 0 and dt > GROWTH * self.state.dt:
            return GROWTH * self.state.dt, "growing from the step before", ""
        if not math.isfinite(dt):
            return stage.until / 100, "nothing limits it: a hundredth of the stage", ""
        return dt, reason, by

    def _next_stop(self, stage: Stage) -> float:
        if stage.frame_every <= 0:
            return stage.until
        n = math.floor(self.state.stage_time / stage.frame_every * (1 + 1e-12) + 1e-9) + 1
        return min(n * stage.frame_every, stage.until)

    def _step(self, stage: Stage, order: list[list[str]], dt: float) -> tuple[Work, float]:
        """Advance by dt, or by as much of it as succeeds."""
        state = self.state
        state.copy_into(self._spare)
        for attempt in range(TRIES + 1):
            try:
                state.begun = replace(self._spare)  # another one for who remembers what began
                if self.space is not None:
                    self._move(self.space, state.time + dt)
                work = self._advance(order, state.time, state.time + dt)
                state.begun = None
                if self.space is not None:
                    self.space.keep()
                state.dt = dt
                state.time += dt
                state.step += 1
                state.stage_step += 1
                return work, dt
            except StepFailed as failure:
                state.begun = None
                self._spare.copy_into(state)
                if failure.is_final:
                    self.log(str(failure), "failed")
                    raise RunFailed(str(failure)) from failure
                if attempt == TRIES or state.time + 0.5 * dt <= state.time:
                    message = (
                        f"{failure}. The step was halved {attempt} times, down to {dt:.3g} s, "
                        f"without success"
                    )
                    self.log(message, "failed")
                    raise RunFailed(message) from failure
                dt *= 0.5
                self.log(f"Step taken back and halved to {dt:.3g} s: {failure}", "back")
        raise AssertionError("unreachable")

    def _move(self, space: Movable, t: float) -> None:
        """Let parts of the vessel be where they are at the end of the step; what begins is then the
        old state in the new vessel.
        """
        state = self.state
        geometry = space.to(self.shifts(state, t))
        for name, solver in self.solvers.items():
            if isinstance(solver, FollowsParts):
                solver.moved(state, geometry[name])
        begun = State()
        state.copy_into(begun)
        state.begun = begun

    def _advance(self, order: list[list[str]], t0: float, t1: float) -> Work:
        total = Work()
        self._parts = {}
        frozen = self._frozen(order)
        for group in order:
            unknowns = self._unknowns(group)
            carried = self._carried_first(group)
            agreeing = Agreeing(self._unknowns(carried))
            for sweep in range(GROUP_SWEEPS if len(group) > 1 else 1):
                before = {n: self.state.fields[n].copy() for n in unknowns} if sweep else {}
                gone = set(group) if sweep else set()
                for name in group if sweep else [*carried, *group]:
                    if name in gone:
                        self._take_back(name)
                    gone.add(name)
                    work = self.solvers[name].advance(
                        self.state, t0, t1, self._offers(name, frozen)
                    )
                    if work.parts > 1:
                        self._parts[name] = work.parts
                    total.iterations += work.iterations
                    total.residuals.update(work.residuals)
                apart = self._changed(group, before, t1 - t0) if before else np.inf
                if apart < GROUP_AIM:
                    break
                if before and sweep < GROUP_SWEEPS - 1:
                    agreeing.lead(before, self.state.fields, apart)
            if len(group) > 1 and apart >= GROUP_AIM:
                self._disagreed(group, apart)
        for name in (n for group in order for n in group):
            for array, (low, high) in self.solvers[name].limits().items():
                settling.check_bounds(self.state, array, low, high)
        return total

    def _carried_first(self, group: Sequence[str]) -> list[str]:
        """Those of a group that a stream among them carries: what they come to in it as it was tells
        the stream how much it is about to swell.
        """
        carried = [n for n in group if not self.meetings[n].makes(Carrier)]
        return carried if len(carried) < len(group) else []

    def _changed(
        self, group: Sequence[str], before: Mapping[str, np.ndarray], dt: float | None = None
    ) -> float:
        """By how much a group's arrays have changed. dt : the step (s), where it is one in time."""
        vectors = [v for n in group for v in getattr(self.solvers[n], "vectors", ())]
        least: dict[str, float] = {}
        for faint in (getattr(self.solvers[n], "faint", None) for n in group):
            least |= faint(dt) if faint is not None and dt else {}
        return settling.change(before, self.state.fields, vectors, least)

    def _disagreed(self, group: Sequence[str], apart: float) -> None:
        """A group has not agreed after its repeats: the step fails, unless all tolerate as much;
        then the log says how far off they were.
        """
        if apart > min(self.phenomena[name].agrees_to for name in group):
            raise StepFailed(
                ", ".join(group),
                "the whole vessel",
                "they act on each other and did "
                f"not agree in {GROUP_SWEEPS} repeats: still {apart:.1g} apart",
            )
        worst = self.state.memory.apart
        if apart > 2 * worst:  # said once, and again only where it gets much worse
            self.state.memory.apart = apart
            self.log(
                f"{', '.join(group)} agree to {apart:.1g} only within a step, where "
                f"{GROUP_AIM:g} is wanted",
                "doubt",
            )

    def _unknowns(self, group: Sequence[str]) -> list[str]:
        """Arrays that are solved for."""
        return [
            array
            for name in group
            for array in self.solvers[name].limits()
            if array in self.state.fields
        ]

    def _take_back(self, name: str) -> None:
        """Put one phenomenon's own state back to the start of the step."""
        own, begun = f"{name}.", self.state.begun or self._spare
        for array, old in begun.fields.items():
            if array.startswith(own):
                self.state.fields[array][:] = old
        for table, rows in begun.tables.items():
            if table.startswith(own):
                self.state.tables[table] = rows.copy()
        self.state.numbers.update({k: v for k, v in begun.numbers.items() if k.startswith(own)})

    def _frozen(self, order: list[list[str]]) -> dict[Asked, Mapping[str, Made]]:
        """Old offers that would be overwritten before their reader comes."""
        place = {name: k for k, group in enumerate(order) for name in group}
        frozen: dict[Asked, Mapping[str, Made]] = {}
        for name in place:
            for need in self.meetings[name].needs:
                givers = providers(need.kind, need.of, self.meetings)
                late = [
                    g
                    for g in givers
                    if place.get(g, len(order)) <= place[name]
                    and when(need, self.meetings[g]) == "old"
                ]
                if late:
                    made = self._offers(name, {}).made(need.kind, need.of, late)
                    frozen[name, need.kind, need.of] = set_aside(made)
        return frozen

    # ------------------------------------------------------------ steady and series

    def _steady(self, stage: Stage) -> None:
        for k, group in enumerate(groups(stage.solve, self.meetings, True, self.ties)):
            if k < self.state.series_index:
                continue
            self._relax_group(stage, group)
            if self.stopped:
                return
            self.state.series_index = k + 1
        self._frame(stage, "time", self.state.time)

    def _series(self, stage: Stage) -> None:
        assert stage.apply is not None
        for k, value in enumerate(stage.values):
            if k < self.state.series_index:
                continue
            self.solvers.update(stage.apply(value))
            for group in groups(stage.solve, self.meetings, True, self.ties):
                self._relax_group(stage, group)
            if self.stopped:
                return
            self.state.series_index = k + 1
            self._frame(stage, "value", value)

    def _relax_group(self, stage: Stage, group: list[str]) -> None:
        """Sweep until settled; what was remembered for that is forgotten afterwards."""
        self._sweep_until_settled(stage, group)
        if self.stopped:
            return
        memory = self.state.memory.group
        ended: dict[str, Couples] = {}
        bound: Together | None = None
        if len(group) > 1 and memory.pace and not memory.in_turn and self._together is not None:
            ended = dict(self._together.solving)
        elif len(group) > 1 and memory.in_turn and not memory.marching:
            # what a stream has settled to carries the rest once more, held back by nothing
            ended = {
                name: one
                for name in group
                if isinstance(one := self.solvers[name], Couples)
                and not self.meetings[name].makes(Carrier)
            }
            bound = self._bound(group)
            if bound is not None:
                binding.close(bound, memory)
                ended = {n: s for n, s in ended.items() if n not in bound.solving}
        for name, solver in ended.items():
            solver.conclude(self.state, self._offers(name, {}))
        if ended or bound is not None:
            self._balances(stage, group, self.state.time, self.state.time, rates=True)
        self.state.memory.group = GroupMemory()
        turns.forget(self.state)
        for array in [n for n in self.state.fields if n.startswith(_THEN)]:
            del self.state.fields[array]

    def _sweep_until_settled(self, stage: Stage, group: list[str]) -> None:
        """Sweep until residuals are low and readouts have settled.

        Phenomena that act on each other are solved in turn, each with what the others left, as long
        as that brings them closer; else they go through time together until nothing changes.
        """
        state = self.state
        first: float | None = None
        while state.memory.group.sweeps < stage.most:
            if self._ordered():
                return
            state.memory.group.sweeps += 1
            began = time.perf_counter()
            work = self._group_sweep(stage, group) if len(group) > 1 else self._sweep(group[0])
            residual = max(work.residuals.values(), default=0.0)
            self._explain(stage, residual, work.note)
            first = residual if first is None else max(first, residual)
            budgets = self._balances(stage, group, state.time - state.dt, state.time, rates=True)
            self._note_way(stage, group, work.way)
            share = settling.progress(first, residual, stage.aim)
            self._tell(stage, state.dt, "", work, budgets, share, began)
            # what splitting alternates is looked at on even sweeps only
            often = LOOK_EVERY if residual >= stage.aim else (2 if len(group) > 1 else 1)
            if work.whole or state.memory.group.sweeps % often == 0:
                look = {"": residual, **self.readouts(state)}
                state.memory.group.see(look, settling.LONG)
            # no safe point once it has settled: what goes on from there would sweep once more
            looks = state.memory.group.looks
            count = SETTLED_WHOLE if work.whole else SETTLED
            if residual < stage.aim and settling.settled(looks[-count:], count, stage.settle):
                return
            if settling.exhausted(looks, stage.aim):
                return
            if settling.stalled(looks, stage.settle):
                state.memory.unsettled = True
                self.log(
                    f"{stage.name}: the residual of {', '.join(group)} hovers at "
                    f"{residual:.1g} while the readouts have settled to {settling.swing(looks):.1g} "
                    "of their values: stopped there",
                    "doubt",
                )
                return
            self._safe()
        state.memory.unsettled = True
        self.log(
            f"{stage.name}: {', '.join(group)} did not reach {stage.aim:g} in {stage.most} "
            f"sweeps; the last residual is {residual:.2g}",
            "doubt",
        )

    def _note_way(self, stage: Stage, group: Sequence[str], way: str) -> None:
        """Keep which way the stage takes to rest, for who compares it with another run."""
        if len(group) > 1:
            way = "time, together" if self.state.memory.group.marching else way or "in turn"
        ways = self.state.memory.ways
        ways[f"{stage.name}: {', '.join(group)}"] = way or "one solve after the other"

    def _sweep(self, name: str) -> Work:
        state = self.state
        try:
            work = self.solvers[name].relax(state, self._offers(name, {}))
        except StepFailed as failure:
            self.log(str(failure), "failed")
            raise RunFailed(str(failure)) from failure
        state.step += 1
        state.stage_step += 1
        state.dt = 0.0
        return work

    def _explain(self, stage: Stage, residual: float, note: str) -> None:
        """Say in the log why a residual rose; the last one is remembered in the state."""
        last = self.state.memory.group.residual
        if last > 0 and residual > JUMP * last and residual > JUMP * stage.aim:
            self.log(
                f"{stage.name}: the residual rose from {last:.2g} to {residual:.2g}: "
                f"{note or 'a limiter or an outlet has switched'}",
                "jump",
            )
        self.state.memory.group.residual = residual

    def _group_sweep(self, stage: Stage, group: list[str]) -> Work:
        """One sweep of each in turn, or one step in time once that has been given up."""
        state = self.state
        memory = state.memory.group
        if memory.marching:
            return self._time_sweep(stage, group)
        if not memory.in_turn:
            done = self._step_together(group)
            if done is not None:
                return done
            memory.in_turn = True
            memory.best, memory.since = math.inf, 0
        began = State()
        state.copy_into(began)
        # what solves for nothing itself only passes on what others are, and comes first; then streams,
        # so that what they carry has one from the first sweep on
        group = sorted(
            group,
            key=lambda name: (
                bool(self._unknowns([name])),
                not self.meetings[name].makes(Carrier),
            ),
        )
        solving = [name for name in group if self._unknowns([name])]
        # what says that it is not to be guessed at jumps about while it grows
        others = self._unknowns(
            [n for n in solving[1:] if getattr(self.solvers[n], "guessed", True)]
        )
        patience = max(getattr(self.solvers[n], "patient", TURNS) for n in group)
        try:
            work, change = Work(whole=True), 0.0
            turns.guess(state, others)
            bound = self._bound(group)
            for name in group:
                if bound is not None and name in bound.solving:
                    one = binding.step_bound(bound, memory)
                else:
                    one = self.solvers[name].relax(state, self._offers(name, {}))
                work.iterations += one.iterations
                change = max(change, one.before, *one.residuals.values())
                work.note = work.note or one.note
            turns.remember(state, others)
            reason = "it makes no progress"
        except StepFailed as failure:
            change, reason = math.inf, str(failure)
        best, since = memory.best, memory.since
        since = 0 if change < best else since + 1
        if not math.isfinite(change) or since >= patience:
            began.copy_into(state)
            turns.forget(state)
            state.memory.group.marching = True
            self.log(
                f"{stage.name}: solving {', '.join(group)} in turn is given up ({reason}); "
                "they go through time together",
                "back",
            )
            return self._time_sweep(stage, group)
        memory.best, memory.since = min(best, change), since
        state.step += 1
        state.stage_step += 1
        state.dt = 0.0
        work.residuals = {"change": change}
        return work

    def _bound(self, group: Sequence[str]) -> Together | None:
        """One of the group that others bind to itself, where there is a stream."""
        offers = lambda name: self._offers(name, {})  # noqa: E731
        found = binding.bound_among(
            group, self.solvers, self.meetings, self.state, offers, self._together
        )
        if found is not None:
            self._together = found
        return found

    def _step_together(self, group: list[str]) -> Work | None:
        """One Newton step of all of a group; None where not all can, or where it does not help."""
        state = self.state
        solving = {n: self.solvers[n] for n in group if self._unknowns([n])}
        # what is carried comes first, so that a stream sees what it is pushed by
        couple = {
            n: s for n, s in reversed(solving.items()) if isinstance(s, Couples) and s.couples
        }
        if len(couple) < len(solving) or self._bound(group) is not None:
            return None
        if self._together is None or not self._together.solves(couple):
            passing = {n: self.solvers[n] for n in group if n not in solving}
            offers = lambda name: self._offers(name, {})  # noqa: E731
            self._together = Together(state, couple, offers, passing)
        group_ = state.memory.group
        pace = Pace(group_.pace, group_.aim or AIM, group_.best, group_.since, group_.least)
        if not pace.rate and self._near:
            pace.rate = self._together.near()
        try:
            work = self._together.step(pace)
        except StepFailed:
            self._together.restore()
            return None
        if work is None:
            return None
        group_.pace, group_.aim = pace.rate, pace.aim
        group_.best, group_.since, group_.least = pace.best, pace.since, pace.least
        state.step += 1
        state.stage_step += 1
        state.dt = 0.0
        return work

    def _time_sweep(self, stage: Stage, group: list[str]) -> Work:
        """One step in time of a coupled group; the residual is what would still change.

        A change that goes on at this rate for as long as it has taken so far, over the largest
        value: for what decays exponentially that bounds what is left. It is taken over an even
        number of steps, since splitting alternates.
        """
        state = self.state
        dt, _, _ = self._length(stage, group)
        work, dt = self._step(stage, groups(group, self.meetings, False, self.ties), dt)
        state.stage_time += dt
        unknowns = self._unknowns(group)
        then = {
            name: state.fields[_THEN + name] for name in unknowns if _THEN + name in state.fields
        }
        if not then or state.stage_step % LOOK_EVERY == 0:
            span = state.stage_time - state.memory.group.then
            change = self._changed(group, then) if then else 1.0
            state.memory.group.change = change * state.stage_time / span
            state.memory.group.then = state.stage_time
            for name in unknowns:
                state.fields[_THEN + name] = state.fields[name].copy()
        work.residuals = {"change": state.memory.group.change}
        return work

    # ------------------------------------------------------------ shared

    def _offers(self, name: str, frozen: Mapping[Asked, Mapping[str, Made]]) -> Offers:
        return Offers(name, self.meetings, self.solvers, self.state, frozen)

    def _balances(
        self, stage: Stage, names: Sequence[str], t0: float, t1: float, rates: bool = False
    ) -> dict[str, Budget]:
        """Budgets of what this step solved; running totals, or `rates`, go into the state."""
        kept = self.state.memory.budgets[stage.name]
        result: dict[str, Budget] = {}
        for name in names:
            for own, budget in self.solvers[name].balance(self.state, t0, t1).items():
                quantity = self.called(name, own)
                through = self.state.memory.rates
                pair, span = self._paired(name, quantity, budget, t1 - t0)
                through[quantity] = pair.rates(span)
                if rates and t1 > t0:
                    budget = pair.per(span)
                total = budget
                if not rates and quantity in kept:
                    total = Budget(**kept[quantity])
                    total.add(budget)
                kept[quantity] = total.plain()
                result[quantity] = budget
        return result

    def _paired(self, name: str, quantity: str, budget: Budget, dt: float) -> tuple[Budget, float]:
        """What is booked over this step and, where a solver's steps come in pairs that differ, the
        one before; and their span (s), 1 in a steady solve.
        """
        pairs = self.state.memory.pairs
        before = pairs.pop(quantity, None)
        if dt <= 0.0:
            return budget, 1.0
        if not getattr(self.solvers[name], "alternates", False):
            return budget, dt
        pairs[quantity] = [budget.plain(), dt, self.state.step]
        if before is None or before[2] != self.state.step - 1:
            return budget, dt
        whole = Budget(**Budget(**before[0]).plain())
        whole.add(budget)
        return whole, dt + float(before[1])

    def _tell(
        self,
        stage: Stage,
        dt: float,
        reason: str,
        work: Work,
        budgets: dict[str, Budget],
        done: float,
        began: float,
        by: str = "",
    ) -> None:
        report = Report(
            stage,
            self.state,
            dt,
            reason,
            work.residuals,
            work.iterations,
            budgets,
            done,
            time.perf_counter() - began,
            by,
            dict(self._parts) if dt > 0 else {},
        )
        for listener in self.listeners:
            listener.step(report)

    def _frame(self, stage: Stage, axis: str, value: float) -> None:
        for listener in self.listeners:
            listener.frame(stage, self.state, axis, value)

    def log(self, text: str, kind: str) -> None:
        for listener in self.listeners:
            listener.log(text, kind, self.state)

    def _safe(self) -> None:
        for listener in self.listeners:
            listener.safe_point(self.state)

    def _ordered(self) -> bool:
        self.stopped = self.stopped or self.orders() == "stop"
        return self.stopped
