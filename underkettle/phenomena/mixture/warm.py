"""The mixture's own heat: enthalpy with formation included, asked for as temperatures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from underkettle.engine.contract import Given, Problem, Retold
from underkettle.engine.contract.carried import WARMED
from underkettle.matter.gases import Blend
from underkettle.phenomena.mixture.gases import ENTHALPY, HEAT, NAMES, TEMPERATURE
from underkettle.quantities import NOWHERE, Place

Array = np.ndarray

KIND = "own heat"
CAPACITY = f"mixture.{NAMES['heat capacity']}"
LEAST = 1e-3  # K, by which two temperatures must differ for a capacity between them

# what a component may do bears some of the names already
_CALLED = {
    "film": "heat film",
    "carried in": "enters warm",
    "carried out": "leaves warm",
    "nothing made": "none made",
    "made": "heat made",
    "start": "warm at the start",
}
CONDITIONS = tuple(replace(c, name=_CALLED.get(c.name, c.name), kinds=(KIND,)) for c in WARMED)


@dataclass(frozen=True)
class Held:
    """What is held (J/kg) at a temperature by a make-up: laws of the components' shares, or the names
    of fields that tell them.
    """

    blend: Blend
    temperature: Any
    shares: tuple[Any, ...]

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        known = known or {}
        parts = [
            np.asarray(known[s] if isinstance(s, str) else s.at(place, known)) for s in self.shares
        ]
        parts.append(np.asarray(1.0 - sum(parts)))
        return self.blend.enthalpy(parts, np.asarray(self.temperature.at(place, known)))[0]

    @property
    def steady(self) -> bool:
        return bool(self.temperature.steady) and all(
            not isinstance(s, str) and s.steady for s in self.shares
        )

    @property
    def reads(self) -> frozenset[str]:
        own = ({s} if isinstance(s, str) else s.reads for s in self.shares)
        return frozenset(self.temperature.reads).union(*own)


@dataclass(frozen=True)
class Film:
    """A film (kg/(m2 s)) to what is held in the surroundings: what it lets through per kelvin, over
    what the gas takes from one temperature to the other.
    """

    film: Any
    ambient: Any
    held: Held
    steady = False

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        known = known or {}
        film, beyond = self.film.at(place, known), self.ambient.at(place, known)
        warmer = beyond - known[f"mixture.{TEMPERATURE}"]
        more = self.held.at(place, known) - known[f"mixture.{ENTHALPY}"]
        apart = np.abs(warmer) > LEAST
        capacity = np.where(apart, more / np.where(apart, warmer, 1.0), known[CAPACITY])
        return film / capacity

    @property
    def reads(self) -> frozenset[str]:
        own = {CAPACITY, f"mixture.{TEMPERATURE}", f"mixture.{ENTHALPY}"}
        return frozenset(own).union(self.film.reads, self.ambient.reads, self.held.reads)


class AsEnthalpy(Retold):
    """The problem, where temperatures of the mixture's heat are told as what is held at them."""

    def __init__(self, problem: Problem, blend: Blend, names: Sequence[str]) -> None:
        super().__init__(problem)
        self._blend, self._names = blend, names

    def _held(self, law: Any, of: Mapping[str, Given | None]) -> Held:
        """By what is brought or held of each component there, else by what the gas is."""
        shares = (
            given.values["value"]
            if given is not None and given.has("value") and not given.has("film")
            else f"mixture.{name}"
            for name, given in of.items()
        )
        return Held(self._blend, law, tuple(shares))

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        own = self._problem.edge_conditions(member)
        if member != HEAT:
            return own
        others = {n: self._problem.edge_conditions(n) for n in self._names}
        found = {}
        for edge, given in own.items():
            values = dict(given.values)
            if given.has("film"):
                values["ambient"] = self._held(values["ambient"], dict.fromkeys(self._names))
                values["film"] = Film(values["film"], given.values["ambient"], values["ambient"])
            elif given.has("value"):
                of = {n: others[n].get(edge) for n in self._names}
                values["value"] = self._held(values["value"], of)
            found[edge] = Given(given.kind, values, given.through)
        return found

    def start_conditions(self, member: str = "") -> Mapping[str, Given]:
        own = self._problem.start_conditions(member)
        if member != HEAT:
            return own
        others = {n: self._problem.start_conditions(n) for n in self._names}
        return {
            zone: Given(
                given.kind,
                {
                    "value": self._held(
                        given.values["value"], {n: others[n].get(zone) for n in self._names}
                    )
                },
            )
            for zone, given in own.items()
        }
