"""Fields as they are looked at: one value per cell."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.reading.seen import Seen

Array = np.ndarray


def whole_array(field: Field, mesh: Mesh, state: State) -> Array:
    """The field with its ghosts, (1, ny + 3, nx + 3); closed cells hold anything."""
    return state.fields[field.arrays[0]] if field.derive is None else field.derive(mesh, state)


def cell_array(field: Field, mesh: Mesh, state: State) -> Array:
    """The field as (ny, nx), NaN where the vessel is closed."""
    values, grid = whole_array(field, mesh, state), mesh.grid
    inner = (0, slice(1, grid.ny + 1), slice(1, grid.nx + 1))
    return np.where(mesh.live[inner], values[inner], np.nan)


def all_fields(case: Seen, state: State) -> dict[str, Array]:
    """Every kept field that the state holds, by name."""
    result = {}
    for name, (owner, field) in case.fields().items():
        if field.where == "cell" and field.kept:
            result[name] = cell_array(field, case.mesh_of(owner), state)
    return result
