"""Mean, deviation, total and extremes of a field over a place, or over what is drawn."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension, dimension_of
from underkettle.quantities.dimension import NUMBER
from underkettle.reading.carried import flowing, told_by_flow
from underkettle.reading.edges import edge_extreme, edge_mean, flow_mean
from underkettle.reading.kinds.kind import Array, Look, ReadoutKind
from underkettle.reading.peaks import peak
from underkettle.reading.seen import Asked, Seen
from underkettle.reading.spans import DRAWN, Span, drawn, span_of, told


class OverSpace(ReadoutKind):
    """Told of the cells of a zone, or of a box, a line or an arc; of an edge where it may be."""

    needs = ("field", "place")
    spans = DRAWN

    def value(self, look: Look) -> float | None:
        if drawn(look.model):
            return self._drawn(look)
        if look.model.place in look.case.places("edge"):
            return self.of_edge(look, look.field)
        grid, values = look.mesh.grid, look.field
        inner = (0, slice(1, grid.ny + 1), slice(1, grid.nx + 1))
        inside = look.mesh.zone_cells(look.model.place)[inner] & np.isfinite(values)
        return self.of_cells(look, np.where(inside, values, np.nan), look.mesh.volume[inner])

    def _drawn(self, look: Look) -> float | None:
        span = span_of(look.case, look.mesh, look.model, look.field, f"readouts / {look.name}")
        return told(self.name, span)

    def of_edge(self, look: Look, values: Array) -> float | None:
        """values : (ny, nx) in SI. Of the edge that the readout names."""
        return on_edge(look, values, look.model.place)

    def of_cells(self, look: Look, values: Array, volume: Array) -> float | None:
        """values : (ny, nx), NaN outside the zone."""
        inside = np.isfinite(values)
        return told(self.name, Span(values[inside], volume[inside]))


class Weighed(OverSpace):
    """One that may be weighed by what flows through an edge, a line or an arc."""

    asks = ("field", "place", "weight")

    def trouble(self, case: Seen, name: str, model: Asked) -> str:
        if model.weight != "flow":
            return ""
        shape = drawn(model)
        if shape == "box":
            return "a mean by what flows is told of an edge, a line or an arc, not of a box"
        if shape and not flowing(case):
            return "nothing that flows is solved for, so nothing weighs its mean"
        if not shape and model.place not in case.places("edge"):
            return f"'{model.place}' is not an edge"
        return ""

    def value(self, look: Look) -> float | None:
        model = look.model
        if drawn(model) and model.weight == "flow":
            where = f"readouts / {look.name}"
            return told_by_flow(look.case, model, look.field, look.state, where, self.name)
        return super().value(look)


def on_edge(look: Look, values: Array, edge: str) -> float | None:
    """The mean of a field on an edge, as the readout weighs it."""
    if look.model.weight == "flow":
        return flow_mean(look.case, values, edge, look.state)
    return edge_mean(look.mesh, values, edge)


class Mean(Weighed):
    name, says = "mean", "mean"
    sentence = "mean {field} at {place}, weighted by {weight}"


class Spread(Weighed):
    """Standard deviation."""

    name, says = "spread", "deviation"
    sentence = "deviation of {field} at {place}, weighted by {weight}"

    def of_edge(self, look: Look, values: Array) -> float | None:
        mean = on_edge(look, values, look.model.place)
        if mean is None:
            return None
        found = on_edge(look, (values - mean) ** 2, look.model.place)
        return None if found is None else max(found, 0.0) ** 0.5


class Unevenness(Weighed):
    """Standard deviation over the mean: how far two streams have mixed, 0 where fully."""

    name, says = "unevenness", "deviation over the mean"
    sentence = "deviation of {field} at {place} over its mean, weighted by {weight}"

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        return None if super().dimension(model, fields, flows) is None else NUMBER

    def value(self, look: Look) -> float | None:
        spread, mean = SPREAD.value(look), MEAN.value(look)
        return None if spread is None or not mean else spread / abs(mean)


MEAN, SPREAD = Mean(), Spread()


class Total(OverSpace):
    """Integral over a zone's or box's open volume, or along what is drawn."""

    name, says, edges = "total", "total", False
    sentence = "total of {field} in {place}"

    def dimension(
        self, model: Asked, fields: Mapping[str, Field], flows: Mapping[str, str]
    ) -> Dimension | None:
        found = super().dimension(model, fields, flows)
        if found is None:
            return None
        return found * dimension_of("length" if model.line or model.arc else "volume")


class Extreme(OverSpace):
    """The largest or smallest over a zone, between cells, too; or of the cells along an edge."""

    def __init__(self, name: str, says: str, sign: float) -> None:
        self.name, self.says, self.sign = name, says, sign
        self.sentence = f"{says} {{field}} at {{place}}"

    def of_edge(self, look: Look, values: Array) -> float | None:
        return edge_extreme(look.mesh, values, look.model.place, self.sign)

    def of_cells(self, look: Look, values: Array, volume: Array) -> float | None:
        field, mesh = look.case.field(look.model.field)
        return peak(values, mesh.grid.x, mesh.grid.y, self.sign, between=not field.jumps)


KINDS = (
    MEAN,
    SPREAD,
    Unevenness(),
    Extreme("max", "highest", 1.0),
    Extreme("min", "lowest", -1.0),
    Total(),
)
