"""One conductor on one mesh: where it is, what conducts in it, and what its edges are joined to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from underkettle.engine.contract import Given, Problem, Retold
from underkettle.engine.contract.laws import Number, Of
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.transport.unknown import Carried, Unknown
from underkettle.phenomena.charge.naming import JOINED
from underkettle.phenomena.charge.sweeping import sweep_of
from underkettle.quantities import NOWHERE, Place

Array = np.ndarray

BARE = 1e30  # S/m2, of a wall without anything before it


class _Conducts:
    """What conducts (S/m) along one axis, zone by zone; nothing where the conductor is not."""

    def __init__(self, mesh: Mesh, law: Any, zones: Mapping[str, Any]) -> None:
        """zones : laws of those that conduct otherwise; None where it is not."""
        self.law, self.shape = law, mesh.shape[1:]
        self.zones = [(mesh.zone_cells(zone)[0], other) for zone, other in zones.items()]
        laws = [law, *(other for other in zones.values() if other is not None)]
        self.steady = all(one.steady for one in laws)
        self.reads = frozenset().union(*(one.reads for one in laws))

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Array:
        found = np.empty(self.shape)
        found[:] = self.law.at(place, known)
        for cells, law in self.zones:
            if law is None:
                found[cells] = 0.0
            else:
                found[cells] = np.broadcast_to(law.at(place, known), self.shape)[cells]
        return found


class _Told(Retold):
    """The problem, with edges in the words of what conducts: a value, a flux, a film."""

    def __init__(self, problem: Problem, coated: frozenset[str]) -> None:
        """coated : edges with a surface that current passes before they are reached."""
        super().__init__(problem)
        self._coated = coated

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        found = {}
        for edge, given in self._problem.edge_conditions(member).items():
            values = _told(given)
            if edge in self._coated and "value" in values:
                values = {"film": Number(BARE), "ambient": values["value"]}
            found[edge] = Given(given.kind, values)
        return found

    def zone_conditions(self, member: str = "") -> Mapping[str, Given]:
        return {z: Given(g.kind, {}) for z, g in self._problem.zone_conditions(member).items()}

    def divide_conditions(self, member: str = "") -> Mapping[str, Given]:
        return {
            place: Given(given.kind, {"film": _film(given)} if given.has("resistance") else {})
            for place, given in self._problem.divide_conditions(member).items()
        }


def _film(given: Given) -> Of:
    """S/m2 of a resistance times area."""
    return Of(given.values["resistance"], lambda resistance: 1.0 / resistance)


def _told(given: Given) -> dict[str, Any]:
    if given.kind in (*JOINED, "swept"):  # told by whoever solves, and at each time
        return {"value": Number(0.0)}
    if given.has("resistance"):
        return {"film": _film(given), "ambient": given.values["value"]}
    return {n: v for n, v in given.values.items() if n in ("value", "flux")}


@dataclass(frozen=True)
class Terminal:
    """An edge at one potential that is solved for, by laws. current : A that it carries in; load : S
    between it and `beyond` (V); rate : 1/s of what cells hold that it carries in; power : W that it
    brings in against `beyond`; cycles : the voltages it turns at, the low one and the high one.
    """

    current: Any = field(default_factory=lambda: Number(0.0))
    load: Any = field(default_factory=lambda: Number(0.0))
    beyond: Any = field(default_factory=lambda: Number(0.0))
    rate: Any = field(default_factory=lambda: Number(0.0))
    power: Any = field(default_factory=lambda: Number(0.0))
    cycles: tuple[float, float] | None = None

    @property
    def laws(self) -> tuple[Any, ...]:
        return self.current, self.load, self.beyond, self.rate, self.power


def _terminal(given: Given) -> Terminal:
    v = given.values
    if given.kind == "through a load":
        return Terminal(load=Of(v["load"], lambda ohm: 1.0 / ohm), beyond=v["value"])
    if given.kind == "at a rate":
        return Terminal(rate=v["rate"])
    if given.kind == "at a power":
        return Terminal(power=v["power"], beyond=v["value"])
    if given.kind == "cycled":
        return Terminal(v["current"], cycles=(float(v["low"]), float(v["high"])))
    return Terminal(v["current"]) if given.kind == "carries" else Terminal()


class Conductor:
    """Coefficients of one conductor. there : cells it fills. terminals : edges (numbers) at one
    potential that is solved for. coated : legs behind which a surface stands. swept : legs of edges
    that are swept, and their sweeps.
    """

    def __init__(
        self, problem: Problem, name: str, settings: Mapping[str, Any], coated: frozenset[str]
    ) -> None:
        mesh = self.mesh = problem.mesh
        self.name = name
        zones = problem.zone_conditions(name)
        laws = []
        for own, here in (("conductivity", "along"), ("conductivity_y", "across")):
            base = settings.get(own) or settings["conductivity"]
            others = {
                zone: None if given.kind == "not here" else _in_zone(mesh, given, here)
                for zone, given in zones.items()
                if given.kind != "conducts"
            }
            laws.append(_Conducts(mesh, base, others))
        self.there = mesh.live[0].copy()
        for zone, given in zones.items():
            if given.kind == "not here":
                self.there &= ~mesh.zone_cells(zone)[0]
        words = name.replace("_", " ")
        called = f"{name}_potential"
        what = Carried(
            name, words, f"{name}.potential", laws[0], laws[1], unit="V", amount="C", called=called
        )
        self.unknown = Unknown(_Told(problem, coated), what)
        self.edges = problem.edge_conditions(name)
        self.terminals = {
            k: _terminal(self.edges[edge])
            for k, edge in enumerate(mesh.edges)
            if self.edges[edge].kind in JOINED and (self.legs.edge == k).any()
        }
        self.swept = [
            (self.legs.edge == k, sweep_of(self.edges[edge].values))
            for k, edge in enumerate(mesh.edges)
            if self.edges[edge].kind == "swept"
        ]
        self.coated = np.isin(self.legs.edge, [mesh.edge_index(edge) for edge in coated])

    @property
    def legs(self) -> Any:
        return self.unknown.legs

    def set_values(self, state: State, known: Mapping[str, Any]) -> None:
        """Evaluate laws and edges at the state's time."""
        self.unknown.set_values(state, known)
        for mine, sweep in self.swept:
            self.unknown.held[mine] = sweep.at(Place(t=state.time))


def _in_zone(mesh: Mesh, given: Given, here: str) -> Any:
    """What conducts in a zone; a foil as if it filled the depth of the sheet."""
    law = _first(given.values, here, "along")
    if given.kind != "a foil":
        return law
    share = float(given.values["thickness"]) / mesh.grid.depth
    return Of(law, lambda along: along * share)


def _first(values: Mapping[str, Any], *names: str) -> Any:
    """The first of several values that is given."""
    return next(values[n] for n in names if values.get(n) is not None)
