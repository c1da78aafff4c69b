"""One that others bind to itself, as where it reacts: a few Newton steps while its stream stands."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from underkettle.engine.contract import Binds, Carrier, Couples, Inputs, Solver, StepFailed, Work
from underkettle.engine.marching.order import Meeting, providers
from underkettle.engine.marching.state import GroupMemory, State
from underkettle.engine.marching.together import AIM, Pace, Together

STEPS = 3  # before the stream goes on
FALLEN = 0.1  # of what was out of balance: a stream that goes on does more
MOST, CLOSED = 12, 1e-11  # steps once all has settled, and what ends them


def bound_among(
    group: Sequence[str],
    solvers: Mapping[str, Solver],
    meetings: Mapping[str, Meeting],
    state: State,
    inputs: Callable[[str], Inputs],
    now: Together | None,
) -> Together | None:
    """What is to be solved for at once in a group with a stream, among those that who binds asks;
    `now` where it is that already, None for nothing. Ties are told within one solver only.
    """
    binding = {n: s for n in group if isinstance(s := solvers[n], Binds)}
    if not binding or not any(meetings[n].makes(Carrier) for n in group):
        return None
    asked = {
        giver
        for n in binding
        for need in meetings[n].needs
        for giver in providers(need.kind, need.of, meetings)
    }
    solving = {
        n: s
        for n in group
        if n in asked
        and not meetings[n].makes(Carrier)
        and isinstance(s := solvers[n], Couples)
        and s.couples
    }
    if len(solving) != 1:
        return None
    if now is not None and now.solves(solving):
        return now
    return Together(state, solving, inputs, binding)


def step_bound(bound: Together, memory: GroupMemory) -> Work:
    """A few steps, the stream as it is."""
    return _steps(bound, memory, STEPS, lambda now, first: now <= FALLEN * first)


def close(bound: Together, memory: GroupMemory) -> None:
    """Leave nothing that does not balance, once all has settled."""
    _steps(bound, memory, MOST, lambda now, first: now <= CLOSED)


def _steps(
    bound: Together, memory: GroupMemory, most: int, enough: Callable[[float, float], bool]
) -> Work:
    total = Work(whole=True)
    for _ in range(most):
        pace = Pace(memory.pace, memory.aim or AIM, math.inf, 0, memory.least)
        work = bound.step(pace, tells=False)
        if work is None:
            raise StepFailed(", ".join(bound.solving), "the whole vessel", "no step helps")
        memory.pace = bound.held(pace.rate)
        memory.aim, memory.least = pace.aim, pace.least
        total.iterations += work.iterations
        total.note = total.note or work.note
        total.before, total.residuals = max(total.before, work.before), work.residuals
        if enough(max(work.residuals.values()), total.before):
            break
    total.note = total.note or bound.tell()
    return total
