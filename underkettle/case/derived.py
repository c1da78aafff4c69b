"""Fields and readouts made of others by a formula: what they measure, and their values.

A derived field may name fields, readouts, parameters, x, y and t; a formula readout may name
readouts, parameters and t. Both grow from what is known already, so none can go round in a circle.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.case.averaging import so_far
from underkettle.case.faults import fault, path
from underkettle.case.model import CaseModel
from underkettle.case.naming import Named, shared_by
from underkettle.case.values import PLACE, RESERVED, Names
from underkettle.case.worked import Worked
from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.quantities import (
    Dimension,
    Formula,
    FormulaError,
    dimension_of,
    find_unit,
    parse,
    words_in,
)
from underkettle.quantities.dimension import NUMBER
from underkettle.reading.dimensions import readout_dimension
from underkettle.reading.fields import cell_array
from underkettle.reading.histories import told_dimension
from underkettle.reading.kinds.formula import formula_trouble
from underkettle.reading.readouts import evaluate_readout

Array = np.ndarray


@dataclass(frozen=True)
class Dimensions:
    """Of derived fields and of readouts, as far as they can be told."""

    derived: dict[str, Dimension]
    readouts: dict[str, Dimension]


def tell_dimensions(
    model: CaseModel,
    names: Names,
    fields: Mapping[str, Field],
    flows: Mapping[str, str],
    entries: Mapping[str, str],
) -> Dimensions:
    """fields : those of phenomena; flows : balanced quantities and the dimensions of their flow;
    entries : what is told of things followed one by one, `listing.entry`, and its dimension.
    """
    solved = {n: dimension_of(f.dimension) for n, f in fields.items() if f.where == "cell"}
    found = Dimensions({}, {})
    measured: dict[str, Any] = {**{n: Field(n, n, of) for n, of in entries.items()}, **fields}
    grown = True
    while grown:
        grown = False
        for name, derived in model.derived.items():
            if name not in found.derived:
                known = {**solved, **found.derived, **found.readouts, **names.dimensions, **PLACE}
                told = _told(derived.formula, known)
                if told is not None:
                    found.derived[name], grown = told, True
                    measured.setdefault(name, Field(name, name, told.name))
        for name, readout in model.readouts.items():
            if name not in found.readouts:
                told = _of_readout(readout, found, names, measured, flows)
                if told is not None:
                    found.readouts[name], grown = told, True
    return found


def _of_readout(
    readout: Any,
    found: Dimensions,
    names: Names,
    measured: Mapping[str, Any],
    flows: Mapping[str, str],
) -> Dimension | None:
    if readout.kind == "formula":
        return _told(str(readout.formula), {**found.readouts, **names.dimensions, "t": PLACE["t"]})
    if readout.kind == "history":
        of = found.readouts.get(str(readout.of))
        return None if of is None or readout.tells is None else told_dimension(readout.tells, of)
    return readout_dimension(readout, measured, flows)


def _told(formula: str, known: Mapping[str, Dimension]) -> Dimension | None:
    try:
        return parse(formula, known).dimension(known) or NUMBER
    except FormulaError:
        return None


def derived_fields(
    case: Worked, solved: Named[tuple[str, Field]], told: Dimensions
) -> dict[str, tuple[str, Field]]:
    """Every derived field of a case with the phenomenon whose mesh it lives on. Raises CaseError."""
    found: dict[str, tuple[str, Field]] = {}
    for name in case.model.derived:
        _check_name(case, name, path("derived", name), solved)
    for name, model in case.model.derived.items():
        where = path("derived", name)
        if name not in told.derived:
            known = {
                **{n: dimension_of(f.dimension) for n, (_, f) in solved.every().items()},
                **told.derived,
                **told.readouts,
                **case.names.dimensions,
                **PLACE,
            }
            raise fault(
                where,
                shared_by(words_in(model.formula), solved.shared)
                or formula_trouble(model.formula, known),
                "A derived field may name fields, readouts, parameters, x, y and t, and "
                "none that names it.",
                model.formula,
            )
        if model.since is not None:
            case.number(model.since, "time", path(where, "since"))
        dimension = told.derived[name]
        unit = find_unit(model.unit) if model.unit else None
        if model.unit and (unit is None or unit.dimension != dimension):
            raise fault(
                path(where, "unit"),
                f"'{model.unit}' does not measure it",
                f"Its dimension is {dimension.name}.",
            )
        formula = parse(model.formula, own_names(case, solved))
        owners = [solved[n][0] for n in formula.names if n in solved] + [
            found[n][0] for n in formula.names if n in found
        ]
        in_stream = [o for o in owners if not case.phenomena[o].in_solids]
        owner = next(iter(in_stream or owners or case.phenomena), None)
        if owner is None:
            raise fault(where, "no phenomenon is switched on, so there are no fields yet")
        found[name] = (
            owner,
            Field(
                name,
                name,
                dimension.name,
                label=model.label,
                chief=False,
                centred=model.centred,
                unit=model.unit,
                derive=at_once(case, formula) if model.since is None else so_far(name, model.tells),
            ),
        )
    return found


def own_names(case: Worked, fields: Mapping[str, Any]) -> set[str]:
    """What formulas of derived fields may name that could be taken for a unit."""
    return {*case.names.values, *case.model.readouts, *case.model.derived, *fields}


def _check_name(case: Worked, name: str, where: str, solved: Mapping[str, Any]) -> None:
    if not name.isidentifier() or not name.isascii() or name in RESERVED:
        raise fault(
            where,
            "a name has letters, digits and _, and is no position or time",
            "Rename it.",
            name,
        )
    if name in solved or name in case.names.values or name in case.model.readouts:
        raise fault(where, f"'{name}' is a field, readout or parameter already", "Rename it.")


def at_once(case: Worked, formula: Formula) -> Callable[[Mesh, State], Array]:
    """What a formula gives in a state, (1, ny + 3, nx + 3)."""

    def derive(mesh: Mesh, state: State) -> Array:
        fields, readouts = case.fields(), case.model.readouts
        named = [n for n in formula.names if n not in case.names.values]
        arrays = {
            n: cell_array(fields[n][1], case.mesh_of(fields[n][0]), state)
            for n in named
            if n in fields
        }
        numbers = {
            n: evaluate_readout(case, n, state).value
            for n in named
            if n in readouts and n not in fields
        }
        grid = mesh.grid
        whole = np.full(grid.shape, np.nan)
        whole[0, 1 : grid.ny + 1, 1 : grid.nx + 1] = work_out(
            case, formula, arrays, numbers, state.time
        )
        return whole

    return derive


def work_out(
    case: Worked,
    formula: Formula,
    fields: Mapping[str, Array],
    readouts: Mapping[str, float | None],
    time: float,
) -> Array:
    """A formula in every cell, (ny, nx) in SI, NaN where it gives no number or the vessel is
    closed. fields : (ny, nx) each. Raises FormulaError for unknown names.
    """
    grid = case.grid
    x, y = 0.5 * (grid.x[1:] + grid.x[:-1]), 0.5 * (grid.y[1:] + grid.y[:-1])
    numbers = {n: np.nan if v is None else v for n, v in readouts.items()}
    value = formula.evaluate(
        {**fields, **numbers, **case.names.values, "x": x[None, :], "y": y[:, None], "t": time}
    )
    full = np.array(np.broadcast_to(np.asarray(value, float), (grid.ny, grid.nx)))
    full[~np.isfinite(full)] = np.nan
    if not any(isinstance(v, np.ndarray) for v in fields.values()):
        full[~case.open_mesh.live[0, 1 : grid.ny + 1, 1 : grid.nx + 1]] = np.nan
    return full


def from_frame(
    case: Worked,
    name: str,
    stored: Callable[[str], Array | None],
    readout: Callable[[str], float | None],
    time: float,
) -> Array | None:
    """A derived field out of what a frame holds, (ny, nx) in SI; None where that is not enough.

    stored : fields of the frame, in SI; readout : numbers of the frame, in SI.
    """
    fields = case.fields()
    name = fields.kept(name)
    held = stored(name)
    if held is not None or name not in case.model.derived:
        return held
    if case.model.derived[name].since is not None:
        return None  # it runs along, and cannot be made up for
    formula = parse(case.model.derived[name].formula, own_names(case, fields))
    named = [n for n in formula.names if n not in case.names.values]
    arrays = {n: from_frame(case, n, stored, readout, time) for n in named if n in fields}
    known = {n: a for n, a in arrays.items() if a is not None}
    if len(known) < len(arrays):
        return None
    numbers = {n: readout(n) for n in named if n in case.model.readouts and n not in fields}
    return work_out(case, formula, known, numbers, time)
