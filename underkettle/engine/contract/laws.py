"""What spreads by mass: a law times a density, or a field that tells it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

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
