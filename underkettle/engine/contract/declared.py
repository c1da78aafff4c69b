"""What a phenomenon declares: values, conditions, fields, members, terms, and what it assumes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.quantities import Place
from underkettle.quantities.curve import Curve
from underkettle.quantities.units import unit_of

Array = np.ndarray


On = Literal["edge", "zone", "start", "repeat", "screen", "between"]  # what a place may be
ParamKind = Literal[
    "quantity",
    "formula",
    "choice",
    "flag",
    "count",
    "text",
    "table",
    "list",
    "place",
    "file",
    "material",
    "gas",
]


@dataclass(frozen=True)
class Shown:
    """A picture of what is made of a setting, to be looked at before the run; what there is to say in
    words; and what is left of points beside the line.
    """

    curve: Curve
    says: tuple[str, ...] = ()
    off: Curve | None = None


@dataclass(frozen=True)
class Param:
    """A value the modeller gives. `dimension` is a name such as "speed"; see `quantities`.

    A `law` may follow what is solved: its "old" values, from before the step, or the "new" ones.
    A "formula" may also be a table in time, over a coordinate or over what a law may follow; with
    `over` it is a law of that one thing and of nothing else. A "table" has rows over `over`, a
    dimension; a "list" is several numbers; a "place" names an edge or a zone (`among`); a "file" is
    text that the case holds; a "material" is an entry of the library; a "gas" is told by its make-up
    in moles. `shows` makes a picture of it and the settings beside it (in SI), None where there is
    nothing to show; raises ValueError with what is wrong.
    """

    name: str
    dimension: str = "number"
    kind: ParamKind = "quantity"
    default: str | float | bool | None = None  # None: must be given, unless `optional`
    why: str = ""  # the reason behind the default
    label: str = ""  # as people say it; the name when empty
    choices: tuple[str, ...] = ()
    optional: bool = False
    live: bool = False  # may change while a run is paused
    above: float | None = None  # value must be greater (SI)
    least: float | None = None  # value must not be smaller (SI)
    most: float | None = None  # value must not be larger (SI)
    law: Literal["", "old", "new"] = ""  # a formula that may name solved fields and readouts
    symbol: str = ""  # as the phenomenon's equation writes it
    over: str = ""  # what a table goes over, as a dimension; the only thing a formula may follow
    among: Literal["", "edge", "zone"] = ""  # which places may be named
    shows: Callable[[Mapping[str, Any]], Shown | None] | None = None

    @property
    def blank(self) -> Any:
        """What stands where nothing has been typed yet: one of its unit, the first of its choices;
        "" where nobody can guess.
        """
        one = f"1 {unit_of(self.dimension)}".strip()
        if self.kind == "table":
            return {"table": [[f"{k} {unit_of(self.over)}".strip(), one] for k in (1, 2)]}
        if self.kind in ("quantity", "formula"):
            return one
        firsts: dict[str, Any] = {"count": 1, "flag": False, "list": [one]}
        return self.choices[0] if self.choices else firsts.get(self.kind, "")

    @property
    def says(self) -> str:
        return self.label or self.name


@dataclass(frozen=True)
class Applied:
    """What a condition applies in time, worked out of several of its values: of a dimension, and
    (values in SI, times (n), s) -> (n).
    """

    dimension: str
    at: Callable[[Mapping[str, Any], Array], Array]


@dataclass(frozen=True)
class Condition:
    """One thing a place can do for a phenomenon or member: an edge, a zone, the start, a direction
    that repeats, a thin screen, or where two open zones meet.

    `phrase` is how the ledger says it: "{speed} in", with the typed values filled in.
    `through` marks edges that let the stream in or out, `carries` what travels along with it.
    `one_of` names params of which exactly one must be given. `kinds` names the kinds of members it
    is for, where not for all. `applies` : what its values together amount to in time, to be looked
    at before the run.
    """

    name: str
    on: On
    phrase: str
    params: tuple[Param, ...] = ()
    label: str = ""
    through: Literal["", "in", "out"] = ""
    carries: Literal["", "in", "out"] = ""  # travels with a stream that passes there
    one_of: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    slips: bool = False  # an edge that drags nothing along
    blocks: bool = False  # a zone no stream passes: it is cut out of what lives in the stream
    drawn: Literal["", "mirror", "open"] = ""  # how the sheet shows it, where not as what passes
    tex: str | Mapping[str, str] = ""  # as mathematics, <name> standing for a value; by the param
    # that is given, where one of several may be
    applies: Applied | None = None

    @property
    def says(self) -> str:
        return self.label or self.name


@dataclass(frozen=True)
class Stuff:
    """What a quantity is an amount of. column : that asks places about it; atoms : of each element in
    one molecule, None where nobody says; mole : kg, where it is counted by its share of the mass and
    not by amount; made_of : substances in it, where they are told. follows : nobody balances it; it is
    what others leave room for, and no place is asked about it.
    """

    column: str
    atoms: Mapping[str, float] | None = None
    mole: float | None = None
    made_of: tuple[str, ...] = ()
    follows: bool = False


@dataclass(frozen=True)
class Another:
    """What it takes to follow one more substance, as typed in a case file: its settings as one more
    member of `key`, and what a stream that enters does for it while it brings none.
    """

    key: str
    values: Mapping[str, Any]
    brought: Mapping[str, Any]


@dataclass(frozen=True)
class Field:
    """A field that can be seen. `arrays` names the state arrays it is made of.

    where "cell": one array in cells.
    `derive` makes it from other state arrays instead: (mesh, state) -> cell array.
    `made` makes it from the fields that it `reads`, by their long names: (place, known) -> values,
    arrays of any one shape, or numbers, where audit rules ask how it is at the start.
    where "edge": one number per edge of the mesh, always derived; NaN where it cannot be told.
    `chief` marks what its phenomenon is about: the picture shown when nobody has chosen one.
    `component` says of which vector it is the part along which axis: ("velocity", 0).
    `member` names the one whose column asks places about it, where that is not called as it.
    `begins` is its value (SI) at the start, where a setting tells that and no place does.
    `partly` : it is nowhere in some of the open space, and NaN there. `jumps` : from one cell to the
    next, so that nothing is read between their middles.
    """

    name: str
    symbol: str
    dimension: str
    where: Literal["cell", "edge"] = "cell"
    arrays: tuple[str, ...] = ()
    label: str = ""
    kept: bool = True
    centred: bool = False  # shown on a scale centred on zero
    chief: bool = False
    component: tuple[str, int] | None = None
    derive: Callable[[Mesh, State], Array] | None = None
    reads: tuple[str, ...] = ()
    made: Callable[[Place, Mapping[str, Any]], Any] | None = None
    unit: str = ""  # it is shown in; by its dimension when empty
    member: str = ""
    begins: float | None = None
    partly: bool = False
    jumps: bool = False

    @property
    def says(self) -> str:
        return self.label or self.name

    @property
    def shown_in(self) -> str:
        return self.unit or unit_of(self.dimension)


@dataclass(frozen=True)
class Entry:
    """One column of a listing. words : what its numbers 0, 1, 2, ... mean, where they are kinds.
    edge : whether they are those of edges of the mesh, whose names become the words. names : whether
    they are what things go by, and count nothing.
    """

    name: str
    dimension: str = "number"
    label: str = ""
    unit: str = ""  # it is shown in; by its dimension when empty
    words: tuple[str, ...] = ()
    edge: bool = False
    names: bool = False

    @property
    def counts(self) -> bool:
        """Whether it is a number and not a kind or a place."""
        return not (self.words or self.edge or self.names)

    @property
    def says(self) -> str:
        return self.label or self.name.replace("_", " ")

    @property
    def shown_in(self) -> str:
        return self.unit or unit_of(self.dimension)


@dataclass(frozen=True)
class Listing:
    """Things that are followed one by one, such as parcels: a table of the state, a row each, with
    one entry per column. Those called "x" and "y" say where it is (m). line : the entry that numbers
    lines, where rows are points of lines, as of an interface or a path; each line's in a row.
    """

    name: str
    array: str
    entries: tuple[Entry, ...]
    label: str = ""
    line: str = ""

    @property
    def says(self) -> str:
        return self.label or self.name.replace("_", " ")


@dataclass(frozen=True)
class KnownSet:
    """Members of one kind that belong together and are known from a source, each as it is typed in a
    case file; settings : of the phenomenon, that go with them.
    """

    name: str
    label: str
    about: str
    source: str
    members: Mapping[str, Mapping[str, Any]]
    settings: Mapping[str, Any] = field(default_factory=dict)


def _none_known() -> tuple[KnownSet, ...]:
    return ()


@dataclass(frozen=True)
class MemberKind:
    """A kind of members that a phenomenon may have several of: species, reactions, phases, drops.

    key : what a case file lists them under. column : whether each has a column in the ledger, or
    is only named and set. least : how many must be named. known : tells sets of them to take.
    """

    name: str
    settings: tuple[Param, ...] = ()
    key: str = "members"
    column: bool = True
    least: int = 1
    known: Callable[[], tuple[KnownSet, ...]] = _none_known


@dataclass(frozen=True)
class Pairing:
    """Settings of every pair of members of two kinds, such as a law between two phases.

    A case file lists them under `key`, by both names with a dash between: "gas-sand". Of one kind,
    each pair of different members has one, in the order in which they are named.
    """

    kinds: tuple[str, str]
    settings: tuple[Param, ...] = ()
    key: str = "pairs"


@dataclass(frozen=True)
class Member:
    """One of several of a kind; with a `column`, the ledger asks every place about it."""

    id: str
    label: str
    summary: str = ""
    kind: str = ""
    column: bool = True


@dataclass(frozen=True)
class Term:
    """A named term of an equation: `tex` typeset, `says` in words. With a `dimension` (of what the
    solver's `terms` give) it can be kept as a field. `kinds` names the kinds of members whose equation
    it stands in, where not in all.
    """

    name: str
    tex: str
    says: str
    dimension: str = ""
    kinds: tuple[str, ...] = ()

    def is_of(self, kind: str) -> bool:
        """Whether it stands in the equation of members of a kind."""
        return not self.kinds or kind in self.kinds


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
