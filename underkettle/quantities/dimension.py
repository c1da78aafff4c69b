"""The algebra of physical dimensions: exponents of the seven SI base quantities."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

_BASE = ("m", "kg", "s", "K", "mol", "A", "cd")

_NAMED: dict[str, dict[str, int]] = {
    "number": {},
    "angle": {},
    "length": {"m": 1},
    "area": {"m": 2},
    "resistance": {"m": -2},
    "area per volume": {"m": -1},
    "volume": {"m": 3},
    "time": {"s": 1},
    "mass": {"kg": 1},
    "temperature": {"K": 1},
    "amount": {"mol": 1},
    "current": {"A": 1},
    "speed": {"m": 1, "s": -1},
    "acceleration": {"m": 1, "s": -2},
    "area per time": {"m": 2, "s": -1},
    "volume flow": {"m": 3, "s": -1},
    "mass flow": {"kg": 1, "s": -1},
    "amount flow": {"mol": 1, "s": -1},
    "density": {"kg": 1, "m": -3},
    "pressure": {"kg": 1, "m": -1, "s": -2},
    "viscosity": {"kg": 1, "m": -1, "s": -1},
    "force": {"kg": 1, "m": 1, "s": -2},
    "force per volume": {"kg": 1, "m": -2, "s": -2},
    "concentration": {"mol": 1, "m": -3},
    "amount flux": {"mol": 1, "m": -2, "s": -1},
    "amount source": {"mol": 1, "m": -3, "s": -1},
    "rate": {"s": -1},
    "voltage": {"kg": 1, "m": 2, "s": -3, "A": -1},
    "conductivity": {"kg": -1, "m": -3, "s": 3, "A": 2},
    "current density": {"A": 1, "m": -2},
    "charge": {"A": 1, "s": 1},
    "charge density": {"A": 1, "s": 1, "m": -3},
    "charge per area": {"A": 1, "s": 1, "m": -2},
    "energy per volume": {"kg": 1, "m": -1, "s": -2},
    "current source": {"A": 1, "m": -3},
    "voltage per time": {"kg": 1, "m": 2, "s": -4, "A": -1},
    "capacitance per volume": {"kg": -1, "m": -5, "s": 4, "A": 2},
    "area resistance": {"kg": 1, "m": 4, "s": -3, "A": -2},
    "capacitance per area": {"kg": -1, "m": -4, "s": 4, "A": 2},
    "capacitance": {"kg": -1, "m": -2, "s": 4, "A": 2},
    "electric resistance": {"kg": 1, "m": 2, "s": -3, "A": -2},
    "electric field": {"kg": 1, "m": 1, "s": -3, "A": -1},
    "energy": {"kg": 1, "m": 2, "s": -2},
    "power": {"kg": 1, "m": 2, "s": -3},
    "heat capacity": {"m": 2, "s": -2, "K": -1},
    "heat flux": {"kg": 1, "s": -3},
    "heat source": {"kg": 1, "m": -1, "s": -3},
    "heat transfer coefficient": {"kg": 1, "s": -3, "K": -1},
    "thermal expansion": {"K": -1},
    "heat conductivity": {"kg": 1, "m": 1, "s": -3, "K": -1},
    "amount of substance": {"mol": 1},
    "molar mass": {"kg": 1, "mol": -1},
    "mass flux": {"kg": 1, "m": -2, "s": -1},
    "mass source": {"kg": 1, "m": -3, "s": -1},
    "surface tension": {"kg": 1, "s": -2},
    "specific energy": {"m": 2, "s": -2},
    "voltage per temperature": {"kg": 1, "m": 2, "s": -3, "A": -1, "K": -1},
    "molar energy": {"kg": 1, "m": 2, "s": -2, "mol": -1},
}


@dataclass(frozen=True)
class Dimension:
    """Exponents of m, kg, s, K, mol, A, cd, in this order."""

    powers: tuple[Fraction, ...]

    def __mul__(self, other: Dimension) -> Dimension:
        return Dimension(tuple(a + b for a, b in zip(self.powers, other.powers, strict=True)))

    def __truediv__(self, other: Dimension) -> Dimension:
        return Dimension(tuple(a - b for a, b in zip(self.powers, other.powers, strict=True)))

    def __pow__(self, exponent: Fraction | int) -> Dimension:
        return Dimension(tuple(a * Fraction(exponent) for a in self.powers))

    @property
    def is_number(self) -> bool:
        return not any(self.powers)

    @property
    def name(self) -> str:
        """The plain name where it has one ("length"), else the base units ("kg m^-1")."""
        return _NAME_OF.get(self) or self.si

    @property
    def si(self) -> str:
        """The product of SI base units, as people write it: "kg/(m s)"."""
        up = [_power(u, p) for u, p in zip(_BASE, self.powers, strict=True) if p > 0]
        down = [_power(u, -p) for u, p in zip(_BASE, self.powers, strict=True) if p < 0]
        top = " ".join(up) or "1"
        if not down:
            return "" if top == "1" else top
        bottom = " ".join(down)
        return f"{top}/({bottom})" if len(down) > 1 else f"{top}/{bottom}"


def _power(unit: str, power: Fraction) -> str:
    return unit if power == 1 else f"{unit}^{power}"


def from_powers(powers: dict[str, int | Fraction]) -> Dimension:
    return Dimension(tuple(Fraction(powers.get(b, 0)) for b in _BASE))


NUMBER = from_powers({})
_BY_NAME = {name: from_powers(dict(p)) for name, p in _NAMED.items()}
_NAME_OF = {d: name for name, d in reversed(list(_BY_NAME.items()))}


def dimension_of(name: str) -> Dimension:
    """The dimension with this plain name ("length", "viscosity", ...).

    A product of base units such as "kg m^-3" or "kg/(m s)" is understood too, so that a phenomenon
    from outside is not limited to our list. Raises KeyError for anything else.
    """
    if name in _BY_NAME:
        return _BY_NAME[name]
    total = NUMBER
    top, _, bottom = name.partition("/")
    for side, sign in ((top if top != "1" else "", 1), (bottom.strip("()"), -1)):
        for piece in side.split():
            unit, _, power = piece.partition("^")
            if unit not in _BASE:
                raise KeyError(
                    f"'{name}' is neither a named dimension nor a product of SI base units"
                )
            total = total * from_powers({unit: sign * Fraction(power or 1)})
    return total
