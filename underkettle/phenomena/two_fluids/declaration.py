"""Two fluids: what is asked, assumed, shown and offered."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Apart,
    Assumed,
    Carrier,
    Condition,
    Default,
    Entry,
    Facts,
    Field,
    Force,
    Listing,
    Medium,
    MemberKind,
    Missing,
    Need,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Solver,
)
from underkettle.engine.contract.carried import taken_along
from underkettle.engine.interface.lumps import KINDS
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.two_fluids.audit import RULES
from underkettle.phenomena.two_fluids.beside import film, wetted
from underkettle.phenomena.two_fluids.limits import wave_time
from underkettle.phenomena.two_fluids.naming import (
    DROP,
    FILLED,
    HOLDS,
    LEVEL,
    ME,
    WALL,
    WHERE,
    alike,
    fluids,
    pair,
)
from underkettle.phenomena.two_fluids.papers import PAPERS, at_start
from underkettle.quantities import Place

_SHARE = Param(
    "value",
    "number",
    "formula",
    label="share of the first fluid",
    live=True,
    least=0.0,
    most=1.0,
)
BOTH = 1e-6  # share of either fluid in a cell that holds both
_BACK = replace(
    _SHARE,
    default="0",
    label="share of the first fluid in what comes back",
    why="the second lies behind the opening",
)
_ANGLE = Param("receding", "angle", "formula", live=True, above=0.0, most=np.pi)
_AT = tuple(Param(n, "length", label=f"middle, {n}") for n in "xy")


def _bend(mesh: Mesh, state: State) -> np.ndarray:
    return np.asarray(state.fields[f"{ME}.bend"])


def _of_tension(law: Any, first: str) -> list[Field]:
    """Tension where both fluids are, if it differs; none while it is not read yet."""
    if not hasattr(law, "at") or alike(law) is not None:
        return []
    share = f"{ME}.{first}"

    def made(place: Place, known: Mapping[str, Any]) -> Any:
        both = np.abs(known[share] - 0.5) < 0.5 - BOTH
        return np.where(both, law.at(place, known), np.nan)

    return [
        Field(
            "tension",
            r"\sigma",
            "surface tension",
            reads=(share, *sorted(law.reads)),
            made=made,
            label="Tension of the interface",
            unit="mN/m",
            partly=True,
            jumps=True,
        )
    ]


class TwoFluids(Phenomenon):
    """Where each of two fluids is that do not mix, and how their interface pulls at the stream."""

    name = ME
    label = "Two fluids"
    summary = "that do not mix"
    about = "Where two fluids that do not mix are: drops, bubbles, filling, free surfaces."
    does = "phases"
    equation = (
        r"\frac{\partial f}{\partial t}+\nabla\cdot(\mathbf u f)=0,\quad "
        r"\rho=f\rho_1+(1-f)\rho_2,\quad \mathbf f=\sigma\kappa\nabla f"
    )
    source = (
        "conservation of volume, the interface cut into straight pieces (Weymouth & Yue 2010); "
        "heights for its curvature (Cummins, Francois & Kothe 2005)"
    )
    settings = (
        Param(
            "tension",
            "surface tension",
            "formula",
            label="surface tension",
            least=0.0,
            symbol=r"\sigma",
            law="old",
        ),
    )
    member_kinds = (
        MemberKind(
            "fluid",
            (
                Param("density", "density", label="density", above=0.0, symbol=r"\rho"),
                Param("viscosity", "viscosity", label="viscosity", above=0.0, symbol=r"\mu"),
            ),
            column=False,
            least=2,
        ),
    )
    conditions = (
        Condition(
            WALL,
            "edge",
            "met at {angle}",
            (
                Param(
                    "angle",
                    "angle",
                    "formula",
                    default="90 deg",
                    label="contact angle, in the first fluid",
                    why="it is wetted by neither more than by the other",
                    live=True,
                    above=0.0,
                    most=np.pi,
                ),
            ),
            label="wall that the interface meets at an angle",
            tex=r"\mathbf n\cdot\mathbf n_w=\cos(<angle>)",
        ),
        Condition(
            HOLDS,
            "edge",
            "held between {receding} and {advancing}",
            (
                replace(_ANGLE, label="angle at which the first fluid recedes"),
                replace(_ANGLE, name="advancing", label="angle at which it advances"),
            ),
            label="wall that holds the interface between two angles",
            tex=r"<receding>\le\theta\le<advancing>",
        ),
        *taken_along("f", "{value} of the first", (_SHARE,), _BACK),
        Condition(
            FILLED,
            "start",
            "{value} of the first",
            (replace(_SHARE, live=False),),
            label="filled evenly",
            tex="f(t{=}0)=<value>",
        ),
        Condition(
            LEVEL,
            "start",
            "the first up to {level} along {along}",
            (
                Param("level", "length", label="level"),
                Param(
                    "along",
                    kind="choice",
                    choices=("y", "x"),
                    default="y",
                    label="along",
                    why="up on most sheets",
                ),
            ),
            label="the first fluid up to a level",
            tex=r"f(t{=}0)=1\ \text{where}\ <along>\lt<level>",
        ),
        Condition(
            DROP,
            "start",
            "a drop of {radius} of the {of}",
            (
                *_AT,
                Param("radius", "length", label="radius", above=0.0),
                Param(
                    "of",
                    kind="choice",
                    choices=("first", "second"),
                    default="first",
                    label="of the fluid",
                    why="the second fills what is not said to hold the first",
                ),
            ),
            label="a round drop in the other fluid",
            tex=r"f(t{=}0)=1\ \text{where}\ r\lt<radius>",
        ),
        Condition(
            WHERE,
            "start",
            "the first where {inside} is positive",
            (
                Param(
                    "inside",
                    "length",
                    "formula",
                    label="how deep within the first fluid (below nought outside)",
                ),
            ),
            label="the first fluid where a formula is positive",
            tex=r"f(t{=}0)=1\ \text{where}\ <inside>\,>0",
        ),
    )
    audit = RULES
    papers = PAPERS

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Medium, FLUID), Provides(Force), Provides(Apart)]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        return [Need(Carrier, FLUID, at="old")]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        found = []
        for k, name in enumerate(list(fluids(settings))[:2]):
            words = name.replace("_", " ")
            found.append(
                Field(
                    name,
                    r"f" if k == 0 else r"1-f",
                    "number",
                    arrays=(f"{ME}.{'first' if k == 0 else 'second'}",),
                    label=f"Share of {words}",
                    chief=k == 0,
                    jumps=True,
                )
            )
        names = list(fluids(settings))
        if names:
            found += _of_tension(settings.get("tension"), names[0])
        first = next(iter(names), "first").replace("_", " ")
        found += [
            Field(
                "wetted",
                r"a_1",
                "number",
                where="edge",
                kept=False,
                derive=wetted,
                label=f"Share that {first} wets",
            ),
            Field(
                "film",
                r"\delta",
                "length",
                where="edge",
                kept=False,
                derive=film,
                label=f"Thickness of {first} on it",
                unit="mm",
            ),
        ]
        found.append(
            Field(
                "interface_bend",
                r"\kappa",
                "area per volume",
                derive=_bend,
                label="Curvature of the interface",
                partly=True,
                jumps=True,
            )
        )
        return found

    def listings(self, settings: Mapping[str, Any]) -> list[Listing]:
        at = [Entry(n, "length", unit="mm") for n in "xy"]
        both = tuple(list(fluids(settings))[:2])
        return [
            Listing(
                "interface", f"{ME}.interface", (*at, Entry("line")), label="Interface", line="line"
            ),
            Listing(
                "drops",
                f"{ME}.lumps",
                (
                    Entry("fluid", words=both),
                    Entry("number", label="number, kept as it goes on", names=True),
                    Entry("volume", "volume", unit="mm3"),
                    Entry("diameter", "length", unit="mm"),
                    *at,
                    *(Entry(f"speed_{n}", "speed", f"speed in {n}") for n in "xy"),
                    Entry("roundness", label="roundness, 1 of a circle"),
                    Entry("joined", label="reaches", words=("walls at most", "an opening")),
                    Entry("touches", label="touches most", edge=True),
                ),
                label="Drops, bubbles and pockets",
            ),
            Listing(
                "happened",
                f"{ME}.happened",
                (
                    Entry("time", "time", unit="ms"),
                    Entry("what", words=KINDS),
                    Entry("fluid", words=both),
                    Entry("number", names=True),
                    Entry("other", label="from, or into", names=True),
                    Entry("volume", "volume", unit="mm3"),
                    *at,
                ),
                label="What happened to them",
            ),
        ]

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        return dict.fromkeys(list(fluids(settings))[:2], "volume flow")

    def fluids(self, facts: Facts) -> tuple[float, float] | None:
        return at_start(facts)

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        """As many steps as tension asks for."""
        settings, until = facts.settings(ME), facts.until(ME) or 0.0
        step = wave_time(
            pair(settings, "density"), float(settings["tension"]), facts.mesh.grid.finest
        )
        steps = int(until / step) + 1
        return (steps, 7e-3 + 2e-6 * facts.mesh.cells) if steps > 1 else None

    def step_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> float:
        return 1e-3 + 2e-7 * mesh.cells

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "edge":
            passes = facts.through(place)
            if passes == "in":
                return Missing("a stream enters here: say how much of it is the first fluid")
            if passes == "out":
                return Assumed(
                    "carried out",
                    "it takes along what it holds; the second comes back",
                    {"value": "0"},
                )
            if facts.on_axis(place):
                return Absent()
            return Assumed(WALL, "wetted by neither more than by the other", {"angle": "90 deg"})
        if on == "start":
            return Assumed(FILLED, "all of the second unless said", {"value": "0"})
        return Absent()

    def build(self, problem: Problem) -> Solver:
        from underkettle.phenomena.two_fluids.solver import TwoFluidsSolver

        return TwoFluidsSolver(problem)
