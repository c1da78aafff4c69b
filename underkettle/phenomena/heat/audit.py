"""What is worth questioning about heat before a run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from underkettle.engine.contract import AuditRule, Finding

HELD = ("held temperature", "film")


def _all_lagged(facts: Any) -> Iterator[Finding]:
    walls = [e for e in facts.edges() if facts.kind(e, "heat") == "lagged"]
    others = [e for e in facts.edges() if facts.kind(e, "heat") in (*HELD, "heat flux")]
    made = any(facts.kind(z, "heat") == "made" for z in facts.zones())
    if walls and not others and not made and all(facts.assumed(e, "heat") for e in walls):
        yield Finding("doubt", "Every wall is at its assumed 'no loss'.",
                      "The stream will leave as warm as it enters.", walls[0], "heat")


def _cannot_settle(facts: Any) -> Iterator[Finding]:
    if "steady" not in facts.modes("heat"):
        return
    unsaid = [e for e in facts.edges() if facts.state(e, "heat") == "missing"]
    if not unsaid and not any(facts.kind(e, "heat") in (*HELD, "carried out")
                              for e in facts.edges()):
        yield Finding("stops", "Heat can settle nowhere.",
                      "A steady state needs an edge that holds a temperature, loses heat to its "
                      "surroundings or lets a stream out.",
                      column="heat")


def _two_densities(facts: Any) -> Iterator[Finding]:
    own = facts.settings("heat")["density"]
    for column in facts.carrier_columns():
        if facts.law(column, "density"):
            continue  # heat then follows the stream's
        stream = facts.settings(column).get("density")
        if stream is not None and abs(stream / own - 1) > 1e-6:
            yield Finding("contradiction", "The stream has two densities.",
                          f"Heat reckons with {own:g} kg/m3 and {column} with {stream:g} kg/m3.",
                          column="heat",
                          cure=(("phenomena/heat/density", f"{stream:g} kg/m3"),),
                          cure_label=f"Take {stream:g} kg/m3")


def _solid_or_not(facts: Any) -> Iterator[Finding]:
    for zone in facts.zones():
        if facts.kind(zone, "heat") != "solid" or facts.blocked(zone):
            continue
        for column in facts.carrier_columns():
            yield Finding("contradiction", f"{facts.edge_label(zone)} is solid to heat only.",
                          f"Heat has a solid there, and {column} lets the stream pass.", zone,
                          "heat", cure=((f"conditions/{zone}/{column}/kind", "solid"),),
                          cure_label="Keep the stream out")


def _closed_carrier(facts: Any) -> Iterator[Finding]:
    for edge in facts.edges():
        kind = facts.kind(edge, "heat")
        if kind in ("carried in", "carried out") and facts.through(edge) == "":
            yield Finding("doubt", f"{facts.edge_label(edge)} is closed, yet heat is {kind} there.",
                          "No stream passes it, so no heat will.", edge, "heat")


def _below_zero(facts: Any) -> Iterator[Finding]:
    for edge in facts.edges():
        for name, value in facts.values(edge, "heat").items():
            if name in ("value", "ambient") and value <= 0.0:
                yield Finding("stops", f"{facts.edge_label(edge)} is below absolute zero.",
                              f"It reads {value:g} K; write 20 degC as '20 degC' or '293.15 K'.",
                              edge, "heat")


def _slow(facts: Any) -> Iterator[Finding]:
    until, s = facts.until("heat"), facts.settings("heat")
    if until is None or facts.carried() or s["conductivity"] <= 0:
        return
    span = min(facts.size()) ** 2 * s["density"] * s["heat_capacity"] / s["conductivity"]
    if span > 3 * until:
        yield Finding("doubt", "Heat has no time to cross the vessel.",
                      f"It takes about {span:.3g} s and the run ends after {until:.3g} s.",
                      column="heat")


RULES = (
    AuditRule("every wall lagged", _all_lagged),
    AuditRule("nowhere to settle", _cannot_settle),
    AuditRule("two densities", _two_densities),
    AuditRule("solid to heat only", _solid_or_not),
    AuditRule("carried through a closed edge", _closed_carrier),
    AuditRule("below absolute zero", _below_zero),
    AuditRule("no time to cross", _slow),
)
