"""A case worked out: parameters, vessel, settings, conditions in force, grid."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from copy import copy
from functools import cached_property
from typing import Any, Protocol

import numpy as np

from underkettle.case.cells import Cell, Column
from underkettle.case.derived import Dimensions
from underkettle.case.facts import CaseFacts
from underkettle.case.faults import fault, path
from underkettle.case.fields import Fields
from underkettle.case.gridding import Gridding
from underkettle.case.keeping import kept_box, kept_fields
from underkettle.case.ledger import Ledger
from underkettle.case.model import CaseModel, merge_patch, read_model
from underkettle.case.naming import Balanced, Named
from underkettle.case.pictures import check_pictures
from underkettle.case.settings import Settings
from underkettle.case.shapes.plate import Plate
from underkettle.case.space import Space
from underkettle.case.stages import check_stages
from underkettle.case.values import (
    Names,
    read_number,
    read_parameters,
)
from underkettle.case.vessel import Built, build_vessel, move
from underkettle.engine.contract import (
    AtWalls,
    Crossing,
    Field,
    Listing,
    Offer,
    On,
    Phenomenon,
    Solver,
    find_phenomena,
)
from underkettle.engine.marching.order import Meeting
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Grid, Mesh, Outline
from underkettle.quantities import dimension_of, find_unit
from underkettle.reading.spans import drawn, sized


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
            self.space = Space(self, like.built)
            self.space.take_over(like.space)
        else:
            turned = self.model.dimension == "axisymmetric"
            self.space = Space(self, build_vessel(self.model.vessel, self.names, turned))
        settings = Settings(self.model, self.names, self.registry)
        self.phenomena, self.solved = settings.phenomena, settings.solved
        self.settings = {name: settings.of(name) for name in self.phenomena}
        self.ledger, self.told = Ledger(self, settings), Fields(self)
        self._readers: dict[str, Any] = {}
        self.ledger.check()
        check_stages(self)
        self.fields()  # terms to be kept and formulas are known, or refused here
        self.told.by_key()
        kept_fields(self)
        kept_box(self)
        check_pictures(self)
        for name, readout in self.model.readouts.items():
            if drawn(readout):
                sized(self, readout, path("readouts", name, drawn(readout)))
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

    def coarser(self, by: float) -> Case:
        """The same on a grid with cells that many times as wide. Raises CaseError."""
        return Case(
            self.source, self.set, self.variant or None, self.grid_factor / by, self.registry
        )

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
        found.memo, found._readers = {}, {}
        found.__dict__.pop("facts", None)
        built = move(drawn.built, self.model.vessel, self.names, far)
        found.space = Space(found, built, drawn.space, far)
        found.ledger = drawn.ledger.of(found)
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

    # ------------------------------------------------------------ the space

    @property
    def built(self) -> Built:
        return self.space.built

    @property
    def edges(self) -> tuple[str, ...]:
        return self.space.edges

    @property
    def zone_faces(self) -> tuple[str, ...]:
        return self.space.zone_faces

    @property
    def zones(self) -> tuple[str, ...]:
        return self.space.zones

    @property
    def repeats(self) -> dict[str, int]:
        return self.space.repeats

    @property
    def borders(self) -> dict[str, list[Any]]:
        return self.space.borders

    @property
    def grid(self) -> Grid:
        return self.space.grid

    @property
    def mesh(self) -> Mesh:
        return self.space.mesh

    @property
    def open_mesh(self) -> Mesh:
        return self.space.open_mesh

    @property
    def stream_outline(self) -> Outline:
        return self.space.stream_outline

    @property
    def far(self) -> Mapping[str, tuple[float, float]]:
        return self.space.far

    def outline_of(self, edge: str) -> Outline:
        return self.space.outline_of(edge)

    def box_of(self, place: str) -> tuple[float, float, float, float]:
        return self.space.box_of(place)

    def edges_of(self, part: str) -> tuple[str, ...]:
        return self.space.edges_of(part)

    def mesh_of(self, phenomenon: str) -> Mesh:
        return self.space.mesh_of(phenomenon)

    # ------------------------------------------------------------ the ledger

    @property
    def columns(self) -> list[Column]:
        return self.ledger.columns

    def places(self, on: On) -> tuple[str, ...]:
        return self.ledger.places(on)

    def rows(self) -> Iterator[tuple[On, str]]:
        return self.ledger.rows()

    def label(self, place: str) -> str:
        return self.ledger.label(place)

    def on(self, section: str, place: str) -> On | None:
        return self.ledger.on(section, place)

    def lost_places(self) -> list[str]:
        return self.ledger.lost_places()

    def cell(self, on: On, place: str, column: str) -> Cell:
        return self.ledger.cell(on, place, column)

    def overrules(self, place: str, column: str) -> str:
        return self.ledger.overrules(place, column)

    def laws(self) -> Iterator[tuple[str, str, frozenset[str]]]:
        return self.ledger.laws()

    def blocked(self) -> list[str]:
        return self.ledger.blocked()

    # ------------------------------------------------------------ fields

    def fields(self) -> Named[tuple[str, Field]]:
        return self.told.fields()

    @property
    def edge_fields(self) -> Named[tuple[str, Field]]:
        return self.told.edge_fields

    @property
    def listings(self) -> Named[Listing]:
        return self.told.listings

    def listing(self, name: str) -> Listing:
        """What is followed under a name, with the names of the edges that it tells of."""
        return self.told.with_edges(name)

    @property
    def quantities(self) -> Named[Balanced]:
        return self.told.quantities

    @property
    def dimensions(self) -> Dimensions:
        return self.told.dimensions

    @cached_property
    def facts(self) -> CaseFacts:
        return CaseFacts(self)

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

    @cached_property
    def porosity(self) -> np.ndarray | None:
        """Share of each cell (ny, nx) that porous matter leaves open; None where there is none."""
        from underkettle.case.solve import porosity

        return porosity(self)

    @cached_property
    def permeability(self) -> tuple[float, float] | None:
        """Of porous matter along x and y (m2), on average over where it stands; None without any."""
        from underkettle.case.solve import permeability

        return permeability(self)

    def at_walls(self, quantity: str, state: State) -> AtWalls:
        """What is felt at walls of a quantity that its owner tells there."""
        from underkettle.case.solve import at_walls

        return at_walls(self, quantity, state)

    def crossing(self, quantity: str, state: State) -> Crossing | None:
        """What of a balanced quantity passes the grid's faces; None where nobody tells."""
        from underkettle.case.solve import crossing

        return crossing(self, quantity, state)

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
