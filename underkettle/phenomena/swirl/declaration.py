"""Swirl: angular momentum, carried by the stream and dragged by walls, pressing outwards."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Carrier,
    Condition,
    Default,
    Estimate,
    Facts,
    Field,
    Finding,
    Force,
    Need,
    Paper,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Shear,
    Solver,
    Term,
    Turbulence,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.engine.contract.streams import FOLLOWING
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.paper.flow import spin_time

_TURN = Param("value", "rate", "formula", label="angular speed", live=True, law="old")
_BACK = Param(
    "value",
    "rate",
    "formula",
    default="0 1/s",
    label="angular speed of what comes back",
    why="what lies behind the outlet is taken to be still",
    live=True,
)


def _flat(facts: Facts) -> Iterator[Finding]:
    if not facts.round():
        yield Finding(
            "stops",
            "A plane vessel has no axis to swirl about.",
            "Swirl turns about y = 0 of an axisymmetric vessel.",
            column="swirl",
        )


def _two_streams(facts: Facts) -> Iterator[Finding]:
    own = facts.settings("swirl")
    for column in facts.carriers():
        stream = facts.settings(column)
        for name, unit in (("density", "kg/m3"), ("viscosity", "Pa s")):
            if name in stream and abs(stream[name] / own[name] - 1) > 1e-6:
                yield Finding(
                    "contradiction",
                    f"The stream has two values of {name}.",
                    f"Swirl reckons with {own[name]:g} and {column} with {stream[name]:g} (SI).",
                    column="swirl",
                    cure=((f"phenomena/swirl/{name}", f"{stream[name]:.12g} {unit}"),),
                    cure_label=f"Take {stream[name]:.4g} {unit}",
                )


def _nothing_turns(facts: Facts) -> Iterator[Finding]:
    turning = [
        facts.values(e, "swirl").get("value", 0.0)
        for e in facts.edges()
        if facts.kind(e, "swirl") != "carried out"
    ]
    turning += [facts.start(z, "swirl").get("value", 0.0) for z in facts.zones()]
    if not any(turning):
        yield Finding(
            "doubt",
            "Nothing swirls.",
            "No wall turns, no stream brings swirl and none is there at the start.",
            column="swirl",
        )


def _spin_down(facts: Facts, readout: Any) -> Estimate | None:
    s, radius = facts.settings("swirl"), facts.size_box()[3]
    return Estimate(
        spin_time(radius, s["viscosity"] / s["density"]), note="on the vessel's largest radius"
    )


def _speed(mesh: Mesh, state: State) -> np.ndarray:
    return np.asarray(state.fields["swirl.turning"] * mesh.cell_centres()[1])


class Swirl(Phenomenon):
    """The third velocity of an axisymmetric stream, as the angular speed of each ring of fluid."""

    name = "swirl"
    label = "Swirl"
    summary = "turning about the axis"
    about = "How fluid turns about the vessel's axis."
    does = "moves"
    equation = (
        r"\rho r^2\left(\frac{\partial\omega}{\partial t}+\mathbf u\cdot\nabla\omega\right)"
        r"+2\rho r v\,\omega=\nabla\cdot(\mu r^2\nabla\omega),\quad f_r=\rho\omega^2 r"
    )
    source = "conservation of angular momentum about the axis"
    settings = FOLLOWING
    conditions = (
        Condition(
            "turning wall",
            "edge",
            "turns at {value}",
            (_TURN,),
            label="wall that turns",
            tex=r"\omega=<value>",
        ),
        Condition(
            "still wall",
            "edge",
            "does not turn",
            (
                Param(
                    "value",
                    "rate",
                    "formula",
                    default="0 1/s",
                    label="angular speed",
                    why="it stands still",
                ),
            ),
            label="wall that stands still",
            tex=r"\omega=0",
        ),
        Condition(
            "no torque",
            "edge",
            "no torque",
            label="takes up no torque",
            tex=r"\partial\omega/\partial n=0",
        ),
        *taken_along(r"\omega", "brings {value}", (_TURN,), _BACK),
        Condition(
            "start",
            "start",
            "{value}",
            (_TURN,),
            label="at the start",
            tex=r"\omega(t{=}0)=<value>",
        ),
    )
    audit = (
        AuditRule("no axis", _flat),
        AuditRule("two streams", _two_streams),
        AuditRule("nothing turns", _nothing_turns),
    )
    papers = (
        Paper(
            "Spin-down time",
            r"t=R^2/(14.7\,\nu)",
            "slowest mode of a stream that stops turning in a pipe, from memory",
            "long vessels",
            "time",
            _spin_down,
            regime="t_w",
        ),
    )
    terms = (
        Term(
            "convection",
            r"-\nabla\cdot(\rho\mathbf u r^2\omega)",
            "carried by the stream",
            "pressure",
        ),
        Term(
            "diffusion",
            r"\nabla\cdot(\mu r^2\nabla\omega)",
            "dragged by shear and walls",
            "pressure",
        ),
        Term("made", "0", "made", "pressure"),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Force), Provides(Shear, FLUID)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Carrier, FLUID, at="old", optional=True),
            Need(Turbulence, FLUID, at="old", optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            Field(
                "turning",
                "omega",
                "rate",
                arrays=("swirl.turning",),
                label="Angular speed",
                chief=True,
            ),
            Field("swirl_speed", "w", "speed", derive=_speed, label="Swirl speed", centred=True),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"angular_momentum": "energy"}

    def steady_work(self, mesh: Any, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 15, 6e-6 * mesh.cells

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        return ["angular_momentum"]

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Assumed("carried in", "it enters without swirl", {"value": "0 1/s"})
            if passes == "out":
                return Assumed("carried out", "the stream takes its swirl along")
            if facts.on_axis(place) or facts.slips(place):
                return Assumed("no torque", "nothing drags there")
            return Assumed("still wall", "walls stand still unless said to turn")
        if on == "start":
            return Assumed("start", "at rest", {"value": "0 1/s"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.swirl.solver import SwirlSolver

        return SwirlSolver(problem)
