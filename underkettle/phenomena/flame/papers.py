"""Hand sums beside what a flame tells: what all of it together comes to, and what it can never pass."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import mass_entering
from underkettle.phenomena.flame.seen import table_of, tells

ME = "flame"
SHIFTS = ("CO", "H2", "OH")  # what equilibrium makes less of as it cools


def _mixed(facts: Facts) -> float | None:
    """The share that is fuel of all that enters together; None where that is not known."""
    total = brought = 0.0
    for edge in facts.edges():
        if facts.through(edge) != "in":
            continue
        value = facts.values(edge, ME).get("value")
        flow = None if value is None else _mass(facts, edge, value)
        if flow is None or value is None:
            return None
        total += flow
        brought += flow * value
    return brought / total if total > 0 else None


def _mass(facts: Facts, edge: str, share: float) -> float | None:
    """kg/s that enter through an edge with so much fuel."""
    table, own = table_of(facts.settings(ME)), facts.settings(ME).get("density")
    if table is None:
        return None
    dense = own or 1.0 / float(table.look(["volume"], share, 0.0, 0.0)[0])
    return mass_entering(facts, edge, dense)


def _leaves(facts: Facts, readout: Any) -> bool:
    """Whether it is a mean by flow over the only way out."""
    ways = [e for e in facts.edges() if facts.through(e) == "out"]
    return (
        readout.kind == "mean"
        and ways == [readout.place]
        and getattr(readout, "weight", "") == "flow"
    )


def _together(facts: Facts, readout: Any) -> Estimate | None:
    """What leaves, had it mixed through and lost nothing."""
    if not _leaves(facts, readout):
        return None
    settings, share = facts.settings(ME), _mixed(facts)
    table = table_of(settings)
    if share is None or table is None:
        return None
    field = readout.field.rpartition(".")[2]
    steady = "steady" in facts.modes(ME)
    if field == "fuel":
        return Estimate(share, steady, "exact at rest: what enters must leave")
    adiabatic = not settings.get("radiates")
    if field == "gas_temperature":
        value = float(table.look(["temperature"], share, 0.0, 0.0)[0])
        return Estimate(
            value,
            steady and adiabatic,
            "mixed through, nothing lost" if adiabatic else "nothing lost; here it radiates",
        )
    if field in tells(settings):
        amount, moles = table.look([field, "moles"], share, 0.0, 0.0)
        kept = adiabatic or field not in SHIFTS
        return Estimate(
            float(amount / moles),
            steady and kept,
            "mixed through, at equilibrium as warm as that makes",
        )
    return None


def _hottest(facts: Facts, readout: Any) -> Estimate | None:
    """No place can be hotter than the best mixture."""
    if readout.kind != "max" or readout.field.rpartition(".")[2] != "gas_temperature":
        return None
    table = table_of(facts.settings(ME))
    if table is None:
        return None
    nodes = table.nodes
    warm = table.look(["temperature"], nodes, 0.0 * nodes, 0.0 * nodes)[0]
    return Estimate(
        float(warm.max()), True, "the best mixture at equilibrium, nothing lost: never hotter"
    )


PAPERS = (
    Paper(
        "All that enters, mixed and burnt",
        r"\bar Z=\frac{\sum\dot m_iZ_i}{\sum\dot m_i},\quad \phi=\phi(\bar Z)",
        "balance of mass; equilibrium of ideal gases",
        "the mean by flow over the only outlet, at rest",
        "",
        _together,
    ),
    Paper(
        "Hottest that it can be",
        r"T_{ad}=\max_Z T(Z)",
        "equilibrium at constant enthalpy (Turns 2012, from memory: methane 2226 K)",
        "nothing lost, everything spreads alike",
        "temperature",
        _hottest,
    ),
)
