"""Terms of equations that are kept as fields."""

from __future__ import annotations

import numpy as np

from underkettle.case.cells import column_id
from underkettle.case.faults import fault, path
from underkettle.case.worked import Worked
from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh


def recorded(case: Worked, column: str, term: str, number: int) -> Field:
    """A term of a column's equation as a field. Raises CaseError when there is none."""
    known = {
        f"{column_id(n, m.id)}.{t.name}": (p, m, t)
        for n, p in case.phenomena.items()
        for m in p.members(case.settings[n])
        if m.column
        for t in p.terms
        if t.dimension and t.is_of(m.kind)
    }
    if f"{column}.{term}" not in known:
        raise fault(
            path("record", number + 1),
            f"there is no term '{column}.{term}'",
            f"Terms: {', '.join(known) or 'none'}.",
        )
    declared, member, found = known[f"{column}.{term}"]
    of = f" of {member.label}" if member.id else ""

    def derive(mesh: Mesh, state: State) -> np.ndarray:
        from underkettle.case.solve import term_field

        return term_field(case, column, term, state)

    return Field(
        f"{column}.{term}".replace(".", "_"),
        found.tex,
        found.dimension,
        centred=True,
        derive=derive,
        label=f"{declared.label}: {found.says}{of}",
    )
