"""Hand estimates for wicking."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper.soaking import rising_front
from underkettle.phenomena.wicking.audit import draws, drinking, pull, to_lift

LEVEL = 1e-6  # share of a line's length by which it may lean and still run along an axis


def _front(facts: Facts, readout: Any) -> Estimate | None:
    """Of a front that starts at a wetted edge and goes one way."""
    if readout.kind != "reach" or readout.field != "wetness" or readout.line is None:
        return None
    time, pores = facts.until("wicking"), facts.permeability()
    wetted = [e for e in facts.edges() if facts.kind(e, "wicking") == "wetted"]
    found = [draws(facts, z) for z in drinking(facts)]
    if time is None or pores is None or len(wetted) != 1 or len(found) != 1 or found[0] is None:
        return None
    settings, x0, y0, x1, y1 = facts.settings("wicking"), *_ends(facts, readout)
    length = float(np.hypot(x1 - x0, y1 - y0))
    if length == 0:
        return None
    way = (x1 - x0) / length, (y1 - y0) / length
    axis = int(abs(way[1]) > abs(way[0]))
    if abs(way[1 - axis]) > LEVEL:
        return None
    weight = -settings["density"] * (pull(facts)[0] * way[0] + pull(facts)[1] * way[1])
    draw = found[0] + facts.values(wetted[0], "wicking")["pressure"]
    swelling = facts.values(drinking(facts)[0], "wicking")["swelling"]
    open_ = facts.pore_volume() / facts.stream_volume() * (1.0 + swelling)
    if draw <= 0:
        return None
    reach = rising_front(draw, pores[axis], open_, settings["viscosity"], time, weight)
    if reach >= length:
        return Estimate(length, note="all of the line, if the front goes one way from its start")
    return Estimate(reach, note="if the front goes one way, level, from an edge that is all wetted")


def _ends(facts: Facts, readout: Any) -> tuple[float, ...]:
    return tuple(facts.measure(value, "length") for value in readout.line)


def _full(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "total" or readout.field != "taken_up" or readout.line is not None:
        return None
    swelling = [facts.values(z, "wicking")["swelling"] for z in drinking(facts)]
    if not swelling:
        return None
    density = facts.settings("wicking")["density"]
    return Estimate(
        density * facts.pore_volume() * (1.0 + max(swelling)), note="once all of it is full"
    )


def _rise(facts: Facts, readout: Any) -> Estimate | None:
    """The weight of liquid from where it is drunk to the top, over what draws it up."""
    found = [draws(facts, z) for z in drinking(facts)]
    drawn, weight = [f for f in found if f is not None and f > 0], to_lift(facts)
    if not drawn or weight is None or weight <= 0:
        return None
    return Estimate(weight / max(drawn))


PAPERS = (
    Paper(
        "Wet front",
        r"t=\frac{\mu\varepsilon}{K\rho g}\left[H\ln\frac{H}{H-L}-L\right]",
        "Lucas 1918, Washburn 1921",
        "a front that goes one way",
        "length",
        _front,
        drawn=True,
    ),
    Paper(
        "Most it can hold",
        r"m=\rho\varepsilon V",
        "full pores",
        "any",
        "mass",
        _full,
    ),
    Paper(
        "Weight against draw",
        r"\rho g H/p_c",
        "Jurin 1718",
        "any",
        "number",
        _rise,
        regime="Bo",
        verdict=lambda v: (
            "weight hardly counts"
            if v < 0.1
            else "it cannot rise all the way"
            if v > 1
            else "weight counts"
        ),
    ),
)
