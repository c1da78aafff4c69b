"""The equations of a case, typeset: with what stands for their letters here, and what every place
asks of them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from underkettle.case.case import Case
from underkettle.case.cells import Cell, Column
from underkettle.engine.contract import Condition, Param
from underkettle.quantities import from_si
from underkettle.quantities.units import unit_of

_SLOT = re.compile(r"<([a-z_]+)>")


def equations(case: Case) -> list[dict[str, Any]]:
    """One entry per column of the ledger, and one per phenomenon that has none."""
    found = [_entry(case, column.phenomenon, column) for column in case.columns]
    shown = {column.phenomenon for column in case.columns}
    return found + [_entry(case, name, None) for name in case.phenomena if name not in shown]


def _entry(case: Case, name: str, column: Column | None) -> dict[str, Any]:
    declared, settings = case.phenomena[name], case.settings[name]
    pairs = [(p, settings.get(p.name)) for p in declared.settings]
    for kind in declared.member_kinds:
        if column is not None and kind.name == column.kind:
            mine = settings[kind.key][column.member]
            pairs += [(p, mine.get(p.name)) for p in kind.settings]
    typed = _typed(case, name, column)
    identity = column.id if column else name
    return {
        "column": identity,
        "label": column.label if column else declared.label,
        "tex": declared.equation,
        "source": declared.source,
        "terms": [
            {
                **asdict(t),
                "id": f"{identity}.{t.name}",
                "kept": f"{identity}.{t.name}" in case.model.record,
            }
            for t in declared.terms
            if column is None or t.is_of(column.kind)
        ],
        "letters": [
            {"symbol": p.symbol, "label": p.says, "tex": _value(p, value, typed.get(p.name))}
            for p, value in pairs
            if p.symbol and value is not None
        ],
        "places": _places(case, column) if column else [],
    }


def _typed(case: Case, name: str, column: Column | None) -> dict[str, Any]:
    given = case.model.phenomena[name]
    for kind in case.phenomena[name].member_kinds:
        if column is not None and kind.name == column.kind:
            return {**given, **given.get(kind.key, {}).get(column.member, {})}
    return given


def _places(case: Case, column: Column) -> list[dict[str, Any]]:
    """What holds where, places of one kind together."""
    lines: dict[tuple[str, str], dict[str, Any]] = {}
    for on, place in case.rows():
        cell = case.cell(on, place, column.id)
        condition = case.phenomena[column.phenomenon].condition(on, cell.kind)
        if condition is None:
            continue
        tex = _filled(condition, cell)
        line = lines.setdefault(
            (on, tex or cell.text),
            {
                "on": on,
                "tex": tex,
                "text": cell.text,
                "places": [],
                "assumed": cell.state == "assumed",
            },
        )
        line["places"].append({"id": place, "label": case.label(place)})
        line["assumed"] = line["assumed"] and cell.state == "assumed"
    return list(lines.values())


def _filled(condition: Condition, cell: Cell) -> str:
    tex = condition.tex
    if isinstance(tex, Mapping):
        tex = next((t for name, t in tex.items() if name in cell.values), "")
    params = {p.name: p for p in condition.params}
    return _SLOT.sub(
        lambda m: _value(params[m[1]], cell.values.get(m[1]), cell.typed.get(m[1])), tex
    )


def _value(param: Param, value: Any, typed: Any) -> str:
    """A number with its unit; a formula or a table as typed."""
    unit = unit_of(param.dimension)
    number = getattr(value, "value", value)
    if isinstance(number, int | float) and not isinstance(number, bool):
        return f"{_number(from_si(float(number), unit))}{_unit(unit)}"
    if isinstance(typed, dict):
        return r"\text{a table in time}"
    text = str(typed if typed is not None else param.default).replace("\\", "")
    return r"\texttt{" + re.sub(r"([_%&#$^{}])", r"\\\1", text) + "}"


def _number(value: float) -> str:
    text = f"{value:.5g}"
    if "e" not in text:
        return text
    digits, power = text.split("e")
    return rf"{digits}\times10^{{{int(power)}}}"


def _unit(unit: str) -> str:
    if not unit:
        return ""
    raised = re.sub(r"([A-Za-z])(-?\d+)", r"\1^{\2}", unit.replace("%", r"\%"))
    return r"\,\mathrm{" + raised.replace(" ", r"\,") + "}"
