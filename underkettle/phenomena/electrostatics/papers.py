"""Hand estimates for a field of charges at rest."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.questions import apart
from underkettle.paper.charge import plates_hold

ME = "electrostatics"
AIR = 3e6  # V/m that dry air stands at 1 bar (common practice)


def _between(facts: Facts) -> tuple[str, str, float, float] | None:
    """Two conductors held across from each other: which, how far apart (m), the voltage between."""
    held = [e for e in facts.edges() if facts.kind(e, ME) == "held"]
    gap = apart(facts, held)
    if gap is None:
        return None
    one, other = (float(facts.values(e, ME)["value"]) for e in held)
    return held[0], held[1], gap, other - one


def steepest(facts: Facts) -> float | None:
    """V/m between two conductors across from each other."""
    found = _between(facts)
    return None if found is None else abs(found[3]) / found[2]


def _stands(facts: Facts, readout: Any) -> Estimate | None:
    found = steepest(facts)
    return None if found is None else Estimate(found / AIR)


def _holds(facts: Facts, readout: Any) -> Estimate | None:
    """C on one of two plates."""
    if readout.kind != "through" or readout.quantity != "electric_flux":
        return None
    found = _between(facts)
    if found is None or readout.place not in found[:2]:
        return None
    area = 0.5 * sum(facts.edge_area(e) for e in found[:2])
    charge = plates_hold(float(facts.settings(ME)["permittivity"]), area, found[2]) * found[3]
    here = 1.0 if readout.place == found[1] else -1.0
    inward = {"in": 1.0, "out": -1.0}[readout.counts]
    return Estimate(inward * here * charge, note="an even field, one permittivity")


PAPERS = (
    Paper(
        "Charge of two plates",
        r"Q=\varepsilon_0\varepsilon A\,\Delta\varphi/d",
        "Gauss's law",
        "two held edges across from each other, as wide all along",
        "charge",
        _holds,
    ),
    Paper(
        "Field over what air stands",
        r"\Delta\varphi/(d\,E_{max})",
        "3 MV/m, dry air at 1 bar (common practice)",
        "an even field between two held edges",
        "number",
        _stands,
        regime="E/Em",
        verdict=lambda v: "sparks" if v > 1 else "close" if v > 0.3 else "holds",
    ),
)
