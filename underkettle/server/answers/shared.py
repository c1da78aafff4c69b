"""What several answers share, and how the server says no."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Query
from pydantic import BaseModel

Metres = Annotated[float, Query(ge=-1e6, le=1e6)]  # of a place or a size in a request
Point = tuple[float, float]
Box = tuple[float, float, float, float]
Segment = tuple[float, float, float, float]


class FaultView(BaseModel):
    """What is wrong, where, what was read, what to do; `text` is all of it."""

    where: str
    says: str
    cure: str = ""
    value: str = ""
    text: str


class Refused(BaseModel):
    """The server says no, or cannot."""

    faults: list[FaultView] = []
    text: str


class Identity(BaseModel):
    id: str


class Curve(BaseModel):
    """A small plot: `points` are those that were measured or given."""

    axis: str
    axis_unit: str
    unit: str
    at: list[float]
    values: list[float | None]
    points: list[tuple[float | None, float | None]] | None = None
    label: str = ""


class Outline(BaseModel):
    """The outline of a vessel for a small picture (m)."""

    rings: list[list[Point]]
    box: Box


class Numbers(BaseModel):
    """A number with its unit."""

    value: float | None
    unit: str


class Journal(BaseModel):
    undo: str | None
    redo: str | None
    count: int


Settings = dict[str, Any]
