"""What a side sum is: typed entries in, numbers with units and a curve out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from underkettle.quantities.curve import Curve


class SumError(ValueError):
    """The entries have no answer; says why."""


@dataclass(frozen=True)
class Entry:
    """One thing asked for. A table has a dimension per column; its default is rows of text."""

    name: str
    label: str
    dimension: str = "number"
    default: str = ""
    kind: Literal["quantity", "choice", "text", "table"] = "quantity"
    choices: tuple[str, ...] = ()
    columns: tuple[tuple[str, str], ...] = ()  # of a table: label and dimension


@dataclass(frozen=True)
class Gives:
    """One number that comes out, or a table in time that a field can take."""

    name: str
    dimension: str
    label: str


@dataclass(frozen=True)
class SideSum:
    """`compute` takes SI values by name (texts and tables as they are, tables as arrays) and gives
    numbers in SI by name; raises SumError.
    """

    name: str
    label: str
    group: str
    summary: str
    source: str
    entries: tuple[Entry, ...]
    gives: tuple[Gives, ...]
    compute: Callable[..., Mapping[str, float]]
    curve: Callable[..., Curve] | None = None
    tex: str = ""
    range: str = ""
    fits: Callable[..., bool] = lambda **values: True
    table: Callable[..., list[list[str]]] | None = None  # a table in time to send into a field


def positive(**values: Any) -> None:
    """Refuse what must be above nought. Raises SumError."""
    for name, value in values.items():
        if not value > 0:
            raise SumError(f"{name.replace('_', ' ')} must be above nought")
