"""Formulas as modellers type them: "5 mm", "2*gap + 1 mm", "if(y > 3 mm, 0 m/s, 12 mm/s)".

A formula is parsed once into a small tree and evaluated on numbers or arrays in SI. The grammar
has arithmetic, comparisons, `if` and a fixed list of functions; names are looked up in what the
caller offers and nowhere else, so a formula cannot reach code, files or the network.
A unit binds to the number before it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

import numpy as np

from underkettle.quantities.dimension import NUMBER, Dimension
from underkettle.quantities.units import Unit, find_unit, is_unit_name

LONGEST = 2000
DEEPEST = 60

Value = float | np.ndarray
Names = Mapping[str, Value]
Dimensions = Mapping[str, Dimension]


class FormulaError(ValueError):
    """The formula cannot be read or its units do not fit; `at` is the column, from 0."""

    def __init__(self, message: str, at: int = 0) -> None:
        super().__init__(message)
        self.at = at


_FUNCTIONS: dict[str, tuple[int, Callable[..., Value], str]] = {
    # name: (arguments, function, rule for units)
    "sqrt": (1, np.sqrt, "root"),
    "abs": (1, np.abs, "same"),
    "exp": (1, np.exp, "number"),
    "log": (1, np.log, "number"),
    "log10": (1, np.log10, "number"),
    "sin": (1, np.sin, "number"),
    "cos": (1, np.cos, "number"),
    "tan": (1, np.tan, "number"),
    "asin": (1, np.arcsin, "number"),
    "acos": (1, np.arccos, "number"),
    "atan": (1, np.arctan, "number"),
    "tanh": (1, np.tanh, "number"),
    "min": (2, np.minimum, "same"),
    "max": (2, np.maximum, "same"),
}
_CONSTANTS = {"pi": float(np.pi)}
_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)"
    r"|(?P<name>[A-Za-z_µ][A-Za-z_0-9µ]*|%|°C|°)"
    r"|(?P<op><=|>=|==|!=|\*\*|[-+*/^(),<>]))"
)


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int
    end: int


@dataclass(frozen=True)
class _Node:
    at: int


@dataclass(frozen=True)
class _Number(_Node):
    value: float
    dimension: Dimension
    zero: bool


@dataclass(frozen=True)
class _Name(_Node):
    name: str


@dataclass(frozen=True)
class _Call(_Node):
    name: str
    arguments: tuple[_Node, ...]


@dataclass(frozen=True)
class _Binary(_Node):
    op: str
    left: _Node
    right: _Node


_ARITHMETIC: dict[str, Callable[[Value, Value], Value]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "^": np.power,
    "<": np.less,
    ">": np.greater,
    "<=": np.less_equal,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
}


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = list(_scan(text))
        self.i = 0
        self.depth = 0

    @property
    def now(self) -> _Token:
        return self.tokens[self.i]

    def take(self, *texts: str) -> _Token | None:
        if self.now.kind == "op" and self.now.text in texts:
            self.i += 1
            return self.tokens[self.i - 1]
        return None

    def expect(self, text: str) -> None:
        if not self.take(text):
            found = self.now.text or "the end"
            raise FormulaError(f"expected '{text}' but found '{found}'", self.now.at)

    def whole(self) -> _Node:
        node = self.comparison()
        if self.now.kind != "end":
            raise FormulaError(f"'{self.now.text}' is not expected here", self.now.at)
        return node

    def comparison(self) -> _Node:
        self.depth += 1
        if self.depth > DEEPEST:
            raise FormulaError(f"nested deeper than {DEEPEST} levels", self.now.at)
        left = self.sum()
        op = self.take("<", ">", "<=", ">=", "==", "!=")
        if op:
            left = _Binary(op.at, op.text, left, self.sum())
        self.depth -= 1
        return left

    def sum(self) -> _Node:
        left = self.product()
        while op := self.take("+", "-"):
            left = _Binary(op.at, op.text, left, self.product())
        return left

    def product(self) -> _Node:
        left = self.signed()
        while op := self.take("*", "/"):
            left = _Binary(op.at, op.text, left, self.signed())
        return left

    def signed(self) -> _Node:
        negative = False
        first = self.now.at
        while op := self.take("-", "+"):
            negative ^= op.text == "-"
        node = self.power()
        return _Binary(first, "*", _Number(first, -1.0, NUMBER, False), node) if negative else node

    def power(self) -> _Node:
        base = self.atom()
        if op := self.take("^", "**"):
            self.depth += 1
            if self.depth > DEEPEST:
                raise FormulaError(f"nested deeper than {DEEPEST} levels", self.now.at)
            exponent = self.signed()
            self.depth -= 1
            return _Binary(op.at, "^", base, exponent)
        return base

    def atom(self) -> _Node:
        token = self.now
        if token.kind == "number":
            self.i += 1
            return self.quantity(token)
        if token.kind == "name":
            self.i += 1
            if self.take("("):
                return self.call(token)
            return _Name(token.at, token.text)
        if self.take("("):
            node = self.comparison()
            self.expect(")")
            return node
        found = token.text or "the end"
        raise FormulaError(f"expected a number or a name but found '{found}'", token.at)

    def call(self, token: _Token) -> _Node:
        arguments = [self.comparison()]
        while self.take(","):
            arguments.append(self.comparison())
        self.expect(")")
        wanted = 3 if token.text == "if" else _FUNCTIONS.get(token.text, (0,))[0]
        if not wanted:
            known = ", ".join(["if", *_FUNCTIONS])
            raise FormulaError(f"'{token.text}' is not a function; known are {known}", token.at)
        if len(arguments) != wanted:
            raise FormulaError(
                f"'{token.text}' takes {wanted} argument{'s' if wanted > 1 else ''}, "
                f"not {len(arguments)}",
                token.at,
            )
        return _Call(token.at, token.text, tuple(arguments))

    def quantity(self, token: _Token) -> _Node:
        value = float(token.text)
        if not np.isfinite(value):
            raise FormulaError(f"'{token.text}' is larger than a number can be", token.at)
        unit = self.unit()
        if unit is None:
            return _Number(token.at, value, NUMBER, value == 0.0)
        return _Number(token.at, unit.to_si(value), unit.dimension, False)

    def unit(self) -> Unit | None:
        """The longest run of tokens from here that spells a unit."""
        best: Unit | None = None
        best_end = self.i
        first = self.i
        end = self.i
        if self.now.text == "1" and self.tokens[self.i + 1].text == "/":
            end += 1  # "0.1 1/s"
        if not (self.tokens[end].kind == "name" or self.tokens[end].text == "/"):
            return None
        open_brackets = 0
        while end < len(self.tokens) - 1 and end - first < 16:
            token = self.tokens[end]
            if token.text == "(":
                if self.tokens[end - 1].text not in ("/", "*"):
                    break
                open_brackets += 1
            elif token.text == ")":
                open_brackets -= 1
                if open_brackets < 0:
                    break
            elif token.kind == "number":
                if self.tokens[end - 1].text not in ("^", "-"):
                    break
            elif token.kind == "name":
                if not is_unit_name(re.sub(r"\d+$", "", token.text)):
                    break
            elif token.text not in ("*", "/", "^", "-"):
                break
            end += 1
            if open_brackets == 0 and token.text not in ("*", "/", "^", "-", "("):
                spelled = self.text[self.tokens[first].at : token.end]
                if spelled.startswith("/"):
                    spelled = "1" + spelled
                found = find_unit(spelled)
                if found is not None:
                    best, best_end = found, end
        self.i = best_end
        return best


def _scan(text: str) -> Iterator[_Token]:
    i = 0
    end = len(text.rstrip())
    while i < end:
        match = _TOKEN.match(text, i)
        if not match or match.end() == i:
            raise FormulaError(f"'{text[i:].strip()[:1]}' has no meaning in a formula", i)
        kind = match.lastgroup or ""
        yield _Token(kind, match.group(kind), match.start(kind), match.end())
        i = match.end()
    yield _Token("end", "", end, end)


@dataclass(frozen=True)
class Formula:
    """A parsed formula. `text` is what was typed."""

    text: str
    root: _Node

    @property
    def names(self) -> frozenset[str]:
        """The names it uses, constants left out."""
        return frozenset(_names(self.root))

    def dimension(self, dimensions: Dimensions) -> Dimension | None:
        """The dimension of the result; None for a bare zero, which fits everywhere.

        Raises FormulaError for an unknown name or units that do not fit.
        """
        return _dimension(self.root, dimensions)

    def evaluate(self, values: Names) -> Value:
        """The result in SI; arrays in `values` broadcast. Raises FormulaError on unknown names."""
        with np.errstate(all="ignore"):
            return _evaluate(self.root, values)


@lru_cache(maxsize=4096)
def parse(text: str) -> Formula:
    """Read a formula. Raises FormulaError with the column where reading stopped."""
    if not text.strip():
        raise FormulaError("nothing is written here")
    if len(text) > LONGEST:
        raise FormulaError(f"longer than {LONGEST} signs")
    return Formula(text, _Parser(text).whole())


def names_in(text: str) -> frozenset[str]:
    """The names a formula uses; none where it cannot be read."""
    try:
        return parse(text).names
    except FormulaError:
        return frozenset()


def _names(node: _Node) -> Iterator[str]:
    if isinstance(node, _Name) and node.name not in _CONSTANTS:
        yield node.name
    elif isinstance(node, _Binary):
        yield from _names(node.left)
        yield from _names(node.right)
    elif isinstance(node, _Call):
        for argument in node.arguments:
            yield from _names(argument)


def _spoken(dimension: Dimension | None) -> str:
    if dimension is None or dimension.is_number:
        return "a plain number"
    return f"{dimension.name} ({dimension.si})" if dimension.name != dimension.si else dimension.si


def _same(op: str, a: Dimension | None, b: Dimension | None, at: int) -> Dimension | None:
    if a is None or b is None:
        return b if a is None else a
    if a != b:
        raise FormulaError(f"'{op}' joins {_spoken(a)} with {_spoken(b)}", at)
    return a


def _dimension(node: _Node, known: Dimensions) -> Dimension | None:
    if isinstance(node, _Number):
        return None if node.zero else node.dimension
    if isinstance(node, _Name):
        if node.name in _CONSTANTS:
            return NUMBER
        if node.name not in known:
            raise FormulaError(_unknown(node.name, known), node.at)
        return known[node.name]
    if isinstance(node, _Binary):
        return _binary_dimension(node, known)
    assert isinstance(node, _Call)
    parts = [_dimension(a, known) for a in node.arguments]
    if node.name == "if":
        return _same("if", parts[1], parts[2], node.at)
    rule = _FUNCTIONS[node.name][2]
    if rule == "same":
        result = parts[0]
        for part in parts[1:]:
            result = _same(node.name, result, part, node.at)
        return result
    if rule == "root":
        return None if parts[0] is None else parts[0] ** Fraction(1, 2)
    if parts[0] is not None and not parts[0].is_number:
        raise FormulaError(f"'{node.name}' wants a plain number, not {_spoken(parts[0])}", node.at)
    return NUMBER


def _binary_dimension(node: _Binary, known: Dimensions) -> Dimension | None:
    left, right = _dimension(node.left, known), _dimension(node.right, known)
    if node.op in "+-":
        return _same(node.op, left, right, node.at)
    if node.op == "*":
        return (left or NUMBER) * (right or NUMBER)
    if node.op == "/":
        return (left or NUMBER) / (right or NUMBER)
    if node.op == "^":
        if right is not None and not right.is_number:
            raise FormulaError("an exponent must be a plain number", node.at)
        if left is None or left.is_number:
            return NUMBER
        if any(True for _ in _names(node.right)):
            raise FormulaError("a quantity with a unit can only be raised to a fixed number",
                               node.at)
        power = Fraction(float(np.asarray(_evaluate(node.right, {})))).limit_denominator(12)
        return left**power
    _same(node.op, left, right, node.at)
    return NUMBER


def _evaluate(node: _Node, values: Names) -> Value:
    if isinstance(node, _Number):
        return node.value
    if isinstance(node, _Name):
        if node.name in _CONSTANTS:
            return _CONSTANTS[node.name]
        if node.name not in values:
            raise FormulaError(_unknown(node.name, values), node.at)
        return values[node.name]
    if isinstance(node, _Binary):
        return _ARITHMETIC[node.op](_evaluate(node.left, values), _evaluate(node.right, values))
    assert isinstance(node, _Call)
    parts = [_evaluate(a, values) for a in node.arguments]
    if node.name == "if":
        return np.where(parts[0], parts[1], parts[2])
    return _FUNCTIONS[node.name][1](*parts)


def _unknown(name: str, known: Mapping[str, object]) -> str:
    listed = ", ".join(sorted(known)[:12])
    return f"'{name}' is not known here" + (f"; known are {listed}" if listed else "")
