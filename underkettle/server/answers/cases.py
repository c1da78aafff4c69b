"""Answers about a case: sheet, ledger, audit, paper, cost, equations."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, WithJsonSchema

from underkettle.case.cost import Cost
from underkettle.case.paper import RegimeRow
from underkettle.engine.contract import On
from underkettle.engine.contract.declared import ParamKind
from underkettle.server.answers.shared import (
    Box,
    Curve,
    Journal,
    Numbers,
    Outline,
    Point,
    Segment,
)

CaseFile = Annotated[dict[str, Any], WithJsonSchema({"type": "object", "x-is": "CaseFile"})]


class ParamView(BaseModel):
    name: str
    label: str
    kind: ParamKind
    dimension: str
    unit: str
    why: str
    default: str | float | bool | None
    choices: list[str]
    optional: bool
    live: bool
    law: bool
    over: str
    among: Literal["", "edge", "zone"]
    shows: bool


class ConditionView(BaseModel):
    name: str
    label: str
    on: On
    params: list[ParamView]
    one_of: list[str]
    kinds: list[str]
    passes: bool
    applies: bool


class TermView(BaseModel):
    name: str
    tex: str
    says: str
    dimension: str = ""


class MemberKindView(BaseModel):
    name: str
    key: str
    column: bool
    least: int
    settings: list[ParamView]
    known: int


class PairingView(BaseModel):
    kinds: tuple[str, str]
    key: str
    settings: list[ParamView]


class PhenomenonView(BaseModel):
    """The whole declaration, as a card editor and an equation view need it."""

    name: str
    label: str
    summary: str
    about: str
    blank: dict[str, Any]
    equation: str
    source: str
    settings: list[ParamView]
    member_kinds: list[MemberKindView]
    pairings: list[PairingView]
    conditions: list[ConditionView]
    terms: list[TermView]


class CellView(BaseModel):
    state: Literal["given", "assumed", "missing", "overruled", "absent"]
    kind: str
    text: str
    why: str
    typed: dict[str, Any]
    ruled_by: str
    ruled_text: str
    overrules: str


class ColumnView(BaseModel):
    id: str
    phenomenon: str
    member: str
    label: str
    note: str
    kind: str


class RowView(BaseModel):
    place: str
    on: On
    label: str
    nozzle: bool
    face: bool
    measure: str
    cells: dict[str, CellView]


class Counts(BaseModel):
    given: int
    assumed: int
    missing: int
    overruled: int


class LedgerView(BaseModel):
    columns: list[ColumnView]
    rows: list[RowView]
    counts: Counts


class SheetEdge(BaseModel):
    label: str
    segments: list[Segment]
    line: Literal["wall", "in", "out", "open", "mirror", "missing", "repeat", "screen", "between"]
    nozzle: bool
    on: On


class DimensionView(BaseModel):
    """A size worth drawing, and where it is typed."""

    axis: Literal["x", "y", "r", "at"]
    begin: Point
    end: Point
    angle: float
    text: str
    path: list[str]
    typed: str
    part: str
    index: tuple[int, int] | None
    chosen: bool


class PartView(BaseModel):
    box: Box
    does: str
    shape: str
    points: list[Point]
    centre: Point
    outline: list[Point]


class SideView(BaseModel):
    part: str
    side: str
    begin: Point
    end: Point


class Ends(BaseModel):
    begin: Point
    end: Point


class SheetView(BaseModel):
    """What is drawn; lengths in m."""

    box: Box
    drawn: Box
    round: bool
    edges: dict[str, SheetEdge]
    rings: list[list[Point]]
    zones: dict[str, list[list[Point]]]
    parts: dict[str, PartView]
    dimensions: list[DimensionView]
    sides: list[SideView]
    nozzles: dict[str, Ends]


class EquationTerm(TermView):
    id: str
    kept: bool


class Letter(BaseModel):
    symbol: str
    label: str
    tex: str


class PlaceName(BaseModel):
    id: str
    label: str


class EquationPlaces(BaseModel):
    on: On
    tex: str
    text: str
    assumed: bool
    places: list[PlaceName]


class EquationView(BaseModel):
    column: str
    label: str
    tex: str
    source: str
    terms: list[EquationTerm]
    letters: list[Letter]
    places: list[EquationPlaces]


class Difference(BaseModel):
    path: list[str]
    before: Any
    here: Any


class FindingView(BaseModel):
    grade: Literal["stops", "contradiction", "doubt"]
    sentence: str
    reason: str
    place: str
    column: str
    cure: list[tuple[str, Any]]
    cure_label: str
    key: str
    rule: str
    settled: str


class PaperView(BaseModel):
    readout: str
    label: str
    value: float | None
    unit: str
    by: str
    tex: str
    source: str
    range: str
    inside: bool
    note: str
    measured: tuple[float, float] | None
    own: str


class GridView(BaseModel):
    nx: int
    ny: int
    cells: int
    x: list[float]
    y: list[float]
    cut: list[tuple[int, int, int]]


class ParameterView(BaseModel):
    name: str
    typed: str | float
    value: str
    unit: str


class FieldView(BaseModel):
    label: str
    unit: str
    centred: bool
    symbol: str
    chief: bool
    component: tuple[str, int] | None


class EdgeField(BaseModel):
    label: str
    unit: str


class Followed(BaseModel):
    """What is followed one by one: what of each is a number."""

    label: str
    numbers: list[str]


class Places(BaseModel):
    """By name; those with two sides are screens, and where zones meet."""

    edges: list[str]
    zones: list[str]
    divides: list[str]


class ReadoutKindView(BaseModel):
    """A kind of readout: what the page asks for, and over what it may be told."""

    name: str
    says: str
    sentence: str
    asks: list[str]
    spans: list[str]
    places: list[Literal["edges", "zones", "divides"]]


class CaseView(BaseModel):
    """Everything the Set screen shows of a case."""

    id: str
    name: str
    data: CaseFile
    variant: str
    variants: dict[str, list[Difference]]
    sheet: SheetView
    ledger: LedgerView
    audit: list[FindingView]
    review: list[str]
    can_run: bool
    regimes: list[RegimeRow]
    paper: list[PaperView]
    added: list[PaperView]
    cost: Cost | None
    grid: GridView | None
    equations: list[EquationView]
    phenomena: dict[str, PhenomenonView]
    active: list[str]
    parameters: list[ParameterView]
    fields: dict[str, FieldView]
    edge_fields: dict[str, EdgeField]
    listings: dict[str, Followed]
    readout_kinds: list[ReadoutKindView]
    quantities: list[str]
    wall_quantities: list[str]
    places: Places
    journal: Journal


class Understood(BaseModel):
    """What a typed value means."""

    text: str
    curve: Curve | None


class ShownView(BaseModel):
    """What is made of a setting: a line over points, how far these lie off, in words; or why not."""

    curve: Curve | None
    off: Curve | None
    says: list[str]
    fault: str


class ProofView(BaseModel):
    name: str
    title: str
    summary: str


class Template(BaseModel):
    name: str
    summary: str
    data: CaseFile
    sheet: Outline


class Outlines(BaseModel):
    """Parts out of a drawing; None until a unit is known. `size` is in the drawing's own unit."""

    metres_per_unit: float | None
    outlines: int
    size: Point
    units: dict[str, float]
    parts: dict[str, dict[str, Any]] | None


class KnownSetView(BaseModel):
    """Members that belong together, as they would be typed."""

    name: str
    label: str
    about: str
    source: str
    members: dict[str, dict[str, Any]]
    settings: dict[str, Any]


class MatterEntry(BaseModel):
    id: str
    label: str
    share: str
    own: bool


class MatterProperty(BaseModel):
    typed: str
    unit: str
    law: str
    law_error: float
    curve: Curve


class MatterView(BaseModel):
    phase: str
    source: str
    typed: dict[str, str]
    values: dict[str, MatterProperty]


class TasteView(BaseModel):
    status: Literal["settled", "cut short", "failed", "taken back"]
    says: str
    factor: float
    cells: int
    seconds: float
    chief: str
    x: list[float]
    y: list[float]
    readouts: dict[str, Numbers]
    fields: list[str]


class SumEntry(BaseModel):
    name: str
    label: str
    dimension: str
    default: str
    kind: Literal["quantity", "choice", "text", "table"]
    choices: list[str]
    columns: list[tuple[str, str]]
    unit: str


class SumGives(BaseModel):
    name: str
    label: str
    dimension: str
    unit: str


class SumView(BaseModel):
    name: str
    label: str
    group: str
    summary: str
    source: str
    tex: str
    range: str
    relation: bool
    entries: list[SumEntry]
    gives: list[SumGives]


class SumResult(BaseModel):
    name: str
    label: str
    unit: str
    value: float | None
    typed: str


class SumAnswer(BaseModel):
    gives: list[SumResult]
    inside: bool
    table: list[list[str]] | None
    curve: Curve | None
