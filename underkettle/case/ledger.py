"""What every place does for every column: given, assumed, missing or overruled."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from copy import copy
from typing import Any

from underkettle.case.cells import Cell, Column, column_id, columns_of, say
from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.settings import Settings
from underkettle.case.worked import Worked
from underkettle.engine.contract import Absent, Assumed, Condition, Missing, On, Phenomenon
from underkettle.quantities.words import headed


class Ledger:
    """Works out what holds where. Explicit over assumed, a nozzle's own over that of its side."""

    def __init__(self, case: Worked, settings: Settings) -> None:
        self.case, self._settings = case, settings
        self.columns: list[Column] = columns_of(case.phenomena, case.settings)
        self._kind_of = {c.id: c.kind for c in self.columns}
        self._cells: dict[tuple[str, str, str], Cell] = {}
        self._pending: dict[tuple[str, str, str], bool] = {}

    def of(self, case: Worked) -> Ledger:
        """The same for a case that differs in where parts of its vessel stand."""
        found = copy(self)
        found.case = case
        return found

    def places(self, on: On) -> tuple[str, ...]:
        if on == "edge":
            return (*self.case.edges, *self.case.zone_faces)
        if on == "screen":
            return tuple(self.case.built.screens)
        if on == "between":
            return tuple(self.case.borders)
        return tuple(self.case.repeats if on == "repeat" else self.case.zones)

    def rows(self) -> Iterator[tuple[On, str]]:
        """Every place of the ledger, with what it is."""
        kinds: tuple[On, ...] = ("edge", "repeat", "screen", "between", "zone", "start")
        for on in kinds:
            for place in self.places(on):
                yield on, place

    def label(self, place: str) -> str:
        return headed(place.replace("-", " to "))

    def _given(self, on: On, place: str, column: str) -> Mapping[str, Any] | None:
        source = self.case.model.start if on == "start" else self.case.model.conditions
        found = source.get(place, {}).get(column)
        return found if found is not None and isinstance(found, dict) else None

    def check(self) -> None:
        """Every typed condition is read once, so that bad input is named before anything else."""
        columns = {c.id for c in self.columns}
        off = {column_id(n, "") for n in self.case.registry}
        faults: list[Fault] = []
        for section, source in (
            ("conditions", self.case.model.conditions),
            ("start", self.case.model.start),
        ):
            for place, row in source.items():
                for column in row:
                    where = path(section, place, column)
                    if column in columns:
                        try:
                            on = self.on(section, place)
                            if on:
                                self._read_condition(on, place, column)
                        except CaseError as error:
                            faults += error.faults
                    elif column.split(".")[0] not in off:
                        faults.append(
                            Fault(
                                where,
                                f"'{column}' is not a column of the ledger",
                                f"Columns: {', '.join(sorted(columns))}.",
                            )
                        )
        if faults:
            raise CaseError(faults)

    def on(self, section: str, place: str) -> On | None:
        """What a place named in `conditions` or `start` is; None where it is not drawn."""
        if section == "start":
            return "start" if place in self.case.zones else None
        kinds: tuple[On, ...] = ("edge", "repeat", "screen", "between", "zone")
        for on in kinds:
            if place in self.places(on):
                return on
        return None

    @staticmethod
    def _check_face(phenomenon: Phenomenon, condition: Condition, where: str) -> None:
        """Refuse what cannot be where a stream meets a solid zone."""
        if phenomenon.in_solids:
            raise fault(
                where,
                f"{phenomenon.label.lower()} goes on into the zone, so nothing is "
                "given at its face",
                "Give it in the zone instead.",
            )
        if condition.through or condition.carries or condition.drawn:
            raise fault(
                path(where, "kind"),
                "no stream passes the face of a solid zone",
                "Choose a kind of wall.",
                condition.name,
            )

    def lost_places(self) -> list[str]:
        """Places with conditions that are not drawn at present."""
        named = [*self.case.model.conditions, *self.case.model.start]
        drawn = {place for _, place in self.rows()}
        return [p for p in dict.fromkeys(named) if p not in drawn]

    def _read_condition(
        self, on: On, place: str, column: str
    ) -> tuple[Condition, dict[str, Any], dict[str, Any]]:
        """Declaration, typed values and meanings of a given condition. Raises CaseError."""
        given = self._given(on, place, column)
        assert given is not None
        phenomenon = self.case.phenomena[column.split(".")[0]]
        where = path("start" if on == "start" else "conditions", place, column)
        kinds = phenomenon.kinds(on, self._kind_of[column])
        kind = given.get("kind", kinds[0] if len(kinds) == 1 else None)
        if kind is None:
            raise fault(
                path(where, "kind"),
                "the kind of condition is missing",
                f"Choose from {', '.join(kinds)}.",
            )
        condition = phenomenon.condition(on, kind)
        if condition is None or kind not in kinds:
            raise fault(
                path(where, "kind"),
                f"'{kind}' is not possible here",
                f"Choose from {', '.join(kinds)}.",
            )
        if on == "edge" and place in self.case.zone_faces:
            self._check_face(phenomenon, condition, where)
        typed = {k: v for k, v in given.items() if k != "kind"}
        params = condition.params
        if condition.one_of:
            chosen = [n for n in condition.one_of if n in typed]
            if not chosen:
                names = [p.says for p in params if p.name in condition.one_of]
                raise fault(where, f"{' or '.join(names)} is missing", "Give one of them.")
            ruling = chosen[-1]
            params = tuple(p for p in params if p.name not in condition.one_of or p.name == ruling)
            read = {k: v for k, v in typed.items() if k not in condition.one_of or k == ruling}
        else:
            read = typed
        return condition, typed, self._settings.read(params, read, where)

    def cell(self, on: On, place: str, column: str) -> Cell:
        """What holds at a place for a column. Nozzle over side, explicit over assumed."""
        key = (on, place, column)
        known = self._cells.get(key)
        if known is not None:
            return known
        if key in self._pending:
            return Cell("absent")
        self._pending[key] = True
        try:
            self._cells[key] = found = self._work_out(on, place, column)
        finally:
            del self._pending[key]
        return found

    def _work_out(self, on: On, place: str, column: str) -> Cell:
        phenomenon = self.case.phenomena[column.split(".")[0]]
        if not phenomenon.kinds(on, self._kind_of[column]) or (
            on == "edge" and phenomenon.in_solids and place in self.case.zone_faces
        ):
            return Cell("absent")
        if on == "between" and not phenomenon.in_solids and self._parted(place):
            return Cell("absent")  # there is an edge
        if self._given(on, place, column) is not None:
            condition, typed, values = self._read_condition(on, place, column)
            twice = [n for n in condition.one_of if n in typed]
            if len(twice) > 1:
                rest = {k: v for k, v in typed.items() if k not in twice[:-1]}
                first = {k: v for k, v in typed.items() if k not in twice[1:]}
                return Cell(
                    "overruled",
                    condition.name,
                    self._say(condition, first),
                    typed,
                    values,
                    ruled_by="contradiction",
                    ruled_text=self._say(condition, rest),
                )
            return Cell("given", condition.name, self._say(condition, typed), typed, values)
        side = self.case.built.nozzles.get(place)
        if on == "edge" and side and self._given(on, side, column) is not None:
            condition, typed, values = self._read_condition(on, side, column)
            return Cell(
                "assumed",
                condition.name,
                self._say(condition, typed),
                typed,
                values,
                why=f"as given for {self.label(side)}, on which it sits",
            )
        member = column.partition(".")[2]
        default = phenomenon.default(place, on, member, self.case.facts)
        if isinstance(default, Absent):
            return Cell("absent")
        if isinstance(default, Missing):
            return Cell("missing", why=default.why)
        assert isinstance(default, Assumed)
        found = phenomenon.condition(on, default.kind)
        assert found is not None, f"{phenomenon.name} assumes an unknown kind {default.kind}"
        params = tuple(
            p for p in found.params if p.name not in found.one_of or p.name in default.values
        )
        values = self._settings.read(params, default.values, path(place, column))
        return Cell(
            "assumed",
            found.name,
            self._say(found, default.values),
            default.values,
            values,
            default.why,
        )

    def _parted(self, place: str) -> bool:
        """Whether no stream passes one of two zones that meet."""
        return any(side in self.blocked() for side in place.split("-"))

    def _say(self, condition: Condition, typed: Mapping[str, Any]) -> str:
        return say(condition, typed, self.case.model.parameters)

    def overrules(self, place: str, column: str) -> str:
        """Words of the side's condition that a nozzle's own overrules here, "" if none."""
        side = self.case.built.nozzles.get(place)
        if not side or self._given("edge", place, column) is None:
            return ""
        if self._given("edge", side, column) is None:
            return ""
        condition, typed, _ = self._read_condition("edge", side, column)
        return self._say(condition, typed)

    def laws(self) -> Iterator[tuple[str, str, frozenset[str]]]:
        """Phenomenon, "old" or "new" and the names read, for every value that follows what is
        solved.
        """
        for name, declared in self.case.phenomena.items():
            sets = [(of.params, of.values) for _, of in declared.sets(self.case.settings[name])]
            for column in (c for c in self.columns if c.phenomenon == name):
                for on, place in self.rows():
                    cell = self.cell(on, place, column.id)
                    found = declared.condition(on, cell.kind) if cell.kind else None
                    if found is not None:
                        sets.append((found.params, dict(cell.values)))
            for params, values in sets:
                for param in params:
                    value = values.get(param.name)
                    reads = frozenset(getattr(value, "reads", ()))
                    if param.law and reads:
                        yield name, param.law, reads

    def blocked(self) -> list[str]:
        """Zones that no stream passes."""
        return [
            z
            for z in self.case.zones
            for c in self.columns
            if (
                found := self.case.phenomena[c.phenomenon].condition(
                    "zone", self.cell("zone", z, c.id).kind
                )
            )
            is not None
            and found.blocks
        ]
