"""Reactions as people write them: read, checked by their elements, balanced; and their heat.

    CH4 + 2 O2 -> CO2 + 2 H2O

Names are those of whatever is followed; one that reads as a formula ("C10H16", "CO(NH2)2") tells its
elements by itself, others are told theirs by the case. M is any molecule that helps by a blow:

    H + O2 + M -> HO2 + M
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import cache

import numpy as np

from underkettle.matter.thermo import ONE_BAR, STANDARD, substances
from underkettle.quantities.constants import GAS

Array = np.ndarray

_ELEMENTS = """H He Li Be B C N O F Ne Na Mg Al Si P S Cl Ar K Ca Ti V Cr Mn Fe Co Ni Cu Zn As Se Br
Kr Zr Mo Pd Ag Cd Sn I Xe Ba W Pt Au Hg Pb U"""
ELEMENTS = frozenset(_ELEMENTS.split())
ARROW = re.compile(r"\s*(?:<=>|->|=)\s*")
_PART = re.compile(
    r"\s*(?:([0-9]+(?:\.[0-9]+)?(?:/[0-9]+)?)\s*\*?\s*)?([A-Za-z_][A-Za-z0-9_()]*)\s*"
)
_ATOM = re.compile(r"([A-Z][a-z]?|\(|\))(\d*)")
ANY = "M"  # whoever helps
_HELPED = re.compile(r"\(\s*\+\s*M\s*\)")
LONGEST = 200  # signs
KEPT = 1e-6  # of atoms: less is rounding
LARGEST = 60  # of a whole number in a balanced equation


class ReactionError(ValueError):
    """A reaction that cannot be read."""


@dataclass(frozen=True)
class Reaction:
    """What is used up and what is made, in moles; helped : whether any other molecule must help."""

    left: tuple[tuple[str, float], ...]
    right: tuple[tuple[str, float], ...]
    helped: bool = False

    @property
    def names(self) -> tuple[str, ...]:
        """Everyone who takes part, in the order in which they are written."""
        return tuple(dict.fromkeys(n for n, _ in (*self.left, *self.right)))

    def net(self) -> dict[str, float]:
        """Moles made of each, negative where used up; those that come out as they went in, too."""
        found = dict.fromkeys(self.names, 0.0)
        for side, sign in ((self.left, -1.0), (self.right, 1.0)):
            for name, moles in side:
                found[name] += sign * moles
        return found


@cache
def read_reaction(text: str) -> Reaction:
    """A reaction as it is written. Raises ReactionError."""
    if len(text) > LONGEST:
        raise ReactionError(f"a reaction of more than {LONGEST} signs")
    sides = ARROW.split(_HELPED.sub(f" + {ANY}", text.strip()))
    if len(sides) != 2 or not all(s.strip() for s in sides):
        raise ReactionError(f"'{text}' is not of the form A + 2 B -> C")
    both = [dict(_side(side)) for side in sides]
    helps = [side.pop(ANY, 0.0) for side in both]
    if helps[0] != helps[1] or helps[0] not in (0.0, 1.0) or not all(both):
        raise ReactionError(f"{ANY}, any molecule that helps, stands once on both sides or on none")
    left, right = (tuple(side.items()) for side in both)
    return Reaction(left, right, bool(helps[0]))


def _side(text: str) -> tuple[tuple[str, float], ...]:
    found: dict[str, float] = {}
    for part in text.split("+"):
        match = _PART.fullmatch(part)
        if not match:
            raise ReactionError(f"'{part.strip()}' is not an amount of something, such as 2 H2O")
        moles = float(Fraction(match[1])) if match[1] else 1.0
        if moles <= 0:
            raise ReactionError(f"'{part.strip()}' is no amount")
        found[match[2]] = found.get(match[2], 0.0) + moles
    return tuple(found.items())


@cache
def atoms_of(formula: str) -> Mapping[str, int] | None:
    """Atoms of each element in a formula; None where it reads as none."""
    if formula in substances():
        return dict(substances()[formula].atoms)
    stack: list[dict[str, int]] = [{}]
    at = 0
    for match in _ATOM.finditer(formula):
        if match.start() != at:
            return None
        at = match.end()
        sign, count = match[1], int(match[2] or 1)
        if sign == "(":
            if match[2]:
                return None
            stack.append({})
        elif sign == ")":
            if len(stack) < 2:
                return None
            for element, n in stack.pop().items():
                stack[-1][element] = stack[-1].get(element, 0) + n * count
        elif sign in ELEMENTS:
            stack[-1][sign] = stack[-1].get(sign, 0) + count
        else:
            return None
    return stack[0] if at == len(formula) and len(stack) == 1 and stack[0] else None


def gained(reaction: Reaction, atoms: Mapping[str, Mapping[str, float]]) -> dict[str, float]:
    """Atoms of each element that are made of nothing (negative: lost) as it runs once."""
    found: dict[str, float] = {}
    for name, moles in reaction.net().items():
        for element, count in atoms[name].items():
            found[element] = found.get(element, 0.0) + moles * count
    return {e: n for e, n in found.items() if abs(n) > KEPT}


def balanced(reaction: Reaction, atoms: Mapping[str, Mapping[str, float]]) -> str | None:
    """The same as text with amounts that keep every element, the first as it is written; None where
    there are none, or many.
    """
    left, right = [n for n, _ in reaction.left], [n for n, _ in reaction.right]
    names = [*left, *right]
    if len(set(names)) < len(names):
        return None
    elements = sorted({e for n in names for e in atoms[n]})
    rows = [
        [
            Fraction(atoms[n].get(e, 0)).limit_denominator(1000) * (-1 if n in left else 1)
            for n in names
        ]
        for e in elements
    ]
    amounts = _null(rows)
    if amounts is None or any(a <= 0 for a in amounts):
        return None
    first = Fraction(reaction.left[0][1]).limit_denominator(1000)
    amounts = [a * first / amounts[0] for a in amounts]
    if any(a > LARGEST for a in amounts):
        return None
    parts = [f"{_spoken(a)}{n}" for a, n in zip(amounts, names, strict=True)]
    more = [ANY] if reaction.helped else []
    sides = [*parts[: len(left)], *more], [*parts[len(left) :], *more]
    return " -> ".join(" + ".join(side) for side in sides)


def _null(rows: list[list[Fraction]]) -> list[Fraction] | None:
    """The one direction that rows send to nothing, by elimination; None where there is not one."""
    rows, width = [r[:] for r in rows], len(rows[0])
    pivots: list[int] = []
    for column in range(width):
        at = len(pivots)
        found = next((k for k in range(at, len(rows)) if rows[k][column]), None)
        if found is None:
            continue
        rows[at], rows[found] = rows[found], rows[at]
        rows[at] = [v / rows[at][column] for v in rows[at]]
        for k in range(len(rows)):
            if k != at and rows[k][column]:
                rows[k] = [v - rows[k][column] * w for v, w in zip(rows[k], rows[at], strict=True)]
        pivots.append(column)
    free = [c for c in range(width) if c not in pivots]
    if len(free) != 1:
        return None
    found_all = [Fraction(0)] * width
    found_all[free[0]] = Fraction(1)
    for at, column in enumerate(pivots):
        found_all[column] = -rows[at][free[0]]
    return found_all


def _spoken(amount: Fraction) -> str:
    if amount == 1:
        return ""
    return f"{amount.numerator if amount.denominator == 1 else f'{float(amount):.6g}'} "


def is_known(reaction: Reaction) -> bool:
    """Whether the enthalpies of all who take part are known."""
    return all(name in substances() for name in reaction.names)


def heat_of(reaction: Reaction, temperature: float = STANDARD) -> float:
    """Heat given off (J) as it runs once, at a temperature (K) and constant pressure, all gases ideal.
    All must be known (`is_known`).
    """
    each = reaction.net().items()
    return -sum(n * substances()[s].enthalpy(temperature) for s, n in each if n)


def log_constants(reaction: Reaction, temperatures: Array) -> Array:
    """ln of the equilibrium constant in concentrations (mol/m3 to the power of the moles gained)."""
    net = {s: n for s, n in reaction.net().items() if n}
    more = sum(net.values())
    found = [
        -sum(n * substances()[s].gibbs(float(t)) for s, n in net.items()) / (GAS * t)
        + more * np.log(ONE_BAR / (GAS * t))
        for t in temperatures
    ]
    return np.array(found)
