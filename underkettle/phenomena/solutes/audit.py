"""What is worth questioning about solutes in two fluids before a run."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.contract.streams import quickest_inflow
from underkettle.phenomena.solutes.naming import (
    DIFFUSIVITIES,
    FIRST,
    HELD,
    LETS_IN,
    ME,
    SIDES,
    VALUES,
    crosses,
    ratio,
    solutes,
)
from underkettle.quantities.words import headed

ACROSS = 4  # cells that the layer beside an interface wants
COUNTS = 0.1  # share of all that hinders, from which a fluid's layer matters
GASES = 1e-3  # m2/s, above which nothing spreads


def _column(name: str) -> str:
    return f"{ME}.{name}"


def told(facts: Facts, name: str) -> Iterator[tuple[str, str, Mapping[str, Any]]]:
    """Where a solute begins or comes in: place, path of the values in a case, and these."""
    for zone in facts.zones():
        if values := facts.start(zone, _column(name)):
            yield zone, f"start/{zone}/{_column(name)}", values
    for edge in facts.edges():
        if facts.kind(edge, _column(name)) == LETS_IN:
            yield edge, f"conditions/{edge}/{_column(name)}", facts.values(edge, _column(name))


def _nowhere(facts: Facts) -> Iterator[Finding]:
    """It is nowhere at the start, and comes from nowhere."""
    for name in solutes(facts.settings(ME)):
        held = any(
            facts.kind(e, _column(name)) == HELD and facts.values(e, _column(name)).get("value")
            for e in facts.edges()
        )
        if held or any(values.get(n) != 0.0 for *_, values in told(facts, name) for n in VALUES):
            continue
        zone = facts.zones()[0]
        yield Finding(
            "doubt",
            f"There is no {name.replace('_', ' ')}.",
            "It is in neither fluid at the start, and nothing brings it in or gives it off.",
            zone,
            _column(name),
            cure=((f"start/{zone}/{_column(name)}", {"kind": "start", "value": "1 mol/m3"}),),
            cure_label="Begin with 1 mol/m3 in the first",
        )


def _misplaced(facts: Facts) -> Iterator[Finding]:
    """It is said to be in a fluid that it cannot be in."""
    for name, solute in solutes(facts.settings(ME)).items():
        if crosses(solute):
            continue
        side = 1 if solute["lives_in"] == FIRST else 0
        wrong, which = VALUES[side], SIDES[side]
        for place, path, values in told(facts, name):
            if values.get(wrong):
                yield Finding(
                    "contradiction",
                    f"{headed(name)} cannot be in the {which} fluid.",
                    f"It is told to hold some there, and to live in {solute['lives_in']} only.",
                    place,
                    _column(name),
                    cure=((f"{path}/{wrong}", "0 mol/m3"),),
                    cure_label=f"Leave it out of the {which}",
                )


def _stuck(facts: Facts) -> Iterator[Finding]:
    """It may cross, and spreads in one of the fluids not at all."""
    for name, solute in solutes(facts.settings(ME)).items():
        for which, key in zip(SIDES, DIFFUSIVITIES, strict=True):
            if crosses(solute) and solute[key] == 0.0:
                yield Finding(
                    "doubt",
                    f"{headed(name)} does not spread in the {which} fluid.",
                    "Nothing crosses then, though it may be in both.",
                    column=_column(name),
                    cure=((f"phenomena/{ME}/members/{name}/{key}", "1e-9 m2/s"),),
                    cure_label="Take 1e-9 m2/s, as in a thin liquid (common practice)",
                )


def beside(facts: Facts, solute: Mapping[str, Any]) -> tuple[tuple[float, float], ...] | None:
    """How deep (m) it comes to be spread in either fluid beside an interface while they pass each
    other, and how strongly that hinders what crosses on these cells, in the measure of the second
    (s/m); None where nobody tells for how long, or it spreads in one of them not at all.
    """
    until = facts.until(ME)
    times = [until] if until else []
    quickest = quickest_inflow(facts)
    if quickest is not None:
        times.append(min(facts.size()) / quickest[0])
    spreads = [solute[key] for key in DIFFUSIVITIES]
    if not times or not crosses(solute) or min(spreads) <= 0.0:
        return None
    found = []
    for spread, scale in zip(spreads, (ratio(solute), 1.0), strict=True):
        deep = min(math.sqrt(math.pi * spread * min(times)), min(facts.size()))
        found.append((deep, max(deep, 0.5 * facts.cell_size()) / (scale * spread)))
    return tuple(found)


def layer(facts: Facts, solute: Mapping[str, Any]) -> float | None:
    """The less deep of its layers (m) in fluids that hinder it."""
    both = beside(facts, solute)
    if both is None:
        return None
    total = sum(hinders for _, hinders in both)
    return min(deep for deep, hinders in both if hinders >= COUNTS * total)


def _thin(facts: Facts) -> Iterator[Finding]:
    """Cells are wider than what it has spread through."""
    for name, solute in solutes(facts.settings(ME)).items():
        deep = layer(facts, solute)
        if deep is None or deep >= ACROSS * facts.cell_size():
            continue
        yield Finding(
            "doubt",
            f"{headed(name)} crosses in a layer thinner than cells.",
            f"Beside the interface it spreads through {1e3 * deep:.2g} mm, which wants {ACROSS} cells; "
            "what crosses is else more what cells mix than what diffuses.",
            column=_column(name),
            cure=(("grid/size", f"{deep / ACROSS:.3g} m"),),
            cure_label=f"Take cells of {1e3 * deep / ACROSS:.2g} mm",
        )


def _unlikely(facts: Facts) -> Iterator[Finding]:
    """No gas spreads so quickly."""
    for name, solute in solutes(facts.settings(ME)).items():
        for which, key in zip(SIDES, DIFFUSIVITIES, strict=True):
            if solute[key] > GASES:
                yield Finding(
                    "doubt",
                    f"{headed(name)} spreads at {solute[key]:.2g} m2/s in the {which} fluid.",
                    "Of liquids 1e-9, of gases 1e-5 m2/s is common practice.",
                    column=_column(name),
                    cure=((f"phenomena/{ME}/members/{name}/{key}", "1e-5 m2/s"),),
                    cure_label="Take 1e-5 m2/s, as in a gas (common practice)",
                )


RULES = (
    AuditRule("nothing dissolved", _nowhere),
    AuditRule("in the wrong fluid", _misplaced),
    AuditRule("does not cross", _stuck),
    AuditRule("crosses within a cell", _thin),
    AuditRule("unlikely in a fluid", _unlikely),
)
