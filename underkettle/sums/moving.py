"""Drops by size, a crank's volume, waves in time, vapour over a liquid."""

from __future__ import annotations

from math import cos, gamma, pi, sin, sqrt

import numpy as np

from underkettle.quantities.curve import Curve
from underkettle.sums.sum import Entry, Gives, SideSum, SumError, positive

Array = np.ndarray

WAVES = ("ramp", "triangle", "sine", "pulse")
POINTS_OF_SINE = 24


def drop_sizes(size: float, spread: float, share: float) -> dict[str, float]:
    """Rosin & Rammler 1933: mass share above d is exp(-(d/size)^spread).

    Gives the size below which a mass `share` lies, the mass median, and the mean of volume over
    surface, size / Gamma(1 - 1/spread), which needs a spread above 1.
    """
    positive(size=size, spread=spread)
    if not 0 < share < 1:
        raise SumError("a share lies between 0 and 1")
    if spread <= 1:
        raise SumError("a spread of 1 or less has no mean of volume over surface")

    def below(part: float) -> float:
        return float(size * (-np.log(1 - part)) ** (1 / spread))

    return {
        "at_share": below(share),
        "median": below(0.5),
        "tenth": below(0.1),
        "ninth": below(0.9),
        "sauter": size / gamma(1 - 1 / spread),
    }


def _sizes(size: float, spread: float, share: float) -> Curve:
    at = np.linspace(0.0, 2.5 * size, 101)
    found = drop_sizes(size, spread, share)["at_share"]
    return Curve(
        at,
        1 - np.exp(-((at / size) ** spread)),
        "size",
        "length",
        "mass share below",
        "number",
        [(found, share)],
    )


def crank(
    bore: float, stroke: float, rod: float, compression: float, angle: float, speed: float
) -> dict[str, float]:
    """Volume (m3) over the piston and its speed; angle from the top, speed in turns per second.

    Exact for a crank of radius stroke/2 and a rod between centres.
    """
    positive(bore=bore, stroke=stroke, rod=rod)
    radius = stroke / 2
    if rod <= radius:
        raise SumError("the rod must be longer than half the stroke")
    if compression <= 1:
        raise SumError("the compression ratio exceeds 1")
    area = pi / 4 * bore**2
    swept = area * stroke
    clearance = swept / (compression - 1)
    root = sqrt(rod**2 - (radius * sin(angle)) ** 2)
    down = radius * (1 - cos(angle)) + rod - root
    rate = radius * sin(angle) * (1 + radius * cos(angle) / root) * 2 * pi * speed
    return {
        "volume": clearance + area * down,
        "swept": swept,
        "clearance": clearance,
        "piston_speed": rate,
        "mean_speed": 2 * stroke * speed,
    }


def _volume(
    bore: float, stroke: float, rod: float, compression: float, angle: float, speed: float
) -> Curve:
    at = np.linspace(-pi, pi, 121)
    volumes = np.array(
        [crank(bore, stroke, rod, compression, float(a), speed)["volume"] for a in at]
    )
    here = crank(bore, stroke, rod, compression, angle, speed)["volume"]
    return Curve(
        np.degrees(at),
        volumes,
        "crank angle, degrees",
        "number",
        "volume",
        "volume",
        [(np.degrees(angle), here)],
    )


def wave(kind: str, low: float, high: float, period: float, times: float) -> Array:
    """Corners (time, value) of a wave: ramp and triangle between low and high, sine, pulse."""
    positive(period=period, times=times)
    count = round(times)
    if count < 1 or count > 200:
        raise SumError("between 1 and 200 periods")
    if kind == "ramp":
        one = [(0.0, low), (1.0, high)]
        count = 1
    elif kind == "triangle":
        one = [(0.0, low), (0.5, high), (1.0, low)]
    elif kind == "sine":
        share = np.linspace(0, 1, POINTS_OF_SINE + 1)
        one = [(float(s), 0.5 * (low + high) + 0.5 * (high - low) * sin(2 * pi * s)) for s in share]
    else:
        one = [(0.0, low), (0.001, high), (0.5, high), (0.501, low), (1.0, low)]
    rows = [one[0]] + [(k + t, v) for k in range(count) for t, v in one[1:]]
    return np.array(rows) * np.array([period, 1.0])


def _wave_numbers(**entries: float) -> dict[str, float]:
    rows = wave(**entries)  # type: ignore[arg-type]
    steps = np.diff(rows[:, 0])
    mean = float((0.5 * (rows[1:, 1] + rows[:-1, 1]) * steps).sum() / steps.sum())
    return {
        "until": float(rows[-1, 0]),
        "mean": mean,
        "steepest": float(np.abs(np.diff(rows[:, 1]) / steps).max()),
    }


def _wave_curve(**entries: float) -> Curve:
    rows = wave(**entries)  # type: ignore[arg-type]
    return Curve(rows[:, 0], rows[:, 1], "time", "time", "value", "number")


def _wave_table(**entries: float) -> list[list[str]]:
    rows = wave(**entries)  # type: ignore[arg-type]
    return [[f"{t:.9g} s", f"{v:.9g}"] for t, v in rows.tolist()]


def saturation(fluid: str, temperature: float, low: float, high: float) -> dict[str, float]:
    """Saturation pressure (Pa), its slope and the heat of evaporation, from CoolProp."""
    p, step = _saturated(fluid, temperature, "P"), 0.05
    slope = (
        _saturated(fluid, temperature + step, "P") - _saturated(fluid, temperature - step, "P")
    ) / (2 * step)
    return {
        "pressure": p,
        "slope": slope,
        "heat": _saturated(fluid, temperature, "H", 1) - _saturated(fluid, temperature, "H", 0),
        "liquid_density": _saturated(fluid, temperature, "D", 0),
        "vapour_density": _saturated(fluid, temperature, "D", 1),
    }


def _saturated(fluid: str, temperature: float, name: str, quality: int = 0) -> float:
    from CoolProp.CoolProp import PropsSI

    try:
        return float(PropsSI(name, "T", temperature, "Q", quality, fluid))
    except ValueError as error:
        raise SumError(f"the library has no saturated {fluid} at {temperature:g} K") from error


def _vapour_curve(fluid: str, temperature: float, low: float, high: float) -> Curve:
    if high <= low:
        raise SumError("the table ends above where it begins")
    at = np.linspace(low, high, 41)
    return Curve(
        at,
        np.array([_saturated(fluid, float(t), "P") for t in at]),
        "temperature",
        "temperature",
        "saturation pressure",
        "pressure",
        [(temperature, _saturated(fluid, temperature, "P"))],
    )


SUMS = (
    SideSum(
        "drop_sizes",
        "Drops by size",
        "drops and grains",
        "Sizes of a spray from its characteristic size and spread.",
        "Rosin & Rammler 1933",
        (
            Entry("size", "size with 36.8 % of mass above", "length", "60 um"),
            Entry("spread", "spread", default="3.5"),
            Entry("share", "mass share below", default="0.9"),
        ),
        (
            Gives("at_share", "length", "size at that share"),
            Gives("median", "length", "mass median"),
            Gives("tenth", "length", "a tenth of mass is smaller"),
            Gives("ninth", "length", "nine tenths are smaller"),
            Gives("sauter", "length", "mean of volume over surface"),
        ),
        drop_sizes,
        _sizes,
    ),
    SideSum(
        "crank",
        "Crank and piston",
        "engines",
        "Volume and piston speed against crank angle.",
        "kinematics, exact",
        (
            Entry("bore", "bore", "length", "86 mm"),
            Entry("stroke", "stroke", "length", "86 mm"),
            Entry("rod", "rod", "length", "143 mm"),
            Entry("compression", "compression ratio", default="10"),
            Entry("angle", "crank angle from the top", default="90 deg"),
            Entry("speed", "turns per second", "rate", "25 1/s"),
        ),
        (
            Gives("volume", "volume", "volume"),
            Gives("swept", "volume", "swept volume"),
            Gives("clearance", "volume", "volume at the top"),
            Gives("piston_speed", "speed", "piston speed"),
            Gives("mean_speed", "speed", "mean piston speed"),
        ),
        crank,
        _volume,
    ),
    SideSum(
        "wave",
        "Wave in time",
        "times",
        "A table in time made of ramps, triangles, sines or pulses.",
        "as drawn",
        (
            Entry("kind", "kind", default="triangle", kind="choice", choices=WAVES),
            Entry("low", "low", default="0"),
            Entry("high", "high", default="1"),
            Entry("period", "period", "time", "10 s"),
            Entry("times", "how often", default="3"),
        ),
        (
            Gives("until", "time", "ends at"),
            Gives("mean", "number", "mean"),
            Gives("steepest", "rate", "steepest change"),
        ),
        _wave_numbers,
        _wave_curve,
        table=_wave_table,
    ),
    SideSum(
        "saturation",
        "Vapour over a liquid",
        "liquids",
        "Saturation pressure, its slope and the heat of evaporation.",
        "CoolProp (Bell et al. 2014)",
        (
            Entry("fluid", "liquid", default="Water", kind="text"),
            Entry("temperature", "temperature", "temperature", "80 degC"),
            Entry("low", "curve from", "temperature", "20 degC"),
            Entry("high", "to", "temperature", "120 degC"),
        ),
        (
            Gives("pressure", "pressure", "saturation pressure"),
            Gives("slope", "kg/(m s^2 K)", "its slope"),
            Gives("heat", "specific energy", "heat of evaporation"),
            Gives("liquid_density", "density", "density of the liquid"),
            Gives("vapour_density", "density", "density of the vapour"),
        ),
        saturation,
        _vapour_curve,
    ),
)
