"""Typed values: what was written, what it means, whether it fits."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from graphlib import CycleError, TopologicalSorter
from typing import Any

import numpy as np

from underkettle.case.faults import CaseError, fault, path
from underkettle.case.naming import shared_by
from underkettle.engine.contract import Param
from underkettle.matter import library as matter
from underkettle.matter.gases import Gas, read_gas
from underkettle.matter.substance import Substance
from underkettle.matter.thermo import ThermoError
from underkettle.quantities import (
    FUNCTIONS,
    NOWHERE,
    Dimension,
    Formula,
    FormulaError,
    Place,
    dimension_of,
    parse,
    words_in,
)
from underkettle.quantities.dimension import NUMBER
from underkettle.quantities.table import Table
from underkettle.quantities.units import unit_of

PLACE = {"x": dimension_of("length"), "y": dimension_of("length"), "t": dimension_of("time")}
RESERVED = {*NOWHERE.names(), "pi", "if", *FUNCTIONS}
LONGEST_TABLE, LARGEST_FILE, LONGEST_NAME = 5000, 200_000, 120


@dataclass(frozen=True)
class Constant:
    """A number in SI."""

    value: float

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.value

    @property
    def steady(self) -> bool:
        return True

    @property
    def reads(self) -> frozenset[str]:
        return frozenset()


@dataclass(frozen=True)
class Spread:
    """A formula of position, time and what it `reads`, with the parameters' values filled in."""

    formula: Formula
    names: Mapping[str, float]
    reads: frozenset[str] = frozenset()

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.formula.evaluate({**self.names, **(known or {}), **place.names()})

    @property
    def steady(self) -> bool:
        return "t" not in self.formula.names and not self.reads


@dataclass(frozen=True)
class Timed:
    """A table in time."""

    table: Table

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.table.evaluate(place.t)

    @property
    def steady(self) -> bool:
        return False

    @property
    def reads(self) -> frozenset[str]:
        return frozenset()

    @property
    def mean(self) -> float:
        return self.table.mean


@dataclass(frozen=True)
class Tabled:
    """A table over a coordinate, or over what is solved."""

    table: Table
    over: str

    def at(self, place: Place = NOWHERE, known: Mapping[str, Any] | None = None) -> Any:
        return self.table.evaluate({**place.names(), **(known or {})}[self.over])

    @property
    def steady(self) -> bool:
        return not self.reads

    @property
    def reads(self) -> frozenset[str]:
        return frozenset() if self.over in PLACE else frozenset({self.over})


@dataclass(frozen=True)
class Attached:
    """A file that the case holds: its name and its text."""

    name: str
    text: str


Typed = Constant | Spread | Timed | Tabled


@dataclass(frozen=True)
class Names:
    """The case's parameters: values in SI and dimensions."""

    values: Mapping[str, float]
    dimensions: Mapping[str, Dimension]


def read_number(text: Any, dimension: str, names: Names, where: str) -> float:
    """A value in SI that depends on parameters only. Raises CaseError."""
    value = read_quantity(text, dimension, names, where, place=False)
    return float(np.asarray(value.at()))


def read_size(text: Any, names: Names, where: str) -> float:
    """A length (m) above zero. Raises CaseError."""
    value = read_number(text, "length", names, where)
    if value <= 0:
        raise fault(where, "a size must be positive", "", text)
    return value


def read_quantity(
    text: Any,
    dimension: str,
    names: Names,
    where: str,
    place: bool = True,
    solved: Mapping[str, Dimension] | None = None,
) -> Typed:
    """A number, a formula (of position and time where `place`, and of what is `solved`) or a table
    in time.
    """
    named = (
        isinstance(text, str)
        and (solved is not None or names.values)
        and words_in(text) & {*names.values, *(solved or ()), *getattr(solved, "shared", ())}
    )
    if isinstance(text, str) and not named:
        plain = _plain(text, dimension)
        if plain is not None:
            return plain
    wanted = dimension_of(dimension)
    if isinstance(text, dict):
        if not place:
            raise fault(where, "a table in time is not possible here", _wants(wanted), text)
        return _tabled(text, wanted, names, where, solved or {})
    if isinstance(text, bool) or text is None:
        raise fault(where, "a value is wanted", _wants(wanted), text)
    if isinstance(text, int | float):
        if text != 0 and not wanted.is_number:
            raise fault(where, "the number has no unit", _wants(wanted), text)
        if not np.isfinite(text):
            raise fault(where, "the number is not finite", _wants(wanted), text)
        return Constant(float(text))
    trouble = shared_by(words_in(str(text)) - names.values.keys(), getattr(solved, "shared", {}))
    if trouble:
        raise fault(where, trouble, _wants(wanted), text)
    solved = {n: d for n, d in (solved or {}).items() if n not in names.values}
    formula = _checked(str(text), wanted, names, where, place, solved)
    reads = formula.names & set(solved)
    if not formula.names & set(PLACE) and not reads:
        value = float(np.asarray(formula.evaluate(names.values)))
        if not np.isfinite(value):
            raise fault(
                where, "the formula gives no finite number", "Look for a division by zero.", text
            )
        return Constant(value)
    return Spread(formula, names.values, reads)


@lru_cache(maxsize=16384)
def _plain(text: str, dimension: str) -> Constant | None:
    """What a text means that names nothing; None where it does, or cannot be read."""
    try:
        formula = parse(text)
        if formula.names or formula.dimension({}) not in (None, dimension_of(dimension)):
            return None
        value = float(np.asarray(formula.evaluate({})))
    except FormulaError:
        return None
    return Constant(value) if np.isfinite(value) else None


def _checked(
    text: str,
    wanted: Dimension,
    names: Names,
    where: str,
    place: bool,
    solved: Mapping[str, Dimension],
) -> Formula:
    known = {**solved, **names.dimensions, **(PLACE if place else {})}
    try:
        formula = parse(text, known)
        found = formula.dimension(known)
    except FormulaError as error:
        raise fault(
            where,
            f"the formula cannot be read: {error}, at sign {error.at + 1}",
            _wants(wanted),
            text,
        ) from error
    if found is not None and found != wanted:
        if found.is_number:
            raise fault(where, "the number has no unit", _wants(wanted), text)
        raise fault(where, f"this is {_article(found)}", _wants(wanted), text)
    return formula


def _tabled(
    typed: dict[str, Any],
    wanted: Dimension,
    names: Names,
    where: str,
    solved: Mapping[str, Dimension],
) -> Timed | Tabled:
    """A table in time, or over a coordinate or what is solved."""
    over = typed.get("over", "t")
    known = {**solved, **PLACE}
    if not isinstance(over, str) or over not in known:
        raise fault(
            path(where, "over"),
            f"a table cannot go over '{over}' here",
            f"Choose from {', '.join(known)}.",
        )
    rows = {n: v for n, v in typed.items() if n != "over"}
    table = _read_table(rows, known[over], wanted, names, where)
    return Timed(table) if over == "t" else Tabled(table, over)


def _read_table(typed: Any, over: Dimension, wanted: Dimension, names: Names, where: str) -> Table:
    rows = typed.get("table") if isinstance(typed, dict) else None
    if not isinstance(rows, list) or set(typed) != {"table"}:
        raise fault(
            where, f'a table is written {{"table": [[{over.name}, value], ...]}}', "", typed
        )
    if len(rows) > LONGEST_TABLE:
        raise fault(where, f"a table may have {LONGEST_TABLE} rows", "Leave some out.")
    points, values = [], []
    for k, row in enumerate(rows):
        here = f"{where} / row {k + 1}"
        if not isinstance(row, list | tuple) or len(row) != 2:
            raise fault(here, f"a row has a {over.name} and a value", "", row)
        points.append(read_number(row[0], over.name, names, here))
        values.append(read_number(row[1], wanted.name, names, here))
    try:
        return Table(tuple(points), tuple(values))
    except ValueError as error:
        raise fault(where, str(error)) from error


def _read_list(param: Param, given: Any, names: Names, where: str) -> tuple[float, ...]:
    """Numbers in SI, from a list or from text with commas between."""
    parts = given.split(",") if isinstance(given, str) else given
    if not isinstance(parts, list) or len(parts) > LONGEST_TABLE:
        raise fault(where, "a list is wanted", "Give values with commas between.", given)
    found = []
    for k, part in enumerate(parts):
        here = f"{where} / {k + 1}"
        found.append(read_number(part, param.dimension, names, here))
        _within(param, found[-1], part, here)
    return tuple(found)


def _read_file(given: Any, where: str) -> Attached:
    """A file kept in the case: a name and text of bounded length, without signs that are none."""
    text = given.get("text") if isinstance(given, dict) else None
    name = given.get("name") if isinstance(given, dict) else None
    if not isinstance(text, str) or not isinstance(name, str) or set(given) != {"name", "text"}:
        raise fault(where, 'a file is written {"name": "pulse.csv", "text": "..."}', "", given)
    if len(text) > LARGEST_FILE or len(name) > LONGEST_NAME:
        raise fault(where, f"a file may hold {LARGEST_FILE:,} signs", "Keep what is needed of it.")
    if any(ord(c) < 32 and c not in "\n\r\t" for c in text + name) or set(name) & set("/\\"):
        raise fault(where, "this is no text file", "Give one that an editor shows.")
    return Attached(name, text)


def _article(dimension: Dimension) -> str:
    name = dimension.name
    return f"{'an' if name[0] in 'aeiou' else 'a'} {name}"


def _wants(dimension: Dimension) -> str:
    if dimension.is_number:
        return "Give a plain number."
    return f"Give {_article(dimension)}, for instance '1 {unit_of(dimension.name)}'."


def read_parameters(parameters: Mapping[str, Any]) -> Names:
    """Parameters in SI, in whatever order they refer to each other. Raises CaseError."""
    formulas: dict[str, Formula] = {}
    faults = []
    for name, text in parameters.items():
        where = f"parameters / {name}"
        if not name.isidentifier() or not name.isascii():
            faults += fault(
                where, "a name has letters, digits and _, and starts with a letter", "Rename it."
            ).faults
        elif name in RESERVED:
            faults += fault(
                where,
                f"'{name}' already means a position, a time, a constant or a function",
                "Rename it.",
            ).faults
        else:
            try:
                typed = text if isinstance(text, str) else repr(text)
                formulas[name] = parse(typed, parameters)
            except FormulaError as error:
                faults += fault(where, f"the formula cannot be read: {error}", "", text).faults
    if faults:
        raise CaseError(faults)
    values: dict[str, float] = {}
    dimensions: dict[str, Dimension] = {}
    for name in _in_turn(formulas):
        formula = formulas[name]
        try:
            dimension = formula.dimension(dimensions)
            value = float(np.asarray(formula.evaluate(values)))
        except FormulaError as error:
            raise fault(f"parameters / {name}", str(error), "", formula.text) from error
        if not np.isfinite(value):
            raise fault(
                f"parameters / {name}",
                "this gives no finite number",
                "Look for a division by zero.",
                formula.text,
            )
        values[name], dimensions[name] = value, dimension or NUMBER
    return Names(values, dimensions)


def _in_turn(formulas: Mapping[str, Formula]) -> list[str]:
    """Parameters, each after those it names. Raises CaseError where they go round in a circle."""
    try:
        return list(
            TopologicalSorter(
                {name: f.names & formulas.keys() for name, f in formulas.items()}
            ).static_order()
        )
    except CycleError as error:
        raise fault(
            "parameters",
            f"{', '.join(sorted(set(error.args[1])))} refer to each other in a circle",
            "Give one of them a plain value.",
        ) from error


def read_param(
    param: Param,
    given: Any,
    names: Names,
    where: str,
    solved: Mapping[str, Dimension] | None = None,
) -> Any:
    """One declared param: a Typed for formulas, else the plain value. Raises CaseError.

    solved : what laws may name.
    """
    if param.kind == "choice":
        if given not in param.choices:
            raise fault(
                where,
                f"'{given}' is not one of the choices",
                f"Choose from {', '.join(param.choices)}.",
            )
        return given
    if param.kind == "flag":
        if not isinstance(given, bool):
            raise fault(where, "yes or no is wanted", "Give true or false.", given)
        return given
    if param.kind == "text":
        return str(given)
    if param.kind == "place":
        if not isinstance(given, str):
            raise fault(where, "the name of a place is wanted", "", given)
        return given  # one that is not drawn now is the audit's to tell: it may come back
    if param.kind == "list":
        return _read_list(param, given, names, where)
    if param.kind == "file":
        return _read_file(given, where)
    if param.kind == "material":
        return _read_material(given, names, where)
    if param.kind == "gas":
        return _read_gas(given, where)
    if param.kind == "table":
        over, wanted = dimension_of(param.over), dimension_of(param.dimension)
        table = _read_table(given, over, wanted, names, where)
        for k, number in enumerate(table.values):
            _within(param, number, given, f"{where} / row {k + 1}")
        return table
    if param.kind == "count":
        if isinstance(given, bool) or not isinstance(given, int) or given < 1:
            raise fault(where, "a whole number from 1 is wanted", "", given)
        return given
    if param.kind == "formula":
        value = read_quantity(
            given, param.dimension, names, where, solved=solved if param.law else None
        )
        if isinstance(value, Constant):
            _within(param, value.value, given, where)
        elif param.over:
            _only(param, value, given, where)
        return value
    number = read_number(given, param.dimension, names, where)
    _within(param, number, given, where)
    return number


def _read_material(given: Any, names: Names, where: str) -> Substance:
    """An entry of the library by its id, or {"material", "pressure", "share"}."""
    typed = {"material": given} if isinstance(given, str) else given
    known = ("material", "pressure", "share")
    if not isinstance(typed, dict) or "material" not in typed or set(typed) - set(known):
        raise fault(
            where,
            "a material of the library is wanted",
            'Give its name, or {"material": ..., "pressure": ..., "share": ...}.',
            given,
        )
    entry = str(typed["material"])
    if not matter.holds(entry):
        near = ", ".join(m.id for m in matter.find(entry)[:5])
        raise fault(
            path(where, "material"),
            "the library has no such material",
            f"Near it: {near}." if near else "Names: Water, Air, Ethanol, ...",
            entry,
        )
    pressure = read_number(
        typed.get("pressure", "1 atm"), "pressure", names, path(where, "pressure")
    )
    share = read_number(typed.get("share", 0), "number", names, path(where, "share"))
    if pressure <= 0:
        raise fault(path(where, "pressure"), "pressure must be positive", "", typed["pressure"])
    if not 0 <= share <= 1:
        raise fault(path(where, "share"), "a share lies between 0 and 1", "", typed["share"])
    return Substance(entry, pressure, share)


def _read_gas(given: Any, where: str) -> Gas:
    """What a gas is made of."""
    try:
        return read_gas(str(given))
    except ThermoError as error:
        raise fault(
            where,
            f"a gas is told by its make-up in moles: {error}",
            "Such as air, CO2, or 7.5 N2 + CO2 + 2 H2O.",
            given,
        ) from error


def _only(param: Param, value: Spread | Timed | Tabled, given: Any, where: str) -> None:
    """Refuse a law of anything but the one thing it may follow."""
    named = value.formula.names if isinstance(value, Spread) else frozenset()
    if value.reads != {param.over} or named & PLACE.keys():
        raise fault(
            where,
            f"{param.says} may follow {param.over} and nothing else",
            f"Give a number, or a formula of {param.over}.",
            given,
        )


def _within(param: Param, value: float, given: Any, where: str) -> None:
    if param.above is not None and value <= param.above:
        bound = "positive" if param.above == 0 else f"above {param.above:g}"
        raise fault(where, f"{param.says} must be {bound}", "", given)
    if param.least is not None and value < param.least:
        bound = "negative" if param.least == 0 else f"below {param.least:g}"
        raise fault(where, f"{param.says} must not be {bound}", "", given)
    if param.most is not None and value > param.most:
        raise fault(
            where,
            f"{param.says} must not be above {param.most:g}",
            f"Give at most {param.most:g}.",
            given,
        )
