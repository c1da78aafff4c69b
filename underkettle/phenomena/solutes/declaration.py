"""Solutes: what is asked, assumed, shown and offered."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    Absent,
    Apart,
    Assumed,
    Condition,
    Default,
    Facts,
    Field,
    MemberKind,
    Missing,
    Need,
    Param,
    Phenomenon,
    Problem,
    Solver,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.solutes.audit import RULES
from underkettle.phenomena.solutes.naming import (
    BOTH,
    FIRST,
    HELD,
    INERT,
    LETS_OUT,
    ME,
    SEALED,
    SECOND,
    SIDES,
    USED,
)
from underkettle.phenomena.solutes.papers import PAPERS
from underkettle.quantities.words import upper_first

LEAST = 1e-9  # share of a cell: what holds less of a fluid shows nothing of it
_IN_FIRST = Param(
    "value", "concentration", "formula", label="in the first fluid", live=True, least=0.0
)
_FIRST = replace(_IN_FIRST, default="0 mol/m3", why="clean unless said")
_SECOND = replace(_FIRST, name="second", label="in the second fluid")
_BACK = replace(
    _IN_FIRST,
    default="0 mol/m3",
    label="in what comes back of the first",
    why="what lies behind the opening is taken to be clean",
)
_RATE = Param(
    "first",
    "rate",
    "formula",
    default="0 1/s",
    label="first-order loss in the first fluid",
    why="nothing reacts unless said",
    live=True,
    least=0.0,
)


def _seen(name: str, side: int) -> Callable[[Mesh, State], np.ndarray]:
    """A solute's concentration in one fluid, NaN where there is none of that."""

    def derive(mesh: Mesh, state: State) -> np.ndarray:
        part, value = _side(state, name, side)
        return np.where(mesh.live & (part > LEAST), value, np.nan)

    return derive


def _held(name: str, side: int) -> Callable[[Mesh, State], np.ndarray]:
    """What one fluid holds of a solute, over the whole cell."""

    def derive(mesh: Mesh, state: State) -> np.ndarray:
        part, value = _side(state, name, side)
        return part * value

    return derive


def _side(state: State, name: str, side: int) -> tuple[np.ndarray, np.ndarray]:
    """The share of a fluid, and what that holds of a solute."""
    share = state.fields[f"{ME}.share"]
    value = state.fields[f"{ME}.{name}.{SIDES[side]}"]
    return (1.0 - share if side else share), value


class Solutes(Phenomenon):
    """What is dissolved in either of two fluids: it goes with them and crosses where they meet."""

    name = ME
    label = "Solutes"
    summary = "in two fluids"
    about = (
        "How what is dissolved in two fluids that do not mix stays in one or crosses to the other."
    )
    equation = (
        r"\frac{\partial c_k}{\partial t}+\mathbf u\cdot\nabla c_k="
        r"D_k\nabla^2 c_k-k_k c_k,\quad "
        r"c_1=m\,c_2,\ D_1\partial_n c_1=D_2\partial_n c_2\ \text{where both meet}"
    )
    source = (
        "conservation of a dilute species in either phase, Fick's law, and equilibrium where both meet "
        "(Henry 1803, Nernst 1891)"
    )
    member_kinds = (
        MemberKind(
            "solute",
            (
                Param(
                    "diffusivity",
                    "area per time",
                    label="diffusivity in the first fluid",
                    least=0.0,
                    symbol="D_1",
                ),
                Param(
                    "diffusivity_second",
                    "area per time",
                    label="diffusivity in the second fluid",
                    least=0.0,
                    symbol="D_2",
                ),
                Param(
                    "partition",
                    label="partition: in the first over in the second, at rest",
                    default="1",
                    why="it likes neither fluid more than the other",
                    above=0.0,
                    symbol="m",
                ),
                Param(
                    "lives_in",
                    kind="choice",
                    choices=(BOTH, FIRST, SECOND),
                    default=BOTH,
                    label="fluids it can be in",
                    why="it crosses where both meet",
                ),
                Param(
                    "crossing",
                    "speed",
                    label="speed at which it crosses, per concentration in the second",
                    optional=True,
                    above=0.0,
                    why="nothing but diffusion on both sides hinders it unless said",
                    symbol=r"k_i",
                ),
            ),
            least=1,
        ),
    )
    conditions = (
        Condition(
            SEALED, "edge", "sealed", label="sealed, no flux", tex=r"D_k\,\partial c_k/\partial n=0"
        ),
        Condition(
            HELD,
            "edge",
            "held at {value} in the second",
            (replace(_IN_FIRST, label="in the second fluid; in the first at rest with that"),),
            label="wall that gives off or takes up",
            tex=r"c_2=<value>,\ c_1=m\,<value>",
        ),
        *taken_along(
            "c_1",
            "brings {value} in the first, {second} in the second",
            (_FIRST, _SECOND),
            _BACK,
            replace(_BACK, name="second", label="in what comes back of the second"),
        ),
        Condition(INERT, "zone", "nothing reacts", label="nothing reacts", tex="k_1=k_2=0"),
        Condition(
            USED,
            "zone",
            "{first} lost in the first, {second} in the second",
            (_RATE, replace(_RATE, name="second", label="first-order loss in the second fluid")),
            label="used up",
            tex=r"k_1=<first>,\ k_2=<second>",
        ),
        Condition(
            "start",
            "start",
            "{value} in the first, {second} in the second",
            (replace(_FIRST, live=False), replace(_SECOND, live=False)),
            label="at the start",
            tex=r"c_1(t{=}0)=<value>,\ c_2(t{=}0)=<second>",
        ),
    )
    audit = RULES
    papers = PAPERS

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [Need(Apart)]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        found = []
        for m in self.members(settings):
            label = upper_first(m.label)
            found += [
                Field(
                    m.id,
                    f"c_{m.id}",
                    "concentration",
                    arrays=(f"{ME}.{m.id}.mean",),
                    label=label,
                    chief=True,
                    jumps=True,
                ),
                *(
                    Field(
                        f"{m.id}_in_{which}",
                        f"c_{k + 1}",
                        "concentration",
                        derive=_seen(m.id, k),
                        label=f"{label} in the {which} fluid",
                        member=m.id,
                        partly=True,
                    )
                    for k, which in enumerate(SIDES)
                ),
                *(
                    Field(
                        f"{m.id}_held_{which}",
                        rf"f_{k + 1}c_{k + 1}",
                        "concentration",
                        derive=_held(m.id, k),
                        label=f"{label} that the {which} fluid holds, per volume of both",
                        member=m.id,
                        jumps=True,
                    )
                    for k, which in enumerate(SIDES)
                ),
                Field(
                    f"{m.id}_crossing",
                    r"j",
                    "amount source",
                    arrays=(f"{ME}.{m.id}.crossing",),
                    label=f"{label} that crosses from the first to the second",
                    member=m.id,
                    centred=True,
                    jumps=True,
                ),
            ]
        return found

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return {m.id: "amount flow" for m in self.members(settings)}

    def step_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> float:
        return (2e-3 + 1e-6 * mesh.cells) * len(settings.get("members", {}))

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("a stream enters here: say how much it brings, 0 mol/m3 included")
            if passes == "out":
                return Assumed(LETS_OUT, "both fluids take along what they hold")
            return Assumed(SEALED, "walls let nothing through unless something else is said")
        if on == "zone":
            return Assumed(INERT, "nothing is used up unless said")
        if on == "start":
            return Assumed(
                "start", "clean at the start", {"value": "0 mol/m3", "second": "0 mol/m3"}
            )
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.solutes.solver import SolutesSolver

        return SolutesSolver(problem)
