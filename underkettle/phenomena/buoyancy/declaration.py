"""Buoyancy of a stream whose density follows temperature a little."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    AuditRule,
    Budget,
    Default,
    Estimate,
    Facts,
    Field,
    Finding,
    Force,
    Geometry,
    Inputs,
    Need,
    Offer,
    Paper,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Solver,
    Temperature,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.paper import heat

LARGEST_CHANGE = 0.1  # of density; common practice for this approximation

Array = np.ndarray


def _temperatures(facts: Facts) -> list[float]:
    found = []
    for column in facts.temperatures():
        for edge in facts.edges():
            values = facts.values(edge, column)
            found += [float(values[n]) for n in ("value", "ambient") if n in values]
    return found


def _too_warm(facts: Facts) -> Iterator[Finding]:
    s, found = facts.settings("buoyancy"), _temperatures(facts)
    change = s["expansion"] * max((abs(t - s["reference"]) for t in found), default=0.0)
    if change > LARGEST_CHANGE:
        yield Finding(
            "doubt",
            f"Density changes by {100 * change:.0f} %.",
            "The buoyancy force takes density for constant elsewhere; beyond "
            f"{100 * LARGEST_CHANGE:.0f} % that is coarse (common practice).",
            column="buoyancy",
        )


def _rayleigh(facts: Facts, readout: Any) -> Estimate | None:
    s, found = facts.settings("buoyancy"), _temperatures(facts)
    if len(found) < 2 or not facts.carriers() or not facts.temperatures():
        return None
    flow = facts.settings(facts.carriers()[0])
    warm = facts.settings(facts.temperatures()[0])
    if "conductivity" not in warm:
        return None
    diffusivity = warm["conductivity"] / (warm["density"] * warm["heat_capacity"])
    size = min(facts.size())
    return Estimate(
        heat.rayleigh(
            float(np.hypot(s["gravity_x"], s["gravity_y"])),
            s["expansion"],
            max(found) - min(found),
            size,
            flow["viscosity"] / flow["density"],
            diffusivity,
        ),
        note="on the vessel's shorter side",
    )


class Buoyancy(Phenomenon):
    """The Boussinesq force: density differs only where gravity acts on it."""

    name = "buoyancy"
    label = "Buoyancy"
    summary = "warm fluid rises"
    about = "How warm fluid rises and cool fluid sinks."
    does = "moves"
    equation = r"\mathbf f=-\rho\beta\,(T-T_0)\,\mathbf g"
    source = "Boussinesq's approximation (1903)"
    settings = (
        Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
        Param("expansion", "thermal expansion", label="thermal expansion", symbol=r"\beta"),
        Param(
            "reference",
            "temperature",
            default="293.15 K",
            label="weightless at",
            why="20 degC; shifts the pressure level only",
            symbol="T_0",
        ),
        Param(
            "gravity_x",
            "acceleration",
            default="0 m/s2",
            label="gravity along x",
            why="the sheet stands upright",
            symbol="g_x",
        ),
        Param(
            "gravity_y",
            "acceleration",
            default="-9.81 m/s2",
            label="gravity along y",
            why="the sheet stands upright",
            symbol="g_y",
        ),
    )
    audit = (AuditRule("density changes too much", _too_warm),)
    papers = (
        Paper(
            "Rayleigh number",
            r"Ra=g\beta\,\Delta T\,h^3/(\nu a)",
            "buoyancy against viscosity and conduction",
            "any",
            "number",
            _rayleigh,
            regime="Ra",
            verdict=lambda v: (
                "conduction rules"
                if v < 1700
                else "laminar eddies"
                if v < 1e8
                else "likely turbulent"
            ),
        ),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Force)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [Need(Temperature, FLUID, at="old")]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return []

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        return Absent()

    def build(self, problem: Problem) -> Solver:
        return BuoyancySolver(problem)


class BuoyancySolver:
    """Force per volume (N/m3) on faces, from the temperatures on either side."""

    def __init__(self, problem: Problem) -> None:
        self.settings, self.mesh = problem.settings(), problem.mesh
        self.names = [problem.state_name(n) for n in ("force_x", "force_y")]

    def moved(self, state: State, geometry: Geometry) -> None:
        self.mesh = geometry.mesh

    def start(self, state: State) -> None:
        for name in self.names:
            state.fields[name] = np.zeros(self.mesh.shape)

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "buoyancy limits nothing"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.relax(state, inputs)

    def relax(self, state: State, inputs: Inputs) -> Work:
        s, live = self.settings, self.mesh.there
        temperature = inputs.get(Temperature, FLUID)
        if temperature is None:
            return Work()
        for axis, (name, gravity) in enumerate(
            zip(self.names, (s["gravity_x"], s["gravity_y"]), strict=True)
        ):
            turn = 2 - axis
            warm = np.where(live, temperature.value - s["reference"], 0.0)
            h = self.mesh.grid.widths(axis)
            near = (h / (h + np.roll(h, 1))).reshape((1, 1, -1) if axis == 0 else (1, -1, 1))
            before, there = np.roll(warm, 1, turn), np.roll(live, 1, turn)
            face = np.where(
                there & live,
                near * before + (1 - near) * warm,
                np.where(live, warm, np.where(there, before, 0.0)),
            )
            state.fields[name][:] = self.mesh.grid.wrap(
                -s["density"] * s["expansion"] * gravity * face
            )
        return Work()

    def offer(self, what: Provides, state: State) -> Offer:
        return Force(*(state.fields[name] for name in self.names))

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
