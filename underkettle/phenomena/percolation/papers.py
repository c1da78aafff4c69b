"""Hand estimates for percolation."""

from __future__ import annotations

from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper.flow import passing_time


def _stay(facts: Facts, readout: Any) -> Estimate | None:
    total = facts.inflow()
    if total <= 0:
        return None
    volume, pores = facts.stream_volume(), facts.pore_volume()
    return Estimate(
        passing_time(pores, total),
        note=f"of the pores, {pores * 1e6:.4g} of {volume * 1e6:.4g} cm3",
    )


def _mass(facts: Facts, readout: Any) -> Estimate | None:
    """What enters leaves: mass through the only outlet."""
    if readout.kind != "through" or readout.quantity != "mass":
        return None
    place, density = readout.place or "", facts.settings("percolation")["density"]
    outward = {"out": 1.0, "in": -1.0}[readout.counts]
    given = facts.stream(place) if place in facts.edges() else None
    if given is not None:
        return Estimate(-outward * density * given)
    passing = [e for e in facts.edges() if facts.through(e) == "out"]
    fed = any(facts.kind(e, "percolation") == "fed" for e in facts.edges())
    if passing != [place] or fed or facts.inflow() <= 0:
        return None
    return Estimate(outward * density * facts.inflow())


PAPERS = (
    Paper(
        "Passing time of the pores",
        r"t=\varepsilon V/Q",
        "mass balance",
        "any",
        "time",
        _stay,
        regime="eV/Q",
    ),
    Paper(
        "Mass balance",
        r"\dot m=\rho Q",
        "what enters leaves",
        "any",
        "mass flow",
        _mass,
    ),
)
