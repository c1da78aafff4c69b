"""Hand sums beside what a mixture tells that keeps account of its heat: where all of it must end."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import mass_entering
from underkettle.matter.equilibrium import Formed, Forming, elements_of
from underkettle.matter.gases import Blend
from underkettle.matter.thermo import ThermoError
from underkettle.phenomena.mixture.gases import (
    HEAT,
    PRESSURE,
    TEMPERATURE,
    blend_of,
    own_heat,
)
from underkettle.quantities.constants import GAS

Array = np.ndarray
ME = "mixture"
OWN = f"{ME}.{HEAT}"
TURNS, CLOSE = 60, 1e-10  # in which a pressure is found, and of it to what


def _gas(
    facts: Facts, blend: Blend, pressure: float, told: Callable[[str], Mapping[str, Any]]
) -> tuple[Array, float, float] | None:
    """Mass fractions of the gases, the rest last, their density (kg/m3) and what they hold (J/kg),
    where a place tells that; told : what it says in a column.
    """
    warm = told(OWN).get("value")
    shares = [told(f"{ME}.{n}").get("value") for n in facts.settings(ME)["members"]]
    if warm is None or any(s is None for s in shares):
        return None
    own = np.array(shares, float)
    parts, at = np.append(own, 1.0 - own.sum()), np.array(warm)
    dense = float(blend.density([*parts], at, pressure))
    return parts, dense, float(blend.enthalpy([*parts], at)[0])


def _mixed(each: list[tuple[float, Array, float]]) -> tuple[Array, float, float] | None:
    """Mass fractions and what is held (J/kg) of all together, and their mass or its flow; each : mass,
    fractions, J/kg.
    """
    total = sum(mass for mass, _, _ in each)
    if total <= 0:
        return None
    parts = sum((mass * own for mass, own, _ in each), np.zeros(1)) / total
    return np.asarray(parts), sum(mass * held for mass, _, held in each) / total, total


def _enters(facts: Facts, blend: Blend, pressure: float) -> tuple[Array, float] | None:
    """Mass fractions of the gases, the rest last, in all that enters, and what that holds (J/kg)."""
    each = []
    for edge in facts.edges():
        if facts.through(edge) != "in":
            continue
        gas = _gas(facts, blend, pressure, partial(facts.values, edge))
        flow = None if gas is None else mass_entering(facts, edge, gas[1])
        if gas is None or flow is None:
            return None
        each.append((flow, gas[0], gas[2]))
    found = _mixed(each)
    return None if found is None else found[:2]


def _settled(blend: Blend, parts: Array, held: float, pressure: float) -> Formed | None:
    """A kilogram that holds so much (J), at equilibrium among its substances."""
    moles = parts @ blend.moles
    feed = {s: float(n) for s, n in zip(blend.names, moles, strict=True) if n > 0}
    try:
        forming = Forming(elements_of(feed), pressure, False, tuple(blend.names))
        return forming.holding(forming.feed(feed)[:, None], np.array([held]))
    except ThermoError:
        return None


def _burnt(facts: Facts) -> tuple[float, float] | None:
    """How warm (K) all that enters makes itself, to equilibrium among what is followed, and how many
    times the room it takes then.
    """
    settings = facts.settings(ME)
    blend = blend_of(settings)
    if not own_heat(settings) or blend is None:
        return None
    pressure = float(settings["pressure"])
    brought = _enters(facts, blend, pressure)
    formed = None if brought is None else _settled(blend, *brought, pressure)
    if brought is None or formed is None:
        return None
    parts, held = brought
    cold = float(blend.temperature([*parts], np.array(held)))
    warm, moles = float(formed.temperature[0]), float((parts @ blend.moles).sum())
    return warm, warm * float(formed.gas.sum()) / (cold * moles)


def swells(facts: Facts) -> float:
    """How many times faster a stream gets that burns."""
    found = _burnt(facts) if facts.given(HEAT) else None
    return 1.0 if found is None else max(found[1], 1.0)


def _ends(facts: Facts, readout: Any) -> Estimate | None:
    """As warm as everything that enters makes itself."""
    if readout.kind not in ("max", "mean") or not readout.field:
        return None
    if readout.field.rpartition(".")[2] != TEMPERATURE:
        return None
    found = _burnt(facts)
    if found is None:
        return None
    adiabatic = all(
        facts.kind(e, OWN) in ("lagged", "enters warm", "leaves warm") for e in facts.edges()
    )
    return Estimate(
        found[0],
        adiabatic and facts.given(HEAT),
        "all that enters mixed, nothing lost, reacted to equilibrium among what is followed",
    )


def _shut_in(facts: Facts) -> tuple[float, float, bool] | None:
    """How warm (K) what a vessel holds makes itself that nothing leaves, to equilibrium among what is
    followed, at what pressure (Pa), and whether no wall takes heat.
    """
    settings = facts.settings(ME)
    blend = blend_of(settings)
    if blend is None or not facts.pressed() or any(facts.through(e) for e in facts.edges()):
        return None
    pressure, each, whole = float(settings["pressure"]), [], 0.0
    for zone in facts.zones():
        gas, volume = (
            _gas(facts, blend, pressure, partial(facts.start, zone)),
            facts.zone_volume(zone),
        )
        if gas is None:
            return None
        each.append((volume * gas[1], gas[0], gas[2]))
        whole += volume
    begins = _mixed(each)
    if begins is None:
        return None
    parts, held, mass = begins
    room, energy, warm = whole / mass, held - pressure * whole / mass, 0.0
    for _ in range(TURNS):
        formed = _settled(blend, parts, energy + pressure * room, pressure)
        if formed is None:
            return None
        warm, then = float(formed.temperature[0]), pressure
        pressure = float(formed.gas.sum()) * GAS * warm / room
        if abs(pressure - then) < CLOSE * pressure:
            break
    return warm, pressure, all(facts.kind(e, OWN) == "lagged" for e in facts.edges())


def _shut(facts: Facts, readout: Any, field: str, k: int) -> Estimate | None:
    """One of what a vessel comes to that nothing leaves."""
    if readout.kind not in ("max", "mean") or (readout.field or "").rpartition(".")[2] != field:
        return None
    found = _shut_in(facts)
    if found is None:
        return None
    says = "all it holds mixed, nothing lost, at equilibrium among what is followed"
    return Estimate(found[k], found[2], says)


PAPERS = (
    Paper(
        "Pressure of a shut vessel, burnt",
        r"p=n_{eq}RT_v/V,\quad u(T_v,Y_{eq})=u_0",
        "energy and room are kept; equilibrium of ideal gases",
        "nothing lost; everything has time to react",
        "pressure",
        lambda facts, readout: _shut(facts, readout, PRESSURE, 1),
    ),
    Paper(
        "Temperature of a shut vessel, burnt",
        r"u(T_v,Y_{eq})=u_0",
        "energy and room are kept; equilibrium of ideal gases",
        "nothing lost; everything has time to react",
        "temperature",
        lambda facts, readout: _shut(facts, readout, TEMPERATURE, 0),
    ),
    Paper(
        "As warm as it makes itself",
        r"h(T_{ad},Y_{eq})=\sum\dot m_ih_i/\sum\dot m_i",
        "enthalpy is kept; equilibrium of ideal gases",
        "nothing lost; everything has time to react",
        "temperature",
        _ends,
    ),
)
