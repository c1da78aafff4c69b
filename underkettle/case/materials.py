"""Materials of one's own: properties as typed, numbers or laws of temperature."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from underkettle.case.faults import fault, path
from underkettle.case.values import Typed, read_parameters, read_quantity
from underkettle.matter.library import PROPERTIES
from underkettle.quantities import dimension_of, from_si
from underkettle.quantities.units import unit_of

NONE = read_parameters({})
POINTS = 41


def read_material(label: str, values: Mapping[str, str]) -> dict[str, Typed]:
    """Each property's meaning. Raises CaseError that names what cannot be read."""
    if not label.strip():
        raise fault("the material", "it has no name", "Give it one.")
    if not values:
        raise fault(label, "no property is given", "Give a density at least.")
    found: dict[str, Typed] = {}
    for name, text in values.items():
        where = path(label, name)
        if name not in PROPERTIES:
            raise fault(
                where, "this is not a property kept here", f"Known are {', '.join(PROPERTIES)}."
            )
        found[name] = read_quantity(
            text,
            name,
            NONE,
            where,
            place=False,
            solved={"temperature": dimension_of("temperature")},
        )
        value = found[name].at(known={"temperature": 293.15})
        if not np.isfinite(value) or (name != "thermal expansion" and value <= 0):
            raise fault(
                where, "at 20 degC it is not a positive number", "Look at the formula.", text
            )
    return found


def property_at(name: str, text: str, temperature: float, reach: float) -> dict[str, Any]:
    """One property at a temperature (K), its law ("" for a number) and its curve `reach` to either
    side. Raises CaseError.
    """
    unit = unit_of(name)
    value = read_material("the material", {name: text})[name]
    at = np.linspace(temperature - reach, temperature + reach, POINTS)
    known = np.broadcast_to(value.at(known={"temperature": at}), at.shape)
    here = from_si(float(np.asarray(value.at(known={"temperature": temperature}))), unit)
    return {
        "typed": f"{here:.6g} {unit}" if value.reads else str(text),
        "unit": unit,
        "law": str(text) if value.reads else "",
        "law_error": 0.0,
        "curve": {
            "axis": "temperature",
            "axis_unit": "K",
            "unit": unit,
            "at": at.tolist(),
            "values": [from_si(float(v), unit) if np.isfinite(v) else None for v in known],
        },
    }
