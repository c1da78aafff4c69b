"""How full pores are at a pressure, and how easily liquid then moves in them.

Pressures count from that of the air; below nought the liquid is drawn. Of a wet front, pores are
full where the liquid is pushed in with more than the capillary pressure, and dry where it is not.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

import numpy as np

from underkettle.engine.contract import Given
from underkettle.quantities import Place

Array = np.ndarray

RAMP = 1e-3  # of the capillary pressure, over which a spot at the front goes from dry to full
DRIEST = 1e-6  # of what pores can let go of, below which a law is not asked
TINY = 1e-7  # of the pressure a law varies over, for its slopes
FRONT, EXPONENTIAL, POWER, CURVED = "wet front", "exponential", "power law", "curved"


def capillary(values: Mapping[str, Any], liquid: Mapping[str, Any], place: Place) -> Any:
    """The pressure (Pa) that pores draw with: given, or 2 sigma cos(angle)/radius (Laplace 1806)."""
    if "draws" in values:
        return _at(values["draws"], place)
    radius = 0.5 * _at(values["pore"], place)
    return 2.0 * liquid["surface_tension"] * np.cos(liquid["contact_angle"]) / radius


def _at(value: Any, place: Place) -> Any:
    return value.at(place) if hasattr(value, "at") else value


class Law(NamedTuple):
    """One law in some cells. scale : Pa. shape : its exponent. residual : share of pores that stays
    full. power : exponent of how easily liquid moves. swelling : share by which full pores widen.
    """

    kind: str
    scale: Any
    shape: Any = 1.0
    residual: Any = 0.0
    power: Any = 3.0
    swelling: Any = 0.0

    def of(self, rows: Any) -> Law:
        """The same in some of its cells."""
        return Law(
            self.kind,
            *(v[rows] if isinstance(v, np.ndarray) and v.ndim else v for v in tuple(self)[1:]),
        )

    @property
    def reach(self) -> Any:
        """Pressure (Pa) over which it changes; nought for a sharp front."""
        return 0.0 if self.kind == FRONT else self.scale

    @property
    def dry(self) -> Any:
        """Pressure (Pa) at which nothing more can be drawn out."""
        return self.pressure(0.0)

    def moved(self, p: Array) -> Array:
        """Share of what can move of the pores' liquid, at pressures (Pa)."""
        if self.kind == FRONT:
            return np.asarray(np.minimum(1.0, 1.0 + (p + self.scale) / (RAMP * np.abs(self.scale))))
        drawn = np.maximum(-p, 0.0) / self.scale
        if self.kind == EXPONENTIAL:
            return np.asarray(np.exp(-drawn))
        if self.kind == POWER:
            return np.asarray(np.maximum(drawn, 1.0) ** -self.shape)
        return np.asarray((1.0 + drawn**self.shape) ** (1.0 / self.shape - 1.0))

    def eases(self, moved: Array) -> Array:
        """Permeability over that of full pores, for shares of what can move."""
        s = np.clip(moved, 0.0, 1.0)
        if self.kind == POWER:
            return np.asarray(s ** (3.0 + 2.0 / self.shape))
        if self.kind == CURVED:
            m = 1.0 - 1.0 / self.shape
            return np.asarray(np.sqrt(s) * (1.0 - (1.0 - s ** (1.0 / m)) ** m) ** 2)
        return np.asarray(s**self.power)

    def pressure(self, moved: Any) -> Any:
        """At which that share is there; the highest one where several do."""
        if self.kind == FRONT:
            s = np.clip(moved, 0.0, 1.0)
            return -self.scale + (s - 1.0) * RAMP * np.abs(self.scale)
        s = np.clip(moved, DRIEST, 1.0)
        if self.kind == EXPONENTIAL:
            return self.scale * np.log(s)
        if self.kind == POWER:
            return np.where(s < 1.0, -self.scale * s ** (-1.0 / self.shape), 0.0)
        m = 1.0 - 1.0 / self.shape
        return -self.scale * (s ** (-1.0 / m) - 1.0) ** (1.0 / self.shape)

    def filled(self, wetness: Any) -> Any:
        """Share of what can move, of the share of pores that is full."""
        return (wetness - self.residual) / (1.0 - self.residual)

    def wetness(self, moved: Any) -> Any:
        """Share of pores that is full."""
        return self.residual + (1.0 - self.residual) * moved

    def holds(self, wetness: Any) -> Any:
        """Liquid over the pores' volume when dry: full pores have swollen."""
        return wetness * (1.0 + self.swelling * wetness)

    def look(self, p: Array) -> tuple[Array, Array, Array, Array]:
        """At pressures: liquid over pore volume and its slope (1/Pa), ease and its slope (1/Pa)."""
        step = TINY * np.abs(self.scale) * (RAMP if self.kind == FRONT else 1.0)
        s, near = self.moved(p), self.moved(p - step)
        slope = np.where(s < 1.0, np.maximum(s - near, 0.0) / step, 0.0)
        wet = self.wetness(s)
        ease = self.eases(s)
        ease_slope = np.where(s < 1.0, (ease - self.eases(near)) / step, 0.0)
        held_slope = (1.0 - self.residual) * slope * (1.0 + 2.0 * self.swelling * wet)
        return np.asarray(self.holds(wet)), held_slope, ease, ease_slope


def law_of(given: Given, liquid: Mapping[str, Any], place: Place) -> Law:
    """What a zone's pores do. liquid : settings of the phenomenon."""
    v = given.values
    swelling = float(v.get("swelling", 0.0))
    if given.kind == FRONT:
        scale = capillary(v, liquid, place)
        return Law(FRONT, scale, power=float(v["power"]), swelling=swelling)
    scale, residual = _at(v["drawn"], place), float(v["residual"])
    if given.kind == EXPONENTIAL:
        return Law(EXPONENTIAL, scale, 1.0, residual, float(v["power"]), swelling)
    return Law(given.kind, scale, float(v["shape"]), residual, 1.0, swelling)
