"""Answers about runs and the shelf."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from underkettle.server.answers.reading import PictureView
from underkettle.server.answers.shared import Outline

RunStatus = Literal["waiting", "running", "finished", "stopped", "failed", "interrupted", "damaged"]


class Fired(BaseModel):
    id: str
    number: int


class Helped(BaseModel):
    id: str
    helpers: int


class Adjusted(BaseModel):
    status: str
    words: str


class Status(BaseModel):
    status: str


class Kind(BaseModel):
    kind: str


class VariantName(BaseModel):
    variant: str


class Watch(BaseModel):
    """One kept row of the histories."""

    step: int
    time: float
    stage: str
    mode: str
    dt: float
    reason: str
    by: str
    parts: dict[str, int]
    residuals: dict[str, float]
    iterations: int
    done: float
    wall: float
    clock: float
    gap: dict[str, float]
    readouts: dict[str, float]
    stage_step: int
    stage_time: float


class Sampled(BaseModel):
    mean: float
    margin: float
    deviation: float
    since: float
    crossings: float


class ReadoutResult(BaseModel):
    value: float | None
    unit: str
    paper: float | None = None
    measured: tuple[float, float] | None = None
    margin: float | None = None
    order: float | None = None
    margin_says: str = ""
    why: str = ""
    sampled: Sampled | None = None
    further: float | None = None  # the same with what is open further off


class BalanceResult(BaseModel):
    entering: float = Field(alias="in")
    leaving: float = Field(alias="out")
    inflow: dict[str, float]
    outflow: dict[str, float]
    made: float
    given: dict[str, float]
    stored: float
    began: float
    unit: str
    flow_unit: str
    relative: float
    stage: str


class RunResult(BaseModel):
    status: str = ""
    grids: list[int] | None = None
    further: list[str] | None = None  # edges that were moved out
    readouts: dict[str, ReadoutResult] = {}
    balance: dict[str, BalanceResult] = {}
    steps: int = 0
    cells: int = 0
    wall_s: float = 0.0
    warnings: list[str] = []
    message: str = ""


class Adjustment(BaseModel):
    clock: float
    time: float
    step: int
    stage: str
    words: str


class RunView(BaseModel):
    """A run as lists show it."""

    id: str
    number: int
    case: str
    serves: str = ""
    variant: str = ""
    created: float
    status: RunStatus
    wall: float = 0.0
    frames: int = 0
    lines: int = 0
    newest: Watch | None = None
    message: str = ""
    cells: int | None = None
    left: tuple[float, float] | None = None
    expected: tuple[float, float] | None = None
    place: int = 0
    helpers: list[RunStatus] = []
    further: RunStatus | None = None  # of the run with what is open further off
    adjusted: list[Adjustment] = []
    last_frame: int | None = None
    result: RunResult | None = None


class LogLine(BaseModel):
    id: int
    clock: float
    kind: str
    text: str
    time: float
    step: int


class RunWhole(RunView):
    """A run with its log."""

    log: list[LogLine] = []


class LiveValue(BaseModel):
    path: list[str]
    says: str
    typed: Any
    unit: str
    choices: list[str]


class Shot(BaseModel):
    run: str
    frame: int


class ShelfCard(BaseModel):
    """A case as the shelf shows it. `trouble` : why it cannot be read; `look` : how its picture is
    shown.
    """

    id: str
    name: str
    summary: str
    touched: float
    demo: str | None
    phenomena: list[str]
    runs: int
    missing: int
    last_run: RunView | None
    picture: Shot | None
    trouble: str = ""
    sheet: Outline | None = None
    look: PictureView | None = None


class About(BaseModel):
    name: str
    version: str
    clock: float
    notice: str = ""
