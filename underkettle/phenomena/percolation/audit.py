"""What is worth questioning about percolation before a run."""

from __future__ import annotations

from collections.abc import Iterator

from underkettle.engine.contract import AuditRule, Facts, Finding

LETS_IN, LETS_OUT = ("inflow", "fed"), ("drawn off", "drains")
HELD = ("fed", "drains")
UNEVEN = 1e-6  # share by which given flows may differ where nothing can make up for it
HIGHEST = 1e8  # Pa, more than a process vessel is built for; common practice


def _of_kind(facts: Facts, *kinds: str) -> list[str]:
    return [e for e in facts.edges() if facts.kind(e, "percolation") in kinds]


def _unsaid(facts: Facts) -> bool:
    return any(facts.state(e, "percolation") == "missing" for e in facts.edges())


def _bare(facts: Facts) -> Iterator[Finding]:
    """Zones that should percolate and that nothing fills."""
    for zone in facts.zones():
        if facts.blocked(zone) or facts.mesh.zone_cells(zone).sum() == 0:
            continue
        if all(facts.assumed(zone, column) for column in facts.fillers()):
            yield Finding(
                "stops",
                f"Nothing stands in {facts.edge_label(zone)} for a stream to percolate through.",
                "What is open holds nothing back, so no pressure could be told: say what fills it, or "
                "cut it out.",
                zone,
                "percolation",
                cure=((f"conditions/{zone}/percolation", {"kind": "tight"}),),
                cure_label="Cut it out",
            )


def _nothing_leaves(facts: Facts) -> Iterator[Finding]:
    inlets, outlets = _of_kind(facts, *LETS_IN), _of_kind(facts, *LETS_OUT)
    if _unsaid(facts) or bool(inlets) == bool(outlets):
        return
    one = (inlets or outlets)[0]
    yield Finding(
        "stops",
        "Nothing can leave." if inlets else "Nothing can enter.",
        f"{facts.edge_label(one)} lets the stream {'in' if inlets else 'out'}, and no edge lets it "
        f"{'out' if inlets else 'in'}.",
        one,
        "percolation",
    )


def _nothing_drives(facts: Facts) -> Iterator[Finding]:
    if _of_kind(facts, *LETS_IN, *LETS_OUT) or _unsaid(facts) or facts.pushed():
        return
    yield Finding(
        "doubt",
        "Nothing drives the percolation.",
        "Every edge is tight, so the stream stands still.",
        column="percolation",
    )


def _no_level(facts: Facts) -> Iterator[Finding]:
    """Given flows in and out that do not agree, where no edge holds a pressure."""
    if _of_kind(facts, *HELD) or _unsaid(facts):
        return
    streams = {e: facts.stream(e) for e in _of_kind(facts, "inflow", "drawn off")}
    came = sum(s for s in streams.values() if s is not None and s > 0)
    left = -sum(s for s in streams.values() if s is not None and s < 0)
    if max(came, left) > 0 and abs(came - left) > UNEVEN * max(came, left):
        last = list(streams)[-1]
        yield Finding(
            "contradiction",
            "What is let in is not what is drawn off.",
            f"{came:.4g} m3/s enter and {left:.4g} m3/s leave, and no edge can make up for it.",
            last,
            "percolation",
            cure=((f"conditions/{last}/percolation", {"kind": "drains"}),),
            cure_label="Let it drain at a pressure",
        )


def _same_level(facts: Facts) -> Iterator[Finding]:
    """All edges at one pressure: nothing moves."""
    held = _of_kind(facts, *HELD)
    levels = {facts.values(e, "percolation").get("pressure") for e in held}
    if len(held) > 1 and len(levels) == 1 and not _of_kind(facts, "inflow", "drawn off"):
        yield Finding(
            "doubt",
            "Every open edge is at the same pressure.",
            "Nothing then moves the stream.",
            held[0],
            "percolation",
        )


def _too_high(facts: Facts) -> Iterator[Finding]:
    for edge in _of_kind(facts, *HELD):
        pressure = abs(facts.values(edge, "percolation").get("pressure", 0.0))
        if pressure > HIGHEST:
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} is held at {pressure:.2g} Pa.",
                "No process vessel is built for that; look at the unit.",
                edge,
                "percolation",
            )


RULES = (
    AuditRule("nothing stands there", _bare),
    AuditRule("no way through", _nothing_leaves),
    AuditRule("nothing drives", _nothing_drives),
    AuditRule("flows that do not balance", _no_level),
    AuditRule("one pressure everywhere", _same_level),
    AuditRule("too high a pressure", _too_high),
)
