"""What reading sees of a case: no more than it needs, so that nothing here knows how one is made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import numpy as np

from underkettle.case.naming import Balanced, Named
from underkettle.engine.contract import (
    AtWalls,
    Crossing,
    Facts,
    Field,
    Listing,
    Offer,
    On,
    Phenomenon,
    Solver,
)
from underkettle.engine.marching.order import Meeting
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Grid, Mesh, Outline
from underkettle.quantities import Dimension


class Asked(Protocol):
    """A readout's entries as typed; what is not given is None, and what a kind needs is looked for
    before it is read.
    """

    @property
    def kind(self) -> str: ...
    @property
    def field(self) -> Any: ...
    @property
    def quantity(self) -> Any: ...
    @property
    def place(self) -> Any: ...
    @property
    def to(self) -> Any: ...
    @property
    def box(self) -> Sequence[Any] | None: ...
    @property
    def line(self) -> Sequence[Any] | None: ...
    @property
    def arc(self) -> Sequence[Any] | None: ...
    @property
    def formula(self) -> Any: ...
    @property
    def of(self) -> Any: ...
    @property
    def tells(self) -> str | None: ...
    @property
    def listing(self) -> Any: ...
    @property
    def entry(self) -> Any: ...
    @property
    def sums(self) -> str: ...
    @property
    def only(self) -> Any: ...
    @property
    def since(self) -> Any: ...
    @property
    def tracer(self) -> str: ...
    @property
    def x(self) -> Any: ...
    @property
    def y(self) -> Any: ...
    @property
    def reference(self) -> Any: ...
    @property
    def length(self) -> Any: ...
    @property
    def weight(self) -> str: ...
    @property
    def counts(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def unit(self) -> str: ...


class Staged(Protocol):
    """A stage as typed."""

    @property
    def mode(self) -> str: ...


class Written(Protocol):
    """What stands in the case file, as far as it is read from."""

    @property
    def readouts(self) -> Mapping[str, Asked]: ...
    @property
    def stages(self) -> Mapping[str, Staged]: ...


class Parameters(Protocol):
    @property
    def values(self) -> Mapping[str, float]: ...
    @property
    def dimensions(self) -> Mapping[str, Dimension]: ...


class Told(Protocol):
    """Dimensions of readouts, as far as they can be told."""

    @property
    def readouts(self) -> Mapping[str, Dimension]: ...


class Seen(Protocol):
    """A case, as what reads from it sees it."""

    @property
    def model(self) -> Written: ...
    @property
    def names(self) -> Parameters: ...
    @property
    def dimensions(self) -> Told: ...
    @property
    def phenomena(self) -> Mapping[str, Phenomenon]: ...
    @property
    def settings(self) -> Mapping[str, Mapping[str, Any]]: ...
    @property
    def meetings(self) -> Mapping[str, Meeting]: ...
    @property
    def edges(self) -> Sequence[str]: ...
    @property
    def zone_faces(self) -> Sequence[str]: ...
    @property
    def zones(self) -> Sequence[str]: ...
    @property
    def grid(self) -> Grid: ...
    @property
    def mesh(self) -> Mesh: ...
    @property
    def edge_fields(self) -> Named[tuple[str, Field]]: ...
    @property
    def quantities(self) -> Named[Balanced]: ...
    @property
    def listings(self) -> Named[Listing]: ...
    @property
    def facts(self) -> Facts: ...

    def fields(self) -> Named[tuple[str, Field]]: ...

    def field(self, name: str) -> tuple[Field, Mesh]: ...

    def mesh_of(self, phenomenon: str) -> Mesh: ...

    def places(self, on: On) -> Sequence[str]: ...

    def outline_of(self, edge: str) -> Outline: ...

    def makers(self, kind: type[Offer], of: str | None = None) -> Sequence[str]: ...

    def number(self, text: Any, dimension: str, where: str) -> float: ...

    def readout_unit(self, name: str, dimension: str) -> str: ...

    def reader(self, phenomenon: str) -> Solver:
        """A solver that only tells what a state means."""

    @property
    def porosity(self) -> np.ndarray | None:
        """Share of each cell (ny, nx) that porous matter leaves open; None where there is none."""

    @property
    def permeability(self) -> tuple[float, float] | None:
        """Of porous matter along x and y (m2), on average over where it stands; None without any."""

    def at_walls(self, quantity: str, state: State) -> AtWalls:
        """What is felt at walls of a quantity that its owner tells there."""

    def crossing(self, quantity: str, state: State) -> Crossing | None:
        """What of a balanced quantity passes the grid's faces; None where nobody tells."""
