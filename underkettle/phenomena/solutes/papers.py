"""Hand estimates for solutes in two fluids."""

from __future__ import annotations

from math import pi
from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import quickest_inflow
from underkettle.paper.transfer import ball_left, peclet, shared_out
from underkettle.phenomena.solutes.audit import beside, layer
from underkettle.phenomena.solutes.naming import (
    DIFFUSIVITIES,
    HELD,
    INERT,
    LETS_IN,
    LETS_OUT,
    ME,
    SIDES,
    VALUES,
    crosses,
    ratio,
    solutes,
)

CLEAN = 0.2  # of what a drop hinders, below which its surface is as good as clean


def _shared(facts: Facts, readout: Any) -> Estimate | None:
    """What both fluids hold of it in the end, where it neither comes nor goes."""
    found = _named(readout.field, solutes(facts.settings(ME)), "in")
    parts = facts.fluids_at_start()
    if found is None or parts is None or len(facts.zones()) != 1 or readout.kind != "mean":
        return None
    name, side = found
    solute, column = solutes(facts.settings(ME))[name], f"{ME}.{name}"
    kinds = [facts.kind(edge, column) for edge in facts.edges()]
    zone = facts.zones()[0]
    if {HELD, LETS_IN, LETS_OUT} & set(kinds) or facts.kind(zone, column) != INERT:
        return None
    told = facts.start(zone, column)
    values = [told.get(name) for name in VALUES]
    if not crosses(solute) or not all(isinstance(v, float) for v in values):
        return None
    amount = sum(float(v) * part for v, part in zip(values, parts, strict=True) if v is not None)
    return Estimate(
        shared_out(amount, ratio(solute), *parts)[side], note="in the end, as it began closed"
    )


def _named(field: str | None, known: Any, word: str) -> tuple[str, int] | None:
    """Which solute a field is of, and in which fluid. word : between both, in its name."""
    for name in known:
        for side, which in enumerate(SIDES):
            if field in (f"{name}_{word}_{which}", f"{ME}.{name}_{word}_{which}"):
                return name, side
    return None


def _ball(facts: Facts, readout: Any) -> Estimate | None:
    """What a still drop of the first has left or has given, while all hindrance is its own."""
    parts, until = facts.fluids_at_start(), facts.until(ME)
    found = _named(readout.field, solutes(facts.settings(ME)), "held")
    if parts is None or until is None or found is None or readout.kind != "total":
        return None
    name, side = found
    solute, told = solutes(facts.settings(ME))[name], facts.start(facts.zones()[0], f"{ME}.{name}")
    both, value = beside(facts, solute), told.get("value")
    if both is None or both[1][1] > CLEAN * both[0][1] or not facts.round():
        return None
    if not isinstance(value, float) or told.get("second") != 0.0:
        return None
    radius = (0.75 * parts[0] / pi) ** (1.0 / 3.0)
    left = ball_left(solute["diffusivity"], radius, until)
    share, more = (left, "loses") if side == 0 else (1.0 - left, "gives")
    return Estimate(
        value * parts[0] * share, note=f"where it is still inside; what turns {more} more"
    )


def _layer(facts: Facts, readout: Any) -> Estimate | None:
    found = [(layer(facts, s), name) for name, s in solutes(facts.settings(ME)).items()]
    deep = min(((d, name) for d, name in found if d is not None), default=None)
    if deep is None:
        return None
    return Estimate(deep[0] / facts.cell_size(), note=f"{deep[1].replace('_', ' ')}, on your cells")


def _peclet(facts: Facts, readout: Any) -> Estimate | None:
    quickest = quickest_inflow(facts)
    spreads = [
        (s[key], name)
        for name, s in solutes(facts.settings(ME)).items()
        for key in DIFFUSIVITIES
        if s[key] > 0.0
    ]
    if quickest is None or not spreads:
        return None
    slowest, name = min(spreads)
    return Estimate(
        peclet(quickest[0], min(facts.size()), slowest),
        note=f"{name.replace('_', ' ')}, across the vessel's shorter side",
    )


PAPERS = (
    Paper(
        "Shared out between both",
        r"c_1=\frac{m\,n}{m V_1+V_2},\ c_2=c_1/m",
        "conservation, and equilibrium between both fluids (Nernst 1891)",
        "nothing passes edges, long after the start",
        "concentration",
        _shared,
    ),
    Paper(
        "Left in a still ball",
        r"n=n_0\,\frac{6}{\pi^2}\sum_k k^{-2}e^{-k^2\pi^2D_1t/R^2}",
        "Newman 1931",
        "one round drop or bubble that hinders all that crosses, and clean around it",
        "amount",
        _ball,
    ),
    Paper(
        "Layer beside the interface",
        r"\sqrt{\pi D t}/h",
        "penetration (Higbie 1935)",
        "fresh fluid beside an interface",
        "number",
        _layer,
        regime="cells in the layer",
        verdict=lambda v: "cells follow what crosses" if v >= 4 else "thinner than cells can tell",
    ),
    Paper(
        "Peclet number of solutes",
        r"Pe=uL/D",
        "definition",
        "something flows in",
        "number",
        _peclet,
        regime="Pe",
        verdict=lambda v: "carried" if v > 10 else "spreads" if v < 0.1 else "both",
    ),
)
