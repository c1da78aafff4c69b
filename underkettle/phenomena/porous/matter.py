"""What a kind of matter holds back and how it spreads, from what is known of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from underkettle.engine.contract import Given
from underkettle.paper.ducts import carman_permeability, fibre_permeability
from underkettle.quantities import Place
from underkettle.sums.porous import from_table, woven

Array = np.ndarray

GRAIN_INERTIA = 1.75  # of Ergun's second term
SPREAD_ALONG, SPREAD_ACROSS = 1 / 2, 1 / 11  # grain widths; beds at grain Peclet numbers above 10


class Held(NamedTuple):
    """Resistances along two principal axes (1/m2, 1/m each), and by how much the first is turned
    from x towards y (rad).
    """

    slow: tuple[Any, Any]
    fast: tuple[Any, Any]
    turned: Any = 0.0

    def tensors(self, shape: tuple[int, ...]) -> tuple[Array, Array]:
        """Both as xx, xy, yy, each of a shape."""
        c, s = np.cos(self.turned), np.sin(self.turned)

        def turn(pair: tuple[Any, Any]) -> Array:
            one, two = pair
            rows = c * c * one + s * s * two, c * s * (one - two), s * s * one + c * c * two
            return np.stack([np.broadcast_to(row, shape) for row in rows])

        return turn(self.slow), turn(self.fast)


def measured(values: Mapping[str, Any]) -> tuple[float, float]:
    """Permeability (m2) and inertial resistance (1/m) that fit a measured drop. Raises SumError."""
    return from_table(
        values["measured"],
        float(values["thickness"]),
        float(values["measured_viscosity"]),
        float(values["measured_density"]),
    )


def _at(given: Given, name: str, place: Place) -> Any:
    value = given.values[name]
    return value.at(place) if hasattr(value, "at") else value


def held(given: Given, place: Place) -> Held:
    """What a zone of one kind holds back at a place."""

    def at(name: str) -> Any:
        return _at(given, name, place)

    if given.kind == "grains":
        grain, open_ = at("grain"), at("porosity")
        slow = 1.0 / carman_permeability(grain, open_)
        fast = GRAIN_INERTIA * (1.0 - open_) / (open_**3 * grain)
        return Held((slow, slow), (fast, fast))
    if given.kind == "fibres":
        slow = 1.0 / fibre_permeability(at("thread"), at("porosity"))
        return Held((slow, slow), (0.0, 0.0))
    if given.kind == "meshes":
        v = given.values
        slow, fast = woven(v["thread"], v["pitch"])
        return Held((slow / v["spacing"],) * 2, (fast / v["spacing"],) * 2)
    if given.kind == "measured drop":
        permeability, inertia = measured(given.values)
        return Held((1.0 / permeability,) * 2, (inertia,) * 2)
    one, fast = 1.0 / at("permeability"), at("inertia")
    across = 1.0 / at("across") if given.has("across") else one
    beside = at("inertia_across") if given.has("inertia_across") else fast
    return Held((one, across), (fast, beside), at("turned"))


def spreading(given: Given, place: Place) -> tuple[Any, Any]:
    """Lengths (m) that the stream spreads by along and across it."""
    grain = _at(given, "grain", place) if given.kind == "grains" else 0.0
    along = given.values.get("spread_along", SPREAD_ALONG * grain)
    return along, given.values.get("spread_across", SPREAD_ACROSS * grain)


def ways(given: Given, porosity: Any) -> Any:
    """By how much less diffusion spreads in pores than in the open: one over the tortuosity."""
    if given.has("tortuosity"):
        return 1.0 / float(given.values["tortuosity"])
    return np.sqrt(porosity)
