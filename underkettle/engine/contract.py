"""What a phenomenon declares, and how phenomena meet.

One declaration serves schema, ledger, cards, audit, balances, paper checks, equations and the run.
Phenomena meet through capabilities, never by name; the order of solving follows from a graph.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol, runtime_checkable

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh

Array = np.ndarray

# ---------------------------------------------------------------- what can be typed


@dataclass(frozen=True)
class Param:
    """A value the modeller gives. `dimension` is a name such as "speed"; see `quantities`.

    A `law` may follow what is solved: its "old" values, from before the step, or the "new" ones.
    """

    name: str
    dimension: str = "number"
    kind: Literal["quantity", "formula", "choice", "flag", "count", "text"] = "quantity"
    default: str | float | bool | None = None  # None: must be given, unless `optional`
    why: str = ""  # the reason behind the default
    label: str = ""  # as people say it; the name when empty
    choices: tuple[str, ...] = ()
    optional: bool = False
    live: bool = False  # may change while a run is paused
    above: float | None = None  # value must be greater (SI)
    least: float | None = None  # value must not be smaller (SI)
    law: Literal["", "old", "new"] = ""  # a formula that may name solved fields and readouts
    symbol: str = ""  # as the phenomenon's equation writes it

    @property
    def says(self) -> str:
        return self.label or self.name


@dataclass(frozen=True)
class Condition:
    """One thing an edge, a zone, the start or a direction that repeats can do for a phenomenon or
    member.

    `phrase` is how the ledger says it: "{speed} in", with the typed values filled in.
    `through` marks edges that let the stream in or out, `carries` what travels along with it.
    `one_of` names params of which exactly one must be given.
    """

    name: str
    on: Literal["edge", "zone", "start", "repeat"]
    phrase: str
    params: tuple[Param, ...] = ()
    label: str = ""
    through: Literal["", "in", "out"] = ""
    carries: Literal["", "in", "out"] = ""  # travels with a stream that passes there
    one_of: tuple[str, ...] = ()
    slips: bool = False  # an edge that drags nothing along
    blocks: bool = False  # a zone no stream passes: it is cut out of what lives in the stream
    drawn: Literal["", "mirror", "open"] = ""  # how the sheet shows it, where not as what passes
    tex: str | Mapping[str, str] = ""  # as mathematics, <name> standing for a value; by the param
    # that is given, where one of several may be

    @property
    def says(self) -> str:
        return self.label or self.name


@dataclass(frozen=True)
class Field:
    """A field that can be seen. `arrays` names the state arrays it is made of.

    where "cell": one array. where "face": two arrays, x and y faces, shown as a vector.
    `derive` makes it from other state arrays instead: (mesh, state) -> cell array.
    where "edge": one number per edge of the mesh, always derived; NaN where it cannot be told.
    `chief` marks what its phenomenon is about: the picture shown when nobody has chosen one.
    `component` says of which vector it is the part along which axis: ("velocity", 0).
    """

    name: str
    symbol: str
    dimension: str
    where: Literal["cell", "face", "parcel", "edge"] = "cell"
    arrays: tuple[str, ...] = ()
    label: str = ""
    kept: bool = True
    centred: bool = False  # shown on a scale centred on zero
    chief: bool = False
    component: tuple[str, int] | None = None
    derive: Callable[[Mesh, State], Array] | None = None

    @property
    def says(self) -> str:
        return self.label or self.name


@dataclass(frozen=True)
class Member:
    """One of several of a kind; each gets its own ledger column."""

    id: str
    label: str
    summary: str = ""


@dataclass(frozen=True)
class Term:
    """A named term of an equation: `tex` typeset, `says` in words. With a `dimension` (of what the
    solver's `terms` give) it can be kept as a field.
    """

    name: str
    tex: str
    says: str
    dimension: str = ""


# ---------------------------------------------------------------- defaults


@dataclass(frozen=True)
class Assumed:
    """A default condition and why it is a fair one here."""

    kind: str
    why: str
    values: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Missing:
    """Something must be given here, and why."""

    why: str


@dataclass(frozen=True)
class Absent:
    """The question does not arise here."""


Default = Assumed | Missing | Absent

# ---------------------------------------------------------------- facts, audit, paper


class Facts(Protocol):
    """What audit rules, paper checks and defaults may ask about a case."""

    @property
    def mesh(self) -> Mesh: ...

    def settings(self, phenomenon: str) -> Mapping[str, Any]:
        """Settings with numbers in SI; members under "members". Laws as they are at the start."""

    def law(self, phenomenon: str, setting: str) -> frozenset[str]:
        """Names of solved fields and readouts that a setting follows."""

    def blocked(self, zone: str) -> bool: ...

    def active(self, phenomenon: str) -> bool: ...

    def edges(self) -> Sequence[str]: ...

    def nozzles(self) -> Sequence[str]: ...

    def repeats(self) -> Sequence[str]:
        """Directions in which the vessel goes on and on, as places."""

    def zones(self) -> Sequence[str]: ...

    def edge_label(self, edge: str) -> str: ...

    def kind(self, place: str, column: str) -> str:
        """The kind of the condition in force, "" where none is."""

    def assumed(self, place: str, column: str) -> bool: ...

    def values(self, place: str, column: str) -> Mapping[str, Any]:
        """Its values in SI (numbers; formulas are given as their mean over the edge)."""

    def edge_length(self, edge: str) -> float: ...

    def edge_bounds(self, edge: str) -> tuple[float, float, float, float]: ...

    def edge_area(self, edge: str) -> float: ...

    def depth(self) -> float: ...

    def round(self) -> bool: ...

    def on_axis(self, edge: str) -> bool: ...

    def slips(self, edge: str) -> bool: ...

    def stream(self, edge: str) -> float | None:
        """Volume flow (m3/s) let in through an edge, negative if out; None if not given."""
        ...

    def section(self, low: float, high: float) -> float: ...

    def modes(self, phenomenon: str) -> Sequence[str]:
        """Modes of the stages that solve it: "steady", "transient", "series"."""

    def until(self, phenomenon: str) -> float | None: ...

    def weight(self) -> tuple[float, float, float] | None:
        """Gravity along x and y (m/s2) and thermal expansion (1/K), where weight drives anything.
        """
        ...

    def readouts(self) -> Mapping[str, Any]: ...

    def measure(self, text: Any, dimension: str) -> float: ...


@dataclass(frozen=True)
class Finding:
    """One audit result. `cure` is a list of edits (path, value) that would mend it."""

    grade: Literal["stops", "contradiction", "doubt"]
    sentence: str
    reason: str = ""
    place: str = ""
    column: str = ""
    cure: tuple[tuple[str, Any], ...] = ()
    cure_label: str = ""
    rule: str = ""  # which rule found it, set by the audit
    settled: str = ""  # why a doubt may stand, as the modeller said

    @property
    def key(self) -> str:
        """What a doubt is settled under."""
        return " / ".join(p for p in (self.rule, self.place, self.column) if p)


@dataclass(frozen=True)
class AuditRule:
    name: str
    check: Callable[[Facts], Iterable[Finding]]


@dataclass(frozen=True)
class Estimate:
    """A hand estimate: value in SI, whether the case lies inside the relation's range; a regime
    number's verdict where it depends on more than the number.
    """

    value: float
    inside: bool = True
    note: str = ""
    verdict: str = ""


@dataclass(frozen=True)
class Paper:
    """A hand relation. `readout` says which readouts it speaks to; None makes it a regime number.

    `compute(facts, readout)` returns None when it does not apply.
    """

    name: str
    tex: str
    source: str
    range: str
    dimension: str
    compute: Callable[[Facts, Any], Estimate | None]
    regime: str = ""  # short symbol, for regime numbers: "Re"
    verdict: Callable[[float], str] | None = None


# ---------------------------------------------------------------- solving


@dataclass(frozen=True)
class Need:
    """A capability that must (or may) be offered by another phenomenon."""

    capability: str
    at: Literal["old", "new"] = "new"
    optional: bool = False


@dataclass
class Work:
    """What a step cost and how far it was from converged.

    `whole` : the sweep solved everything at once, so that each one is worth a look at the readouts.
    `before` : the residual a sweep began with, where it tells; what others have changed since.
    `note` : what may have made the residual rise, in words.
    """

    iterations: int = 0
    residuals: dict[str, float] = field(default_factory=dict)
    whole: bool = False
    before: float = 0.0
    note: str = ""


@dataclass(frozen=True)
class StepFailed(Exception):
    """The step must be taken back: which field, where (m) and why."""

    field: str
    place: str
    reason: str

    def __str__(self) -> str:
        return f"{self.field} at {self.place}: {self.reason}"


@dataclass
class Budget:
    """A conserved quantity over one step (amounts), or per second in a steady solve."""

    unit: str
    inflow: dict[str, float] = field(default_factory=dict)
    outflow: dict[str, float] = field(default_factory=dict)
    made: float = 0.0
    stored: float = 0.0
    held: float = 0.0  # the amount present, for scale where hardly anything moves
    label: str = ""

    def through(self, edge: str, outward: float) -> None:
        """Book what crosses an edge; positive leaves."""
        book = self.outflow if outward >= 0 else self.inflow
        book[edge] = book.get(edge, 0.0) + abs(outward)

    @property
    def gap(self) -> float:
        return sum(self.inflow.values()) + self.made - sum(self.outflow.values()) - self.stored

    @property
    def relative(self) -> float:
        """The gap over the largest of what moved, or a thousandth of what is held; 0 for nothing.
        """
        scale = max(sum(self.inflow.values()), sum(self.outflow.values()), abs(self.made),
                    abs(self.stored), 1e-3 * abs(self.held))
        return abs(self.gap) / scale if scale > 0 else 0.0

    def per(self, span: float) -> Budget:
        """The same as rates over `span` (s)."""
        unit = {"J": "W", "N m s": "N m"}.get(self.unit, f"{self.unit}/s")
        return Budget(unit, {e: v / span for e, v in self.inflow.items()},
                      {e: v / span for e, v in self.outflow.items()}, self.made / span,
                      self.stored / span, self.held / span, self.label)

    def rates(self, span: float) -> dict[str, float]:
        """What leaves through each edge per second; negative enters."""
        edges = {*self.inflow, *self.outflow}
        return {e: (self.outflow.get(e, 0.0) - self.inflow.get(e, 0.0)) / span for e in edges}

    def add(self, other: Budget) -> None:
        for mine, more in ((self.inflow, other.inflow), (self.outflow, other.outflow)):
            for edge, value in more.items():
                mine[edge] = mine.get(edge, 0.0) + value
        self.made += other.made
        self.stored += other.stored
        self.held = max(self.held, other.held)


class Inputs(Protocol):
    """What the other phenomena offer in this step."""

    def get(self, capability: str) -> Any:
        """The offer, or None when nobody makes it."""


class Solver(Protocol):
    """Solves one phenomenon on one mesh. All that evolves lives in the State."""

    def start(self, state: State) -> None:
        """Create this phenomenon's arrays and fill them with the starting values."""

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        """The longest step (s) it can take now, and the reason in words."""

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        """Go from t0 to t1. Raises StepFailed; the march restores the state."""

    def relax(self, state: State, inputs: Inputs) -> Work:
        """One sweep towards the steady state (or the present value of a series)."""

    def offer(self, capability: str, state: State) -> Any: ...

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

    def ready(self, state: State) -> None: ...


@dataclass(frozen=True)
class AtWalls:
    """Where walls are felt: place (m), edge (number), area (m2), flux into the vessel (SI per m2),
    the value at the wall, and what conducts there (amount/(s m) per unit of value).
    """

    x: Array
    y: Array
    edge: Array
    area: Array
    flux: Array
    value: Array
    conducts: Array


class TellsWalls(Protocol):
    """A solver whose phenomenon declares `wall_quantities`."""

    def at_walls(self, quantity: str, state: State) -> AtWalls: ...


class Problem(Protocol):
    """A phenomenon's view of the case when its solver is built. Values are in SI."""

    @property
    def mesh(self) -> Mesh:
        """What the phenomenon lives on: without blocked zones unless it lives in solids too."""

    @property
    def whole(self) -> Mesh:
        """The whole vessel, blocked zones included, on the same grid."""

    def settings(self) -> Mapping[str, Any]: ...

    def known(self, state: State, names: Iterable[str]) -> Mapping[str, Any]:
        """Solved fields, (ny + 3, nx + 3) with closed cells filled from the nearest open one, and
        readouts, by name and in SI: what laws are evaluated with.
        """

    def edge_conditions(self, member: str = "") -> Mapping[str, Given]:
        """The condition in force on every edge."""

    def zone_conditions(self, member: str = "") -> Mapping[str, Given]: ...

    def start_conditions(self, member: str = "") -> Mapping[str, Given]: ...

    def repeat_conditions(self, member: str = "") -> Mapping[int, Given]:
        """By axis, where the vessel repeats along it."""

    def state_name(self, array: str) -> str: ...


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

    def at(self, x: Any = 0.0, y: Any = 0.0, t: float = 0.0,
           known: Mapping[str, Any] | None = None) -> Any:
        """Value at positions (m; arrays broadcast) and time (s), given what it `reads`."""

    @property
    def steady(self) -> bool:
        """Whether it is free of t and of what is solved."""

    @property
    def reads(self) -> frozenset[str]:
        """Names of the solved fields and readouts it follows."""


class Phenomenon:
    """Base of every declaration: class attributes are the facts, methods pure functions."""

    name: str = ""
    label: str = ""
    summary: str = ""
    equation: str = ""  # tex
    source: str = ""
    settings: tuple[Param, ...] = ()
    member_settings: tuple[Param, ...] | None = None  # None: no members
    member_word: str = ""
    conditions: tuple[Condition, ...] = ()
    provides: tuple[str, ...] = ()
    needs: tuple[Need, ...] = ()
    audit: tuple[AuditRule, ...] = ()
    papers: tuple[Paper, ...] = ()
    terms: tuple[Term, ...] = ()
    balance_bound: float = 1e-6
    rate_scale: float = 1.0
    in_solids: bool = False  # whether it lives in zones that are blocked to the stream, too

    def members(self, settings: Mapping[str, Any]) -> list[Member]:
        """One per ledger column. A phenomenon without members has one column of its own."""
        if self.member_settings is None:
            return [Member("", self.label or self.name, self.summary)]
        return [
            Member(key, str(value.get("label") or key.replace("_", " ")), self.member_word)
            for key, value in settings.get("members", {}).items()
        ]

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        """Everything that evolves or can be seen."""
        raise LookupError(f"phenomenon '{self.name}' declares no fields")

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        """Conserved quantities it balances -> dimension of their flow ("mass flow")."""
        return {}

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        """Those of its quantities whose flux its solver can tell place by place on walls."""
        return []

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        """What holds where nothing is given."""
        raise LookupError(f"phenomenon '{self.name}' declares no defaults")

    def build(self, problem: Problem) -> Solver:
        raise LookupError(f"phenomenon '{self.name}' declares no solver")

    def steady_work(self, mesh: Mesh) -> tuple[int, float] | None:
        """Sweeps a steady stage takes about, and wall seconds of each, where it stands alone and
        does not march; measured on two shared cores.
        """
        return None

    def stream(self, kind: str, values: Mapping[str, Any], area: float,
               settings: Mapping[str, Any]) -> float | None:
        """Volume flow (m3/s) that a condition lets in through `area` (m2), negative if out; None
        where the condition does not say.
        """
        return None

    def condition(self, on: str, kind: str) -> Condition | None:
        for condition in self.conditions:
            if condition.on == on and condition.name == kind:
                return condition
        return None

    def kinds(self, on: str) -> list[str]:
        return [c.name for c in self.conditions if c.on == on]


def find_phenomena() -> dict[str, Phenomenon]:
    """Every phenomenon installed, by name, found through package entry points."""
    from importlib.metadata import entry_points

    found: dict[str, Phenomenon] = {}
    for entry in sorted(entry_points(group="underkettle.phenomena"), key=lambda e: e.name):
        declared = entry.load()
        phenomenon = declared() if isinstance(declared, type) else declared
        found[phenomenon.name] = phenomenon
    return found
