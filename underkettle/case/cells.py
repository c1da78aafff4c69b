"""What every place does for every column: given, assumed, missing or overruled."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from underkettle.engine.contract import Condition, Phenomenon

CellState = Literal["given", "assumed", "missing", "overruled", "absent"]


@dataclass(frozen=True)
class Column:
    """One column of the ledger: a phenomenon, or one member of it."""

    id: str
    phenomenon: str
    member: str
    label: str
    note: str
    kind: str = ""  # of member


@dataclass(frozen=True)
class Cell:
    """`typed` are the values as written, `values` what they mean (SI).

    An overruled cell is given, but something else (`ruled_by`, `ruled_text`) holds.
    """

    state: CellState
    kind: str = ""
    text: str = ""
    typed: Mapping[str, Any] = field(default_factory=dict)
    values: Mapping[str, Any] = field(default_factory=dict)
    why: str = ""
    ruled_by: str = ""
    ruled_text: str = ""


def column_id(phenomenon: str, member: str) -> str:
    return f"{phenomenon}.{member}" if member else phenomenon


FEW_ROWS = 8  # of a table that is said by where it begins and ends
_SLOT = re.compile(r"\{([a-z_|]+)\}")


def say(
    condition: Condition, typed: Mapping[str, Any], parameters: Mapping[str, Any] | None = None
) -> str:
    """The ledger's words: the phrase with the typed values filled in.

    {a|b} takes the first that is given; a value that is just a parameter's name shows what that
    parameter holds; without a value the default stands.
    """
    params = {p.name: p for p in condition.params}

    def fill(match: re.Match[str]) -> str:
        for name in match.group(1).split("|"):
            value = typed.get(name)
            if value is None:
                value = params[name].default
            if value is None:
                continue
            for _ in parameters or ():  # one may just be another's name
                if not isinstance(value, str) or value not in (parameters or {}):
                    break
                value = (parameters or {})[value]
            if isinstance(value, dict):
                if "name" in value:
                    return str(value["name"])
                rows = value.get("table", [])
                few = 0 < len(rows) <= FEW_ROWS
                return f"{rows[0][1]} to {rows[-1][1]}" if few else f"a table of {len(rows)} rows"
            return str(value)
        return ""

    text = _SLOT.sub(fill, condition.phrase)
    return re.sub(r"\s+,", ",", re.sub(r"\s{2,}", " ", text)).strip(" ,")


def columns_of(
    phenomena: Mapping[str, Phenomenon], settings: Mapping[str, Mapping[str, Any]]
) -> list[Column]:
    columns = []
    for name, phenomenon in phenomena.items():
        if not phenomenon.conditions:
            continue  # it asks nothing of any place
        for member in phenomenon.members(settings[name]):
            if member.column:
                identity = column_id(name, member.id)
                columns.append(
                    Column(identity, name, member.id, member.label, member.summary, member.kind)
                )
    return columns
