"""Thin cloths, meshes and perforated sheets: what they take of the pressure of what passes them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import suppress
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Absent,
    Assumed,
    AuditRule,
    Budget,
    Carrier,
    Condition,
    Default,
    Estimate,
    Facts,
    Field,
    Finding,
    Geometry,
    Given,
    Inputs,
    MemberKind,
    Need,
    Offer,
    Paper,
    Param,
    Phenomenon,
    Problem,
    Provides,
    Sheet,
    Solver,
    Source,
    StepFailed,
    Work,
)
from underkettle.engine.contract.streams import MEASURED
from underkettle.engine.marching.state import State
from underkettle.engine.mesh.divide import Divide
from underkettle.phenomena.cloth.sheet import resists, thread_reynolds
from underkettle.quantities.words import upper_first
from underkettle.sums.porous import WOVEN
from underkettle.sums.sum import SumError

Array = np.ndarray

CAUGHT = "catches"
BEYOND = 1.5  # times the highest speed measured, up to which a fitted drop may be trusted


def _cloths(facts: Facts) -> list[str]:
    return [s for s in facts.screens() if facts.kind(s, "cloth") not in ("", "open")]


def _passing(facts: Facts, screen: str) -> tuple[float, float, float] | None:
    """Mean speed (m/s) if all that enters passed one screen, density and viscosity of the stream."""
    total, area = facts.inflow(), float(facts.mesh.divide(screen).true_area.sum())
    medium = facts.medium()
    return (total / area, *medium) if total > 0 and area > 0 and medium is not None else None


def _takes(facts: Facts, screen: str) -> tuple[float, float] | None:
    try:
        return resists(Given(facts.kind(screen, "cloth"), facts.values(screen, "cloth")))
    except (SumError, KeyError, ZeroDivisionError):
        return None


def _all_open(facts: Facts) -> Iterator[Finding]:
    if not _cloths(facts):
        yield Finding(
            "doubt",
            "There is no cloth in the stream's way.",
            "No thin screen is drawn and given a resistance: draw one, or leave cloths out.",
            column="cloth",
            cure=(("phenomena/cloth", None),),
            cure_label="Leave them out",
        )


def _impossible(facts: Facts) -> Iterator[Finding]:
    for screen in _cloths(facts):
        try:
            resists(Given(facts.kind(screen, "cloth"), facts.values(screen, "cloth")))
        except SumError as error:
            yield Finding(
                "stops",
                f"{facts.edge_label(screen)}: no cloth is like that.",
                f"{upper_first(str(error))}.",
                screen,
                "cloth",
            )


def _too_quick(facts: Facts) -> Iterator[Finding]:
    for screen in _cloths(facts):
        found, kind = _passing(facts, screen), facts.kind(screen, "cloth")
        if found is None:
            continue
        speed, values = found[0], facts.values(screen, "cloth")
        if kind == "measured drop":
            highest = max(values["measured"].points)
            if speed > BEYOND * highest:
                yield Finding(
                    "doubt",
                    f"{facts.edge_label(screen)} may be passed at {speed:.3g} m/s, beyond what was "
                    "measured.",
                    f"Its drop was measured up to {highest:.3g} m/s.",
                    screen,
                    "cloth",
                )
        elif kind == "weave" and values["thread"] < values["pitch"]:
            number = thread_reynolds(values, *found)
            if not WOVEN[0] <= number <= WOVEN[1]:
                yield Finding(
                    "doubt",
                    f"The threads of {facts.edge_label(screen)} are passed at Re {number:.3g}.",
                    f"Wieghardt's relation was made for {WOVEN[0]:g} to {WOVEN[1]:g}.",
                    screen,
                    "cloth",
                )


def _catches_nothing(facts: Facts) -> Iterator[Finding]:
    """Shares of what nobody carries."""
    carried = {*facts.all_columns(), *(c.partition(".")[2] for c in facts.all_columns())}
    for name in facts.settings("cloth").get(CAUGHT, {}):
        if name not in carried:
            yield Finding(
                "doubt",
                f"No stream carries the {name} that cloths hold back.",
                "What they catch goes by the name of something that is carried.",
                column="cloth",
                cure=((f"phenomena/cloth/{CAUGHT}/{name}", None),),
                cure_label=f"Leave out {name}",
            )


def _parts(facts: Facts, screen: str) -> bool:
    """Whether nothing gets round a screen: without its faces the two sides do not meet."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    mesh, faces = facts.mesh, facts.mesh.divide(screen)
    number = np.arange(mesh.live[0].size).reshape(mesh.live[0].shape)
    pairs = []
    for axis, open_ in enumerate((mesh.open_x[0], mesh.open_y[0])):
        passable = open_ > 0
        mine = faces.along(axis)
        passable[faces.row[mine], faces.column[mine]] = False
        here = np.argwhere(passable[1:-1, 1:-1]) + 1
        behind = here - ((0, 1) if axis == 0 else (1, 0))
        pairs.append((number[tuple(here.T)], number[tuple(behind.T)]))
    one, two = (np.concatenate(ends) for ends in zip(*pairs, strict=True))
    graph = coo_array((np.ones(one.size), (one, two)), shape=(number.size,) * 2)
    label = connected_components(graph, directed=False)[1].reshape(number.shape)
    behind, before = label[faces.row, faces.column], label[faces.before]
    return bool(faces.row.size) and not np.isin(behind, before).any()


def _drop(facts: Facts, readout: Any) -> Estimate | None:
    """Across a cloth that all of the stream has to pass."""
    if readout.kind != "across" or readout.field != "pressure":
        return None
    screen = readout.place or ""
    if screen not in _cloths(facts) or not _parts(facts, screen):
        return None
    found, takes = _passing(facts, screen), _takes(facts, screen)
    if found is None or takes is None:
        return None
    speed, density, viscosity = found
    return Estimate(
        (viscosity * takes[0] + density * takes[1] * speed) * speed,
        note="if all of the stream passes it, evenly",
    )


class Cloth(Phenomenon):
    """A sheet much thinner than a cell: its resistance stands on the faces it follows."""

    name = "cloth"
    label = "Thin cloths"
    summary = "take pressure"
    about = "Cloths, meshes and perforated sheets, what passes them and what drop that takes."
    does = "moves"
    equation = r"[p]=-\left(\mu R+\rho F\,|u_n|\right)u_n"
    source = "Darcy 1856, Forchheimer 1901, for a sheet"
    conditions = (
        Condition("open", "screen", "lets all pass", label="lets all pass", tex="[p]=0"),
        Condition(
            "measured drop",
            "screen",
            "drop as measured",
            MEASURED,
            label="drop was measured",
            tex=r"[p]\ \text{as measured}",
        ),
        Condition(
            "layer",
            "screen",
            "{thickness} of {permeability}",
            (
                Param("thickness", "length", label="thickness", above=0.0),
                Param("permeability", "area", label="permeability", above=0.0),
                Param(
                    "inertia",
                    "1/m",
                    label="inertial resistance",
                    default="0 1/m",
                    least=0.0,
                    why="counts only where threads are met quickly",
                ),
            ),
            label="thickness and permeability",
            tex=r"R=<thickness>/<permeability>",
        ),
        Condition(
            "weave",
            "screen",
            "woven of {thread} every {pitch}",
            (
                Param("thread", "length", label="thread", above=0.0),
                Param("pitch", "length", label="from thread to thread", above=0.0),
            ),
            label="square weave",
            tex=r"[p]=-6\frac{1-b}{b^2}Re_d^{-1/3}\tfrac{\rho u^2}{2},\ d=<thread>,\ s=<pitch>",
        ),
        Condition(
            "loss",
            "screen",
            "takes {heads} speed heads",
            (Param("heads", label="speed heads lost", above=0.0),),
            label="loses speed heads",
            tex=r"[p]=-<heads>\,\tfrac{\rho u^2}{2}",
        ),
    )
    member_kinds = (
        MemberKind(
            "catch",
            (
                Param(
                    "share",
                    label="share held back of what comes to a cloth",
                    above=0.0,
                    most=1.0,
                ),
            ),
            CAUGHT,
            column=False,
            least=0,
        ),
    )
    audit = (
        AuditRule("no cloth", _all_open),
        AuditRule("catches nothing", _catches_nothing),
        AuditRule("impossible cloth", _impossible),
        AuditRule("quicker than measured", _too_quick),
    )
    papers = (
        Paper(
            "Drop across a cloth",
            r"\Delta p=(\mu R+\rho F u)\,u",
            "as the cloth was measured or is woven (Wieghardt 1953, from memory)",
            "all of the stream passes it evenly",
            "pressure",
            _drop,
        ),
    )

    def provides(self, settings: Mapping[str, Any]) -> list[Provides]:
        return [Provides(Sheet, FLUID), *(Provides(Source, n) for n in settings.get(CAUGHT, {}))]

    def needs(self, settings: Mapping[str, Any]) -> list[Need]:
        if not settings.get(CAUGHT):
            return []
        return [Need(Carrier, FLUID, at="old", optional=True)]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        return []

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        if on == "screen":
            return Assumed("open", "it lets all pass unless something is said of it")
        return Absent()

    def build(self, problem: Problem) -> Solver:
        return ClothSolver(problem)


NAMES = ("slow_x", "slow_y", "fast_x", "fast_y")
PASSES = "passes"  # through cloths into each cell, from before and after it along x and y (m3/s)


class ClothSolver:
    """Offers what cloths take; nothing of it is solved for."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        self.screens = dict(problem.divide_conditions())
        self.names = [problem.state_name(n) for n in NAMES]
        self.caught = dict(problem.settings().get(CAUGHT, {}))
        self.passes = problem.state_name(PASSES)
        self.fresh = True  # the state may hold what another value of a series made of it

    def start(self, state: State) -> None:
        for name in self.names:
            state.fields[name] = np.zeros(self.mesh.shape)
        if self.caught:
            state.fields[self.passes] = np.zeros((4, *self.mesh.shape[1:]))
        with suppress(StepFailed):  # the first step, or sweep, says so
            self._lay(state)

    def moved(self, state: State, geometry: Geometry) -> None:
        """Cloths stay where they are drawn."""
        self.mesh = geometry.mesh
        self._lay(state)

    def _lay(self, state: State) -> None:
        """A slanted cloth is followed in steps; each takes more of what passes it straight, by one over
        its share of the cloth's direction, so that the whole passes what the cloth would.
        """
        for name in self.names:
            state.fields[name][:] = 0.0
        for place, given in self.screens.items():
            if given.kind == "open":
                continue
            try:
                slow, fast = resists(given)
            except SumError as error:
                raise StepFailed("cloth", place, str(error)) from error
            faces = self.mesh.divide(place)
            lean = 1.0 / faces.straight
            self._put(state, faces, NAMES[:2], slow * lean)
            self._put(state, faces, NAMES[2:], fast * lean**2)
        for name in self.names:
            self.mesh.grid.wrap(state.fields[name])

    def _put(self, state: State, faces: Divide, names: tuple[str, ...], values: Array) -> None:
        for axis, name in enumerate(names):
            mine = faces.along(axis)
            at = 0, faces.row[mine], faces.column[mine]
            np.add.at(state.fields[self.problem.state_name(name)], at, values[mine])

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "cloths limit nothing"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.relax(state, inputs)

    def relax(self, state: State, inputs: Inputs) -> Work:
        if self.fresh:
            self._lay(state)
        self.fresh = False
        carrier = inputs.get(Carrier, FLUID) if self.caught else None
        if carrier is not None:
            self._see(state, carrier)
        return Work(whole=True)

    def _see(self, state: State, carrier: Carrier) -> None:
        """What passes cloths."""
        passes = state.fields[self.passes]
        passes[:] = 0.0
        for place, given in self.screens.items():
            if given.kind == "open":
                continue
            faces = self.mesh.divide(place)
            for axis, flows in enumerate((carrier.volume.x, carrier.volume.y)):
                mine = faces.along(axis)
                row, column = faces.row[mine], faces.column[mine]
                forth = flows[0, row, column]
                passes[2 * axis, row, column] = np.maximum(forth, 0.0)
                row, column = row - axis, column - (1 - axis)
                passes[2 * axis + 1, row, column] = np.maximum(-forth, 0.0)
        for part in passes:
            self.mesh.grid.wrap(part)

    def offer(self, what: Provides, state: State) -> Offer:
        if what.kind is Source:
            share = float(self.caught[what.of]["share"])
            return Source(np.zeros(self.mesh.shape), passed=-share * state.fields[self.passes])
        slow_x, slow_y, fast_x, fast_y = (state.fields[n] for n in self.names)
        return Sheet(slow_x, slow_y, fast_x, fast_y)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
