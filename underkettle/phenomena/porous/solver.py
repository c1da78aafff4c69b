"""Porous matter as arrays: evaluated when a run starts, and again while formulas follow time."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Budget,
    Geometry,
    Given,
    Inputs,
    Offer,
    Pores,
    Problem,
    Provides,
    Resistance,
    StepFailed,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh.nearest import nearest
from underkettle.phenomena.porous.matter import held, spreading, ways
from underkettle.quantities import Place
from underkettle.sums.sum import SumError

Array = np.ndarray

TENSORS = ("darcy", "inertia")
CELLS = ("porosity", "shear", "ways", "along", "across", "capacity", "conductivity", "permeability")
NOWHERE = {"porosity": 1.0, "shear": 1.0, "ways": 1.0}  # where nothing stands; 0 else


class PorousSolver:
    """Offers what stands in the stream; nothing of it is solved for."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        self.told = dict(problem.zone_conditions())
        self.zones = {z: g for z, g in self.told.items() if g.kind != "open"}
        self.names = {n: problem.state_name(n) for n in (*TENSORS, *CELLS)}
        self.fresh = True  # the state may hold what another value of a series made of it
        self.steady = all(
            getattr(value, "steady", True)
            for given in self.zones.values()
            for value in given.values.values()
        )

    def start(self, state: State) -> None:
        shape = self.mesh.shape
        for name in TENSORS:
            state.fields[self.names[name]] = np.zeros((3, *shape[1:]))
        for name in CELLS:
            state.fields[self.names[name]] = np.zeros(shape)
        with suppress(StepFailed):  # the first step, or sweep, says so
            self._evaluate(state, state.time)

    def moved(self, state: State, geometry: Geometry) -> None:
        """Matter stays where it is drawn."""
        self.mesh = geometry.mesh
        self._evaluate(state, state.time)

    def _evaluate(self, state: State, t: float) -> None:
        for name in (*TENSORS, *CELLS):
            state.fields[self.names[name]][:] = NOWHERE.get(name, 0.0)
        place = self.mesh.place(t)
        for zone, given in self.zones.items():
            inside = self.mesh.zone_cells(zone)[0]
            if inside.any():
                with np.errstate(all="ignore"):  # formulas may mean nothing outside their zone
                    self._fill(state, zone, given, inside, place)
        self._reach(state)
        for name in self.names.values():
            self.mesh.grid.wrap(state.fields[name])

    def _reach(self, state: State) -> None:
        """Cells that a zone cut out of the stream has in its middle, and not as a whole, hold what
        stands next to them.
        """
        live, told = self.mesh.live[0], np.zeros(self.mesh.shape[1:], bool)
        for zone in self.told:
            told |= self.mesh.zone_cells(zone)[0]
        rest = live & ~told
        if not rest.any() or not told.any():
            return
        near = tuple(along[rest] for along in nearest(told))
        for name in self.names.values():
            field = state.fields[name]
            field[:, rest] = field[:, *near]

    def _fill(self, state: State, zone: str, given: Given, inside: Array, place: Place) -> None:
        """One zone's numbers into its cells. Raises StepFailed."""

        def put(name: str, value: Any) -> None:
            field = state.fields[self.names[name]]
            field[:, inside] = np.broadcast_to(value, field.shape)[:, inside]

        label = zone.replace("_", " ")
        open_ = given.values["porosity"].at(place)
        seen = np.broadcast_to(open_, inside.shape)[inside]
        if not ((seen > 0) & (seen <= 1)).all():
            worst = float(seen[np.argmax(np.abs(seen - 0.5))])
            raise StepFailed("porosity", label, f"its formula gives {worst:.4g}, not within 0 to 1")
        try:
            resists = held(given, place)
        except SumError as error:
            raise StepFailed("measured drop", label, str(error)) from error
        for name, tensor in zip(TENSORS, resists.tensors(inside.shape), strict=True):
            found = tensor[:, inside]
            if not np.isfinite(found).all() or (found[[0, 2]] < 0).any():
                raise StepFailed("permeability", label, "its formula gives none above nought")
            state.fields[self.names[name]][:, inside] = found
        put("porosity", open_)
        put("shear", given.values["shear"])
        put("ways", ways(given, np.broadcast_to(open_, inside.shape)))
        along, across = spreading(given, place)
        put("along", along)
        put("across", across)
        solid = 1.0 - np.asarray(open_)
        heavy = given.values.get("solid_density", 0.0) * given.values.get("solid_heat", 0.0)
        put("capacity", solid * heavy)
        put("conductivity", solid * given.values.get("solid_conductivity", 0.0))
        put("permeability", 1.0 / np.asarray(resists.slow[0]))

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "porous matter limits nothing"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self._follow(state, t1)

    def relax(self, state: State, inputs: Inputs) -> Work:
        return self._follow(state, state.time)

    def _follow(self, state: State, t: float) -> Work:
        if self.fresh or not self.steady:
            self._evaluate(state, t)
        self.fresh = False
        return Work(whole=True)

    def offer(self, what: Provides, state: State) -> Offer:
        def of(name: str) -> Array:
            return state.fields[self.names[name]]

        if what.kind is Resistance:
            return Resistance(of("darcy"), of("inertia"), of("shear"), of("porosity"), self.steady)
        return Pores(
            of("porosity"),
            of("ways"),
            of("along"),
            of("across"),
            of("capacity"),
            of("conductivity"),
            self.steady,
        )

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
