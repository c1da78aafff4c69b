"""What a kind of readout is: what it needs, measures and comes to. Each kind has a file of its own.

A module of this package with a `KINDS` tuple adds its kinds everywhere: to the case format, to what
is checked, to the page's list.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.quantities import Dimension, dimension_of
from underkettle.reading.seen import Asked, Seen

Array = np.ndarray


@dataclass(frozen=True)
class Look:
    """One readout to be read: the case, its entries, a state, and other things read from it.

    values(field) : (ny, nx) in SI, NaN where closed. readout(name) : another one, in SI.
    """

    case: Seen
    name: str
    model: Asked
    state: State
    values: Callable[[str], Array]
    readout: Callable[[str], float | None]

    @property
    def field(self) -> Array:
        return self.values(self.model.field)

    @property
    def mesh(self) -> Any:
        return self.case.field(self.model.field)[1]

    def where(self, entry: str) -> str:
        return f"readouts / {self.name} / {entry}"


class ReadoutKind(ABC):
    """One kind. needs : entries that must be given. asks : lists and values that the page asks for,
    in order, where not those needed. spans : shapes it may be told over instead of a place.
    edges, zones, divides : whether places are edges, zones, or have two sides: screens, and where
    zones meet. of_field, of_listing : it follows from one field, or from what is followed one by one.
    """

    name = ""
    says = ""
    sentence = ""  # with what it asks for in braces; a part between commas goes where it is empty
    needs: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    spans: tuple[str, ...] = ()
    edges, zones, divides = True, True, False
    of_field, of_listing = True, False
    nothing = "nothing to read yet"

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        """Of a readout as typed; None where it names what is not there, or cannot be told so."""
        return dimension_of(fields[model.field].dimension) if model.field in fields else None

    def fields(self, case: Seen) -> Any:
        """Those it may name, by name."""
        return case.fields()

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        """What keeps it from being read beyond what is missing or not there; "" when nothing."""
        return ""

    @abstractmethod
    def value(self, look: Look) -> float | None:
        """In SI; None where there is nothing to read yet."""
