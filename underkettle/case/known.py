"""What laws are evaluated with: fields and readouts as they are in a state."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from underkettle.case.worked import Worked
from underkettle.engine.marching.state import State
from underkettle.reading.fields import whole_array
from underkettle.reading.readouts import evaluate_readout


def known(case: Worked, state: State, names: Iterable[str]) -> dict[str, Any]:
    """See `Problem.known`."""
    fields, found = case.fields(), {}
    asked = [n for n in names if n not in fields]
    for name in names:
        if name in fields:
            owner, field = fields[name]
            mesh = case.mesh_of(owner)
            found[name] = whole_array(field, mesh, state)[0][mesh.nearest]
    for name in asked:
        value = evaluate_readout(case, name, state).value
        found[name] = np.nan if value is None else value
    return found
