"""Readouts: the numbers a modeller asked for.

Kinds, and what each needs:

through     quantity, place (edge)          what crosses the edge per second; leaving is
                                            positive unless `counts` says "in"; with a drawn `box`
                                            what leaves it less what enters
mean        field, place (edge or zone)     mean over area or volume; with weight "flow", on an
                                            edge, a line or an arc, by what flows through it
spread      field, place (edge or zone)     standard deviation, weighted as the mean is
difference  field, place, to (edges)        mean over `place` less mean over `to`
point       field, x, y                     value there
max, min    field, place (zone)             extreme over the zone, between cells, too
total       field, place (zone)             integral over the zone's open volume
on          field, place (edge)             what is told of an edge as a whole, such as a force
transfer    quantity, field, place (edge),  mean flux into the vessel over the mean difference of
            to (edge) or reference          the field between wall and reference; with `length`
                                            the Nusselt or Sherwood number
formula     formula                         of other readouts, parameters and t
history     of (readout), tells             of another readout's history in the transient stages,
                                            from `since` on, when the run has ended; for residence
                                            times `tracer` says what came then, a step or a pulse

mean, spread, max, min and total may have a drawn `box`, `line` or `arc` instead of a place; a total
along a line is an integral over its length, and lines weigh by length in axisymmetric vessels too.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from underkettle.engine.contract import Carrier
from underkettle.engine.marching.state import State
from underkettle.quantities import Dimension, FormulaError, dimension_of, parse
from underkettle.reading.boxes import box_balance, ordered
from underkettle.reading.carried import flowing, told_by_flow
from underkettle.reading.fields import cell_array
from underkettle.reading.peaks import peak
from underkettle.reading.sections import at_points
from underkettle.reading.spans import SPANNED, Span, drawn, measured, span_of, told
from underkettle.reading.walls import at_edge, field_of, transfer, wall_area, wall_quantities

Array = np.ndarray

AT_THE_END = "told when the run has ended"
NEEDS = {
    "through": ("quantity", "place"),
    "mean": ("field", "place"),
    "difference": ("field", "place", "to"),
    "point": ("field", "x", "y"),
    "max": ("field", "place"),
    "min": ("field", "place"),
    "total": ("field", "place"),
    "spread": ("field", "place"),
    "formula": ("formula",),
    "history": ("of", "tells"),
    "on": ("field", "place"),
    "transfer": ("quantity", "field", "place"),
}


@dataclass(frozen=True)
class Readout:
    """A value in SI with its dimension; None where it cannot be read yet, with the reason."""

    value: float | None
    dimension: str
    unit: str
    label: str
    why: str = ""


def problems(case: Any, name: str) -> str:
    """What keeps a readout from being read, in words; "" when nothing does."""
    model = case.model.readouts[name]
    shape = drawn(model)
    for key in NEEDS[model.kind]:
        if getattr(model, key) is None and not (key == "place" and shape):
            return f"'{key}' is not given"
    if model.kind == "formula":
        dimensions = {
            **case.dimensions.readouts,
            **case.names.dimensions,
            "t": dimension_of("time"),
        }
        dimensions.pop(name, None)
        return formula_trouble(model.formula, dimensions)
    if model.kind == "through" and shape == "box":
        if model.quantity not in quantities(case):
            return (
                f"'{model.quantity}' is not balanced here; quantities are "
                f"{', '.join(quantities(case)) or 'none'}"
            )
        return "" if model.place is None else "it has a place and a box: only one of them can be"
    if model.weight == "flow":
        if model.kind not in ("mean", "spread"):
            return "only a mean or a spread is weighted by what flows"
        if shape == "box":
            return "a mean by what flows is told of an edge, a line or an arc, not of a box"
        if shape and not flowing(case):
            return "nothing that flows is solved for, so nothing weighs its mean"
    if shape and model.kind not in SPANNED:
        return f"this is not told of a {shape}: it takes {', '.join(SPANNED)}"
    if model.kind == "history":
        return _of_what(case, model)
    if shape and model.place is not None:
        return f"it has a place and a {shape}: only one of them can be"
    known_fields = case.edge_fields if model.kind == "on" else case.fields()
    if "field" in NEEDS[model.kind] and model.field not in known_fields:
        return f"there is no field '{model.field}'; fields are {', '.join(known_fields) or 'none'}"
    if shape:
        return ""
    zonal = model.kind in ("max", "min", "total")
    for place in (model.place, model.to):
        if place is None:
            continue
        known = case.zones if zonal else (*case.places("edge"), *case.zones)
        if place not in known:
            return f"there is no {'zone' if zonal else 'place'} '{place}'"
        if place in case.faces and _goes_on(case, model):
            return f"{model.quantity or model.field} goes on through '{place}': it is no edge of it"
    if model.kind in ("through", "difference", "on") or model.weight == "flow":
        for place in (model.place, model.to):
            if place is not None and place not in case.places("edge"):
                return f"'{place}' is not an edge"
    if model.kind == "transfer":
        if (model.to is None) == (model.reference is None):
            return "what the wall is compared with is not said, or said twice: give to or reference"
        if model.place not in case.places("edge"):
            return f"'{model.place}' is not an edge"
        if model.quantity not in wall_quantities(case):
            return (
                f"the flux of '{model.quantity}' is not told at walls; known are "
                f"{', '.join(wall_quantities(case)) or 'none'}"
            )
        if model.field != field_of(case, model.quantity):
            return (
                f"what drives {model.quantity} is {field_of(case, model.quantity)}, not "
                f"{model.field}"
            )
    if model.kind == "through" and model.quantity not in quantities(case):
        return (
            f"'{model.quantity}' is not balanced here; quantities are "
            f"{', '.join(quantities(case)) or 'none'}"
        )
    return ""


def _of_what(case: Any, model: Any) -> str:
    """What is wrong with a readout of another one's history."""
    others = {n: m for n, m in case.model.readouts.items() if m.kind != "history"}
    if model.of not in others:
        return f"there is no readout '{model.of}' with a history; choose from {', '.join(others)}"
    if not any(s.mode == "transient" for s in case.model.stages.values()):
        return "nothing changes in time here, so there is no history"
    return ""


def _goes_on(case: Any, model: Any) -> bool:
    """Whether what is read lives on both sides of a zone's face."""
    owner = case.fields()[model.field][0] if model.field in case.fields() else ""
    if model.quantity in case.quantities:
        owner = case.quantities[model.quantity].owner
    return bool(owner and case.phenomena[owner].in_solids)


def quantities(case: Any) -> dict[str, str]:
    """Conserved quantities of the active phenomena -> dimension of their flow."""
    return {n: q.dimension for n, q in case.quantities.items()}


def dimension_of_readout(case: Any, name: str) -> str:
    found = case.dimensions.readouts.get(name)
    return found.name if found is not None else "number"


def shown_units(case: Any) -> dict[str, str]:
    """The unit each readout is shown in."""
    return {n: case.readout_unit(n, dimension_of_readout(case, n)) for n in case.model.readouts}


def label_of(case: Any, name: str) -> str:
    text = case.model.readouts[name].label or name.replace("_", " ")
    return text[:1].upper() + text[1:]


def evaluate_readouts(case: Any, state: State) -> dict[str, Readout]:
    """Every readout from a state, in SI."""
    cache: dict[str, Array] = {}
    return {name: _one(case, name, state, cache) for name in case.model.readouts}


def evaluate_readout(case: Any, name: str, state: State) -> Readout:
    """One readout from a state, in SI."""
    return _one(case, name, state, {})


def _one(case: Any, name: str, state: State, cache: dict[str, Array]) -> Readout:
    trouble = problems(case, name)
    label = label_of(case, name)
    if trouble:
        return Readout(None, "number", "", label, trouble)
    dimension = dimension_of_readout(case, name)
    unit = case.readout_unit(name, dimension)
    model = case.model.readouts[name]
    if model.kind == "history":
        return Readout(None, dimension, unit, label, AT_THE_END)
    if model.kind == "through":
        value = (
            _through(state, model.quantity, model.place)
            if model.box is None
            else _through_box(case, model, name, state)
        )
        if value is not None and model.counts == "in":
            value = -value
    elif model.kind == "formula":
        value = by_formula(
            case, model.formula, lambda n: _one(case, n, state, cache).value, state.time
        )
    elif model.kind == "on":
        value = _on_edge(case, model, state)
    elif model.kind == "transfer":
        value = _transfer(case, model, name, state)
    else:
        field, mesh = case.field(model.field)
        if model.field not in cache:
            cache[model.field] = cell_array(field, mesh, state)
        value = of_field(case, mesh, model, name, cache[model.field], state)
    if value is None or not np.isfinite(value):
        why = (
            "no box of open cells fits around this edge"
            if model.kind == "on"
            else "nothing to read yet"
        )
        return Readout(None, dimension, unit, label, why)
    return Readout(float(value), dimension, unit, label)


def _through(state: State, quantity: str, edge: str) -> float | None:
    """From the newest budgets that book the quantity, as a rate."""
    rates = state.sums.get("rates", {})
    if quantity not in rates:
        return None
    return float(rates[quantity].get(edge, 0.0))


def _through_box(case: Any, model: Any, name: str, state: State) -> float | None:
    """What leaves a drawn box through its sides, less what enters."""
    crossing = case.crossing(model.quantity, state)
    if crossing is None:
        return None
    return box_balance(
        crossing,
        case.grid.x,
        case.grid.y,
        ordered(measured(case, model, f"readouts / {name} / box")),
    ).net


def by_formula(
    case: Any, text: str, readout: Callable[[str], float | None], time: float
) -> float | None:
    """A formula of other readouts, SI; None where one of them is not told."""
    formula = parse(text, {*case.names.values, *case.model.readouts})
    asked = [n for n in formula.names if n in case.model.readouts and n not in case.names.values]
    known = {n: v for n in asked if (v := readout(n)) is not None}
    if len(known) < len(asked):
        return None
    return float(np.asarray(formula.evaluate({**known, **case.names.values, "t": time})))


def formula_trouble(formula: str | None, known: Mapping[str, Dimension]) -> str:
    """Why a formula cannot be read with these names, in words; "" where it can."""
    try:
        parse(str(formula), known).dimension(known)
    except FormulaError as error:
        return f"its formula cannot be read: {error}"
    return ""


def _transfer(case: Any, model: Any, name: str, state: State) -> float | None:
    """Mean flux over the mean difference, by area."""
    found = at_edge(case, state, model.quantity, model.place)
    reference = _reference(case, model, name, state)
    if reference is None or found.area.sum() <= 0:
        return None
    share = found.area / found.area.sum()
    drive = float((found.value * share).sum()) - reference
    if drive == 0:
        return None
    value = float((found.flux * found.area).sum()) / (
        wall_area(case, model.quantity, model.place) * drive
    )
    if model.length is not None:
        length = case.number(model.length, "length", f"readouts / {name} / length")
        value *= length / float((found.conducts * share).sum())
    return value


def _reference(case: Any, model: Any, name: str, state: State) -> float | None:
    """What a transfer readout compares the wall with: typed, or the mean on an edge."""
    field, mesh = case.field(model.field)
    if model.reference is not None:
        where = f"readouts / {name} / reference"
        return float(case.number(model.reference, field.dimension, where))
    values = cell_array(field, mesh, state)
    found = _flow_mean(case, values, model.to, state)
    if found is not None:
        return found
    wall = at_edge(case, state, model.quantity, model.to)  # a wall is read at the wall itself
    if wall.area.sum() > 0:
        return float((wall.value * wall.area).sum() / wall.area.sum())
    return edge_mean(mesh, values, model.to)


def local_transfer(case: Any, name: str, line: dict[str, Array], state: State) -> Array:
    """A transfer readout place by place along its edge; line : as `along_edge` gives it."""
    model = case.model.readouts[name]
    reference = _reference(case, model, name, state)
    if reference is None:
        return np.full(line["flux"].shape, np.nan)
    length = None
    if model.length is not None:
        length = case.number(model.length, "length", f"readouts / {name} / length")
    return transfer(line, reference, length)


def _on_edge(case: Any, model: Any, state: State) -> float | None:
    owner, field = case.edge_fields[model.field]
    mesh = case.mesh_of(owner)
    assert field.derive is not None
    return float(field.derive(mesh, state)[mesh.edge_index(model.place)])


def of_field(
    case: Any, mesh: Any, model: Any, name: str, values: Array, state: State
) -> float | None:
    """One that is told of a field (ny, nx) in SI; the state only serves weights by flow."""
    grid = mesh.grid
    inner = (0, slice(1, grid.ny + 1), slice(1, grid.nx + 1))
    if model.kind == "point":
        x = case.number(model.x, "length", f"readouts / {name} / x")
        y = case.number(model.y, "length", f"readouts / {name} / y")
        xc, yc = 0.5 * (grid.x[1:] + grid.x[:-1]), 0.5 * (grid.y[1:] + grid.y[:-1])
        return float(at_points(values, xc, yc, np.array([x]), np.array([y]))[0])
    if model.kind == "difference":
        a, b = edge_mean(mesh, values, model.place), edge_mean(mesh, values, model.to)
        return None if a is None or b is None else a - b
    if drawn(model):
        where = f"readouts / {name}"
        if model.weight == "flow":
            return told_by_flow(case, model, values, state, where)
        return told(model.kind, span_of(case, mesh, model, values, where))
    if model.place in case.places("edge"):
        if model.kind == "spread":
            return _edge_spread(case, mesh, values, model, state)
        if model.weight == "flow":
            return _flow_mean(case, values, model.place, state)
        return edge_mean(mesh, values, model.place)
    inside = mesh.zone_cells(model.place)[inner] & np.isfinite(values)
    if model.kind in ("max", "min"):
        return peak(
            np.where(inside, values, np.nan), grid.x, grid.y, 1.0 if model.kind == "max" else -1.0
        )
    return told(model.kind, Span(values[inside], mesh.volume[inner][inside]))


def _edge_spread(case: Any, mesh: Any, values: Array, model: Any, state: State) -> float | None:
    """Standard deviation over an edge, by area or by what leaves."""
    flow = model.weight == "flow"
    mean = (
        _flow_mean(case, values, model.place, state)
        if flow
        else edge_mean(mesh, values, model.place)
    )
    if mean is None:
        return None
    square = (values - mean) ** 2
    found = (
        _flow_mean(case, square, model.place, state)
        if flow
        else edge_mean(mesh, square, model.place)
    )
    return None if found is None else max(found, 0.0) ** 0.5


def edge_mean(mesh: Any, values: Array, edge: str) -> float | None:
    """Area mean on an edge. On an edge along a grid line the value is carried on from the two
    cells next to it; elsewhere the cell's own value is taken.
    """
    pieces = mesh.pieces
    rows = pieces.of(mesh.edge_index(edge))
    j, i = pieces.j[rows] - 1, pieces.i[rows] - 1
    value = values[j, i]
    for axis, normal in ((0, pieces.nx[rows]), (1, pieces.ny[rows])):
        h = mesh.grid.widths(axis)[1:-2]
        step = np.sign(normal).astype(int)
        j2, i2 = (j, i - step) if axis == 0 else (j - step, i)
        inside = (j2 >= 0) & (i2 >= 0) & (j2 < values.shape[0]) & (i2 < values.shape[1])
        inside &= pieces.axis[rows] == axis
        k, k2 = (i, i2) if axis == 0 else (j, j2)
        second = values[np.where(inside, j2, 0), np.where(inside, i2, 0)]
        inside &= np.isfinite(second)
        near, far = h[k], h[np.where(inside, k2, 0)]
        value = np.where(inside, value + (value - second) * near / (near + far), value)
    good = np.isfinite(value)
    area = pieces.area[rows]
    if not good.any():
        return None
    return float((value[good] * area[good]).sum() / area[good].sum())


def _flow_mean(case: Any, values: Array, edge: str, state: State) -> float | None:
    """Mean weighted by the flow that leaves through the edge: mass where density varies."""
    pieces = case.mesh.pieces
    rows = pieces.of(case.mesh.edge_index(edge))
    for solver_name in case.makers(Carrier):
        for what in case.meetings[solver_name].provides:
            if what.kind is not Carrier:
                continue
            carrier = cast(Carrier, case.reader(solver_name).offer(what, state))
            weight = np.maximum((carrier.mass or carrier.volume).through[rows], 0.0)
            if weight.sum() <= 0:
                return None
            value = values[pieces.j[rows] - 1, pieces.i[rows] - 1]
            good = np.isfinite(value)
            return float((value[good] * weight[good]).sum() / weight[good].sum())
    return None
