"""From a case to a march: each phenomenon's view of it, solvers, stages."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any, Literal, Protocol, cast, runtime_checkable

import numpy as np

from underkettle.case.averaging import Gathered
from underkettle.case.cells import column_id
from underkettle.case.derived import at_once, own_names
from underkettle.case.faults import fault, path
from underkettle.case.known import known
from underkettle.case.moving import Moving
from underkettle.case.nearing import Found, brought_near
from underkettle.case.stages import end_of
from underkettle.case.worked import Worked
from underkettle.engine.contract import (
    FLUID,
    AtWalls,
    Crossing,
    Follows,
    Given,
    MovesParts,
    On,
    Pores,
    Resistance,
    Shift,
    Solver,
    TellsFaces,
    TellsWalls,
)
from underkettle.engine.contract.offers import AnyOffer, merged
from underkettle.engine.marching.march import Listener, March, Stage
from underkettle.engine.marching.order import Offers
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.quantities import NOWHERE, Place, parse
from underkettle.reading.fields import cell_array
from underkettle.reading.readouts import evaluate_readouts


@runtime_checkable
class FollowsSeries(Protocol):
    """A listener of the march that is told the case as a series changes it."""

    def applied(self, case: Worked) -> None: ...


class CaseProblem:
    """What one phenomenon sees of a case."""

    def __init__(self, case: Worked, phenomenon: str) -> None:
        self._case, self._name = case, phenomenon
        self._old: tuple[State | None, dict[str, Any]] = None, {}  # a step's beginning, as seen

    def see(self, case: Worked) -> None:
        """Look at the case as it stands now, parts of its vessel moved."""
        self._case, self._old = case, (None, {})

    @property
    def mesh(self) -> Mesh:
        return self._case.mesh_of(self._name)

    @property
    def whole(self) -> Mesh:
        return self._case.mesh

    def known(
        self, state: State, names: Iterable[str], when: Literal["old", "new"] = "old"
    ) -> dict[str, Any]:
        if when == "new" or state.begun is None:
            return known(self._case, state, names)
        if self._old[0] is not state.begun:
            self._old = state.begun, {}
        return known(self._case, state.begun, names, self._old[1])

    def settings(self) -> Mapping[str, Any]:
        return self._case.settings[self._name]

    def _conditions(self, on: On, member: str) -> dict[str, Given]:
        column = column_id(self._name, member)
        found = {}
        places = self.mesh.edges if on == "edge" else self._case.places(on)
        for place in places:
            cell = self._case.cell(on, place, column)
            if cell.kind:
                declared = self._case.phenomena[self._name].condition(on, cell.kind)
                assert declared is not None
                self._check_finite(on, place, column, cell.values)
                found[place] = Given(cell.kind, cell.values, declared.through or declared.carries)
        return found

    def _check_finite(self, on: On, place: str, column: str, values: Mapping[str, Any]) -> None:
        """Raises CaseError where a formula gives no finite number at the beginning."""
        formulas = {
            n: v
            for n, v in values.items()
            if hasattr(v, "at") and not v.reads and hasattr(v, "formula")
        }
        if not formulas:
            return
        mesh = self.mesh
        if on == "edge":
            at = mesh.pieces.place()[mesh.pieces.of(mesh.edge_index(place))]
        elif on == "repeat":
            at = Place(np.zeros(1), np.zeros(1))
        elif on in ("screen", "between"):
            at = mesh.divide(place).place()
        else:
            inside = mesh.zone_cells(place)
            at = Place(*(np.broadcast_to(c, mesh.shape)[inside] for c in mesh.cell_centres()))
        for name, value in formulas.items():
            told = np.broadcast_to(np.asarray(value.at(at), float), at.x.shape)
            bad = np.flatnonzero(~np.isfinite(told))
            if bad.size:
                raise fault(
                    path("start" if on == "start" else "conditions", place, column, name),
                    f"the formula gives no finite number at x {at.x[bad[0]] * 1e3:.4g} mm, "
                    f"y {at.y[bad[0]] * 1e3:.4g} mm",
                    "Look for a division by zero.",
                    value.formula.text,
                )

    def edge_conditions(self, member: str = "") -> dict[str, Given]:
        return self._conditions("edge", member)

    def zone_conditions(self, member: str = "") -> dict[str, Given]:
        return self._conditions("zone", member)

    def start_conditions(self, member: str = "") -> dict[str, Given]:
        return self._conditions("start", member)

    def repeat_conditions(self, member: str = "") -> Mapping[int, Given]:
        return {
            self._case.repeats[place]: given
            for place, given in self._conditions("repeat", member).items()
        }

    def divide_conditions(self, member: str = "") -> dict[str, Given]:
        return {**self._conditions("screen", member), **self._conditions("between", member)}

    def state_name(self, array: str) -> str:
        return f"{self._name}.{array}"

    def called(self, quantity: str) -> list[str]:
        long = f"{self._name}.{quantity}"
        return list(dict.fromkeys([self._case.quantities.key(long), long]))


def ties(case: Worked) -> dict[str, dict[str, str]]:
    """Phenomenon -> those whose fields or readouts its laws name, and whether "old" or "new"."""
    fields, quantities = case.fields(), case.quantities
    owners = {n: owner for n, (owner, _) in fields.every().items()}
    for name, model in case.model.readouts.items():
        quantity, field = model.quantity or "", model.field or ""
        if model.kind == "through" and quantity in quantities:
            owners.setdefault(name, quantities[quantity].owner)
        elif field in fields:
            owners.setdefault(name, fields[field][0])
        elif field in case.edge_fields:
            owners.setdefault(name, case.edge_fields[field][0])
    found: dict[str, dict[str, str]] = {name: {} for name in case.phenomena}
    for name, when, read in case.laws():
        through = {r for n in read if n in fields for r in fields[n][1].reads}
        for owner in {owners[r] for r in read | through if r in owners} - {name}:
            if found[name].get(owner) != "new":
                found[name][owner] = when
    return found


def build_solvers(
    case: Worked, problems: Mapping[str, CaseProblem] | None = None
) -> dict[str, Solver]:
    """A solver for each phenomenon. problems : how they see the case, where that is known."""
    problems = problems or {name: CaseProblem(case, name) for name in case.phenomena}
    return {name: p.build(problems[name]) for name, p in case.phenomena.items()}


def start_field(case: Worked, column: str) -> tuple[str, np.ndarray]:
    """What a column is full of at the start: the field's name and (ny, nx) values in SI, NaN where
    the vessel is closed. Raises KeyError where it starts from nothing that fills the vessel.
    """
    owner, _, member = column.partition(".")
    mine = {n: f for n, (name, f) in case.fields().items() if name == owner}
    chief = next((n for n, f in mine.items() if f.chief), next(iter(mine), ""))
    name = next((n for n, f in mine.items() if f.name == member), chief)
    state, solver = State(), case.reader(owner)
    solver.start(state)
    givers = {
        giver: case.reader(giver)
        for need in case.meetings[owner].needs
        if not need.optional and need.at == "new"
        for giver in case.makers(need.kind)
    }
    if givers and isinstance(solver, Follows):
        for giver in givers.values():
            giver.start(state)
        solver.ready(state, Offers(owner, case.meetings, givers | {owner: solver}, state, {}))
    return name, cell_array(mine[name], case.mesh_of(owner), state)


def _looking(case: Worked, phenomenon: str, state: State) -> tuple[Any, State, Offers]:
    """A solver that only tells, a copy of the state for it, and what the others offer there."""
    solvers = {name: case.reader(name) for name in case.phenomena}
    kept = replace(
        state, fields={n: a.copy() for n, a in state.fields.items()}, numbers=dict(state.numbers)
    )
    return solvers[phenomenon], kept, Offers(phenomenon, case.meetings, solvers, kept, {})


def term_field(case: Worked, column: str, term: str, state: State) -> np.ndarray:
    """One term of a column's equation in every cell, (1, ny + 3, nx + 3)."""
    phenomenon, _, member = column.partition(".")
    solver, kept, offers = _looking(case, phenomenon, state)
    return np.asarray(solver.terms(kept, offers, member)[term])


def _standing(case: Worked, kind: type[AnyOffer]) -> AnyOffer | None:
    """What porous matter offers at the start; None without any."""
    solvers = {name: case.reader(name) for name in case.makers(kind)}
    state = started(solvers)
    offers = Offers("", case.meetings, solvers, state, {})
    made = offers.made(kind, FLUID)
    return cast("AnyOffer | None", merged(made, case.open_mesh.zone_cells))


def porosity(case: Worked) -> np.ndarray | None:
    """Share of each cell (ny, nx) that porous matter leaves open at the start; None without any."""
    pores, grid = _standing(case, Pores), case.grid
    if pores is None:
        return None
    return np.asarray(pores.porosity[0, 1 : grid.ny + 1, 1 : grid.nx + 1])


def permeability(case: Worked) -> tuple[float, float] | None:
    """Of porous matter along x and y (m2), on average over where it stands; None without any."""
    found = _standing(case, Resistance)
    if found is None:
        return None
    there = case.open_mesh.live[0] & (found.darcy[0] > 0) & (found.darcy[2] > 0)
    if not there.any():
        return None
    along, across = (float((1.0 / found.darcy[k][there]).mean()) for k in (0, 2))
    return along, across


def at_walls(case: Worked, quantity: str, state: State) -> AtWalls:
    """What is felt at walls of a balanced quantity that its owner tells there."""
    found = case.quantities[quantity]
    solvers = {name: case.reader(name) for name in case.phenomena}
    offers = Offers(found.owner, case.meetings, solvers, state, {})
    return cast(TellsWalls, solvers[found.owner]).at_walls(found.name, state, offers)


def crossing(case: Worked, quantity: str, state: State) -> Crossing | None:
    """What of a balanced quantity passes the grid's faces; None where its solver does not tell."""
    found = case.quantities.get(quantity)
    if found is None or not isinstance(case.reader(found.owner), TellsFaces):
        return None
    solver, kept, offers = _looking(case, found.owner, state)
    return cast(TellsFaces, solver).crossing(found.name, kept, offers)


def build_stages(case: Worked, solvers_of: Callable[[Worked], dict[str, Solver]]) -> list[Stage]:
    """solvers_of : makes the solvers of the case as a series has changed it."""
    stages = []
    for name, model in case.model.stages.items():
        where = path("stages", name)

        def seconds(text: Any, key: str, where: str = where) -> float:
            return case.number(text, "time", path(where, key))

        values: tuple[float, ...] = ()
        apply: Callable[[float | None], dict[str, Solver]] | None = None
        if model.mode == "series" and model.control:
            dimension = case.names.dimensions[model.control]
            values = tuple(
                case.number(v, dimension.name, path(where, "values")) for v in model.values
            )
            apply = _applier(case, name, solvers_of)
        stages.append(
            Stage(
                name=name,
                solve=tuple(model.solve),
                hold=tuple(model.hold),
                mode=model.mode,
                until=seconds(model.until, "until") if model.until is not None else 0.0,
                frame_every=seconds(model.frame_every, "frame_every") if model.frame_every else 0.0,
                longest_step=(
                    seconds(model.longest_step, "longest_step")
                    if model.longest_step
                    else float("inf")
                ),
                aim=model.aim,
                settle=model.settle,
                most=model.most,
                values=values,
                apply=apply,
                ended=_end(case, name) if model.ends is not None else None,
            )
        )
    return stages


def _end(case: Worked, stage: str) -> Callable[[State], bool]:
    """Whether what a stage waits for has come."""
    law = end_of(case, stage)

    def ended(state: State) -> bool:
        found = law.at(NOWHERE, known(case, state, law.reads))
        return bool(np.asarray(found) > 0)

    return ended


def _applier(
    case: Worked, stage: str, solvers_of: Callable[[Worked], dict[str, Solver]]
) -> Callable[[float | None], dict[str, Solver]]:
    """What gives the solvers for a value of a series, and for the case as it is (None)."""

    def apply(value: float | None) -> dict[str, Solver]:
        changed = case if value is None else case.applied(stage, value)
        if changed.mesh.shape != case.mesh.shape:
            control = case.model.stages[stage].control
            raise fault(
                path("stages", stage),
                f"{control} changes the vessel's grid",
                "A series changes a condition or a setting.",
            )
        return solvers_of(changed)

    return apply


def shifts_of(
    case: Worked, solvers: Mapping[str, Solver], state: State, t: float
) -> dict[str, Shift]:
    """Where all parts that move are at a time (s)."""
    found: dict[str, Shift] = {}
    for name in dict.fromkeys(case.moving.values()):
        solver = solvers[name]
        if isinstance(solver, MovesParts):
            found |= solver.shifts(state, t)
    return found


def started(solvers: Mapping[str, Solver]) -> State:
    """A state as at the beginning of a run."""
    state = State()
    for solver in solvers.values():
        solver.start(state)
    return state


def gathered(case: Worked) -> list[Gathered]:
    """Formulas whose mean or deviation runs along."""
    fields, found = case.fields(), []
    for name, model in case.model.derived.items():
        if model.since is not None:
            since = case.number(model.since, "time", path("derived", name, "since"))
            now = at_once(case, parse(model.formula, own_names(case, fields)))
            found.append(Gathered(name, since, now))
    return found


def build_march(
    case: Worked,
    listeners: Sequence[Listener] = (),
    state: State | None = None,
    orders: Callable[[], str] = lambda: "",
    found: Found | None = None,
) -> March:
    """A march at its start, or going on from `state`. found : what steady stages begin from."""
    now = {"case": case}

    def tell(changed: Worked) -> None:
        now["case"] = changed
        for listener in listeners:
            if isinstance(listener, FollowsSeries):
                listener.applied(changed)

    problems = {name: CaseProblem(case, name) for name in case.phenomena}
    moving = Moving(case, problems, tell) if case.moving else None

    def solvers_of(changed: Worked) -> dict[str, Solver]:
        """Of the case as a series has changed it, parts of its vessel where they stand."""
        if moving is None:
            tell(changed)
            return build_solvers(changed)
        moving.change(changed)
        return build_solvers(moving.now, problems)

    stages = build_stages(case, solvers_of)
    solvers = build_solvers(case, problems)
    if moving is not None:
        begin = state or started(solvers)
        moving.begin(shifts_of(case, solvers, begin, begin.time))
        solvers = build_solvers(moving.now, problems)
    if state is None:
        state = started(solvers)
        for name, solver in solvers.items():
            if isinstance(solver, Follows):
                solver.ready(state, Offers(name, case.meetings, solvers, state, {}))
    elif state.series_index and case.model.stages:
        stage = stages[min(state.stage, len(stages) - 1)]
        if stage.mode == "series" and stage.apply is not None:
            solvers.update(stage.apply(stage.values[state.series_index - 1]))

    def readouts(at: State) -> dict[str, float]:
        return {
            name: r.value
            for name, r in evaluate_readouts(now["case"], at).items()
            if r.value is not None
        }

    def called(phenomenon: str, quantity: str) -> str:
        return case.quantities.key(f"{phenomenon}.{quantity}")

    march = March(
        case.phenomena,
        case.meetings,
        solvers,
        stages,
        state,
        listeners,
        readouts,
        orders,
        ties(case),
        called,
        moving,
        lambda at, t: shifts_of(case, march.solvers, at, t),
    )
    march.near = brought_near(case, march, build_march, found)
    along = gathered(case)
    for one in along:
        one.start(state, case.mesh)

    def after(at: State, dt: float) -> None:
        for one in along:
            one.after(at, now["case"].mesh, dt)

    march.after = after
    return march
