"""Units as people type them, resolved to a factor, an offset and a dimension.

The general unit library is used here and nowhere else; what leaves this module is `Unit`.
"""

from __future__ import annotations

import json
import os
import re
from contextlib import suppress
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from importlib.metadata import version
from pathlib import Path
from typing import Any

from underkettle.cache import cache_root
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
_PIECE = re.compile(
    r"\s*(?:(?P<name>%|°C|°|[A-Za-zµ_]+)(?P<power>-?\d{1,2}(?![\w.]))?"
    r"|(?P<raised>(?:\^|\*\*)\s*-?\d{1,2}(?:\.\d{1,3})?(?![\w.]))"
    r"|(?P<one>1(?=\s*/))|(?P<op>[*/()]))"
)
LONGEST = 64  # signs of a unit
STRONGEST = 30  # a power in it
MOST_WORDS = 2000  # that are kept from one start to the next

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
    "charge density": "C/m3",
    "charge per area": "C/m2",
    "energy per volume": "J/m3",
    "current source": "A/m3",
    "voltage per time": "V/s",
    "voltage per temperature": "mV/K",
    "capacitance per volume": "F/m3",
    "area resistance": "ohm m2",
    "capacitance per area": "F/m2",
    "capacitance": "F",
    "electric resistance": "ohm",
    "electric field": "V/m",
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
    "angle": "deg",
    "resistance": "1/m2",
    "area per volume": "1/m",
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


@lru_cache(maxsize=8192)
def _named(name: str) -> Unit | None:
    """The unit of one word ("mm", "degC"); None if there is none."""
    words = _words()
    with suppress(KeyError, TypeError, ValueError):  # not there, or not as it was written
        return _as_unit(name, words[name])
    unit = _looked_up(name)
    words[name] = None if unit is None else _plain(unit)
    _keep(words)
    return unit


def _plain(unit: Unit) -> list[str]:
    return [unit.factor.hex(), unit.offset.hex(), *(str(p) for p in unit.dimension.powers)]


def _as_unit(name: str, plain: list[str] | None) -> Unit | None:
    if plain is None:
        return None
    factor, offset, *powers = plain
    found = Dimension(tuple(Fraction(p) for p in powers))
    if len(powers) != len(from_powers({}).powers):
        raise ValueError
    return Unit(name, float.fromhex(factor), float.fromhex(offset), found)


def _kept() -> Path:
    """Where words that were looked up are kept: loading the unit library takes half a second."""
    return cache_root() / f"units-{version('pint')}.json"


@lru_cache(maxsize=1)
def _words() -> dict[str, Any]:
    try:
        found = json.loads(_kept().read_text())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _keep(words: dict[str, Any]) -> None:
    """Keep all words; where that cannot be, or there are too many, they are looked up again."""
    if len(words) > MOST_WORDS:
        return
    with suppress(OSError):
        file = _kept()
        file.parent.mkdir(parents=True, exist_ok=True)
        beside = file.with_suffix(f".{os.getpid()}")
        beside.write_text(json.dumps(words))
        beside.replace(file)


def _looked_up(name: str) -> Unit | None:
    import pint

    library = _library()
    try:
        unit = library.Unit(_SPOKEN.get(name, name))
        powers = {
            _LIBRARY_BASE[k]: Fraction(v).limit_denominator(12)
            for k, v in unit.dimensionality.items()
        }
        zero = library.Quantity(0.0, unit).to_base_units().magnitude
        one = library.Quantity(1.0, unit).to_base_units().magnitude
    except (
        pint.errors.PintError,
        KeyError,
        ValueError,
        TypeError,
        AttributeError,
        SyntaxError,
        ArithmeticError,
        AssertionError,
    ):
        return None
    except Exception as error:  # the library's tokeniser raises its own kinds for odd input
        if "token" in type(error).__name__.lower():
            return None
        raise
    return Unit(name, float(one - zero), float(zero), from_powers(dict(powers)))


class _NoUnit(Exception):
    pass


def _pieces(text: str) -> list[tuple[str, str]]:
    """Kind and text of every piece: name, power, op. Raises _NoUnit."""
    found: list[tuple[str, str]] = []
    at, end = 0, len(text.rstrip())
    while at < end:
        match = _PIECE.match(text, at)
        if match is None:
            raise _NoUnit
        kind = match.lastgroup or ""
        if kind in ("name", "power"):
            found.append(("name", match["name"]))
            if match["power"]:
                found.append(("power", match["power"]))
        elif kind == "raised":
            found.append(("power", match["raised"].lstrip("^* \t")))
        else:
            found.append((kind, match[kind]))
        at = match.end()
    return found


def _product(pieces: list[tuple[str, str]], inner: bool) -> tuple[float, Dimension]:
    """Factor and dimension of a product of units, read from the left; pieces are used up."""
    factor, dimension, sign = 1.0, from_powers({}), 1
    wanted = True
    while pieces:
        kind, text = pieces[0]
        if kind == "op" and text == ")":
            break
        pieces.pop(0)
        if kind == "op" and text in "*/":
            if wanted:
                raise _NoUnit
            sign, wanted = (1 if text == "*" else -1), True
            continue
        if kind == "op":
            if inner:
                raise _NoUnit
            one, what = _product(pieces, True)
            if not pieces or pieces.pop(0) != ("op", ")"):
                raise _NoUnit
        elif kind == "name":
            unit = _named(text)
            if unit is None or unit.offset:
                raise _NoUnit
            one, what = unit.factor, unit.dimension
        elif kind == "one":
            one, what = 1.0, from_powers({})
        else:
            raise _NoUnit
        power = Fraction(sign)
        if pieces and pieces[0][0] == "power":
            power *= Fraction(pieces.pop(0)[1]).limit_denominator(12)
        factor, dimension = factor * one ** float(power), dimension * what**power
        sign, wanted = 1, False
    if wanted:
        raise _NoUnit
    return factor, dimension


@lru_cache(maxsize=4096)
def find_unit(text: str) -> Unit | None:
    """The unit spelled `text` ("mm", "m2/s", "degC", "mol/(m3 s)"); None if there is none.

    Names with whole or decimal powers, joined by a space, * or /, one level of brackets.
    """
    if not text.strip() or len(text) > LONGEST:
        return None
    try:
        pieces = _pieces(text)
        if len(pieces) == 1 and pieces[0][0] == "name":
            alone = _named(pieces[0][1])
            return None if alone is None else replace(alone, text=text)
        factor, dimension = _product(pieces, False)
    except (_NoUnit, ArithmeticError):
        return None
    if (
        pieces
        or not 0.0 < factor < float("inf")
        or any(abs(p) > STRONGEST for p in dimension.powers)
    ):
        return None
    return Unit(text, factor, 0.0, dimension)


def is_unit_name(name: str) -> bool:
    """Whether a bare word would be read as a unit when it follows a number."""
    return bool(_NAME.fullmatch(name)) and find_unit(name) is not None


@lru_cache(maxsize=512)
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


@lru_cache(maxsize=512)
def unit_of(dimension_name: str) -> str:
    return display_unit(dimension_of(dimension_name))
