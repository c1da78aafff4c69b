"""Answers of instruments: what is read out of frames and histories."""

from __future__ import annotations

from pydantic import BaseModel

from underkettle.reading.measured import Misfit
from underkettle.server.answers.shared import Point

Values = list[float | None]


class FrameView(BaseModel):
    id: int
    stage: str
    axis: str
    value: float
    shown: float
    step: int
    moved: bool


class AxisView(BaseModel):
    """What the frames of a stage go along, and the unit that `shown` is in."""

    name: str
    unit: str


class FieldTold(BaseModel):
    label: str
    unit: str
    centred: bool
    range: Point | None
    derived: bool
    component: tuple[str, int] | None


class ReadoutTold(BaseModel):
    label: str
    unit: str
    late: bool
    value: float | None


class EntryView(BaseModel):
    name: str
    label: str
    unit: str
    words: list[str]


class ListingView(BaseModel):
    """Things followed one by one, and what is known of each."""

    label: str
    entries: list[EntryView]
    line: str


class WallsView(BaseModel):
    """Where walls stood at a frame: closed lines (m)."""

    rings: list[list[list[float]]]


class PictureView(BaseModel):
    """A picture kept with the case; ends of its scale as shown, its place along the axis in SI."""

    field: str
    label: str
    unit: str
    centred: bool
    over: str
    stage: str
    at: float | None
    low: float | None
    high: float | None
    steps: int
    reversed: bool
    log: bool
    stretched: bool | None
    layers: list[str]
    vector: str
    flux: str


class FramesView(BaseModel):
    """All frames, the grid (m), and what is known of every field over the run."""

    chief: str
    frames: list[FrameView]
    axes: dict[str, AxisView]
    listings: dict[str, ListingView]
    x: list[float]
    y: list[float]
    fields: dict[str, FieldTold]
    readouts: dict[str, ReadoutTold]
    pictures: dict[str, PictureView]


class EdgePieces(BaseModel):
    """What lies on the edges: from x, y to x, y (m) and the value there, as shown."""

    unit: str
    pieces: list[tuple[float, float, float, float, float]]


class Probed(BaseModel):
    value: float
    unit: str
    label: str


class ProbeView(BaseModel):
    x: float
    y: float
    values: dict[str, Probed]


class HistoryView(BaseModel):
    """A readout over time, or along what a series applies (`axis`), in the axis' unit."""

    label: str
    unit: str
    axis: AxisView
    time: list[float]
    value: Values


class LegView(BaseModel):
    """From one row to another, both counted from 0, over rising places or falling ones."""

    first: int
    last: int
    up: bool


class AgainstView(BaseModel):
    """One readout (y) against another (x) as both go on. round : the row from which on it has come
    round to where it ends; enclosed : what that goes round, in the product of both units.
    """

    label: str
    unit: str
    over: AxisView
    x: Values
    y: Values
    legs: list[LegView]
    round: int | None
    enclosed: float | None


class ProfileView(BaseModel):
    """Distance in mm, places in m; `drawn` is how a readout draws the same line."""

    distance: list[float]
    value: Values
    unit: str
    x: list[float]
    y: list[float]
    drawn: dict[str, list[str]]


class WallView(BaseModel):
    distance: list[float]
    value: Values
    unit: str
    x: list[float]
    y: list[float]


class Over(BaseModel):
    """A field over a box or an edge."""

    label: str
    unit: str
    mean: float
    low: float
    high: float
    total: float
    total_unit: str


class BoxView(BaseModel):
    volume: float
    values: dict[str, Over]


class Sides(BaseModel):
    unit: str
    inflow: dict[str, float]
    outflow: dict[str, float]
    given: float
    taken: float
    left: float
    relative: float


class BoxBalanceView(BaseModel):
    box: list[float]
    balance: dict[str, Sides]
    rests: bool


class Passed(BaseModel):
    out: float
    unit: str


class EdgeView(BaseModel):
    area: float
    values: dict[str, Over]
    passed: dict[str, Passed]


class DistributionView(BaseModel):
    label: str
    unit: str
    ends: list[float]
    share: list[float]
    below: list[float]
    mean: float
    deviation: float
    quantiles: dict[str, float]
    volume: float


class LaidView(BaseModel):
    x: list[float]
    y: list[float]
    misfit: Misfit
    units: tuple[str, str]
    assumed: tuple[bool, bool]


class SpectrumView(BaseModel):
    unit: str
    frequency: list[float]
    amplitude: list[float]
    peak: float
    height: float
    periods: float
    mean: float
    window: str
    doubt: str


class Moments(BaseModel):
    """How long things stay: mean (s), variance (s2), deviation (s), skewness, peak (s)."""

    mean: float
    variance: float
    deviation: float
    skewness: float
    peak: float
    tanks: float | None
    peclet: float | None


class WayView(BaseModel):
    """What goes one of two ways: its share of what came, mean stay (s), peak (s), tanks in series."""

    share: float
    mean: float
    peak: float
    tanks: float


class StayView(Moments):
    """Moments of what came; `whole` : with what is still to come carried on exponentially. ways :
    the two that make two peaks, else none; fitted : their exit age together; misfit : the largest
    difference of their cumulative curve.
    """

    time: list[float]
    cumulative: list[float]
    exit_age: list[float]
    ways: list[WayView]
    fitted: list[float]
    misfit: float | None
    recovered: float | None
    whole: Moments | None
    sure: str
    notes: list[str]
    volume: float | None
    open_volume: float
    pore_volume: float | None
    flow: float | None


class FilmCount(BaseModel):
    count: int
