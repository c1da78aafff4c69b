"""What a stream consists of: density and viscosity, numbers or laws."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, cast

import numpy as np

from underkettle.engine.contract import Field
from underkettle.engine.contract.streams import FOLLOWING
from underkettle.quantities import Place

WHEN = {p.name: cast("Literal['old', 'new']", p.law) for p in FOLLOWING}  # what laws follow
MEDIUM = tuple(WHEN)


def follows(value: Any) -> bool:
    """Whether a density or viscosity is anything but one number."""
    return value is not None and not hasattr(value, "value")


def total_pressure(density: Any) -> Field:
    """Pressure with what the stream would add where it came to rest: what is lost of it, is lost.

    density : a number or a law; not known where others make the medium.
    """

    def made(place: Place, known: Mapping[str, Any]) -> Any:
        rho = np.nan if density is None else density.at(place, known)
        return known["flow.pressure"] + 0.5 * rho * known["flow.speed"] ** 2

    return Field(
        "total_pressure",
        "p_t",
        "pressure",
        reads=("flow.pressure", "flow.speed", *sorted(getattr(density, "reads", ()))),
        made=made,
        label="Total pressure",
    )
