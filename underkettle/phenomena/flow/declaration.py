"""The flow phenomenon: what it asks, assumes, shows and offers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    Carrier,
    Condition,
    Default,
    Facts,
    Field,
    Force,
    Jump,
    Medium,
    Missing,
    Need,
    Param,
    Phenomenon,
    Pressure,
    Problem,
    Provides,
    Resistance,
    Sheet,
    Solver,
    Term,
    Turbulence,
)
from underkettle.engine.contract.streams import (
    DRAWN_OFF,
    FOLLOWING,
    LEVEL,
    PROFILES,
    UNIFORM,
    given_stream,
    inflow,
    stream_fields,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.flow.audit import RULES
from underkettle.phenomena.flow.forces import edge_forces
from underkettle.phenomena.flow.medium import MEDIUM, follows, total_pressure
from underkettle.phenomena.flow.papers import PAPERS
from underkettle.quantities.words import headed

_PROFILE = Param(
    "profile",
    kind="choice",
    choices=PROFILES,
    default=UNIFORM,
    why="nothing is known of what lies upstream",
    label="profile",
)
_WALL_X = Param(
    "x_speed", "speed", "formula", default="0 m/s", why="not said", label="speed in x", live=True
)
_WALL_Y = Param(
    "y_speed", "speed", "formula", default="0 m/s", why="not said", label="speed in y", live=True
)


def _force(settings: Mapping[str, Any], axis: int) -> Any:
    def derive(mesh: Mesh, state: State) -> np.ndarray:
        density, viscosity = (
            state.fields[f"flow.{name}"][0]
            if f"flow.{name}" in state.fields
            else np.broadcast_to(settings[name].at(mesh.place()), mesh.shape[1:])
            for name in MEDIUM
        )
        return edge_forces(mesh, state, density, viscosity, axis)

    return derive


class Flow(Phenomenon):
    """Mass and momentum of one liquid or gas, whose density may follow what is solved."""

    name = "flow"
    label = "Flow"
    summary = "velocity, pressure"
    about = "Where fluid goes, how fast, and what pressure that takes."
    does = "moves"
    equation = (
        r"\rho\left(\frac{\partial\mathbf u}{\partial t}+\mathbf u\cdot\nabla\mathbf u"
        r"\right)=-\nabla p+\nabla\cdot\mu(\nabla\mathbf u+\nabla\mathbf u^T)+\mathbf f,"
        r"\quad\frac{\partial\rho}{\partial t}+\nabla\cdot(\rho\mathbf u)=0"
    )
    source = "Navier-Stokes equations at low Mach number"
    settings = (
        *FOLLOWING,
        Param(
            "gravity_x",
            "acceleration",
            label="gravity along x",
            default="0 m/s2",
            why="weight moves a stream only where its density differs",
            symbol="g_x",
        ),
        Param(
            "gravity_y",
            "acceleration",
            label="gravity along y",
            default="0 m/s2",
            why="weight moves a stream only where its density differs",
            symbol="g_y",
        ),
        Param(
            "weightless",
            "density",
            label="density that weighs nothing",
            optional=True,
            above=0.0,
            why="that at the start; pressures count from a column of it",
            symbol=r"\rho_0",
        ),
        Param(
            "pressure_aim",
            label="pressure solve to",
            default=1e-9,
            above=0.0,
            why="closes mass to round-off in every step",
        ),
    )
    conditions = (
        Condition("wall", "edge", "no slip", label="wall, no slip", tex=r"\mathbf u=0"),
        Condition(
            "slip wall",
            "edge",
            "slips",
            label="wall, slips",
            slips=True,
            tex=r"\mathbf u\cdot\mathbf n=0,\ \partial u_t/\partial n=0",
        ),
        Condition(
            "slipping wall",
            "edge",
            "slips by {length}",
            (
                Param(
                    "length",
                    "length",
                    label="how far behind the wall the stream rests",
                    above=0.0,
                ),
            ),
            label="wall, slips by a length",
            tex=r"\mathbf u\cdot\mathbf n=0,\ u_t=<length>\,\partial u_t/\partial n",
        ),
        Condition(
            "moving wall",
            "edge",
            "moves {x_speed} / {y_speed}",
            (_WALL_X, _WALL_Y),
            label="moving wall",
            tex=r"\mathbf u=(<x_speed>,\ <y_speed>)",
        ),
        inflow(_PROFILE),
        DRAWN_OFF,
        Condition(
            "outflow",
            "edge",
            "out at {pressure}",
            (LEVEL,),
            label="flows out",
            through="out",
            tex=r"p=<pressure>,\ \partial\mathbf u/\partial n=0",
        ),
        Condition(
            "open edge",
            "edge",
            "open at {pressure}",
            (LEVEL,),
            label="open edge",
            through="out",
            drawn="open",
            tex=r"p=<pressure>,\ \partial\mathbf u/\partial n=0",
        ),
        Condition(
            "total pressure",
            "edge",
            "{pressure} total",
            (LEVEL,),
            label="open to still surroundings",
            through="out",
            tex=r"p+\tfrac12\rho\,|\mathbf u|^2=<pressure>\ \text{where it enters}",
        ),
        Condition(
            "symmetry",
            "edge",
            "mirror",
            label="mirror plane",
            slips=True,
            drawn="mirror",
            tex=r"\mathbf u\cdot\mathbf n=0,\ \partial u_t/\partial n=0",
        ),
        Condition("open", "zone", "open", label="open to the stream"),
        Condition(
            "solid", "zone", "solid", label="solid, no stream", blocks=True, tex=r"\mathbf u=0"
        ),
        Condition(
            "repeats",
            "repeat",
            "repeats, {fall} lower each time",
            (
                Param(
                    "fall",
                    "pressure",
                    "formula",
                    default="0 Pa",
                    live=True,
                    label="fall of pressure over one length",
                    why="nothing pushes it on",
                ),
            ),
            label="repeats",
            tex=r"\mathbf u(s+L)=\mathbf u(s),\ p(s+L)=p(s)-<fall>",
        ),
        Condition(
            "start",
            "start",
            "{x_speed} / {y_speed}",
            (_WALL_X, _WALL_Y),
            label="at the start",
            tex=r"\mathbf u(t{=}0)=(<x_speed>,\ <y_speed>)",
        ),
    )
    audit = RULES
    papers = PAPERS
    terms = (
        Term(
            "convection",
            r"-\rho\,\mathbf u\cdot\nabla u",
            "carried by the stream itself",
            "force per volume",
        ),
        Term("pressure", r"-\partial p/\partial x", "pushed by pressure", "force per volume"),
        Term("viscosity", r"\nabla\cdot(\mu\nabla u)", "dragged by shear", "force per volume"),
        Term(
            "weight", r"(\rho-\rho_0)g_x", "weighed down, where density differs", "force per volume"
        ),
        Term(
            "matter",
            r"-\mathbf R\,\mathbf u",
            "held back, where porous matter stands",
            "force per volume",
        ),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Carrier, FLUID), Provides(Pressure)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [
            Need(Medium, FLUID, optional=True),
            Need(Force, optional=True),
            Need(Jump, optional=True),
            Need(Resistance, FLUID, optional=True),
            Need(Sheet, FLUID, optional=True),
            Need(Turbulence, FLUID, at="old", optional=True),
            *self.gets(self.quantities(settings)),
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return [
            *stream_fields("flow"),
            total_pressure(settings.get("density")),
            *(
                Field(
                    f"force_{name}",
                    f"F_{name}",
                    "force",
                    where="edge",
                    kept=False,
                    label=f"Force in {name}",
                    derive=_force(settings, axis),
                )
                for axis, name in enumerate("xy")
            ),
            *(
                Field(name, symbol, name, arrays=(f"flow.{name}",), label=headed(name))
                for name, symbol in (("density", "rho"), ("viscosity", "mu"))
                if follows(settings.get(name))
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {"mass": "mass flow"}

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        return 8, 4e-3 + 3e-5 * mesh.cells

    def stream(
        self, kind: str, values: Mapping[str, Any], area: float, settings: Mapping[str, Any]
    ) -> float | None:
        return given_stream(kind, values, area, settings["density"])

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            if facts.on_axis(place):
                return Assumed("symmetry", "it is the axis the vessel is turned about")
            if place in facts.nozzles():
                return Missing("a nozzle lets something in or out: say which, and how much")
            return Assumed("wall", "closed and sticky unless something else is said")
        if on == "zone":
            return Assumed("open", "the stream passes unless the zone is said to be solid")
        if on == "start":
            return Assumed("start", "at rest", {"x_speed": "0 m/s", "y_speed": "0 m/s"})
        if on == "repeat":
            return Assumed("repeats", "nothing pushes it on", {"fall": "0 Pa"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.flow.solver import FlowSolver

        return FlowSolver(problem)
