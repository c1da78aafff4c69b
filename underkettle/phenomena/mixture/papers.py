"""Hand sums beside what a mixture tells that keeps account of its heat: where all of it must end."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import mass_entering
from underkettle.matter.equilibrium import Forming, elements_of
from underkettle.matter.gases import Blend
from underkettle.matter.thermo import ThermoError
from underkettle.phenomena.mixture.gases import HEAT, TEMPERATURE, blend_of, own_heat

Array = np.ndarray
OWN = f"mixture.{HEAT}"


def _enters(facts: Facts, blend: Blend, pressure: float) -> tuple[Array, float] | None:
    """Mass fractions of the gases, the rest last, in all that enters, and what that holds (J/kg)."""
    names = list(facts.settings("mixture")["members"])
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
    settings = facts.settings("mixture")
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


PAPERS = (
    Paper(
        "As warm as it makes itself",
        r"h(T_{ad},Y_{eq})=\sum\dot m_ih_i/\sum\dot m_i",
        "enthalpy is kept; equilibrium of ideal gases",
        "nothing lost; everything has time to react",
        "temperature",
        _ends,
    ),
)
