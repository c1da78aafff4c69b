"""The JSON Schema of case files, with the declarations of every phenomenon filled in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from underkettle.case.model import CaseModel
from underkettle.engine.contract import Condition, Param, Phenomenon
from underkettle.quantities.units import unit_of


def case_schema(registry: Mapping[str, Phenomenon]) -> dict[str, Any]:
    """Draft 2020-12 schema; dimension, reason and liveness of values travel as extensions."""
    schema = CaseModel.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Under Kettle case"
    schema["properties"]["phenomena"] = {
        "type": "object",
        "additionalProperties": False,
        "properties": {name: _settings(p) for name, p in registry.items()},
    }
    places = {
        name: _conditions(p, ("edge", "zone", "repeat", "screen", "between"))
        for name, p in registry.items()
    }
    starts = {name: _conditions(p, ("start",)) for name, p in registry.items()}
    for key, columns in (("conditions", places), ("start", starts)):
        schema["properties"][key] = {
            "type": "object",
            "description": "place -> column -> condition",
            "additionalProperties": {
                "type": "object",
                "patternProperties": {f"^{name}(\\..+)?$": c for name, c in columns.items()},
                "additionalProperties": False,
            },
        }
    return schema


def _settings(phenomenon: Phenomenon) -> dict[str, Any]:
    result = _object(phenomenon.settings)
    result["title"] = phenomenon.label
    result["description"] = phenomenon.source
    for kind in phenomenon.member_kinds:
        member = _object(kind.settings)
        member["properties"]["label"] = {"type": "string"}
        result["properties"][kind.key] = {
            "type": "object",
            "title": kind.name,
            "minProperties": kind.least,
            "additionalProperties": member,
        }
        if kind.least:
            result["required"] = [*result.get("required", []), kind.key]
    for pairing in phenomenon.pairings:
        result["properties"][pairing.key] = {
            "type": "object",
            "title": f"pairs of {' and '.join(pairing.kinds)}",
            "additionalProperties": _object(pairing.settings),
        }
    return result


def _conditions(phenomenon: Phenomenon, on: Sequence[str]) -> dict[str, Any]:
    found = [c for c in phenomenon.conditions if c.on in on]
    if not found:
        return {"not": {}}
    return {"anyOf": [_condition(c, len(phenomenon.kinds(c.on, *c.kinds[:1])) == 1) for c in found]}


def _condition(condition: Condition, only: bool) -> dict[str, Any]:
    result = _object(condition.params, condition.one_of)
    result["title"] = condition.says
    result["properties"] = {"kind": {"const": condition.name}, **result["properties"]}
    if not only:
        result["required"] = ["kind", *result.get("required", [])]
    return result


def _object(params: Sequence[Param], one_of: Sequence[str] = ()) -> dict[str, Any]:
    result: dict[str, Any] = {
        "type": "object",
        "additionalProperties": False,
        "properties": {p.name: _param(p) for p in params},
    }
    required = [
        p.name for p in params if p.default is None and not p.optional and p.name not in one_of
    ]
    if required:
        result["required"] = required
    if one_of:
        result["anyOf"] = [{"required": [name]} for name in one_of]
    return result


def _param(param: Param) -> dict[str, Any]:
    kinds: dict[str, dict[str, Any]] = {
        "choice": {"enum": list(param.choices)},
        "flag": {"type": "boolean"},
        "count": {"type": "integer", "minimum": 1},
        "text": {"type": "string"},
        "quantity": {"type": ["string", "number"]},
        "formula": {"type": ["string", "number", "object"]},
        "table": {"type": "object", "required": ["table"]},
        "list": {"type": ["array", "string"]},
        "place": {"type": "string"},
        "file": {"type": "object", "required": ["name", "text"]},
        "material": {"type": ["string", "object"]},
        "gas": {"type": "string"},
    }
    view = {
        **kinds[param.kind],
        "title": param.says,
        "x-dimension": param.dimension,
        "x-unit": unit_of(param.dimension),
        "x-live": param.live,
    }
    if param.default is not None:
        view["default"] = param.default
    if param.why:
        view["x-why"] = param.why
    return view
