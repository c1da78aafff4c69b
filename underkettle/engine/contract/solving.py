"""How a phenomenon is solved: what its solver sees, gives and books."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol, runtime_checkable

import numpy as np

from underkettle.engine.contract.offers import AnyOffer, Offer, Provides, spoken
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.quantities import NOWHERE, Place

Array = np.ndarray
MOST_PARTS = 10_000  # steps of its own that a phenomenon may take within one of the march


@dataclass(frozen=True)
class Need:
    """What must (or may) be offered by another phenomenon; see `offers` for kinds, and for what
    they are of.
    """

    kind: type[Offer]
    of: str = ""
    at: Literal["old", "new"] = "new"
    optional: bool = False

    @property
    def says(self) -> str:
        return spoken(self.kind, self.of)


@dataclass
class Work:
    """What a step cost and how far it was from converged.

    `whole` : the sweep solved everything at once, so that each one is worth a look at the readouts.
    `before` : the residual a sweep began with, where it tells; what others have changed since.
    `note` : what may have made the residual rise, in words. `way` : how it went towards rest.
    `parts` : steps of its own that it took within this one, where it keeps its own pace.
    """

    iterations: int = 0
    residuals: dict[str, float] = field(default_factory=dict)
    whole: bool = False
    before: float = 0.0
    note: str = ""
    way: str = ""
    parts: int = 1


# what an amount over a step is per second, where that has a name of its own
_PER_SECOND = {"J": "W", "C": "A", "C s": "C", "N m s": "N m", "m3 s": "m3"}


class StepFailed(Exception):
    """The step must be taken back: which field, where (m) and why. is_final : no shorter one helps."""

    def __init__(self, field: str, place: str, reason: str, is_final: bool = False) -> None:
        super().__init__(f"{field} at {place}: {reason}")
        self.field, self.place, self.reason, self.is_final = field, place, reason, is_final


def not_at_rest(field: str) -> StepFailed:
    """What says that a field goes with an interface, which has no rest to be brought to."""
    return StepFailed(
        field,
        "the whole vessel",
        "an interface is followed through time: let a stage be transient",
        is_final=True,
    )


def own_steps(t0: float, t1: float, longest: float) -> list[tuple[float, float]]:
    """From t0 to t1 in equal steps of at most `longest` (s): the own pace of one that asks for no
    shorter step of the march. Each is (from, to); the last ends at t1 exactly.
    """
    count = max(1, math.ceil((t1 - t0) / longest * (1 - 1e-12))) if longest > 0 else 1
    if count > MOST_PARTS:
        raise StepFailed(
            "its own pace", "the whole vessel", f"{count} steps of its own within one are too many"
        )
    ends = [t0 + (t1 - t0) * k / count for k in range(1, count)] + [t1]
    return list(zip([t0, *ends[:-1]], ends, strict=True))


@dataclass
class Budget:
    """A conserved quantity over one step (amounts), or per second in a steady solve.

    made : by what the case says of it. given : by other phenomena, under their names; negative
    where they take. began : the amount present when its first step began; 0 of rates, and where it
    is not told. moved : what went from place to place within, for scale. leaves : what leaves
    through each edge per s at the end of the step, where it is known better than by the mean over
    the step.
    """

    unit: str
    inflow: dict[str, float] = field(default_factory=dict)
    outflow: dict[str, float] = field(default_factory=dict)
    made: float = 0.0
    stored: float = 0.0
    held: float = 0.0  # the amount present, for scale where hardly anything moves
    label: str = ""
    given: dict[str, float] = field(default_factory=dict)
    began: float = 0.0
    leaves: dict[str, float] = field(default_factory=dict)
    moved: float = 0.0

    def give(self, giver: str, amount: float) -> None:
        """Book what another phenomenon gives."""
        self.given[giver] = self.given.get(giver, 0.0) + amount

    def cross(self, edge: str, outward: float) -> None:
        """Book what crosses an edge; positive leaves."""
        book = self.outflow if outward >= 0 else self.inflow
        book[edge] = book.get(edge, 0.0) + abs(outward)

    @property
    def gap(self) -> float:
        came = sum(self.inflow.values()) + self.made + sum(self.given.values())
        return came - sum(self.outflow.values()) - self.stored

    @property
    def relative(self) -> float:
        """The gap over the largest of what moved, or a thousandth of what is held; 0 for nothing."""
        scale = max(
            sum(self.inflow.values()),
            sum(self.outflow.values()),
            abs(self.made),
            *map(abs, self.given.values()),
            abs(self.stored),
            self.moved,
            1e-3 * abs(self.held),
        )
        return abs(self.gap) / scale if scale > 0 else 0.0

    def per(self, span: float) -> Budget:
        """The same as rates over `span` (s)."""
        unit = _PER_SECOND.get(self.unit, f"{self.unit}/s")
        return Budget(
            unit,
            {e: v / span for e, v in self.inflow.items()},
            {e: v / span for e, v in self.outflow.items()},
            self.made / span,
            self.stored / span,
            self.held / span,
            self.label,
            {g: v / span for g, v in self.given.items()},
            moved=self.moved / span,
        )

    def plain(self) -> dict[str, Any]:
        """As it is kept in the state: `Budget(**plain)` is the same again."""
        return {
            **vars(self),
            "inflow": dict(self.inflow),
            "outflow": dict(self.outflow),
            "given": dict(self.given),
            "leaves": dict(self.leaves),
        }

    def rates(self, span: float) -> dict[str, float]:
        """What leaves through each edge per second; negative enters."""
        if self.leaves:
            return dict(self.leaves)
        edges = {*self.inflow, *self.outflow}
        return {e: (self.outflow.get(e, 0.0) - self.inflow.get(e, 0.0)) / span for e in edges}

    def add(self, other: Budget) -> None:
        for mine, more in (
            (self.inflow, other.inflow),
            (self.outflow, other.outflow),
            (self.given, other.given),
        ):
            for edge, value in more.items():
                mine[edge] = mine.get(edge, 0.0) + value
        self.leaves = dict(other.leaves)
        self.moved += other.moved
        self.made += other.made
        self.stored += other.stored
        self.held = max(self.held, other.held)


class Inputs(Protocol):
    """What the other phenomena offer in this step."""

    def get(self, kind: type[AnyOffer], of: str = "") -> AnyOffer | None:
        """The offer (the sum of those that add up), or None when nobody makes it."""

    def each(self, kind: type[AnyOffer], of: str = "") -> Mapping[str, AnyOffer]:
        """What every giver offers by itself, so that it can be booked under its name."""


class Solver(Protocol):
    """Solves one phenomenon on one mesh. All that evolves lives in the State."""

    @property
    def mesh(self) -> Mesh: ...

    def start(self, state: State) -> None:
        """Create this phenomenon's arrays and fill them with the starting values."""

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        """The longest step (s) it can take now, and the reason in words; infinite for one that
        takes steps of its own within (`own_steps`).
        """

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        """Go from t0 to t1. Raises StepFailed; the march restores the state."""

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep towards the steady state (or the present value of a series)."""

    def offer(self, what: Provides, state: State) -> Offer | None:
        """One of those its phenomenon says that it provides; None where it has none now."""

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        """Budgets of the last step; with t0 == t1, rates per second of the steady state."""

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """Each declared term of a member's equation over its control volume, and "residual", their
        sum.
        """

    def limits(self) -> dict[str, tuple[float, float]]:
        """State arrays with the bounds outside which the step has failed."""


@runtime_checkable
class Follows(Protocol):
    """A solver that takes over what others hold at the start, once all have started."""

    def ready(self, state: State, inputs: Inputs) -> None: ...


@runtime_checkable
class Couples(Protocol):
    """A solver that can be brought to rest by Newton's method, with others or alone.

    Vectors hold one number for each of its unknowns. An imbalance is weighted so that its length
    compares with that of others: about what a time that matters would change, over what is there.
    One that a stream carries may tell in `quick` how fast that passes cells (1/s).
    """

    residual: float  # of the imbalance looked at last, as the log tells it
    couples: bool  # whether it can in this case
    loose: bool  # whether it must not be judged by, since what must close does not yet

    def approach(self, state: State, inputs: Inputs, fresh: bool) -> None:
        """Before a step. fresh : the first one from where the state stands."""

    def first_rate(self, state: State) -> float:
        """The mass term (1/s) of a first step that is sure to help."""

    def slow(self, state: State) -> float:
        """One over the time (s) that matters here; 0 for one that leaves this to others."""

    def linearise(self, state: State, inputs: Inputs, rate: float) -> None:
        """Take over the state, with a mass term (1/s)."""

    def imbalance(self, state: State, inputs: Inputs) -> Array:
        """What is out of balance, with what others are now."""

    def apply(self, change: Array) -> Array:
        """By how much that falls where its own unknowns change."""

    def precondition(self, left: Array) -> Array:
        """About the change that takes it away."""

    def change(self, state: State, by: Array, part: float) -> None:
        """Change its unknowns by a part of `by`, and what others read of them."""

    def reach(self, by: Array) -> float:
        """The largest change, over what its unknowns are like."""

    def arrived(self, state: State, inputs: Inputs) -> str:
        """After a step that was taken: what may have made the residual rise, in words."""

    def conclude(self, state: State, inputs: Inputs) -> None:
        """Once all have settled: leave nothing that does not balance."""


@dataclass(frozen=True)
class Ties:
    """How what is given of each quantity rises with all of them, where it is given.

    names : of the quantities. rises : amount/s per unit of each one's value, and last per kelvin, of
    each (n, n + 1, ny + 3, nx + 3).
    """

    names: tuple[str, ...]
    rises: Array


@runtime_checkable
class Binds(Protocol):
    """A solver that solves for nothing and ties those it gives to so tightly to each other that they
    are brought to rest at once, in turn with the stream that carries them.
    """

    def ties(self, state: State, inputs: Inputs) -> Ties: ...


@runtime_checkable
class Bound(Protocol):
    """One of `Couples` that can be told how tightly its unknowns are tied."""

    def bind(self, ties: Ties | None) -> None:
        """Take over what ties them as they are now; None for nothing."""


@runtime_checkable
class GoesOn(Protocol):
    """A solver that can begin from what was found on another grid, or under other conditions."""

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Take over what `kept` holds of this phenomenon on that mesh."""


@dataclass(frozen=True)
class AtWalls:
    """Where walls are felt: place (m), edge (number), area (m2), flux into the vessel (SI per m2),
    the value at the wall, what conducts there (amount/(s m) per unit of value), and the axis along
    which it is felt: 0 or 1; -1 where the flux is that straight through the wall; 2 in cells whose
    middle the wall has covered, which only follow it.
    """

    x: Array
    y: Array
    edge: Array
    area: Array
    flux: Array
    value: Array
    conducts: Array
    axis: Array


class TellsWalls(Protocol):
    """A solver whose phenomenon declares `wall_quantities`."""

    def at_walls(self, quantity: str, state: State, inputs: Inputs) -> AtWalls: ...


@dataclass(frozen=True)
class Crossing:
    """What of a conserved quantity passes the grid's faces, amount per s, (ny + 3, nx + 3) each.

    x, y : through the west and south face of each cell, positive along the axis. gained : what each
    cell gets from edges, walls and sources.
    """

    x: Array
    y: Array
    gained: Array


@runtime_checkable
class TellsFaces(Protocol):
    """A solver that tells what passes the grid's faces, for the balance of any box."""

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing: ...


class Problem(Protocol):
    """A phenomenon's view of the case when its solver is built. Values are in SI."""

    @property
    def mesh(self) -> Mesh:
        """What the phenomenon lives on: without blocked zones unless it lives in solids too."""

    @property
    def whole(self) -> Mesh:
        """The whole vessel, blocked zones included, on the same grid."""

    def settings(self) -> Mapping[str, Any]: ...

    def known(
        self, state: State, names: Iterable[str], when: Literal["old", "new"] = "old"
    ) -> Mapping[str, Any]:
        """Solved fields, (ny + 3, nx + 3) with closed cells filled from the nearest open one, and
        readouts, by name and in SI: what laws are evaluated with. "old" : as they were when the
        step began, whoever has gone on since; "new" : as they are.
        """

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        """The condition in force on every edge."""

    def zone_conditions(self, member: str = "") -> Mapping[str, Given]: ...

    def start_conditions(self, member: str = "") -> Mapping[str, Given]: ...

    def repeat_conditions(self, member: str = "") -> Mapping[int, Given]:
        """By axis, where the vessel repeats along it."""

    def divide_conditions(self, member: str = "") -> Mapping[str, Given]:
        """On thin screens and where two open zones meet: `mesh.divide(place)` has their faces."""

    def state_name(self, array: str) -> str: ...

    def called(self, quantity: str) -> Sequence[str]:
        """Names under which others may give to a quantity of this phenomenon."""


class Retold:
    """A problem of which some answers are told otherwise, by methods of what derives from this."""

    def __init__(self, problem: Problem) -> None:
        self._problem = problem

    def __getattr__(self, name: str) -> Any:
        return getattr(self._problem, name)


@dataclass(frozen=True)
class Given:
    """A condition in force, with values that can be evaluated."""

    kind: str
    values: Mapping[str, Any]  # a Quantity for formulas, else the plain value
    through: str = ""  # "in" or "out" where a stream passes by this condition

    def has(self, name: str) -> bool:
        return name in self.values


class Quantity(Protocol):
    """A number, a formula of x, y, t and what is solved, or a table in time, in SI."""

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        """Value at a place and its time, given what it `reads`."""

    @property
    def steady(self) -> bool:
        """Whether it is free of t and of what is solved."""

    @property
    def reads(self) -> frozenset[str]:
        """Names of the solved fields and readouts it follows."""
