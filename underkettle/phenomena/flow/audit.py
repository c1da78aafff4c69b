"""What is worth questioning about a flow before it is run."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from underkettle.engine.contract import AuditRule, Finding

SIZES = ("speed", "volume_flow", "mass_flow")  # of which a condition has one
OUTLETS = ("outflow", "open edge", "total pressure", "drawn off")
UNEVEN = 1e-6  # share by which given flows may differ where nothing can make up for it
LAMINAR = 1400.0  # on gap and mean speed, between plates; common practice
LAMINAR_PIPE = 2100.0  # on diameter and mean speed; common practice
LAMINAR_PLATE = 5e5  # on the length of an open stream; common practice
FEW_CELLS = 8


def bore_of(facts: Any, edge: str) -> tuple[float, float, str]:
    """The width (m) a stream through an edge is measured by, the Reynolds number up to which it
    stays laminar, and where.
    """
    low, high = facts.edge_bounds(edge)[1::2]
    if facts.open_stream():
        return max(facts.size()), LAMINAR_PLATE, "along a plate"
    if facts.round() and low <= 1e-9 * high:
        return 2 * high, LAMINAR_PIPE, "in a pipe"
    return facts.edge_length(edge), LAMINAR, "between plates"


def inflow_total(facts: Any) -> float:
    """Volume flow (m3/s) of all given inflows."""
    return sum(max(facts.stream(edge) or 0.0, 0.0) for edge in facts.edges())


def _of_kind(facts: Any, *kinds: str) -> list[str]:
    return [e for e in facts.edges() if facts.kind(e, "flow") in kinds]


def _nothing_leaves(facts: Any) -> Iterator[Finding]:
    inlets, outlets = _of_kind(facts, "inflow"), _of_kind(facts, *OUTLETS)
    unsaid = [e for e in facts.edges() if facts.state(e, "flow") == "missing"]
    if inlets and not outlets and not unsaid:
        names = ", ".join(facts.edge_label(e) for e in inlets)
        yield Finding("stops", "Nothing can leave the vessel.",
                      f"{names} lets a stream in, but no edge lets one out.", inlets[0], "flow")


def _nothing_drives(facts: Any) -> Iterator[Finding]:
    if _of_kind(facts, "inflow", "drawn off", "moving wall"):
        return
    if any(facts.values(p, "flow").get("fall") for p in facts.repeats()):
        return
    levels = {facts.values(e, "flow").get("pressure") for e in
              _of_kind(facts, "outflow", "open edge", "total pressure")}
    if len(levels) < 2 and not any(facts.state(e, "flow") == "missing" for e in facts.edges()):
        yield Finding("doubt", "Nothing drives the flow.",
                      "There is no inflow, no pressure difference and no moving wall"
                      + (", and pressure does not fall from one length to the next."
                         if facts.repeats() else "."),
                      next(iter(facts.repeats()), ""), column="flow")


def _slanted_nozzle(facts: Any) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow", *OUTLETS):
        if not facts.edge_is_straight(edge):
            yield Finding("stops", f"{facts.edge_label(edge)} is slanted or curved.",
                          "A stream can enter and leave only through edges along x or y.",
                          edge, "flow")


def _turbulent(facts: Any) -> Iterator[Finding]:
    settings = facts.settings("flow")
    for edge in _of_kind(facts, "inflow"):
        speed = (facts.stream(edge) or 0.0) / facts.edge_area(edge)
        bore, limit, where = bore_of(facts, edge)
        number = settings["density"] * speed * bore / settings["viscosity"]
        if number > limit:
            yield Finding("doubt", f"{facts.edge_label(edge)} is above the laminar range.",
                          f"Re is {number:.3g} on {bore * 1e3:.3g} mm; streams {where} stay "
                          f"laminar to about {limit:.0f} (common practice).", edge, "flow")


def _idle_wall(facts: Any) -> Iterator[Finding]:
    """A side left at its assumed wall that is longer than everything open."""
    opened = sum(facts.edge_length(e) for e in _of_kind(facts, "inflow", *OUTLETS))
    if opened or facts.repeats():
        return
    for edge in facts.edges():
        if facts.assumed(edge, "flow") and edge not in facts.nozzles():
            yield Finding("doubt", f"{facts.edge_label(edge)} is taken to be a wall.",
                          "No edge of this vessel is open; is one of them missing?", edge, "flow")
            return


def _few_cells(facts: Any) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow", "outflow", "drawn off"):
        across = facts.edge_cells(edge)
        if across < FEW_CELLS:
            yield Finding("doubt", f"Few cells across {facts.edge_label(edge)}.",
                          f"{across} cells span it; {FEW_CELLS} is usual (common "
                          "practice).", edge, "flow")


def _uneven(facts: Any) -> Iterator[Finding]:
    """Given flows in and out that nothing can even out."""
    if _of_kind(facts, "outflow", "open edge", "total pressure"):
        return
    flows = {e: facts.stream(e) or 0.0 for e in facts.edges()}
    entering = sum(v for v in flows.values() if v > 0)
    leaving = -sum(v for v in flows.values() if v < 0)
    if leaving > 0 and abs(entering - leaving) > UNEVEN * max(entering, leaving):
        drawn = _of_kind(facts, "drawn off")[0]
        yield Finding("contradiction", "What enters is not what is drawn off.",
                      f"{entering:.4g} m3/s enter and {leaving:.4g} m3/s are drawn off; no other "
                      "edge can make up the difference.", drawn, "flow",
                      cure=((f"conditions/{drawn}/flow",
                             {"kind": "outflow", **dict.fromkeys(SIZES)}),),
                      cure_label="Let it flow out freely")


def _crossed_axis(facts: Any) -> Iterator[Finding]:
    for edge in facts.edges():
        if facts.on_axis(edge) and facts.kind(edge, "flow") not in ("symmetry", ""):
            yield Finding("stops", f"{facts.edge_label(edge)} is the axis, where nothing can be.",
                          "The vessel is turned about y = 0, so this edge has no area.", edge,
                          "flow", cure=((f"conditions/{edge}/flow", None),),
                          cure_label="Leave it to symmetry")


def _negative_inflow(facts: Any) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow"):
        speed = facts.values(edge, "flow").get("speed")
        if speed is not None and speed <= 0:
            yield Finding("doubt", f"{facts.edge_label(edge)} is an inflow that does not flow in.",
                          f"Its mean speed is {speed:g} m/s; positive speeds enter.", edge, "flow")


OPEN = ("outflow", "open edge", "total pressure")


def _swells_shut(facts: Any) -> Iterator[Finding]:
    if not facts.law("flow", "density") or _of_kind(facts, *OPEN):
        return
    unsaid = [e for e in facts.edges() if facts.state(e, "flow") == "missing"]
    if not unsaid:
        yield Finding("stops", "What swells has nowhere to go.",
                      "Density follows what is solved, yet no edge at a given pressure lets the "
                      "stream in or out.", column="flow")


def _weighs_nothing(facts: Any) -> Iterator[Finding]:
    settings = facts.settings("flow")
    if (settings["gravity_x"] or settings["gravity_y"]) and not facts.law("flow", "density"):
        yield Finding("doubt", "Gravity does nothing here.",
                      "Density is the same everywhere, so weight only adds to the pressure. Give "
                      "density as a law of what is solved, or switch Buoyancy on.", column="flow")


def _levels(facts: Any) -> Iterator[Finding]:
    """Pressures read where no edge gives them a level."""
    if _of_kind(facts, *OPEN) or any(facts.state(e, "flow") == "missing" for e in facts.edges()):
        return
    for name, readout in facts.readouts().items():
        if readout.field == "pressure" and readout.kind not in ("difference", "on"):
            yield Finding("doubt", f"{name.replace('_', ' ').capitalize()} has no level.",
                          "No edge of this vessel fixes the pressure: readings count from the mean "
                          "over the vessel.", column="flow")


def _wide_still(facts: Any) -> Iterator[Finding]:
    """Total pressure on the only open edge, with an inflow: nothing can enter there."""
    still = _of_kind(facts, "total pressure")
    if len(still) > 1 and not _of_kind(facts, "inflow", "drawn off"):
        levels = {facts.values(e, "flow").get("pressure") for e in still}
        if len(levels) == 1 and not _of_kind(facts, "outflow", "open edge", "moving wall"):
            yield Finding("doubt", "All open edges meet the same still surroundings.",
                          "Nothing moves between edges at one total pressure unless something in "
                          "the vessel drives it.", still[0], "flow")


RULES = (
    AuditRule("swells in a closed vessel", _swells_shut),
    AuditRule("gravity on an even density", _weighs_nothing),
    AuditRule("pressure without a level", _levels),
    AuditRule("same surroundings everywhere", _wide_still),
    AuditRule("nothing leaves", _nothing_leaves),
    AuditRule("nothing drives", _nothing_drives),
    AuditRule("slanted nozzle", _slanted_nozzle),
    AuditRule("above the laminar range", _turbulent),
    AuditRule("idle wall", _idle_wall),
    AuditRule("few cells across a nozzle", _few_cells),
    AuditRule("something on the axis", _crossed_axis),
    AuditRule("flows that do not balance", _uneven),
    AuditRule("inflow that does not flow in", _negative_inflow),
)
