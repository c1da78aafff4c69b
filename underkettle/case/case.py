"""A case worked out: parameters, vessel, settings, conditions in force, grid."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from copy import copy
from functools import cached_property
from typing import Any, Protocol

import numpy as np

from underkettle.case.cells import Cell, Column, column_id, columns_of, say
from underkettle.case.derived import Dimensions, derived_fields, tell_dimensions
from underkettle.case.facts import CaseFacts
from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.gridding import Gridding
from underkettle.case.keeping import kept_box, kept_fields
from underkettle.case.model import CaseModel, merge_patch, read_model
from underkettle.case.naming import Balanced, Named
from underkettle.case.recorded import recorded
from underkettle.case.settings import Settings
from underkettle.case.shapes.plate import Plate
from underkettle.case.stages import check_stages
from underkettle.case.values import (
    Names,
    read_number,
    read_parameters,
)
from underkettle.case.vessel import Built, build_vessel, face_of, move
from underkettle.engine.contract import (
    Absent,
    Assumed,
    Condition,
    Crossing,
    Field,
    Listing,
    Missing,
    Offer,
    On,
    Phenomenon,
    Solver,
    find_phenomena,
)
from underkettle.engine.marching.order import Meeting
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Grid, Mesh, Outline, Window, build_mesh
from underkettle.quantities import dimension_of, find_unit
from underkettle.reading.kinds import KINDS
from underkettle.reading.spans import drawn, measured


class Kept(Protocol):
    """A frame, as far as it says how the case stood."""

    @property
    def axis(self) -> str: ...
    @property
    def stage(self) -> str: ...
    @property
    def value(self) -> float: ...
    @property
    def far(self) -> Mapping[str, tuple[float, float]]: ...


class Case:
    """One question, ready to be checked or run. Raises CaseError when it cannot be read.

    data : the case file as a dict. set : parameters given other values ({"speed": "8 mm/s"}).
    variant : name of a variant to apply. grid : how many times finer each direction is.
    like : a case worked out before; what is drawn is taken over where it has not changed.
    """

    def __init__(
        self,
        data: Mapping[str, Any],
        set: Mapping[str, Any] | None = None,
        variant: str | None = None,
        grid: float = 1.0,
        registry: Mapping[str, Phenomenon] | None = None,
        like: Case | None = None,
    ) -> None:
        self.memo: dict[str, Any] = {}  # what has been worked out of it and is asked for again
        self.far: Mapping[str, tuple[float, float]] = {}  # parts that have moved (m)
        self._drawn = self
        self.registry = dict(registry if registry is not None else find_phenomena())
        self.source, self.set = dict(data), dict(set or {})
        changed = self._varied(dict(data), variant)
        for name, value in (set or {}).items():
            if name not in changed.get("parameters", {}):
                known = ", ".join(changed.get("parameters", {})) or "none"
                raise fault(f"set / {name}", "there is no such parameter", f"Parameters: {known}.")
            changed = merge_patch(changed, {"parameters": {name: value}})
        if not 0.05 <= grid <= 50:
            raise fault("grid", "the factor must lie between 0.05 and 50", "", grid)
        self.data = changed
        self.variant, self.grid_factor = variant or "", grid
        self.model: CaseModel = read_model(changed)
        self.names: Names = read_parameters(self.model.parameters)
        if like is not None and self._drawn_alike(like):
            self.built: Built = like.built
            self.__dict__.update(
                {k: like.__dict__[k] for k in ("grid", "mesh") if k in like.__dict__}
            )
        else:
            self.built = build_vessel(
                self.model.vessel, self.names, self.model.dimension == "axisymmetric"
            )
        self._settings = Settings(self.model, self.names, self.registry)
        self.phenomena, self.solved = self._settings.phenomena, self._settings.solved
        self.settings = {name: self._settings.of(name) for name in self.phenomena}
        self.columns: list[Column] = columns_of(self.phenomena, self.settings)
        self._kind_of = {c.id: c.kind for c in self.columns}
        self._cells: dict[tuple[str, str, str], Cell] = {}
        self._readers: dict[str, Any] = {}
        self._pending: dict[tuple[str, str, str], bool] = {}
        self._check_conditions()
        check_stages(self)
        self.fields()  # terms to be kept and formulas are known, or refused here
        self._by_key()
        kept_fields(self)
        kept_box(self)
        for name, readout in self.model.readouts.items():
            if drawn(readout):
                measured(self, readout, path("readouts", name, drawn(readout)))
        self._check_papers()
        Gridding(self).check()

    def applied(self, stage: str, value: float) -> Case:
        """The case with the value (SI) that a series applies in one of its stages."""
        model = self.model.stages[stage]
        if model.control is None:
            return self
        dimension = self.names.dimensions[model.control].name
        key = f"applied {model.control} {value!r}"
        if key not in self.memo:
            typed = next(
                (
                    v
                    for v in model.values
                    if self.number(v, dimension, path("stages", stage, "values")) == value
                ),
                None,
            )
            self.memo[key] = (
                self
                if typed is None
                else Case(
                    self.source,
                    {**self.set, model.control: typed},
                    self.variant or None,
                    self.grid_factor,
                    self.registry,
                    like=self,
                )
            )
        found: Case = self.memo[key]
        return found

    def moved(self, far: Mapping[str, tuple[float, float]]) -> Case:
        """The case with parts of its vessel that far (m) from where they are drawn. Raises CaseError
        where they cannot be.
        """
        drawn = self._drawn
        far = {name: by for name, by in far.items() if by != (0.0, 0.0)}
        if far == self.far:
            return self
        if not far:
            return drawn
        parts = self.model.vessel.parts
        for name, (x, y) in far.items():
            part = parts[name]
            if isinstance(part, Plate) and (y if part.along == "x" else x) != 0.0:
                raise fault(
                    path("vessel", "parts", name),
                    "a plate of no thickness can only slide along itself",
                    "Draw it as a rectangle, or let it slide the other way.",
                )
        found = copy(drawn)
        found.far, found.memo, found._readers = far, {}, {}
        for name in ("mesh", "open_mesh", "stream_outline", "faces", "facts", "borders"):
            found.__dict__.pop(name, None)
        found.built = move(drawn.built, self.model.vessel, self.names, far)
        return found

    def at(self, frame: Kept) -> Case:
        """The case as it stood when a frame was kept: as a series had changed it, parts moved."""
        case = self if frame.axis == "time" else self.applied(frame.stage, frame.value)
        return case.moved(frame.far)

    @cached_property
    def moving(self) -> dict[str, str]:
        """Parts that a phenomenon moves, and its name."""
        return {
            part: name
            for name, p in self.phenomena.items()
            for part in p.moves(self.settings[name])
            if part in self.model.vessel.parts
        }

    def edges_of(self, part: str) -> tuple[str, ...]:
        """Edges that are sides of a part, or the face of it where it is a zone."""
        given = self.model.vessel.parts[part]
        if isinstance(given, Plate):
            found = {part, *given.edges.values()}
        else:
            found = {s.edge for s in self.built.sides if s.part == part} | {face_of(part)}
        return tuple(e for e in (*self.edges, *self.faces) if e in found)

    def _drawn_alike(self, other: Case) -> bool:
        """Whether vessel and grid are those of another case."""
        mine, theirs = self.model, other.model
        return (
            mine.vessel == theirs.vessel
            and mine.grid == theirs.grid
            and mine.dimension == theirs.dimension
            and self.grid_factor == other.grid_factor
            and self.names.values == other.names.values
            and mine.vessel.model_fields_set == theirs.vessel.model_fields_set
        )

    def _check_papers(self) -> None:
        from underkettle.case.paper import check_papers

        check_papers(self)

    @staticmethod
    def _varied(data: dict[str, Any], variant: str | None) -> dict[str, Any]:
        if not variant:
            return data
        variants = data.get("variants", {})
        if variant not in variants:
            raise fault(
                "variant",
                f"there is no variant '{variant}'",
                f"Variants: {', '.join(variants) or 'none'}.",
            )
        result: dict[str, Any] = merge_patch(data, variants[variant])
        return result

    @cached_property
    def meetings(self) -> dict[str, Meeting]:
        """What each phenomenon offers the others and needs of them, with these settings."""
        return {n: Meeting.of(p, self.settings[n]) for n, p in self.phenomena.items()}

    def makers(self, kind: type[Offer], of: str | None = None) -> list[str]:
        """Phenomena that make an offer of a kind."""
        return [n for n, meeting in self.meetings.items() if meeting.makes(kind, of)]

    # ------------------------------------------------------------ places

    @property
    def edges(self) -> tuple[str, ...]:
        return self.built.outline.edges

    @cached_property
    def faces(self) -> tuple[str, ...]:
        """Edges between the stream and zones that it cannot pass."""
        return tuple(e for e in self.stream_outline.edges if e not in self.edges)

    def outline_of(self, edge: str) -> Outline:
        """The outline that an edge, or the face of a zone, is part of."""
        return self.stream_outline if edge in self.faces else self.built.outline

    def box_of(self, place: str) -> tuple[float, float, float, float]:
        """Low x, low y, high x, high y (m) of a part, edge or zone; of the vessel for others."""
        if place in self.faces:
            place = place.removesuffix(face_of(""))
        if place in self.borders:
            points = np.concatenate(self.borders[place])
            (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
            return float(x0), float(y0), float(x1), float(y1)
        return self.built.boxes.get(place, self.built.outline.box)

    @property
    def zones(self) -> tuple[str, ...]:
        return tuple(self.built.zones)

    @property
    def repeats(self) -> dict[str, int]:
        """Directions in which the vessel goes on and on, as places, and their axes."""
        return {f"along_{'xy'[axis]}": axis for axis in self.built.repeats}

    def places(self, on: On) -> tuple[str, ...]:
        if on == "edge":
            return (*self.edges, *self.faces)
        if on == "screen":
            return tuple(self.built.screens)
        if on == "between":
            return tuple(self.borders)
        return tuple(self.repeats) if on == "repeat" else self.zones

    @cached_property
    def borders(self) -> dict[str, list[Any]]:
        """Where two zones meet, as places, and the lines (m) they meet on; none where no phenomenon
        asks about them.
        """
        asked = any(c.on == "between" for p in self.phenomena.values() for c in p.conditions)
        return self.built.borders() if asked else {}

    def rows(self) -> Iterator[tuple[On, str]]:
        """Every place of the ledger, with what it is."""
        kinds: tuple[On, ...] = ("edge", "repeat", "screen", "between", "zone", "start")
        for on in kinds:
            for place in self.places(on):
                yield on, place

    def label(self, place: str) -> str:
        text = place.replace("_", " ").replace("-", " to ")
        return text[:1].upper() + text[1:]

    def fields(self) -> Named[tuple[str, Field]]:
        """Every field that fills the vessel: name -> (phenomenon, it)."""
        return self._fields

    @cached_property
    def _fields(self) -> Named[tuple[str, Field]]:
        long, own = self._declared_fields
        return Named(
            *({n: f for n, f in told.items() if f[1].where != "edge"} for told in (long, own))
        )

    @cached_property
    def edge_fields(self) -> Named[tuple[str, Field]]:
        """What has one value per edge: name -> (phenomenon, it)."""
        return Named({n: f for n, f in self._declared_fields[0].items() if f[1].where == "edge"})

    @cached_property
    def listings(self) -> Named[Listing]:
        """What the phenomena follow one by one."""
        return Named(
            {
                f"{name}.{listing.name}": listing
                for name, p in self.phenomena.items()
                for listing in p.listings(self.settings[name])
            }
        )

    @cached_property
    def quantities(self) -> Named[Balanced]:
        """What the phenomena balance."""
        return Named(
            {
                f"{name}.{quantity}": Balanced(name, quantity, dimension)
                for name, p in self.phenomena.items()
                for quantity, dimension in p.quantities(self.settings[name]).items()
            }
        )

    @cached_property
    def _declared_fields(
        self,
    ) -> tuple[dict[str, tuple[str, Field]], dict[str, tuple[str, Field]]]:
        """Fields of phenomena by their long names; terms to be kept and formulas by their own."""
        long = {
            f"{name}.{f.name}": (name, f)
            for name, p in self.phenomena.items()
            for f in p.fields(self.settings[name])
        }
        own: dict[str, tuple[str, Field]] = {}
        for k, asked in enumerate(self.model.record):
            column, _, term = asked.rpartition(".")
            field = recorded(self, column, term, k)
            own[field.name] = (column.partition(".")[0], field)
        found = Named(long, own)
        return long, {**own, **derived_fields(self, found, self._dimensions_with(found))}

    @cached_property
    def dimensions(self) -> Dimensions:
        """Of derived fields and readouts, as far as they can be told."""
        return self._dimensions_with(Named(*self._declared_fields))

    def _dimensions_with(self, fields: Named[tuple[str, Field]]) -> Dimensions:
        return tell_dimensions(
            self.model,
            self.names,
            {n: f for n, (_, f) in fields.every().items() if n not in self.model.derived},
            {n: q.dimension for n, q in self.quantities.every().items()},
        )

    def _by_key(self) -> None:
        """Let readouts and what is kept name fields and quantities by their keys."""
        for name, readout in self.model.readouts.items():
            changed = {
                entry: known.kept(typed)
                for entry, typed, known in (
                    ("field", readout.field, KINDS[readout.kind].fields(self)),
                    ("quantity", readout.quantity, self.quantities),
                )
                if typed is not None
            }
            self.model.readouts[name] = readout.model_copy(update=changed)
        self.model.keep.fields = [self.fields().kept(n) for n in self.model.keep.fields]

    # ------------------------------------------------------------ conditions

    def _given(self, on: On, place: str, column: str) -> Mapping[str, Any] | None:
        source = self.model.start if on == "start" else self.model.conditions
        found = source.get(place, {}).get(column)
        return found if found is not None and isinstance(found, dict) else None

    def _check_conditions(self) -> None:
        """Every typed condition is read once, so that bad input is named before anything else."""
        columns = {c.id for c in self.columns}
        off = {column_id(n, "") for n in self.registry}
        faults: list[Fault] = []
        for section, source in (("conditions", self.model.conditions), ("start", self.model.start)):
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
            return "start" if place in self.zones else None
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
        named = [*self.model.conditions, *self.model.start]
        drawn = {place for _, place in self.rows()}
        return [p for p in dict.fromkeys(named) if p not in drawn]

    def _read_condition(
        self, on: On, place: str, column: str
    ) -> tuple[Condition, dict[str, Any], dict[str, Any]]:
        """Declaration, typed values and meanings of a given condition. Raises CaseError."""
        given = self._given(on, place, column)
        assert given is not None
        phenomenon = self.phenomena[column.split(".")[0]]
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
        if on == "edge" and place in self.faces:
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
        phenomenon = self.phenomena[column.split(".")[0]]
        if not phenomenon.kinds(on, self._kind_of[column]) or (
            on == "edge" and phenomenon.in_solids and place in self.faces
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
        side = self.built.nozzles.get(place)
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
        default = phenomenon.default(place, on, member, self.facts)
        if isinstance(default, Absent):
            return Cell("absent")
        if isinstance(default, Missing):
            return Cell("missing", why=default.why)
        assert isinstance(default, Assumed)
        found = phenomenon.condition(on, default.kind)
        assert found is not None, f"{phenomenon.name} assumes an unknown kind {default.kind}"
        values = self._settings.read(found.params, default.values, path(place, column))
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
        return say(condition, typed, self.model.parameters)

    def overrules(self, place: str, column: str) -> str:
        """Words of the side's condition that a nozzle's own overrules here, "" if none."""
        side = self.built.nozzles.get(place)
        if not side or self._given("edge", place, column) is None:
            return ""
        if self._given("edge", side, column) is None:
            return ""
        condition, typed, _ = self._read_condition("edge", side, column)
        return self._say(condition, typed)

    @cached_property
    def facts(self) -> CaseFacts:
        return CaseFacts(self)

    # ------------------------------------------------------------ grid

    @cached_property
    def grid(self) -> Grid:
        """The grid lines. Raises CaseError when the grid would not fit into memory."""
        return Gridding(self).grid()

    def reader(self, phenomenon: str) -> Solver:
        """A solver that only tells what a state means; built once."""
        if phenomenon not in self._readers:
            from underkettle.case.solve import CaseProblem

            self._readers[phenomenon] = self.phenomena[phenomenon].build(
                CaseProblem(self, phenomenon)
            )
        return self._readers[phenomenon]

    def field(self, name: str) -> tuple[Field, Mesh]:
        """A field and the mesh it lives on. Raises KeyError."""
        owner, field = self.fields()[name]
        return field, self.mesh_of(owner)

    def crossing(self, quantity: str, state: State) -> Crossing | None:
        """What of a balanced quantity passes the grid's faces; None where nobody tells."""
        from underkettle.case.solve import crossing

        return crossing(self, quantity, state)

    def laws(self) -> Iterator[tuple[str, str, frozenset[str]]]:
        """Phenomenon, "old" or "new" and the names read, for every value that follows what is
        solved.
        """
        for name, declared in self.phenomena.items():
            sets = [(of.params, of.values) for _, of in declared.sets(self.settings[name])]
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
            for z in self.zones
            for c in self.columns
            if (
                found := self.phenomena[c.phenomenon].condition(
                    "zone", self.cell("zone", z, c.id).kind
                )
            )
            is not None
            and found.blocks
        ]

    def mesh_of(self, phenomenon: str) -> Mesh:
        """What a phenomenon lives on: blocked zones are cut out unless it lives in solids too."""
        return self.mesh if self.phenomena[phenomenon].in_solids else self.open_mesh

    @cached_property
    def stream_outline(self) -> Outline:
        """The outline of what a stream may pass: the vessel without its blocked zones."""
        blocked = self.blocked()
        return self.built.without(blocked) if blocked else self.built.outline

    @cached_property
    def open_mesh(self) -> Mesh:
        """The vessel without its blocked zones, on the same grid."""
        if self.stream_outline is self.built.outline:
            return self.mesh
        return build_mesh(
            self.grid,
            self.stream_outline,
            self.built.zones,
            self.built.screens,
            self._drawn.open_mesh if self.far else None,
            self._moved_window,
        )

    @property
    def _moved_window(self) -> Window | None:
        """Cells that parts which have moved cover, or covered as drawn."""
        if not self.far:
            return None
        boxes = np.array([c.built.boxes[name] for c in (self, self._drawn) for name in self.far])
        low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
        found = []
        for axis, lines in ((1, self.grid.y), (0, self.grid.x)):
            first = int(np.searchsorted(lines, low[axis], side="right"))
            last = int(np.searchsorted(lines, high[axis]))
            found += [first, last]
        return Window(*found).wider(1, self.grid)

    @cached_property
    def mesh(self) -> Mesh:
        mesh = build_mesh(
            self.grid,
            self.built.outline,
            self.built.zones,
            self.built.screens,
            self._drawn.mesh if self.far else None,
            self._moved_window,
        )
        if mesh.cells == 0:
            raise fault(
                "grid / size",
                "no cell fits into the vessel",
                "Give a smaller size.",
                self.model.grid.size,
            )
        return mesh

    # ------------------------------------------------------------ readouts

    def readout_unit(self, name: str, dimension: str) -> str:
        """The unit a readout is shown in. Raises CaseError when the one asked for does not fit."""
        from underkettle.quantities.units import unit_of

        model = self.model.readouts[name]
        asked, field = model.unit, self.fields().get(model.field or "")
        told = self.dimensions.readouts.get(model.of or "")
        if not asked and model.of and told is not None and told.name == dimension:
            return self.readout_unit(model.of, dimension)
        if not asked:
            same = field is not None and field[1].dimension == dimension
            return field[1].shown_in if field is not None and same else unit_of(dimension)
        unit = find_unit(asked)
        if unit is None or unit.dimension != dimension_of(dimension):
            raise fault(
                path("readouts", name, "unit"),
                f"'{asked}' does not measure it",
                f"Give a unit such as {unit_of(dimension)}.",
            )
        return asked

    def number(self, text: Any, dimension: str, where: str) -> float:
        return read_number(text, dimension, self.names, where)
