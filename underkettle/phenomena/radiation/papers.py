"""How thick a gas is to radiation, and what a warm gas gives to walls, by hand."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.matter.radiation import ATMOSPHERE, BEAM, GASES, STEFAN, grey
from underkettle.quantities.constants import GAS

ME = "radiation"
USUAL = 29e-3  # kg/mol of a gas (common practice)


def held(edge: str, facts: Facts) -> float | None:
    """The temperature (K) that heat holds or brings at an edge; None where it tells none."""
    for column in facts.temperatures():
        value = facts.values(edge, column).get("value")
        if value is not None and facts.carries(edge, column) != "out":
            return float(value)
    return None


def path(facts: Facts) -> float:
    """Mean path through the whole of it (m)."""
    told = facts.settings(ME).get("path")
    walls = sum(facts.edge_area(e) for e in facts.edges() if not facts.on_axis(e))
    return float(told) if told else BEAM * facts.stream_volume() / max(walls, 1e-300)


def absorbs(facts: Facts) -> float | None:
    """1/m where it is told by a number; None where the gas itself has a part in it."""
    for name, stuff in facts.matter().items():
        if {name, *stuff.made_of} & set(GASES):
            return None
    return float(facts.settings(ME)["absorption"])


def _hot(facts: Facts) -> float | None:
    """The mean temperature (K) that is told at the start; None where none is."""
    told = facts.begins_warm()
    return sum(told) / len(told) if told else None


def about(facts: Facts) -> float | None:
    """1/m, with what the gas itself takes as it enters, as warm as at the start."""
    found, warm = absorbs(facts), _hot(facts)
    if found is not None or warm is None:
        return found
    pressures = dict.fromkeys(GASES, 0.0)
    for name, stuff in facts.matter().items():
        value = None if stuff.follows else facts.entering(name)
        if name in GASES and value is not None:
            moles = value * GAS * warm  # of mol/m3, else of a share of the mass
            pressures[name] = (
                moles if stuff.mole is None else value * USUAL / stuff.mole * ATMOSPHERE
            )
    water, dioxide = (np.array(pressures[name]) for name in GASES)
    gas = grey(water, dioxide, np.array(warm), path(facts))
    return float(gas) + float(facts.settings(ME)["absorption"])


def _thick(facts: Facts, readout: Any) -> Estimate | None:
    found = about(facts)
    return None if found is None else Estimate(found * path(facts))


def _to_walls(facts: Facts, readout: Any) -> Estimate | None:
    """What leaves through one wall, all else as warm as the mean of what is told at the start."""
    if readout.kind != "through" or readout.quantity != ME:
        return None
    place = readout.place or ""
    if place not in facts.edges():
        return None
    kappa, values, mean = about(facts), facts.values(place, ME), _hot(facts)
    if kappa is None or mean is None or values.get("temperature") is None:
        return None
    gas = -math.expm1(-kappa * path(facts))
    wall = float(values.get("emissivity", 1.0))
    apart = mean**4 - float(values["temperature"]) ** 4
    both = 1.0 / (1.0 / max(gas, 1e-12) + 1.0 / wall - 1.0)
    outward = {"out": 1.0, "in": -1.0}[readout.counts]
    return Estimate(outward * both * STEFAN * apart * facts.edge_area(place))


PAPERS = (
    Paper(
        "Optical thickness",
        r"\kappa s",
        "absorption over a mean path of 3.6 V/A (Hottel, from memory)",
        "water and carbon dioxide as they enter, at 1 atm and 29 g/mol",
        "number",
        _thick,
        regime="ks",
        verdict=lambda v: (
            "thin: most leaves" if v < 0.3 else "thick: it diffuses" if v > 3.0 else "in between"
        ),
    ),
    Paper(
        "A warm gas to a grey wall",
        r"\dot Q=\frac{\sigma A(T_g^4-T_w^4)}{1/\epsilon_g+1/\epsilon_w-1}",
        "one gas zone (Hottel & Sarofim 1967, from memory)",
        "gas of one temperature, as at the start",
        "power",
        _to_walls,
    ),
)
