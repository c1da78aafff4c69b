"""Laws made of others: a number, one times a density, what is made of one, a field as it is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.engine.mesh import Mesh
from underkettle.quantities import NOWHERE, Place


@dataclass(frozen=True)
class Times:
    """A law times a number, or times the field `by` where fields are known."""

    law: Any
    factor: float
    by: str = ""

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        factor = known[self.by] if self.by and known else self.factor
        return factor * self.law.at(place, known)

    @property
    def steady(self) -> bool:
        return not self.by and bool(self.law.steady)

    @property
    def reads(self) -> frozenset[str]:
        return frozenset(self.law.reads) | ({self.by} if self.by else frozenset())


@dataclass(frozen=True)
class Of:
    """Something made of what a law says."""

    law: Any
    makes: Callable[[Any], Any]

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.makes(self.law.at(place, known))

    @property
    def steady(self) -> bool:
        return bool(self.law.steady)

    @property
    def reads(self) -> frozenset[str]:
        return frozenset(self.law.reads)


@dataclass(frozen=True)
class Number:
    """A law of nothing."""

    value: float
    steady = True
    reads: frozenset[str] = frozenset()

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.value


def beside(known: Mapping[str, Any], row: np.ndarray, column: np.ndarray) -> dict[str, Any]:
    """What is known in the cells next to places."""
    return {n: v[row, column] if isinstance(v, np.ndarray) else v for n, v in known.items()}


def where_it_begins(law: Any, mesh: Mesh, edge: int, t: float, known: Mapping[str, Any]) -> float:
    """A law's value where an edge (number) begins, for what counts for all of it, at a time (s)."""
    first = mesh.pieces.of(edge)[:1]
    at = mesh.pieces.j[first], mesh.pieces.i[first]
    return float(np.ravel(law.at(mesh.pieces.place(t)[first], beside(known, *at)))[0])


@dataclass(frozen=True)
class Told:
    """A field, as it is."""

    field: str
    steady = False

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        if known is None:
            raise LookupError(f"nobody tells {self.field} here")
        return known[self.field]

    @property
    def reads(self) -> frozenset[str]:
        return frozenset({self.field})
