"""What is worth questioning about a field of charges at rest before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.phenomena.electrostatics.papers import AIR, ME, steepest


def _loose(facts: Facts) -> Iterator[Finding]:
    """A potential is one only against another that is known."""
    edges = [e for e in facts.edges() if not facts.on_axis(e)]
    if any(facts.kind(e, ME) == "held" for e in edges):
        return
    place = next((e for e in edges if facts.kind(e, ME) != "floats"), edges[0] if edges else "")
    yield Finding(
        "stops",
        "The electric potential is fixed nowhere.",
        "Charges only tell differences: hold one edge at a potential.",
        place,
        ME,
        cure=((f"conditions/{place}/{ME}", {"kind": "held", "value": "0 V"}),),
        cure_label=f"Earth {facts.edge_label(place)}",
    )


def _nothing(facts: Facts) -> Iterator[Finding]:
    """Without charges and with one voltage there is no field."""
    held = {float(v["value"]) for e in facts.edges() if (v := _held(facts, e))}
    charged = any(facts.kind(e, ME) in ("charged", "floats") for e in facts.edges()) or any(
        facts.values(z, ME).get("density") for z in facts.zones()
    )
    if len(held) == 1 and not charged:
        yield Finding(
            "doubt",
            "There is no field.",
            f"Every conductor is at {held.pop():g} V, and nothing holds charge.",
            column=ME,
        )


def _held(facts: Facts, edge: str) -> dict[str, float]:
    return dict(facts.values(edge, ME)) if facts.kind(edge, ME) == "held" else {}


def _breaks_down(facts: Facts) -> Iterator[Finding]:
    """Air does not stand any field."""
    found = steepest(facts)
    if found is not None and found > AIR and float(facts.settings(ME)["permittivity"]) < 1.1:
        yield Finding(
            "doubt",
            "The air breaks down.",
            f"{found / 1e6:.3g} MV/m between conductors; dry air at 1 bar stands about "
            f"{AIR / 1e6:g} MV/m (common practice), less at points.",
            column=ME,
        )


RULES = (
    AuditRule("electric potential fixed nowhere", _loose),
    AuditRule("no field at all", _nothing),
    AuditRule("field that air does not stand", _breaks_down),
)
