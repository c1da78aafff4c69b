"""Solutes in two fluids, in the turns that these have taken, then spread where both are."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Apart,
    Budget,
    Inputs,
    Offer,
    Problem,
    Provides,
    StepFailed,
    Work,
)
from underkettle.engine.contract.streams import cross_edges
from underkettle.engine.interface.sides import Nature, Sides
from underkettle.engine.marching.state import State
from underkettle.phenomena.solutes.naming import (
    BOTH,
    FIRST,
    HELD,
    LETS_IN,
    LETS_OUT,
    USED,
    ratio,
    solutes,
)

Array = np.ndarray

SIDES = "first", "second"
ARRAYS = (*SIDES, "mean", "crossing")


class _Solute:
    """One of them: its nature, and what places say of it at a time."""

    def __init__(self, problem: Problem, name: str, settings: Any) -> None:
        self.name, self.words, self.mesh = name, name.replace("_", " "), problem.mesh
        self.edges = problem.edge_conditions(name)
        self.zones = problem.zone_conditions(name)
        self.starts = problem.start_conditions(name)
        lives_in = str(settings["lives_in"])
        self.fits = tuple(lives_in == BOTH or (lives_in == FIRST) == (k == 0) for k in (0, 1))
        speed = settings.get("crossing")
        hinders = np.inf if lives_in != BOTH else 1.0 / float(speed) if speed else 0.0
        self.nature = Nature(
            ratio(settings),
            (float(settings["diffusivity"]), float(settings["diffusivity_second"])),
            hinders=hinders,
        )
        count = self.mesh.pieces.j.size
        self.brought = np.zeros((2, count))  # mol/m3 of either, in what pieces let in
        self.held, self.holds = np.zeros(count), np.zeros(count, bool)
        self.lost = np.zeros((2, *self.mesh.shape[1:]))

    def begins(self, side: int) -> Array:
        """mol/m3 of a fluid at the start."""
        found, place = np.zeros(self.mesh.shape[1:]), self.mesh.place()
        if self.fits[side]:
            for zone, given in self.starts.items():
                inside = self.mesh.zone_cells(zone)[0]
                value = given.values["second" if side else "value"].at(place)
                found[inside] = np.broadcast_to(value, found.shape)[inside]
        return found

    def tell(self, t: float) -> None:
        """Take over what places say at a time (s)."""
        pieces, place = self.mesh.pieces.place(t), self.mesh.place(t)
        for k, edge in enumerate(self.mesh.edges):
            given, rows = self.edges.get(edge), self.mesh.pieces.of(k)
            if given is None:
                continue
            here = pieces[rows]
            if given.kind == HELD:
                self.held[rows], self.holds[rows] = given.values["value"].at(here), True
            elif given.kind in (LETS_IN, LETS_OUT):
                for side, name in enumerate(("value", "second")):
                    if self.fits[side]:
                        self.brought[side, rows] = given.values[name].at(here)
        for zone, given in self.zones.items():
            if given.kind == USED:
                inside = self.mesh.zone_cells(zone)[0]
                for side, name in enumerate(SIDES):
                    rate = np.broadcast_to(given.values[name].at(place), inside.shape)
                    self.lost[side][inside] = rate[inside]


class SolutesSolver:
    """Concentrations of every solute in either fluid: `first`, `second` (mol/m3 of that)."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        self.sides = Sides(self.mesh)
        self.solutes = [_Solute(problem, n, s) for n, s in solutes(problem.settings()).items()]
        self.budgets: dict[str, Budget] = {}

    def _name(self, array: str) -> str:
        return self.problem.state_name(array)

    def _of(self, state: State, solute: _Solute, array: str) -> Array:
        found: Array = state.fields[self._name(f"{solute.name}.{array}")]
        return found[0]

    # ------------------------------------------------------------ the state

    def start(self, state: State) -> None:
        for array in ("share", *(f"{s.name}.{a}" for s in self.solutes for a in ARRAYS)):
            state.fields[self._name(array)] = np.zeros(self.mesh.shape)
        for solute in self.solutes:
            for side, name in enumerate(SIDES):
                self._of(state, solute, name)[:] = solute.begins(side)

    def ready(self, state: State, inputs: Inputs) -> None:
        """Take over which fluid is where at the start."""
        now = inputs.get(Apart)
        assert now is not None
        self.sides.survey(now)
        for solute in self.solutes:
            values = self._values(state, solute)
            for side, volume in enumerate(self.sides.volumes()):
                values[side][volume <= 0.0] = 0.0
            self._keep(state, solute, values)
        state.fields[self._name("share")][0] = now.share

    def _values(self, state: State, solute: _Solute) -> Array:
        return np.stack([self._of(state, solute, name) for name in SIDES])

    def _keep(self, state: State, solute: _Solute, values: Array) -> None:
        share = self.sides.share
        for side, name in enumerate(SIDES):
            self._of(state, solute, name)[:] = values[side]
        self._of(state, solute, "mean")[:] = share * values[0] + (1.0 - share) * values[1]

    def _held(self, values: Array) -> float:
        """mol in the vessel."""
        first, second = self.sides.volumes()
        return float((values[0] * first + values[1] * second).sum())

    # ------------------------------------------------------------ steps

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "it goes in the steps of both fluids"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        now = inputs.get(Apart)
        assert now is not None
        before = self.sides.share
        before[:] = state.fields[self._name("share")][0]
        values = {solute.name: self._values(state, solute) for solute in self.solutes}
        begun = {name: self._held(each) for name, each in values.items()}
        out = {}
        for solute in self.solutes:
            solute.tell(t1)
            out[solute.name] = self.sides.carry(
                values[solute.name], solute.nature, now, solute.brought
            )
        self.sides.survey(now)
        for solute in self.solutes:
            each = values[solute.name]
            crossed, into, went = self.sides.spread(
                each, solute.nature, t1 - t0, solute.lost, (solute.held, solute.holds)
            )
            if not np.isfinite(each.sum()):
                raise StepFailed(solute.words, "the whole vessel", "not a finite number")
            self._keep(state, solute, each)
            self._of(state, solute, "crossing")[:] = crossed / ((t1 - t0) * self.sides.room)
            budget = Budget("mol", label=f"Amount of {solute.words}")
            cross_edges(budget, self.mesh, out[solute.name].sum(axis=0) - into)
            budget.began, budget.held = begun[solute.name], self._held(each)
            budget.stored = budget.held - budget.began
            budget.made = -float(went.sum())
            budget.moved = float(np.abs(crossed).sum())
            self.budgets[solute.name] = budget
        state.fields[self._name("share")][0] = now.share
        return Work(1)

    def relax(self, state: State, inputs: Inputs) -> Work:
        raise StepFailed(
            "what two fluids hold",
            "the whole vessel",
            "an interface is followed through time: let a stage be transient",
            is_final=True,
        )

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer | None:
        return None

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return dict(self.budgets) if t1 > t0 else {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
