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
    Quantity,
    StepFailed,
    Work,
    not_at_rest,
)
from underkettle.engine.contract.streams import cross_edges
from underkettle.engine.interface.sides import Living, Nature, Sides
from underkettle.engine.marching.state import State
from underkettle.phenomena.solutes.naming import (
    BOTH,
    DIFFUSIVITIES,
    FIRST,
    HELD,
    LETS_IN,
    LETS_OUT,
    SIDES,
    USED,
    VALUES,
    ratio,
    solutes,
)

Array = np.ndarray

ARRAYS = (*SIDES, "mean", "crossing")


class _Solute(Living):
    """One of them, and what places say of it."""

    def __init__(self, problem: Problem, name: str, settings: Any) -> None:
        lives_in, speed = str(settings["lives_in"]), settings.get("crossing")
        hinders = np.inf if lives_in != BOTH else 1.0 / float(speed) if speed else 0.0
        first, second = (float(settings[key]) for key in DIFFUSIVITIES)
        super().__init__(problem.mesh, Nature(ratio(settings), (first, second), hinders=hinders))
        self.name, self.words, self.mesh = name, name.replace("_", " "), problem.mesh
        self.edges = problem.edge_conditions(name)
        self.zones = problem.zone_conditions(name)
        self.starts = problem.start_conditions(name)
        self.fits = tuple(lives_in == BOTH or (lives_in == FIRST) == (k == 0) for k in (0, 1))
        places = (*self.edges.values(), *self.zones.values())
        self.steady = all(law.steady for given in places for law in given.values.values())
        self.told = False  # what places say

    def begins(self, side: int) -> Array:
        """mol/m3 of a fluid at the start."""
        found = np.zeros(self.mesh.shape[1:])
        if self.fits[side]:
            for zone, given in self.starts.items():
                self._over(zone, given.values[VALUES[side]], 0.0, found)
        return found

    def _over(self, zone: str, law: Quantity, t: float, out: Array) -> None:
        """Write what a law says in a zone."""
        inside = self.mesh.zone_cells(zone)[0]
        out[inside] = np.broadcast_to(law.at(self.mesh.place(t)), inside.shape)[inside]

    def tell(self, t: float) -> None:
        """Take over what places say at a time (s)."""
        if self.steady and self.told:
            return
        self.told = True
        pieces = self.mesh.pieces.place(t)
        for k, edge in enumerate(self.mesh.edges):
            given, rows = self.edges.get(edge), self.mesh.pieces.of(k)
            if given is None:
                continue
            here = pieces[rows]
            if given.kind == HELD:
                self.held[rows], self.holds[rows] = given.values["value"].at(here), True
            elif given.kind in (LETS_IN, LETS_OUT):
                for side, name in enumerate(VALUES):
                    if self.fits[side]:
                        self.brought[side, rows] = given.values[name].at(here)
        for zone, given in self.zones.items():
            if given.kind == USED:
                for side, name in enumerate(SIDES):
                    self._over(zone, given.values[name], t, self.lost[side])


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
            self._take(state, solute)
            for side, volume in enumerate(self.sides.volumes()):
                solute.values[side][volume <= 0.0] = 0.0
            self._keep(state, solute)
        state.fields[self._name("share")][0] = now.share

    def _take(self, state: State, solute: _Solute) -> None:
        for side, name in enumerate(SIDES):
            solute.values[side] = self._of(state, solute, name)

    def _keep(self, state: State, solute: _Solute) -> None:
        share, (first, second) = self.sides.share, solute.values
        for side, name in enumerate(SIDES):
            self._of(state, solute, name)[:] = solute.values[side]
        self._of(state, solute, "mean")[:] = share * first + (1.0 - share) * second

    def _held(self, solute: _Solute) -> float:
        """mol in the vessel."""
        first, second = self.sides.volumes()
        return float((solute.values[0] * first + solute.values[1] * second).sum())

    # ------------------------------------------------------------ steps

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "it goes in the steps of both fluids"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        now = inputs.get(Apart)
        assert now is not None
        self.sides.share[:] = state.fields[self._name("share")][0]
        begun = {}
        for solute in self.solutes:
            self._take(state, solute)
            solute.tell(t1)
            begun[solute.name] = self._held(solute)
        self.sides.carry(self.solutes, now)
        self.sides.survey(now)
        for solute in self.solutes:
            crossed, into, went = self.sides.spread(solute, t1 - t0)
            if not np.isfinite(solute.values.sum()):
                raise StepFailed(solute.words, "the whole vessel", "not a finite number")
            self._keep(state, solute)
            self._of(state, solute, "crossing")[:] = crossed / ((t1 - t0) * self.sides.room)
            budget = Budget("mol", label=f"Amount of {solute.words}")
            cross_edges(budget, self.mesh, solute.gone.sum(axis=0) - into)
            budget.began, budget.held = begun[solute.name], self._held(solute)
            budget.stored = budget.held - budget.began
            budget.made = -float(went.sum())
            budget.moved = float(np.abs(crossed).sum())
            self.budgets[solute.name] = budget
        state.fields[self._name("share")][0] = now.share
        return Work(1)

    def relax(self, state: State, inputs: Inputs) -> Work:
        raise not_at_rest("what two fluids hold")

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer | None:
        return None

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return dict(self.budgets) if t1 > t0 else {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
