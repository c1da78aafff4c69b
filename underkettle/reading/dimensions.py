"""What a readout measures."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.engine.contract import Field
from underkettle.quantities import Dimension, dimension_of


def readout_dimension(
    readout: Any, fields: Mapping[str, Field], flows: Mapping[str, str]
) -> Dimension | None:
    """Of a readout as typed; None where it names a field or quantity that is not there.

    flows : balanced quantities and the dimensions of their flow.
    """
    if readout.kind == "transfer":
        if readout.quantity not in flows or readout.field not in fields:
            return None
        if readout.length is not None:
            return dimension_of("number")
        flux = dimension_of(flows[readout.quantity]) / dimension_of("area")
        return flux / dimension_of(fields[readout.field].dimension)
    if readout.kind == "through":
        return dimension_of(flows[readout.quantity]) if readout.quantity in flows else None
    if readout.kind in ("formula", "history") or readout.field not in fields:
        return None
    dimension = dimension_of(fields[readout.field].dimension)
    if readout.kind != "total":
        return dimension
    return dimension * dimension_of("length" if readout.line or readout.arc else "volume")
