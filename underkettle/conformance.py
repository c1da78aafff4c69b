"""The conformance suite: what every phenomenon must hold to, ours or from outside.

Each check takes a small case that uses the phenomenon and returns a list of complaints.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from contextlib import suppress
from typing import Any

import numpy as np

from underkettle.case.case import Case
from underkettle.case.schema import case_schema
from underkettle.case.solve import build_march, build_solvers, started
from underkettle.engine.contract import (
    DOES,
    Assumed,
    Budget,
    Missing,
    StepFailed,
    find_phenomena,
)
from underkettle.engine.marching.listening import Quiet
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.state import State
from underkettle.reading.along import goes_through_time
from underkettle.reading.walls import along_edge, wall_area

TERMS_AIM = 1e-9
WALLS_AIM, WALLS_AIM_FOLLOWING = 1e-6, 1e-2


class _Stopper(Quiet):
    """Stops a march after a number of safe points."""

    def __init__(self, after: int) -> None:
        self.left = after

    def safe_point(self, state: State) -> None:
        self.left -= 1

    def order(self) -> str:
        return "stop" if self.left <= 0 else ""


def declaration(name: str, data: Mapping[str, Any]) -> list[str]:
    """Schema, reasons behind defaults, sources of papers, and the case's round trip."""
    registry = find_phenomena()
    phenomenon, wrong = registry[name], []
    schema = json.loads(json.dumps(case_schema(registry)))
    if name not in schema["properties"]["phenomena"]["properties"]:
        wrong.append("the schema does not know it")
    if phenomenon.does not in DOES:
        wrong.append(f"it does '{phenomenon.does}', which no group is for")
    if not phenomenon.about.endswith("."):
        wrong.append("no sentence says what it is about")
    for params in (
        tuple(phenomenon.params()),
        *(c.params for c in phenomenon.conditions),
    ):
        wrong += [
            f"'{p.name}' has a default without a reason"
            for p in params
            if p.default is not None and not p.why
        ]
    wrong += [
        f"paper '{p.name}' lacks a source or a range"
        for p in phenomenon.papers
        if not p.source or not p.range
    ]
    case = Case(data)
    again = Case(json.loads(json.dumps(case.data)))
    for column in case.columns:
        if column.phenomenon != name:
            continue
        for on, place in case.rows():
            found = phenomenon.default(place, on, column.member, case.facts)
            if isinstance(found, Assumed | Missing) and not found.why:
                wrong.append(f"the default of {place} has no reason")
            if case.cell(on, place, column.id).text != again.cell(on, place, column.id).text:
                wrong.append(f"{place} reads differently after a round trip")
    return wrong


def restore(data: Mapping[str, Any]) -> list[str]:
    """A step taken back leaves the state as it was, and taken again gives the same."""
    case = Case(data)
    march = build_march(case)
    state = march.state
    solvers = march.solvers
    before = state.to_bytes()
    spare = State()
    state.copy_into(spare)
    first = _one_step(case, solvers, state)
    spare.copy_into(state)
    wrong = [] if state.to_bytes() == before else ["restoring is not the identity"]
    if _one_step(case, solvers, state) != first:
        wrong.append("the same step gives other numbers the second time")
    return wrong


def _one_step(case: Case, solvers: Any, state: State) -> bytes:
    for name, solver in solvers.items():
        offers = Offers(name, case.meetings, solvers, state, {})
        if goes_through_time(case):
            solver.advance(state, state.time, state.time + 1e-3, offers)
        else:
            solver.relax(state, offers)
    return state.to_bytes()


def resume(data: Mapping[str, Any], after: int = 3) -> list[str]:
    """Checkpoint, stop, go on: bit for bit what an undisturbed run gives."""
    case = Case(data)
    whole = build_march(case)
    whole.run()
    stopper = _Stopper(after)
    first = build_march(case, [stopper], orders=stopper.order)
    first.run()
    if not first.stopped:
        return [f"the case ends before {after} safe points; give a longer one"]
    second = build_march(Case(data), state=State.from_bytes(first.state.to_bytes()))
    second.run()
    if second.state.to_bytes() != whole.state.to_bytes():
        return ["a resumed run differs from an undisturbed one"]
    return []


def shuffled(data: Mapping[str, Any]) -> list[str]:
    """Whatever the order in which phenomena are named, in the case and in its stages, the state at
    the end is the same.
    """

    def ended(turn: int) -> dict[str, bytes]:
        names = list(data["phenomena"])
        names = names[turn:] + names[:turn]
        stages = {
            k: {
                **s,
                "solve": s["solve"][turn % len(s["solve"]) :]
                + s["solve"][: turn % len(s["solve"])],
            }
            for k, s in data["stages"].items()
        }
        march = build_march(
            Case({**data, "stages": stages, "phenomena": {n: data["phenomena"][n] for n in names}})
        )
        march.run()
        return {n: a.tobytes() for n, a in march.state.fields.items()}

    first = ended(0)
    return [
        f"{array} depends on the order in which phenomena are named"
        for turn in range(1, len(data["phenomena"]))
        for array, found in ended(turn).items()
        if found != first.get(array)
    ][:3]


def balance(name: str, data: Mapping[str, Any]) -> list[str]:
    """Every conserved quantity closes within the bound the phenomenon states."""
    case = Case(data)
    march = build_march(case)
    march.run()
    bound, wrong = case.phenomena[name].balance_bound, []
    mine = case.phenomena[name].quantities(case.settings[name])
    if not mine:
        return []
    found = {
        q: Budget(**b)
        for kept in march.state.memory.budgets.values()
        for q, b in kept.items()
        if q in mine
    }
    for quantity, budget in found.items():
        if not budget.relative <= bound:
            wrong.append(f"{quantity} has a gap of {budget.relative:.2g}, bound {bound:g}")
    return wrong if found else ["nothing was balanced"]


def walls(name: str, data: Mapping[str, Any]) -> list[str]:
    """Of every profile along a wall the areas add up to the wall's, and flux x area to what has
    passed by the last step that was booked.
    """
    case = Case(data)
    march = build_march(case)
    march.run()
    wrong = []
    # laws of what is solved have gone on since the step was booked
    aim = WALLS_AIM_FOLLOWING if any(n == name for n, _, _ in case.laws()) else WALLS_AIM
    for quantity in case.phenomena[name].wall_quantities(case.settings[name]):
        rates = march.state.memory.rates.get(quantity, {})
        mesh = case.mesh_of(name)
        scale = max((abs(v) for v in rates.values()), default=0.0)
        for edge in mesh.edges:
            line = along_edge(case, march.state, quantity, edge)
            if not line["area"].size or case.facts.through(edge):
                continue  # nothing is felt there, or a stream takes it along
            whole = wall_area(case, quantity, edge)
            if abs(line["area"].sum() / whole - 1) > 1e-9:
                wrong.append(f"areas along {edge} add up to {line['area'].sum() / whole:.3g} of it")
            told = float((line["flux"] * line["area"]).sum())
            if abs(told + rates.get(edge, 0.0)) > aim * scale:
                wrong.append(
                    f"{quantity} along {edge} adds up to {told:.6g}, "
                    f"{-rates.get(edge, 0.0):.6g} passed"
                )
    return wrong


def audit(name: str, data: Mapping[str, Any], trips: Mapping[str, Mapping[str, Any]]) -> list[str]:
    """Each rule trips with its own patched case and is silent in the sound one."""
    from underkettle.case.model import merge_patch

    wrong = []
    for rule in find_phenomena()[name].audit:
        if list(rule.check(Case(data).facts)):
            wrong.append(f"'{rule.name}' trips in a sound case")
        if rule.name not in trips:
            wrong.append(f"'{rule.name}' has no case that trips it")
        elif not list(rule.check(Case(merge_patch(dict(data), trips[rule.name])).facts)):
            wrong.append(f"'{rule.name}' does not trip")
    return wrong


def terms(name: str, data: Mapping[str, Any]) -> list[str]:
    """The declared terms sum to the residual that the solver works with."""
    case = Case(data)
    solvers = build_solvers(case)
    state = started(solvers)
    for _ in range(3):
        for other, solver in solvers.items():
            with suppress(StepFailed):  # what waits for a stream may not rest without it
                solver.relax(state, Offers(other, case.meetings, solvers, state, {}))
    wrong: list[str] = []
    for member in case.phenomena[name].members(case.settings[name]):
        declared = [t.name for t in case.phenomena[name].terms if t.is_of(member.kind)]
        if member.column and declared:
            offers = Offers(name, case.meetings, solvers, state, {})
            wrong += _sum_up(declared, solvers[name].terms(state, offers, member.id))
    return wrong


def _sum_up(declared: list[str], found: Mapping[str, np.ndarray]) -> list[str]:
    wrong = [f"term '{t}' is declared and not given" for t in declared if t not in found]
    if wrong:
        return wrong
    total = sum(found[t] for t in declared)
    scale = max(float(np.abs(found[t]).max()) for t in declared)
    gap = float(np.abs(total - found["residual"]).max())
    if scale == 0 or gap > TERMS_AIM * scale:
        wrong.append(f"terms miss the residual by {gap:.2g} of {scale:.2g}")
    return wrong
