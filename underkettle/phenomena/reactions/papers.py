"""Ideal reactors beside the field: plug flow, a stirred vessel, grains, the warmest it can get."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.engine.contract import Brought, Estimate, Facts, Paper
from underkettle.engine.operators.kinetics import Rates
from underkettle.matter.reaction import ReactionError
from underkettle.paper import transfer
from underkettle.paper.reactors import plug_flow, stirred
from underkettle.phenomena.reactions.mechanism import Step, as_rates, names_in, read_steps
from underkettle.phenomena.reactions.places import ON_WALL, ball, share_in, thiele

ME = "reactions"
SAME = 0.1  # of what comes in, by which both ideal reactors may differ where either will do


@dataclass(frozen=True)
class _Ideal:
    """What both ideal reactors need. names : who is followed, comes : mol/m3 that streams bring of
    each, shares : of each reaction, warm : K, stay : s. density : kg/m3 of it, None where nobody tells;
    brought : of a gas that keeps account of its own heat.
    """

    steps: dict[str, Step]
    names: list[str]
    comes: Any
    shares: Any
    warm: float
    stay: float
    density: float | None
    brought: Brought | None

    @property
    def rates(self) -> Rates:
        return as_rates(list(self.steps.values()), self.names)

    @property
    def amounts(self) -> dict[str, float]:
        return dict(zip(self.names, self.comes, strict=True))


def _warm(facts: Facts) -> float | None:
    """The temperature (K) that reactions begin at, where no gas has its own."""
    for column in facts.temperatures():
        found = facts.entering(column)
        if found is not None:
            return found
        begins = facts.begins_warm()
        return float(np.mean(begins)) if begins else None
    return float(facts.settings(ME).get("temperature") or 293.15)


def _comes(facts: Facts, names: list[str], density: float | None) -> np.ndarray | None:
    """mol/m3 of each that streams bring. density : kg/m3 of them."""
    known, found = facts.matter(), []
    for name in names:
        told = name in known and not known[name].follows
        value = facts.entering(name) if told else None
        if value is None:
            return None
        mole = known[name].mole
        if mole is not None:
            if density is None:
                return None
            value = value * density / mole
        found.append(value)
    return np.array(found)


def _shares(facts: Facts, steps: Mapping[str, Step], amounts: Any, warm: float) -> Any:
    """How much of each reaction runs in the mean of what the stream fills, walls included as if
    nothing kept what reacts from them.
    """
    volumes = {z: facts.zone_volume(z) for z in facts.zones() if not facts.blocked(z)}
    total, found = sum(volumes.values()), []
    for label, step in steps.items():
        column, sum_ = f"{ME}.{label}", 0.0
        for zone, volume in volumes.items():
            kind, values = facts.kind(zone, column), facts.values(zone, column)
            if kind in ("", "rests"):
                continue
            share = float(share_in(kind, values))
            if kind == "in grains":
                share *= float(ball(_modulus(step, amounts, warm, values)))
            sum_ += share * volume
        for edge in facts.edges():
            if facts.kind(edge, column) == ON_WALL:
                sum_ += float(facts.values(edge, column)["share"]) * facts.edge_area(edge)
        found.append(sum_ / total if total else 0.0)
    return np.array(found)


def _modulus(
    step: Step, amounts: Mapping[str, float], warm: float, values: Mapping[str, Any]
) -> float:
    key, order, k = step.alone(amounts, warm)
    return float(thiele(k, amounts[key], order, values["grain"], values["inside"]))


def _reactor(facts: Facts) -> _Ideal | None:
    """None where the case does not tell it."""
    settings = facts.settings(ME)
    names, flow, brought, medium = (
        names_in(settings),
        facts.inflow(),
        facts.brought(),
        facts.medium(),
    )
    warm, density = (
        (brought.warm, brought.density)
        if brought is not None
        else (_warm(facts), None if medium is None else medium[0])
    )
    try:
        steps = read_steps(settings)
    except ReactionError:
        return None
    if not steps or not names or flow <= 0 or warm is None:
        return None
    if any(step.reaction.helped for step in steps.values()):  # how many help is not told here
        return None
    comes = _comes(facts, names, density)
    if comes is None:
        return None
    shares = _shares(facts, steps, dict(zip(names, comes, strict=True)), warm)
    stay = facts.stream_volume() / flow
    return _Ideal(steps, names, comes, shares, warm, stay, density, brought)


def _leaves(facts: Facts, readout: Any) -> Estimate | None:
    """What leaves of one, on average by flow."""
    if readout.kind != "mean" or readout.weight != "flow" or readout.field is None:
        return None
    name = readout.field.rpartition(".")[2]
    if facts.through(readout.place or "") != "out" or name not in names_in(facts.settings(ME)):
        return None
    found = _reactor(facts)
    if found is None:
        return None
    k, comes, args = found.names.index(name), found.comes, (found.shares, found.warm, found.stay)
    plug = plug_flow(found.rates, comes, *args)
    tank = stirred(found.rates, comes, *args)
    mole = facts.matter()[name].mole
    unit = 1.0 if mole is None or found.density is None else mole / found.density
    close = abs(plug[k] - tank[k]) <= SAME * max(abs(comes[k]), abs(plug[k]), 1e-300)
    walls = any(facts.kind(e, f"{ME}.{n}") == ON_WALL for e in facts.edges() for n in found.steps)
    inside = close and not facts.temperatures() and not walls
    return Estimate(
        plug[k] * unit, inside, f"plug flow; a stirred vessel leaves {tank[k] * unit:.3g}"
    )


def _damkoehler(facts: Facts, readout: Any) -> Estimate | None:
    found = _reactor(facts)
    if found is None:
        return None
    amounts, worst = found.amounts, None
    for (label, step), share in zip(found.steps.items(), found.shares, strict=True):
        key = next((n for n, _ in step.reaction.left if n in amounts), "")
        if not key or amounts[key] <= 0 or share <= 0:
            continue
        number = share * float(step.rate(amounts, found.warm)) * found.stay / amounts[key]
        if worst is None or number > worst[0]:
            worst = number, label
    return None if worst is None else Estimate(worst[0], note=f"{worst[1]}, as it comes in")


def _thiele(facts: Facts, readout: Any) -> Estimate | None:
    found = _reactor(facts)
    if found is None:
        return None
    for label, step in found.steps.items():
        for zone in facts.zones():
            if facts.kind(zone, f"{ME}.{label}") == "in grains":
                values = facts.values(zone, f"{ME}.{label}")
                number = _modulus(step, found.amounts, found.warm, values)
                return Estimate(
                    number, note=f"{label}: {100 * float(ball(number)):.3g} % of a grain takes part"
                )
    return None


def _warmest(facts: Facts, readout: Any) -> Estimate | None:
    """Where it all runs to the end and nothing is lost."""
    if readout.kind not in ("max", "mean") or readout.field is None:
        return None
    called = readout.field.rpartition(".")[2]
    if not called.endswith("temperature") or not facts.temperatures():
        return None
    found = _reactor(facts)
    warmest = None if found is None else _all_burnt(facts, found)
    if warmest is None:
        return None
    return Estimate(warmest, False, "all of it one after the other to the end, nothing lost")


def _all_burnt(facts: Facts, found: _Ideal) -> float | None:
    """Temperature (K) where all runs to the end and nothing is lost; None where nobody tells what
    heat does. A gas with its own account is warmed as it comes in, before it has reacted.
    """
    brought, density = found.brought, found.density
    capacity = facts.settings(facts.temperatures()[0]).get("heat_capacity")
    if density is None or (brought is None and capacity is None):
        return None
    left, rise = found.amounts, 0.0
    for step in found.steps.values():
        used = {n: -m for n, m in step.reaction.net().items() if m < 0 and n in left}
        if not used:
            continue
        runs = min(left[n] / m for n, m in used.items())
        for name, moles in step.reaction.net().items():
            if name in left:
                left[name] += moles * runs
        rise += step.heat * runs
    if brought is not None:
        return brought.warmed(rise / density)
    assert capacity is not None
    return float(found.warm + rise / (density * float(capacity)))


def waits(facts: Facts) -> dict[str, float]:
    """Damkoehler number of eddies of every reaction that runs: the time in which what comes in mixes
    over that in which half of what reacts is left, as warm as it can get (or as it comes in, where
    nothing warms). Empty where the case does not tell them.
    """
    mixes, found = facts.mixing_time(), _reactor(facts)
    if mixes is None or found is None:
        return {}
    warm: float | None = found.warm
    if facts.temperatures():
        warm = _all_burnt(facts, found)
    if warm is None:
        return {}
    thins = found.warm / warm if found.brought is not None else 1.0
    numbers, half = {}, {n: 0.5 * c * thins for n, c in found.amounts.items()}
    for label, step in found.steps.items():
        key = next((n for n, _ in step.reaction.left if n in half), "")
        if key and half[key] > 0:
            numbers[label] = mixes * float(step.rate(half, warm)) / half[key]
    return numbers


def _eddies(facts: Facts, readout: Any) -> Estimate | None:
    numbers = waits(facts)
    if not numbers:
        return None
    label = max(numbers, key=lambda name: numbers[name])
    return Estimate(
        numbers[label],
        note=f"{label}, half of it left, as warm as it gets; eddies as they come in",
        verdict="eddies hold it back" if numbers[label] > 1 else "its law holds it back",
    )


PAPERS = (
    Paper(
        "Damkoehler number",
        r"Da=r(c_{in})\,\tau/c_{in}",
        "ratio of stay to the time of reaction",
        "any",
        "number",
        _damkoehler,
        regime="Da",
        verdict=transfer.reacts,
    ),
    Paper(
        "Damkoehler number of eddies",
        r"Da_t=\frac{r}{c}\,\frac{k}{\varepsilon}",
        "Magnussen & Hjertager 1976, from memory",
        "any; eddies in a jet are slower by a few times, in shear quicker",
        "number",
        _eddies,
        regime="Da,t",
    ),
    Paper(
        "Thiele modulus",
        r"\phi=\tfrac d6\sqrt{\tfrac{n+1}2\,k c^{n-1}/D}",
        "Thiele 1939, from memory",
        "balls; orders of 1/2 to 2",
        "number",
        _thiele,
        regime="phi",
        verdict=lambda v: (
            "all of a grain takes part"
            if v < 0.3
            else "only its skin takes part"
            if v > 3
            else "its middle takes part less"
        ),
    ),
    Paper(
        "Plug flow with these reactions",
        r"dc_i/dV=\textstyle\sum_j\nu_{ij}r_j/Q",
        "Levenspiel, from memory",
        "one temperature; where a stirred vessel hardly differs",
        "concentration",
        _leaves,
    ),
    Paper(
        "All burnt, nothing lost",
        r"T=T_{in}+\textstyle\sum_j q_j\xi_j/(\rho c_p)",
        "balance of energy",
        "an upper bound",
        "temperature",
        _warmest,
    ),
)
