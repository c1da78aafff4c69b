"""Units as people type them, resolved to a factor, an offset and a dimension.

The general unit library is used here and nowhere else; what leaves this module is `Unit`.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

from underkettle.quantities.dimension import Dimension, dimension_of, from_powers

_LIBRARY_BASE = {
    "[length]": "m",
    "[mass]": "kg",
    "[time]": "s",
    "[temperature]": "K",
    "[substance]": "mol",
    "[current]": "A",
    "[luminosity]": "cd",
}
_SPOKEN = {"%": "percent", "°C": "degC", "°": "degree", "µm": "um", "Ohm": "ohm"}
_NAME = re.compile(r"(%|°C|°|[A-Za-zµ]+)")

# Shown on screens and in answers; factor one with SI unless the trade says otherwise.
_DISPLAY = {
    "length": "mm",
    "area": "m2",
    "volume": "m3",
    "time": "s",
    "speed": "m/s",
    "area per time": "m2/s",
    "volume flow": "m3/s",
    "mass flow": "kg/s",
    "amount flow": "mol/s",
    "density": "kg/m3",
    "pressure": "Pa",
    "viscosity": "Pa s",
    "force": "N",
    "force per volume": "N/m3",
    "concentration": "mol/m3",
    "amount flux": "mol/(m2 s)",
    "amount source": "mol/(m3 s)",
    "rate": "1/s",
    "temperature": "K",
    "heat capacity": "J/(kg K)",
    "heat flux": "W/m2",
    "heat source": "W/m3",
    "heat transfer coefficient": "W/(m2 K)",
    "thermal expansion": "1/K",
    "heat conductivity": "W/(m K)",
    "voltage": "V",
    "conductivity": "S/m",
    "current density": "A/m2",
    "charge": "C",
    "energy": "J",
    "power": "W",
    "mass": "kg",
    "amount": "mol",
    "amount of substance": "mol",
    "current": "A",
    "acceleration": "m/s2",
    "molar mass": "g/mol",
    "mass flux": "kg/(m2 s)",
    "mass source": "kg/(m3 s)",
    "surface tension": "N/m",
    "specific energy": "J/kg",
    "molar energy": "J/mol",
    "number": "",
}


@dataclass(frozen=True)
class Unit:
    """value in SI = value * factor + offset."""

    text: str
    factor: float
    offset: float
    dimension: Dimension

    def to_si(self, value: float) -> float:
        return value * self.factor + self.offset


@lru_cache(maxsize=1)
def _library() -> Any:
    import pint

    return pint.UnitRegistry(cache_folder=None)


@lru_cache(maxsize=512)
def find_unit(text: str) -> Unit | None:
    """The unit spelled `text` ("mm", "m2/s", "degC", "mol/(m3 s)"); None if there is none."""
    import pint

    if not text.strip():
        return None
    spelled = re.sub(r"([A-Za-zµ])(-?\d)", r"\1^\2", text)
    spelled = _NAME.sub(lambda m: _SPOKEN.get(m.group(0), m.group(0)), spelled)
    spelled = re.sub(r"(?<=[\w)])\s+(?=[A-Za-z(])", "*", spelled)
    library = _library()
    try:
        unit = library.Unit(spelled)
        powers = {
            _LIBRARY_BASE[k]: Fraction(v).limit_denominator(12)
            for k, v in unit.dimensionality.items()
        }
        zero = library.Quantity(0.0, unit).to_base_units().magnitude
        one = library.Quantity(1.0, unit).to_base_units().magnitude
    except (pint.errors.PintError, KeyError, ValueError, TypeError, AttributeError, SyntaxError,
            ArithmeticError, AssertionError, RecursionError):
        return None
    except Exception as error:  # the library's tokeniser raises its own kinds for odd input
        if "token" in type(error).__name__.lower():
            return None
        raise
    return Unit(text, float(one - zero), float(zero), from_powers(dict(powers)))


def is_unit_name(name: str) -> bool:
    """Whether a bare word would be read as a unit when it follows a number."""
    return bool(_NAME.fullmatch(name)) and find_unit(name) is not None


def display_unit(dimension: Dimension) -> str:
    """The unit in which numbers of this dimension are shown."""
    return _DISPLAY.get(dimension.name, dimension.si)


def from_si(value: float, unit: str) -> float:
    """An SI value in `unit`. Raises KeyError when `unit` is not one."""
    if not unit:
        return value
    found = find_unit(unit)
    if found is None:
        raise KeyError(unit)
    return (value - found.offset) / found.factor


def unit_of(dimension_name: str) -> str:
    return display_unit(dimension_of(dimension_name))
