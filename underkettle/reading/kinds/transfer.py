"""Mean flux into the vessel over what drives it: transfer coefficients, Nusselt, Sherwood."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Field
from underkettle.engine.marching.state import State
from underkettle.quantities import Dimension, dimension_of
from underkettle.reading.edges import edge_mean, flow_mean
from underkettle.reading.fields import cell_array
from underkettle.reading.kinds.kind import Array, Look, ReadoutKind
from underkettle.reading.seen import Asked, Seen
from underkettle.reading.walls import at_edge, field_of, transfer, wall_area, wall_quantities


class Transfer(ReadoutKind):
    name, says = "transfer", "transfer at a wall"
    sentence = "transfer of {wall quantity} at {place}, for {field} against {to}"
    needs = ("quantity", "field", "place")
    asks = ("wall quantity", "field", "place", "to")
    of_field = False

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        if model.quantity not in flows or model.field not in fields:
            return None
        if model.length is not None:
            return dimension_of("number")
        flux = dimension_of(flows[model.quantity]) / dimension_of("area")
        return flux / dimension_of(fields[model.field].dimension)

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        if (model.to is None) == (model.reference is None):
            return "what the wall is compared with is not said, or said twice: give to or reference"
        if model.place not in case.places("edge"):
            return f"'{model.place}' is not an edge"
        if model.quantity not in wall_quantities(case):
            known = ", ".join(wall_quantities(case)) or "none"
            return f"the flux of '{model.quantity}' is not told at walls; known are {known}"
        driving = field_of(case, model.quantity)
        if model.field != driving:
            return f"what drives {model.quantity} is {driving}, not {model.field}"
        return ""

    def value(self, look: Look) -> float | None:
        """Mean flux over the mean difference, by area."""
        case, model = look.case, look.model
        found = at_edge(case, look.state, model.quantity, model.place)
        reference = _reference(case, model, look.name, look.state)
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
            length = case.number(model.length, "length", look.where("length"))
            value *= length / float((found.conducts * share).sum())
        return value


def _reference(case: Seen, model: Asked, name: str, state: State) -> float | None:
    """What the wall is compared with: typed, or the mean on an edge."""
    field, mesh = case.field(model.field)
    if model.reference is not None:
        where = f"readouts / {name} / reference"
        return float(case.number(model.reference, field.dimension, where))
    values = cell_array(field, mesh, state)
    found = flow_mean(case, values, model.to, state)
    if found is not None:
        return found
    wall = at_edge(case, state, model.quantity, model.to)  # a wall is read at the wall itself
    if wall.area.sum() > 0:
        return float((wall.value * wall.area).sum() / wall.area.sum())
    return edge_mean(mesh, values, model.to)


def local_transfer(case: Seen, name: str, line: dict[str, Array], state: State) -> Array:
    """A transfer readout place by place along its edge; line : as `along_edge` gives it."""
    model = case.model.readouts[name]
    reference = _reference(case, model, name, state)
    if reference is None:
        return np.full(line["flux"].shape, np.nan)
    length = None
    if model.length is not None:
        length = case.number(model.length, "length", f"readouts / {name} / length")
    return transfer(line, reference, length)


KINDS = (Transfer(),)
