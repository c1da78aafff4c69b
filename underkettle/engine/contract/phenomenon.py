"""The base of every phenomenon, and how those that are installed are found."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Literal, NamedTuple

from underkettle.engine.contract.declared import (
    Another,
    Condition,
    Default,
    Field,
    Listing,
    Member,
    MemberKind,
    Pairing,
    Param,
    Stuff,
    Term,
)
from underkettle.engine.contract.offers import Provides, Source
from underkettle.engine.contract.questions import AuditRule, Brought, Facts, Paper
from underkettle.engine.contract.solving import Need, Problem, Solver
from underkettle.engine.mesh import Mesh


class ParamSet(NamedTuple):
    """Declared values that stand together, and what is given of them."""

    label: str
    params: tuple[Param, ...]
    values: Mapping[str, Any]


Does = Literal["moves", "carries", "changes", "phases", "parcels", "charge"]

# what phenomena do, in the order in which a modeller thinks of them
DOES: dict[Does, str] = {
    "moves": "What moves",
    "carries": "What is carried and spreads",
    "changes": "What changes into what",
    "phases": "Phases beside each other",
    "parcels": "Parcels and grains on their way",
    "charge": "Charge and current",
}


class Phenomenon:
    """Base of every declaration: class attributes are the facts, methods pure functions."""

    name: str = ""
    label: str = ""
    summary: str = ""
    about: str = ""  # one sentence: what it tells a modeller
    does: Does = "carries"
    equation: str = ""  # tex
    source: str = ""
    settings: tuple[Param, ...] = ()
    member_kinds: tuple[MemberKind, ...] = ()
    pairings: tuple[Pairing, ...] = ()
    conditions: tuple[Condition, ...] = ()
    audit: tuple[AuditRule, ...] = ()
    papers: tuple[Paper, ...] = ()
    terms: tuple[Term, ...] = ()
    balance_bound: float = 1e-6
    agrees_to: float = 1e-5  # relative difference in which a group may be left within a step
    rate_scale: float = 1.0
    in_solids: bool = False  # whether it lives in zones that are blocked to the stream, too

    def blank(self) -> dict[str, Any]:
        """What is typed when it is switched on: one of its unit where a value must be given, and
        as many members as it cannot be without.
        """
        members = {
            kind.key: {
                kind.name if k == 0 else f"{kind.name}_{k + 1}": _blank(kind.settings)
                for k in range(kind.least)
            }
            for kind in self.member_kinds
            if kind.least
        }
        return {**_blank(self.settings), **members}

    @property
    def guesses(self) -> bool:
        """Whether something stands in `blank` that only a modeller can know."""
        needed = (k.settings for k in self.member_kinds if k.least)
        return any(_blank(settings) for settings in (self.settings, *needed))

    def members(self, settings: Mapping[str, Any]) -> list[Member]:
        """All of all kinds; where no kind has columns, first the phenomenon itself, which has one."""
        found = [
            Member(
                key,
                str(value.get("label") or key.replace("_", " ")),
                kind.name,
                kind.name,
                kind.column,
            )
            for kind in self.member_kinds
            for key, value in settings.get(kind.key, {}).items()
        ]
        if any(kind.column for kind in self.member_kinds):
            return found
        return [Member("", self.label or self.name, self.summary), *found]

    @property
    def listed(self) -> tuple[MemberKind | Pairing, ...]:
        """What a case file lists under names: members and pairs of them."""
        return (*self.member_kinds, *self.pairings)

    def sets(self, settings: Mapping[str, Any]) -> Iterator[tuple[tuple[str, ...], ParamSet]]:
        """Where in a case file values are typed, what they may be, and those that are given:
        the phenomenon's own, and those of every member and pair.
        """
        yield (), ParamSet(self.label or self.name, self.settings, settings)
        for kind in self.listed:
            for name, values in settings.get(kind.key, {}).items():
                yield (kind.key, name), ParamSet(name.replace("_", " "), kind.settings, values)

    def params(self) -> Iterator[Param]:
        """Every value its settings may have."""
        yield from self.settings
        for kind in self.listed:
            yield from kind.settings

    def provides(self, settings: Mapping[str, Any]) -> Sequence[Provides]:
        """What it offers the others in this case."""
        return ()

    def needs(self, settings: Mapping[str, Any]) -> Sequence[Need]:
        """What it must, or may, be offered by others in this case."""
        return ()

    def gets(self, quantities: Iterable[str]) -> list[Need]:
        """The needs of a phenomenon whose quantities others may give to."""
        return [
            Need(Source, name, optional=True)
            for quantity in quantities
            for name in (quantity, f"{self.name}.{quantity}")
        ]

    def moves(self, settings: Mapping[str, Any]) -> Sequence[str]:
        """Parts of the vessel that it moves; its solver says where they are (`shifts`)."""
        return ()

    def fields(self, settings: Mapping[str, Any]) -> list[Field]:
        """Everything that evolves or can be seen."""
        raise LookupError(f"phenomenon '{self.name}' declares no fields")

    def listings(self, settings: Mapping[str, Any]) -> Sequence[Listing]:
        """What is followed one by one and kept with frames."""
        return ()

    def quantities(self, settings: Mapping[str, Any]) -> dict[str, str]:
        """Conserved quantities it balances -> dimension of their flow ("mass flow")."""
        return {}

    def matter(self, settings: Mapping[str, Any]) -> Mapping[str, Stuff]:
        """Substances that it follows and others may use up or make, by the name of their quantity."""
        return {}

    def another(self, substance: str, typed: Mapping[str, Any]) -> Another | None:
        """What it takes to follow one more substance, beside the settings as they are typed; None where
        that cannot be told.
        """
        return None

    def wall_quantities(self, settings: Mapping[str, Any]) -> list[str]:
        """Those of its quantities whose flux its solver can tell place by place on walls."""
        return []

    def default(self, place: str, on: str, member: str, facts: Facts) -> Default:
        """What holds where nothing is given."""
        raise LookupError(f"phenomenon '{self.name}' declares no defaults")

    def build(self, problem: Problem) -> Solver:
        raise LookupError(f"phenomenon '{self.name}' declares no solver")

    def steady_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> tuple[int, float] | None:
        """Sweeps a steady stage takes about, and wall seconds of each, where it stands alone and
        does not march; measured on two shared cores.
        """
        return None

    def review(self, facts: Facts) -> Iterable[str]:
        """What is worth looking over before a run and no rule can know, as sentences."""
        return ()

    def timed_work(self, facts: Facts) -> tuple[int, float] | None:
        """Steps a stage in time takes about, and wall seconds of each, where they follow from what it
        is and not from how fast a stream is; measured on two shared cores.
        """
        return None

    def step_work(self, mesh: Mesh, settings: Mapping[str, Any]) -> float:
        """Wall seconds that each of its steps in time takes beyond what any does; measured on two
        shared cores.
        """
        return 0.0

    def quickens(self, facts: Facts) -> float:
        """How many times faster a stream gets by what it makes of it, as a gas that burns."""
        return 1.0

    def presses(self, settings: Mapping[str, Any]) -> bool:
        """Whether what swells in a vessel that nothing leaves finds room, as its pressure rises."""
        return False

    def stream(
        self, kind: str, values: Mapping[str, Any], area: float, settings: Mapping[str, Any]
    ) -> float | None:
        """Volume flow (m3/s) that a condition lets in through `area` (m2), negative if out; None
        where the condition does not say.
        """
        return None

    def mixes(self, facts: Facts) -> float | None:
        """In what time (s) eddies mix that come in with the strongest stream; None if untold."""
        return None

    def brought(self, facts: Facts) -> Brought | None:
        """What streams bring of a gas that keeps account of its own heat, mixed; None if untold."""
        return None

    def fluids(self, facts: Facts) -> tuple[float, float] | None:
        """m3 of either of two fluids that do not mix, as they begin; None if untold."""
        return None

    def condition(self, on: str, kind: str) -> Condition | None:
        for condition in self.conditions:
            if condition.on == on and condition.name == kind:
                return condition
        return None

    def kinds(self, on: str, of: str = "") -> list[str]:
        """Kinds of conditions that a place may have, for a kind of members."""
        return [c.name for c in self.conditions if c.on == on and (not c.kinds or of in c.kinds)]


def _blank(settings: Sequence[Param]) -> dict[str, Any]:
    return {s.name: s.blank for s in settings if s.default is None and not s.optional}


def find_phenomena() -> dict[str, Phenomenon]:
    """Every phenomenon installed, by name, found through package entry points."""
    from importlib.metadata import entry_points

    found: dict[str, Phenomenon] = {}
    for entry in sorted(entry_points(group="underkettle.phenomena"), key=lambda e: e.name):
        declared = entry.load()
        phenomenon = declared() if isinstance(declared, type) else declared
        found[phenomenon.name] = phenomenon
    return found
