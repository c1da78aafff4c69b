"""Hand sums beside what a mixture tells that keeps account of its heat: where all of it must end."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import mass_entering
from underkettle.matter.equilibrium import Forming, elements_of
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


def _enters(facts: Facts, blend: Blend, pressure: float) -> tuple[Array, float] | None:
    """Mass fractions of the gases, the rest last, in all that enters, and what that holds (J/kg)."""
    names = list(facts.settings(ME)["members"])
    total, held = 0.0, 0.0
    brought: Array = np.zeros(len(names) + 1)
    for edge in facts.edges():
        if facts.through(edge) != "in":
            continue
        warm = facts.values(edge, OWN).get("value")
        shares = [facts.values(edge, f"mixture.{n}").get("value") for n in names]
        if warm is None or any(s is None for s in shares):
            return None
        own = np.array(shares, float)
        parts = np.append(own, 1.0 - own.sum())
        dense = float(blend.density([*parts], np.array(warm), pressure))
        flow = mass_entering(facts, edge, dense)
        if flow is None:
            return None
        total += flow
        brought = brought + flow * parts
        held += flow * float(blend.enthalpy([*parts], np.array(warm))[0])
    return (brought / total, held / total) if total > 0 else None


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
    if brought is None:
        return None
    parts, held = brought
    cold = float(blend.temperature([*parts], np.array(held)))
    moles = parts @ blend.moles
    feed = {s: float(n) for s, n in zip(blend.names, moles, strict=True) if n > 0}
    try:
        forming = Forming(elements_of(feed), pressure, False, tuple(blend.names))
        formed = forming.holding(forming.feed(feed)[:, None], np.array([held]))
    except ThermoError:
        return None
    warm = float(formed.temperature[0])
    return warm, warm * float(formed.gas.sum()) / (cold * float(moles.sum()))


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


def _begins(facts: Facts, blend: Blend, pressure: float) -> tuple[Array, float, float] | None:
    """Mass fractions of the gases, the rest last, in all that a vessel holds at the start, its energy
    (J/kg) and what room a kilogram takes (m3/kg).
    """
    names = list(facts.settings(ME)["members"])
    mass, room, held, made_of = 0.0, 0.0, 0.0, np.zeros(len(names) + 1)
    for zone in facts.zones():
        warm = facts.start(zone, OWN).get("value")
        shares = [facts.start(zone, f"{ME}.{n}").get("value") for n in names]
        if warm is None or any(s is None for s in shares):
            return None
        own = np.array(shares, float)
        parts, volume = np.append(own, 1.0 - own.sum()), facts.zone_volume(zone)
        part = volume * float(blend.density([*parts], np.array(warm), pressure))
        mass, room, made_of = mass + part, room + volume, made_of + part * parts
        held += part * float(blend.enthalpy([*parts], np.array(warm))[0])
    if mass <= 0:
        return None
    return made_of / mass, (held - pressure * room) / mass, room / mass


def _shut_in(facts: Facts) -> tuple[float, float, bool] | None:
    """How warm (K) what a vessel holds makes itself that nothing leaves, to equilibrium among what is
    followed, at what pressure (Pa), and whether no wall takes heat.
    """
    settings = facts.settings(ME)
    blend = blend_of(settings)
    if blend is None or not facts.pressed() or any(facts.through(e) for e in facts.edges()):
        return None
    pressure = float(settings["pressure"])
    begins = _begins(facts, blend, pressure)
    if begins is None:
        return None
    parts, energy, room = begins
    moles = parts @ blend.moles
    feed = {s: float(n) for s, n in zip(blend.names, moles, strict=True) if n > 0}
    warm = 0.0
    try:
        for _ in range(TURNS):
            forming = Forming(elements_of(feed), pressure, False, tuple(blend.names))
            held = np.array([energy + pressure * room])
            formed = forming.holding(forming.feed(feed)[:, None], held)
            warm, then = float(formed.temperature[0]), pressure
            pressure = float(formed.gas.sum()) * GAS * warm / room
            if abs(pressure - then) < CLOSE * pressure:
                break
    except ThermoError:
        return None
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
