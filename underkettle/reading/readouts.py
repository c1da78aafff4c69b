"""Readouts: the numbers a modeller asked for. What each kind needs and tells: see `reading.kinds`.

Means, deviations, extremes and totals may have a drawn `box`, `line` or `arc` instead of a place; a
total along a line is an integral over its length, and lines weigh by length in axisymmetric vessels
too.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.engine.marching.state import State
from underkettle.quantities.words import upper_first
from underkettle.reading.fields import cell_array
from underkettle.reading.kinds import KINDS, Look
from underkettle.reading.seen import Asked, Seen
from underkettle.reading.spans import drawn

Array = np.ndarray


@dataclass(frozen=True)
class Readout:
    """A value in SI with its dimension; None where it cannot be read yet, with the reason."""

    value: float | None
    dimension: str
    unit: str
    label: str
    why: str = ""


def problems(case: Seen, name: str) -> str:
    """What keeps a readout from being read, in words; "" when nothing does."""
    model = case.model.readouts[name]
    kind, shape = KINDS[model.kind], drawn(model)
    for key in kind.needs:
        if getattr(model, key) is None and not (key == "place" and shape):
            return f"'{key}' is not given"
    if model.weight == "flow" and "weight" not in kind.asks:
        weighed = ", ".join(n for n, k in KINDS.items() if "weight" in k.asks)
        return f"a {model.kind} is not weighted by what flows: {weighed} are"
    if shape and shape not in kind.spans:
        told = ", ".join(n for n, k in KINDS.items() if shape in k.spans)
        return f"this is not told of a {shape}: it takes {told}"
    if shape and model.place is not None:
        return f"it has a place and a {shape}: only one of them can be"
    if "field" in kind.needs and model.field not in kind.fields(case):
        known = ", ".join(kind.fields(case)) or "none"
        return f"there is no field '{model.field}'; fields are {known}"
    return _misplaced(case, model) or kind.trouble(case, name, model)


def _misplaced(case: Seen, model: Asked) -> str:
    """What is wrong with the places that a readout names."""
    kind = KINDS[model.kind]
    if "place" not in kind.needs or drawn(model):
        return ""
    for place in (model.place, model.to):
        if place is None:
            continue
        inside = (*case.places("screen"), *case.places("between"))
        if kind.divides and place in inside:
            continue
        known = case.zones if not kind.edges else (*case.places("edge"), *case.zones)
        if place not in known:
            return f"there is no {'place' if kind.edges else 'zone'} '{place}'"
        if place in case.zone_faces and _goes_on(case, model):
            return f"{model.quantity or model.field} goes on through '{place}': it is no edge of it"
        if not kind.zones and place not in case.places("edge"):
            return f"'{place}' is not an edge"
    return ""


def _goes_on(case: Seen, model: Asked) -> bool:
    """Whether what is read lives on both sides of a zone's face."""
    owner = case.fields()[model.field][0] if model.field in case.fields() else ""
    if model.quantity in case.quantities:
        owner = case.quantities[model.quantity].owner
    return bool(owner and case.phenomena[owner].in_solids)


def quantities(case: Seen) -> dict[str, str]:
    """Conserved quantities of the active phenomena -> dimension of their flow."""
    return {n: q.dimension for n, q in case.quantities.items()}


def dimension_of_readout(case: Seen, name: str) -> str:
    found = case.dimensions.readouts.get(name)
    return found.name if found is not None else "number"


def shown_units(case: Seen) -> dict[str, str]:
    """The unit each readout is shown in."""
    return {n: case.readout_unit(n, dimension_of_readout(case, n)) for n in case.model.readouts}


def label_of(case: Seen, name: str) -> str:
    text = case.model.readouts[name].label or name.replace("_", " ")
    return upper_first(text)


def evaluate_readouts(case: Seen, state: State) -> dict[str, Readout]:
    """Every readout from a state, in SI."""
    cache: dict[str, Array] = {}
    return {name: _one(case, name, state, cache) for name in case.model.readouts}


def evaluate_readout(case: Seen, name: str, state: State) -> Readout:
    """One readout from a state, in SI."""
    return _one(case, name, state, {})


def _one(case: Seen, name: str, state: State, cache: dict[str, Array]) -> Readout:
    trouble = problems(case, name)
    label = label_of(case, name)
    if trouble:
        return Readout(None, "number", "", label, trouble)
    dimension = dimension_of_readout(case, name)
    unit = case.readout_unit(name, dimension)
    model = case.model.readouts[name]

    def values(field: str) -> Array:
        if field not in cache:
            declared, mesh = case.field(field)
            cache[field] = cell_array(declared, mesh, state)
        return cache[field]

    def other(asked: str) -> float | None:
        return _one(case, asked, state, cache).value

    kind = KINDS[model.kind]
    value = kind.value(Look(case, name, model, state, values, other))
    if value is None or not np.isfinite(value):
        return Readout(None, dimension, unit, label, kind.nothing)
    return Readout(float(value), dimension, unit, label)
