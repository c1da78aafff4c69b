"""What the settings say of reactions, as numbers."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cache, lru_cache
from typing import Any

import numpy as np

from underkettle.engine.operators.kinetics import ALONE, FALLS_OFF, HELPED, Rates
from underkettle.matter.reaction import (
    ANY,
    Reaction,
    ReactionError,
    heat_of,
    is_known,
    log_constants,
    read_reaction,
)
from underkettle.quantities.constants import GAS
from underkettle.quantities.dimension import Dimension, dimension_of
from underkettle.quantities.formula import FormulaError, parse
from underkettle.quantities.units import find_unit

Array = np.ndarray

_RAISED = re.compile(r"([/*]?)\s*\(([^()]*)\)\s*(?:\^|\*\*)\s*(-?[0-9]+(?:\.[0-9]+)?)\s*\*?")
_SPLIT = re.compile(r"\s*[,;]\s*")
_ORDER = re.compile(r"([A-Za-z_][A-Za-z0-9_()]*)\s*[:=^ ]\s*(-?[0-9]+(?:\.[0-9]+)?)")
COLDEST, STEP, NODES = 200.0, 10.0, 381  # K: where equilibrium constants are kept
STRONGEST = 5.0  # order
NEVER, SOON = 1e30, 1e-30  # K, of parts of a broadening that are always one, or nought


@dataclass(frozen=True)
class Few:
    """The law of a reaction where those who help are few, as in `Step`, and what broadens the fall
    between: a, T3, T1, T2 (K), see `Rates`.
    """

    constant: float
    dimension: Dimension
    exponent: float
    activation: float
    broadens: tuple[float, float, float, float]


@dataclass(frozen=True)
class Step:
    """One reaction with its law. constant : A in mol, m3 and s, as typed in `dimension`; orders : of
    those who are followed; heat : J/mol given off; mixing : times what eddies mix, 0 without limit.
    counts : how often some count among those who help it, others once; few : its law where they are
    few, if that is told.
    """

    reaction: Reaction
    constant: float
    dimension: Dimension
    exponent: float
    activation: float
    orders: Mapping[str, float]
    back: Mapping[str, float] | None
    heat: float
    mixing: float = 0.0
    counts: Mapping[str, float] = field(default_factory=dict)
    few: Few | None = None

    @property
    def order(self) -> float:
        """All orders together, that of whoever helps included."""
        return sum(self.orders.values()) + (self.reaction.helped and self.few is None)

    def at(self, temperature: Any) -> Any:
        """The rate constant (mol, m3, s) at temperatures (K)."""
        arrhenius = np.exp(-self.activation / (GAS * temperature))
        return self.constant * temperature**self.exponent * arrhenius

    def rate(self, amounts: Mapping[str, Any], temperature: Any) -> Any:
        """How fast it runs forward (mol/(m3 s)) among so many mol/m3."""
        found = self.at(temperature)
        for name, order in self.orders.items():
            found = found * np.maximum(amounts[name], 0.0) ** order
        if self.reaction.helped and self.few is None:
            found = found * sum(self.counts.get(n, 1.0) * amounts[n] for n in amounts)
        return found

    def alone(self, amounts: Mapping[str, Any], temperature: Any) -> tuple[str, float, Any]:
        """The first that it uses up of those in `amounts`, its order, and what the rate is over that
        one's power, the others as they are.
        """
        key = next((n for n, _ in self.reaction.left if n in amounts), next(iter(amounts)))
        order = self.orders.get(key, 1.0)
        return key, order, self.rate({**amounts, key: 1.0}, temperature)


def unfollowed(settings: Mapping[str, Any]) -> tuple[str, ...]:
    """Names that take part without anybody following them."""
    text = str(settings.get("unfollowed") or "").strip()
    return tuple(n for n in re.split(r"[\s,;]+", text) if n)


def written(values: Mapping[str, Any]) -> Reaction | None:
    """The reaction of one's settings; None where it cannot be read."""
    try:
        return read_reaction(str(values.get("written") or ""))
    except ReactionError:
        return None


def taking_part(values: Mapping[str, Any]) -> list[str]:
    """Everyone whom one reaction names, those included that only its orders do; none where it cannot
    be read.
    """
    reaction = written(values)
    if reaction is None:
        return []
    try:
        orders = read_orders(values.get("orders"), reaction)
    except ReactionError:
        orders = {}
    return list(dict.fromkeys((*reaction.names, *orders)))


def names_in(settings: Mapping[str, Any]) -> list[str]:
    """Everyone followed who takes part in any reaction that can be read, in order."""
    left = unfollowed(settings)
    found = [n for values in settings.get("reactions", {}).values() for n in taking_part(values)]
    return [n for n in dict.fromkeys(found) if n not in left]


def read_orders(text: str | None, reaction: Reaction) -> dict[str, float]:
    """Orders by name: those of the left side unless given. Raises ReactionError."""
    found = dict(reaction.left)
    for part in _SPLIT.split((text or "").strip()):
        if not part:
            continue
        match = _ORDER.fullmatch(part)
        if not match:
            raise ReactionError(f"'{part}' is not an order, such as CH4 0.2")
        found[match[1]] = float(match[2])
    if any(abs(n) > STRONGEST for n in found.values()):
        raise ReactionError(f"an order beyond {STRONGEST:g}")
    return {n: order for n, order in found.items() if order or n in dict(reaction.left)}


def read_counts(text: str | None) -> dict[str, float]:
    """How often some count among those who help, by name. Raises ReactionError."""
    found = {}
    for part in _SPLIT.split((text or "").strip()):
        match = _ORDER.fullmatch(part)
        if part and (not match or float(match[2]) < 0.0):
            raise ReactionError(f"'{part}' does not tell how often somebody counts, such as H2O 12")
        if match:
            found[match[1]] = float(match[2])
    return found


def read_broadening(text: str | None) -> tuple[float, float, float, float]:
    """What broadens a fall: one share, or a share and two or three temperatures (K), as in "0.5" or
    "0.73 94 K 1756 K 5182 K"; nothing does unless told. Raises ReactionError.
    """
    numbers = str(text if text is not None else "1").replace("K", " ").replace(",", " ").split()
    try:
        a, *temperatures = (float(n) for n in numbers)
    except ValueError:
        a, temperatures = -1.0, []
    if (
        not 0.0 <= a <= 1.0
        or len(temperatures) not in (0, 2, 3)
        or min(temperatures, default=1) <= 0
    ):
        raise ReactionError(f"'{text}' is no broadening, such as 0.5, or 0.73 94 K 1756 K 5182 K")
    if not temperatures:
        return a, SOON, NEVER, NEVER
    return a, temperatures[0], temperatures[1], temperatures[2] if len(temperatures) > 2 else NEVER


def _read_few(values: Mapping[str, Any], reaction: Reaction) -> Few | None:
    """The law where those who help are few; None where nobody tells one. Raises ReactionError."""
    if values.get("few_constant") is None:
        return None
    if not reaction.helped:
        raise ReactionError(
            f"it falls off where those who help are few, and names no {ANY} who helps"
        )
    return Few(
        *read_constant(values["few_constant"]),
        float(values.get("few_exponent") or 0.0),
        float(values.get("few_activation") or 0.0),
        read_broadening(values.get("broadening")),
    )


def read_constant(text: str) -> tuple[float, Dimension]:
    """A rate constant as typed: its value in SI and its dimension. Raises ReactionError."""
    plain, factor, more = _without_powers(str(text))
    try:
        formula = parse(plain)
        dimension, value = formula.dimension({}), float(np.asarray(formula.evaluate({})))
    except (FormulaError, ValueError) as error:
        raise ReactionError(f"'{text}' is no rate constant: {error}") from error
    value, dimension = value * factor, (dimension or dimension_of("number")) * more
    if not np.isfinite(value) or value <= 0:
        raise ReactionError(f"the rate constant is {value:g}; it must be above nought")
    return value, dimension


def _without_powers(text: str) -> tuple[str, float, Dimension]:
    """A text without units raised as a whole, "(m3/mol)^0.5", and what those come to together."""
    factor, dimension = 1.0, dimension_of("number")
    for match in _RAISED.finditer(text):
        unit = find_unit(match[2])
        if unit is None or unit.offset:
            raise ReactionError(f"'{match[2]}' is no unit")
        power = float(match[3]) * (-1.0 if match[1] == "/" else 1.0)
        factor, dimension = factor * unit.factor**power, dimension * _raised(unit.dimension, power)
    left = _RAISED.sub(" ", text).strip()
    return re.sub(r"^([0-9.eE+-]+)\s*/\s*(?=[A-Za-z(])", r"\1 1/", left), factor, dimension


def wanted(order: float, surface: bool) -> Dimension:
    """The dimension that a rate constant must have, temperature counted in kelvin."""
    rate = dimension_of("amount flux" if surface else "amount source")
    return rate / _raised(dimension_of("concentration"), order)


def by_area(values: Mapping[str, Any], left: Sequence[str] = ()) -> bool:
    """Whether a reaction's constant is one of a rate per area; False where it cannot be read. left : as
    of `read_step`.
    """
    told = (str(values.get(n) or "") for n in ("written", "constant", "orders"))
    return _by_area(*told, tuple(left), values.get("few_constant") is not None)


@lru_cache(maxsize=512)
def _by_area(written: str, constant: str, orders: str, left: tuple[str, ...], few: bool) -> bool:
    try:
        reaction = read_reaction(written)
        powers = read_orders(orders, reaction)
        dimension = read_constant(constant)[1]
    except ReactionError:
        return False
    order = sum(power for n, power in powers.items() if n not in left)
    return dimension == wanted(order + (reaction.helped and not few), True)


def _raised(dimension: Dimension, power: float) -> Dimension:
    return dimension ** Fraction(power).limit_denominator(1000)


def read_step(values: Mapping[str, Any], left: Sequence[str] = ()) -> Step:
    """One reaction's settings as numbers. left : who takes part unfollowed, whose orders count for
    nothing. Raises ReactionError.
    """
    reaction = read_reaction(str(values.get("written") or ""))
    orders = read_orders(values.get("orders"), reaction)
    constant, dimension = read_constant(values["constant"])
    back = None
    if values.get("reverses"):
        if not is_known(reaction):
            raise ReactionError(
                "what runs back follows from Gibbs energies, and not all who take part have data"
            )
        back = dict(reaction.right)
    heat = values.get("heat")
    if heat is None:
        heat = heat_of(reaction) if is_known(reaction) else 0.0
    return Step(
        reaction,
        constant,
        dimension,
        float(values.get("exponent") or 0.0),
        float(values.get("activation") or 0.0),
        {n: order for n, order in orders.items() if n not in left},
        back,
        float(heat),
        float(values.get("mixing") or 0.0),
        read_counts(values.get("counts")),
        _read_few(values, reaction),
    )


def read_steps(settings: Mapping[str, Any]) -> dict[str, Step]:
    """Every reaction by name. Raises ReactionError."""
    left = unfollowed(settings)
    return {n: read_step(v, left) for n, v in settings["reactions"].items()}


def gives_heat(settings: Mapping[str, Any]) -> bool:
    """Whether any reaction gives off or takes heat that is known."""
    for values in settings.get("reactions", {}).values():
        heat, reaction = values.get("heat"), written(values)
        if heat != 0 if heat is not None else reaction is not None and is_known(reaction):
            return True
    return False


@cache
def _logs(reaction: Reaction) -> Array:
    """T ln of the equilibrium constant (K) at the nodes."""
    nodes = COLDEST + STEP * np.arange(NODES)
    return nodes * log_constants(reaction, nodes)


def as_rates(steps: Sequence[Step], names: Sequence[str]) -> Rates:
    """All reactions as arrays; columns are `names`."""
    many, n = len(steps), len(names)
    at = {name: k for k, name in enumerate(names)}
    made, forward, back, bodies = (np.zeros((many, n)) for _ in range(4))
    laws, falls, logs = np.zeros((many, 4)), np.zeros((many, 8)), np.zeros((many, NODES))
    for j, step in enumerate(steps):
        for target, values in (
            (made, step.reaction.net()),
            (forward, step.orders),
            (back, step.back or {}),
        ):
            for name, value in values.items():
                if name in at:
                    target[j, at[name]] = value
        returns = step.back is not None
        laws[j] = np.log(step.constant), step.exponent, step.activation / GAS, returns
        if returns:
            logs[j] = _logs(step.reaction)
        falls[j, 0] = HELPED if step.reaction.helped else ALONE
        if step.reaction.helped:
            bodies[j] = [step.counts.get(name, 1.0) for name in names]
        if step.few is not None:
            law = np.log(step.few.constant), step.few.exponent, step.few.activation / GAS
            falls[j] = FALLS_OFF, *law, *step.few.broadens
    limits = np.array([step.mixing for step in steps])
    return Rates(made, forward, back, laws, logs, COLDEST, STEP, limits, bodies, falls)
