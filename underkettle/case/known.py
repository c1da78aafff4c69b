"""What laws are evaluated with: fields and readouts as they are in a state."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from underkettle.case.worked import Worked
from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.reading.fields import whole_array
from underkettle.reading.readouts import evaluate_readout


def known(
    case: Worked, state: State, names: Iterable[str], before: dict[str, Any] | None = None
) -> dict[str, Any]:
    """See `Problem.known`. before : what is known of this very state already, which is added to."""
    names, seen = list(names), {} if before is None else before
    for name in names:
        if name not in seen:
            seen[name] = _field(case, state, name, seen)
    return {name: seen[name] for name in names}


def _field(case: Worked, state: State, name: str, seen: dict[str, Any]) -> Any:
    """One of them; what it is made of is worked out once for all."""
    fields = case.fields()
    if name not in fields:
        value = evaluate_readout(case, name, state).value
        return np.nan if value is None else value
    owner, field = fields[name]
    mesh = case.mesh_of(owner)
    made = field.made is not None
    whole = made_of(case, field, mesh, state, seen) if made else whole_array(field, mesh, state)[0]
    return mesh.filled(whole)


def made_of(
    case: Worked, field: Field, mesh: Mesh, state: State, seen: dict[str, Any] | None = None
) -> np.ndarray:
    """A field that is made of others, (ny + 3, nx + 3) on its owner's mesh. seen : see `known`."""
    assert field.made is not None
    values = field.made(mesh.place(state.time), known(case, state, field.reads, seen))
    return np.broadcast_to(values, mesh.shape[1:])
