"""Pure liquids and gases, solutions and humid air, from CoolProp (Bell et al. 2014,
Ind. Eng. Chem. Res. 53, 2498); what it has no correlation for is left out.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

Array = np.ndarray

# what phenomena ask for, and how the library calls it: for fluids, and for humid air
PROPERTIES = {
    "density": ("D", None),
    "viscosity": ("V", "M"),
    "heat capacity": ("C", "cp_ha"),
    "heat conductivity": ("L", "K"),
    "thermal expansion": (None, None),
}
HUMID = "humid air"
SHORTEST_WORD = 2
MOST_FOUND = 24
STEP = 0.05  # K, for the slope of density
# common solutions, by the library's code: name, what the share is of
SOLUTIONS = {
    "MEG": "ethylene glycol in water",
    "MPG": "propylene glycol in water",
    "MEA": "ethanol in water",
    "MMA": "methanol in water",
    "MGL": "glycerol in water",
    "MNA": "sodium chloride in water",
    "MCA": "calcium chloride in water",
    "LiBr": "lithium bromide in water",
    "MITSW": "sea salt in water",
}
SPOKEN = {
    "Water": "water",
    "Air": "air, dry",
    "CarbonDioxide": "carbon dioxide",
    "CarbonMonoxide": "carbon monoxide",
    "n-Propane": "propane",
    "n-Butane": "butane",
    "HydrogenSulfide": "hydrogen sulfide",
    "SulfurDioxide": "sulfur dioxide",
    "NitrousOxide": "nitrous oxide",
    "EthylBenzene": "ethylbenzene",
}


class MatterError(ValueError):
    """The library knows nothing of this, or not at this temperature and pressure."""


@dataclass(frozen=True)
class Matter:
    """One entry: `share` says what a fraction is of, "" where there is none to give."""

    id: str
    label: str
    share: str = ""


@dataclass(frozen=True)
class Properties:
    """SI values by dimension name at one state; `source` in a few words."""

    values: dict[str, float]
    phase: str
    source: str


def _library() -> Any:
    from CoolProp import CoolProp

    return CoolProp


@lru_cache(maxsize=1)
def _all() -> tuple[tuple[Matter, str], ...]:
    """Every entry with the words it is found by."""
    library = _library()
    found = [(Matter(HUMID, HUMID, "relative humidity"), "humid air moist wet steam")]
    for code, label in SOLUTIONS.items():
        found.append((Matter(f"INCOMP::{code}", label, "mass fraction"), f"{label} {code}".lower()))
    for name in library.FluidsList():
        words = " ".join([name, *library.get_aliases(name)]).lower()
        spoken = SPOKEN.get(name, name if name.isupper() or name[:1] == "R" else name.lower())
        found.append((Matter(name, spoken), f"{spoken} {words}"))
    return tuple(sorted(found, key=lambda pair: pair[0].label))


def find(text: str) -> list[Matter]:
    """Entries whose name or other names hold every word; those that begin with it first."""
    words = text.lower().split()
    if not any(len(w) >= SHORTEST_WORD for w in words):
        return [
            m
            for m, _ in _all()
            if m.id
            in (
                "Water",
                "Air",
                HUMID,
                "Nitrogen",
                "CarbonDioxide",
                "INCOMP::MEG",
                "INCOMP::MNA",
                "Ethanol",
            )
        ]
    hits = [m for m, names in _all() if all(w in names for w in words)]
    return sorted(hits, key=lambda m: (not m.label.startswith(words[0]), len(m.label)))[:MOST_FOUND]


def holds(entry: str) -> bool:
    """Whether the library knows an id."""
    return any(m.id == entry for m, _ in _all())


def properties(matter: str, temperature: float, pressure: float, share: float = 0.0) -> Properties:
    """At a temperature (K) and pressure (Pa). Raises MatterError."""
    entry = next((m for m, _ in _all() if m.id == matter), None)
    if entry is None:
        raise MatterError(f"there is no '{matter}' in the library")
    values = {}
    for dimension in PROPERTIES:
        value = _one(matter, dimension, temperature, pressure, share)
        if value is not None:
            values[dimension] = value
    if "density" not in values:
        raise MatterError(f"{entry.label} has no values at {temperature:g} K and {pressure:g} Pa")
    return Properties(
        values, _phase(matter, temperature, pressure), _source(entry, temperature, pressure, share)
    )


def _source(entry: Matter, temperature: float, pressure: float, share: float) -> str:
    part = f", {entry.share} {share:g}" if entry.share else ""
    return (
        f"CoolProp: {entry.label}{part}, {temperature - 273.15:.6g} degC, {pressure / 1e5:.6g} bar"
    )


def _one(matter: str, dimension: str, t: float, p: float, share: float) -> float | None:
    """One property, None where the library has no answer."""
    library = _library()
    if dimension == "thermal expansion":
        rise = [_one(matter, "density", t + d, p, share) for d in (-STEP, 0.0, STEP)]
        if None in rise:
            return None
        low, here, high = (float(r) for r in rise if r is not None)
        return -(high - low) / (2 * STEP) / here
    code, humid = PROPERTIES[dimension]
    try:
        if matter == HUMID:
            if dimension == "density":
                volume = library.HAPropsSI("Vha", "T", t, "P", p, "R", share)
                return _sound(1.0 / volume)
            return _sound(library.HAPropsSI(humid, "T", t, "P", p, "R", share))
        if matter.startswith("INCOMP::"):
            name = f"{matter}[{share}]"
        else:
            name = matter
            if not _span(matter)[0] <= t <= _span(matter)[1]:
                return None
        return _sound(library.PropsSI(code, "T", t, "P", p, name))
    except ValueError:
        return None


@lru_cache(maxsize=256)
def _span(fluid: str) -> tuple[float, float]:
    """Temperatures (K) between which its equation of state was fitted."""
    library = _library()
    return library.PropsSI("Tmin", fluid), library.PropsSI("Tmax", fluid)


def _sound(value: float) -> float | None:
    return float(value) if np.isfinite(value) and value > 0 else None


def _phase(matter: str, temperature: float, pressure: float) -> str:
    if matter == HUMID:
        return "gas"
    if matter.startswith("INCOMP::"):
        return "liquid"
    try:
        return str(_library().PhaseSI("T", temperature, "P", pressure, matter)).replace("_", " ")
    except ValueError:
        return ""


def curve(
    matter: str,
    dimension: str,
    low: float,
    high: float,
    pressure: float,
    share: float = 0.0,
    points: int = 41,
) -> tuple[Array, Array]:
    """Temperatures (K) and one property (SI, NaN where unknown) between low and high."""
    at = np.linspace(low, high, points)
    return at, np.array([_one(matter, dimension, float(t), pressure, share) or np.nan for t in at])


def law(temperatures: Array, values: Array, unit: str) -> tuple[str, float]:
    """A formula of `temperature` that follows a curve, and its largest relative error.

    The logarithm is a parabola in temperature, which keeps its sign and suits viscosities.
    unit : of `values`. Raises MatterError where fewer than three values are known.
    """
    good = np.isfinite(values) & (values > 0)
    if good.sum() < 3:
        raise MatterError("too few values are known over this span")
    middle = float(np.round(np.mean(temperatures[good]), 2))
    away = temperatures[good] - middle
    c, b, a = np.polyfit(away, np.log(values[good]), 2)
    fitted = np.exp(a + b * away + c * away**2)
    error = float(np.abs(fitted / values[good] - 1).max())
    warm = f"(temperature - {middle:g} K)"
    text = f"{np.exp(a):.6g} {unit}*exp({b:.6g} 1/K*{warm} + {c:.6g} 1/K^2*{warm}^2)"
    return text.replace("+ -", "- "), error
