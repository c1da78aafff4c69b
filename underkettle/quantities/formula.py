"""Formulas as modellers type them: "5 mm", "2*gap + 1 mm", "if(y > 3 mm, 0 m/s, 12 mm/s)".

A formula is parsed once into a small tree and evaluated on numbers or arrays in SI. The grammar
has arithmetic, comparisons, `if` and a fixed list of functions; names are looked up in what the
caller offers and nowhere else, so a formula cannot reach code, files or the network.
A unit binds to the number before it. What a formula costs is bounded by its length: it is read
into steps that are worked out one after the other, however it is nested.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Literal

import numpy as np

from underkettle.quantities.dimension import NUMBER, Dimension
from underkettle.quantities.units import Unit, find_unit, is_unit_name

LONGEST = 2000
DEEPEST = 60
MOST_UNITS = 40  # different names of units in one formula
STRONGEST = 30  # power of a base unit
FINEST = 10_000  # denominator of such a power

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
FUNCTIONS = tuple(_FUNCTIONS)
LISTS = ("min", "max")  # that take two or more
_CONSTANTS = {"pi": float(np.pi)}
_TOKEN = re.compile(
    r"\s*(?:(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)"
    r"|(?P<name>[A-Za-z_µ][A-Za-z_0-9µ]*(?:\.[A-Za-z_][A-Za-z_0-9]*)*|%|°C|°)"
    r"|(?P<op><=|>=|==|!=|\*\*|[-+*/^(),<>]))"
)


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int
    end: int


@dataclass(frozen=True)
class _Op:
    """One step of a formula worked out with a stack: put a number or a name there, or take the
    newest entries off and put what an operator or a function makes of them.
    """

    kind: Literal["number", "name", "binary", "call"]
    at: int
    text: str = ""
    value: float = 0.0
    dimension: Dimension = NUMBER
    takes: int = 0

    @property
    def zero(self) -> bool:
        """A bare zero, which fits every dimension."""
        return self.kind == "number" and self.value == 0.0 and not self.text


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
    """Reads a formula into steps. own : names of the case, which come before units of the same
    spelling unless a number stands directly before them.
    """

    def __init__(self, text: str, own: frozenset[str]) -> None:
        self.text, self.own = text, own
        self.tokens = list(_scan(text))
        self.i = 0
        self.depth = 0
        self.code: list[_Op] = []
        self.spelled: set[str] = set()

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

    def whole(self) -> tuple[_Op, ...]:
        self.comparison()
        if self.now.kind != "end":
            raise FormulaError(f"'{self.now.text}' is not expected here", self.now.at)
        return tuple(self.code)

    def binary(self, op: _Token) -> None:
        self.code.append(_Op("binary", op.at, "^" if op.text == "**" else op.text, takes=2))

    def deeper(self) -> None:
        self.depth += 1
        if self.depth > DEEPEST:
            raise FormulaError(f"nested deeper than {DEEPEST} levels", self.now.at)

    def comparison(self) -> None:
        self.deeper()
        self.sum()
        op = self.take("<", ">", "<=", ">=", "==", "!=")
        if op:
            self.sum()
            self.binary(op)
        self.depth -= 1

    def sum(self) -> None:
        self.product()
        while op := self.take("+", "-"):
            self.product()
            self.binary(op)

    def product(self) -> None:
        self.signed()
        while op := self.take("*", "/"):
            self.signed()
            self.binary(op)

    def signed(self) -> None:
        negative = False
        first = self.now
        while op := self.take("-", "+"):
            negative ^= op.text == "-"
        if negative and self.below_zero(first):
            return
        if negative:
            self.code.append(_Op("number", first.at, "-1", -1.0))
        self.power()
        if negative:
            self.code.append(_Op("binary", first.at, "*", takes=2))

    def below_zero(self, first: _Token) -> bool:
        """Whether "-5 degC" stands here: a number below nought in a unit with an origin of its own."""
        begins, token = self.i, self.now
        if token.kind == "number":
            self.i += 1
            unit = self.unit()
            if unit is not None and unit.offset:
                text = f"-{token.text} {unit.text}"
                si = unit.to_si(-float(token.text))
                self.code.append(_Op("number", first.at, text, si, unit.dimension))
                return True
            self.i = begins
        return False

    def power(self) -> None:
        self.atom()
        if op := self.take("^", "**"):
            self.deeper()
            self.signed()
            self.depth -= 1
            self.binary(op)

    def atom(self) -> None:
        token = self.now
        if token.kind == "number":
            self.i += 1
            self.quantity(token)
        elif token.kind == "name":
            self.i += 1
            if self.take("("):
                self.call(token)
            elif token.text in _CONSTANTS:
                self.code.append(_Op("number", token.at, token.text, _CONSTANTS[token.text]))
            else:
                self.code.append(_Op("name", token.at, token.text))
        elif self.take("("):
            self.comparison()
            self.expect(")")
        else:
            found = token.text or "the end"
            raise FormulaError(f"expected a number or a name but found '{found}'", token.at)

    def call(self, token: _Token) -> None:
        self.comparison()
        given = 1
        while self.take(","):
            self.comparison()
            given += 1
        self.expect(")")
        wanted = 3 if token.text == "if" else _FUNCTIONS.get(token.text, (0,))[0]
        if not wanted:
            known = ", ".join(["if", *_FUNCTIONS])
            raise FormulaError(f"'{token.text}' is not a function; known are {known}", token.at)
        repeats = 1
        if token.text in LISTS and given > wanted:
            repeats, given = given - 1, wanted  # of the last two, then of that and the one before
        if given != wanted:
            raise FormulaError(
                f"'{token.text}' takes {wanted} argument{'s' if wanted > 1 else ''}, not {given}",
                token.at,
            )
        self.code += [_Op("call", token.at, token.text, takes=wanted)] * repeats

    def quantity(self, token: _Token) -> None:
        value = float(token.text)
        if not np.isfinite(value):
            raise FormulaError(f"'{token.text}' is larger than a number can be", token.at)
        unit = self.unit()
        if unit is None:
            self.code.append(_Op("number", token.at, "" if value == 0.0 else token.text, value))
            return
        si = unit.to_si(value)
        if not np.isfinite(si):
            raise FormulaError(
                f"'{token.text} {unit.text}' is larger than a number can be", token.at
            )
        self.code.append(_Op("number", token.at, f"{token.text} {unit.text}", si, unit.dimension))

    def unit(self) -> Unit | None:
        """The longest run of tokens from here that spells a unit."""
        best: Unit | None = None
        best_end = self.i
        first = self.i
        end = self.i
        if self.now.text == "1" and self.tokens[self.i + 1].text == "/":
            end += 1  # "0.1 1/s"
        slash = self.tokens[end].text == "/"
        if not (self.tokens[end].kind == "name" or slash):
            return None
        open_brackets = 0
        clash = ""  # a name of the case further along the run
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
                before = self.tokens[end - 1]
                if end > first and token.text in (self.own if best else self.own | {"t"}):
                    if best is None or before.text == "*":
                        break  # "2/L" and "5 mm*L" mean the case's own L
                    if before.text in ("/", "("):
                        clash = token.text
                if not self.is_unit(token):
                    break
            elif token.text not in ("*", "/", "^", "-"):
                break
            end += 1
            if open_brackets == 0 and token.text not in ("*", "/", "^", "-", "("):
                spelled = self.text[self.tokens[first].at : token.end]
                found = find_unit("1" + spelled if spelled.startswith("/") else spelled)
                if found is not None and clash:
                    raise FormulaError(
                        f"'{clash}' is a name of this case and could be a unit here: write "
                        f"({self.text[self.tokens[first - 1].at : self.tokens[best_end - 1].end]})"
                        f" in brackets, or rename {clash}",
                        token.at,
                    )
                if found is not None:
                    best, best_end = found, end
        self.i = best_end
        return best

    def is_unit(self, token: _Token) -> bool:
        """Whether a name is that of a unit, asked for a bounded number of names."""
        name = re.sub(r"\d+$", "", token.text)
        self.spelled.add(name)
        if len(self.spelled) > MOST_UNITS:
            raise FormulaError(f"more than {MOST_UNITS} different units", token.at)
        return is_unit_name(name)


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
    """A formula that was read. `text` is what was typed, `code` its steps."""

    text: str
    code: tuple[_Op, ...]

    @property
    def names(self) -> frozenset[str]:
        """The names it uses, constants left out."""
        return frozenset(op.text for op in self.code if op.kind == "name")

    def dimension(self, dimensions: Dimensions) -> Dimension | None:
        """The dimension of the result; None for a bare zero, which fits everywhere.

        Raises FormulaError for an unknown name or units that do not fit.
        """
        stack: list[_Measure] = []
        with np.errstate(all="ignore"):
            for op in self.code:
                taken = stack[len(stack) - op.takes :]
                del stack[len(stack) - op.takes :]
                stack.append(_measured(op, taken, dimensions))
        return stack[0].dimension

    def evaluate(self, values: Names) -> Value:
        """The result in SI; arrays in `values` broadcast. Raises FormulaError on unknown names."""
        stack: list[Value] = []
        with np.errstate(all="ignore"):
            for op in self.code:
                taken = stack[len(stack) - op.takes :]
                del stack[len(stack) - op.takes :]
                stack.append(_worked_out(op, taken, values))
        return stack[0]


@lru_cache(maxsize=8192)
def _read(text: str, own: frozenset[str]) -> Formula:
    if not text.strip():
        raise FormulaError("nothing is written here")
    if len(text) > LONGEST:
        raise FormulaError(f"longer than {LONGEST} signs")
    return Formula(text, _Parser(text, own).whole())


_WORD = re.compile(r"[A-Za-z_µ][A-Za-z_0-9µ]*(?:\.[A-Za-z_][A-Za-z_0-9]*)*")


def parse(text: str, own: Collection[str] = ()) -> Formula:
    """Read a formula. own : names of the case, which a unit of the same spelling gives way to
    unless a number stands directly before it. Raises FormulaError with the column where reading
    stopped.
    """
    used = frozenset(_WORD.findall(text[:LONGEST])) & frozenset(own) if own else frozenset()
    return _read(text, used)


def words_in(text: str) -> frozenset[str]:
    """Whatever in a text could be a name."""
    return frozenset(_WORD.findall(text))


def names_in(text: str, own: Collection[str] = ()) -> frozenset[str]:
    """The names a formula uses; none where it cannot be read."""
    try:
        return parse(text, own).names
    except FormulaError:
        return frozenset()


@dataclass(frozen=True)
class _Measure:
    """What an entry of the stack measures (None: a bare zero), and its value where it is fixed."""

    dimension: Dimension | None
    fixed: float | None = None


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


def _bounded(dimension: Dimension, at: int) -> Dimension:
    if any(abs(p) > STRONGEST or p.denominator > FINEST for p in dimension.powers):
        raise FormulaError(f"a unit is raised beyond a power of {STRONGEST}", at)
    return dimension


def _measured(op: _Op, taken: Sequence[_Measure], known: Dimensions) -> _Measure:
    if op.kind == "number":
        return _Measure(None if op.zero else op.dimension, op.value)
    if op.kind == "name":
        if op.text not in known:
            raise FormulaError(_unknown(op.text, known), op.at)
        return _Measure(known[op.text])
    inner = [m.fixed for m in taken if m.fixed is not None]
    fixed = None
    if len(inner) == len(taken):
        fixed = float(_worked_out(op, inner, {}))
    parts = [m.dimension for m in taken]
    if op.kind == "binary":
        return _Measure(_of_binary(op, taken), fixed)
    if op.text == "if":
        return _Measure(_same("if", parts[1], parts[2], op.at), fixed)
    rule = _FUNCTIONS[op.text][2]
    if rule == "same":
        result = parts[0]
        for part in parts[1:]:
            result = _same(op.text, result, part, op.at)
        return _Measure(result, fixed)
    if rule == "root":
        root = None if parts[0] is None else _bounded(parts[0] ** Fraction(1, 2), op.at)
        return _Measure(root, fixed)
    if parts[0] is not None and not parts[0].is_number:
        raise FormulaError(f"'{op.text}' wants a plain number, not {_spoken(parts[0])}", op.at)
    return _Measure(NUMBER, fixed)


def _of_binary(op: _Op, taken: Sequence[_Measure]) -> Dimension | None:
    left, right = (m.dimension for m in taken)
    if op.text in "+-":
        return _same(op.text, left, right, op.at)
    if op.text == "*":
        return _bounded((left or NUMBER) * (right or NUMBER), op.at)
    if op.text == "/":
        return _bounded((left or NUMBER) / (right or NUMBER), op.at)
    if op.text == "^":
        if right is not None and not right.is_number:
            raise FormulaError("an exponent must be a plain number", op.at)
        if left is None or left.is_number:
            return NUMBER
        power = taken[1].fixed
        if power is None:
            raise FormulaError("a quantity with a unit can only be raised to a fixed number", op.at)
        if not abs(power) <= STRONGEST:
            raise FormulaError(f"a quantity with a unit cannot be raised to {power:g}", op.at)
        return _bounded(left ** Fraction(power).limit_denominator(12), op.at)
    _same(op.text, left, right, op.at)
    return NUMBER


def _worked_out(op: _Op, taken: Sequence[Value], values: Names) -> Value:
    if op.kind == "number":
        return op.value
    if op.kind == "name":
        if op.text not in values:
            raise FormulaError(_unknown(op.text, values), op.at)
        return values[op.text]
    if op.kind == "binary":
        return _ARITHMETIC[op.text](*taken)
    if op.text == "if":
        return np.where(*taken)
    return _FUNCTIONS[op.text][1](*taken)


def _unknown(name: str, known: Mapping[str, object]) -> str:
    listed = ", ".join(sorted(known)[:12])
    return f"'{name}' is not known here" + (f"; known are {listed}" if listed else "")
