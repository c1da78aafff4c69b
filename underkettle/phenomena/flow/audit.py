"""What is worth questioning about a flow before it is run."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.engine.contract.streams import LAMINAR_PROFILE, SIZES, TURBULENT_PROFILE
from underkettle.quantities.words import headed

OUTLETS = ("outflow", "open edge", "total pressure", "drawn off")
UNEVEN = 1e-6  # share by which given flows may differ where nothing can make up for it
LAMINAR = 1400.0  # on gap and mean speed, between plates; common practice
LAMINAR_PIPE = 2100.0  # on diameter and mean speed; common practice
LAMINAR_PLATE = 5e5  # on the length of an open stream; common practice
LAMINAR_BOX = 8000.0  # on the shorter side and the wall's speed; common practice
WAKE, WAKE_ROUND = 45.0, 210.0  # on the width of a bar, of a round body; common practice
FEW_CELLS = 8
NEAR_BORES, NEAR_STEPS, HOLE_BORES = 5, 40, 0.2
LIGHT = 50.0  # kg/m3: below it a stream is a gas
HEAVIEST = 14000.0  # kg/m3: mercury is 13 600
AIR_PRESSURE = 101325.0
SHORT_STAY = 0.02  # of the passing time: less shows only how the stream begins to move


def bore_of(facts: Facts, edge: str) -> tuple[float, float, str]:
    """The width (m) a stream through an edge is measured by, the Reynolds number up to which it
    stays laminar, and where.
    """
    low, high = facts.edge_bounds(edge)[1::2]
    if facts.open_stream():
        return max(facts.size()), LAMINAR_PLATE, "along a plate"
    if facts.round() and low <= 1e-9 * high:
        return 2 * high, LAMINAR_PIPE, "in a pipe"
    return facts.edge_length(edge), LAMINAR, "between plates"


def _of_kind(facts: Facts, *kinds: str) -> list[str]:
    return [e for e in facts.edges() if facts.kind(e, "flow") in kinds]


def _nothing_leaves(facts: Facts) -> Iterator[Finding]:
    inlets, outlets = _of_kind(facts, "inflow"), _of_kind(facts, *OUTLETS)
    unsaid = [e for e in facts.edges() if facts.state(e, "flow") == "missing"]
    if inlets and not outlets and not unsaid:
        names = ", ".join(facts.edge_label(e) for e in inlets)
        yield Finding(
            "stops",
            "Nothing can leave the vessel.",
            f"{names} lets a stream in, but no edge lets one out.",
            inlets[0],
            "flow",
        )


def _nothing_drives(facts: Facts) -> Iterator[Finding]:
    if facts.pushed() or facts.buoyant() or _of_kind(facts, "inflow", "drawn off", "moving wall"):
        return
    if any(facts.values(p, "flow").get("fall") for p in facts.repeats()):
        return
    levels = {
        facts.values(e, "flow").get("pressure")
        for e in _of_kind(facts, "outflow", "open edge", "total pressure")
    }
    if len(levels) < 2 and not any(facts.state(e, "flow") == "missing" for e in facts.edges()):
        yield Finding(
            "doubt",
            "Nothing drives the flow.",
            "There is no inflow, no pressure difference and no moving wall"
            + (
                ", and pressure does not fall from one length to the next."
                if facts.repeats()
                else "."
            ),
            next(iter(facts.repeats()), ""),
            column="flow",
        )


def _slanted_nozzle(facts: Facts) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow", *OUTLETS):
        if not facts.edge_is_straight(edge):
            yield Finding(
                "stops",
                f"{facts.edge_label(edge)} is slanted or curved.",
                "A stream can enter and leave only through edges along x or y.",
                edge,
                "flow",
            )


def _turbulent(facts: Facts) -> Iterator[Finding]:
    if facts.stirred():
        return
    settings = facts.settings("flow")
    for edge in _of_kind(facts, "inflow"):
        speed = (facts.stream(edge) or 0.0) / facts.edge_area(edge)
        bore, limit, where = bore_of(facts, edge)
        number = settings["density"] * speed * bore / settings["viscosity"]
        if number > limit:
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} is above the laminar range.",
                f"Re is {number:.3g} on {bore * 1e3:.3g} mm; streams {where} stay "
                f"laminar to about {limit:.0f} (common practice). What tells eddies "
                "stands on the board.",
                edge,
                "flow",
            )


def _other_profile(facts: Facts) -> Iterator[Finding]:
    """A profile that goes with other eddies than those that are told."""
    for edge in _of_kind(facts, "inflow"):
        profile = facts.profile(edge)
        if facts.stirred() and profile == LAMINAR_PROFILE:
            says = "come from a duct without eddies", "Eddies are told here"
            takes, label = TURBULENT_PROFILE, "Take that of a turbulent duct"
        elif not facts.stirred() and profile == TURBULENT_PROFILE:
            says = "come from a turbulent duct", "Nothing tells eddies here"
            takes, label = LAMINAR_PROFILE, "Take that of a laminar duct"
        else:
            continue
        yield Finding(
            "doubt",
            f"The stream through {facts.edge_label(edge)} is said to {says[0]}.",
            f"{says[1]}, so that its profile turns into another one on its way in, and pressure falls "
            "with it.",
            edge,
            "flow",
            cure=((f"conditions/{edge}/flow/profile", takes),),
            cure_label=label,
        )


def _lidded(facts: Facts) -> Iterator[Finding]:
    """A vessel driven by a moving wall: its own size and the wall's speed."""
    if facts.stirred():
        return
    settings = facts.settings("flow")
    size = min(facts.size())
    for edge in _of_kind(facts, "moving wall"):
        values = facts.values(edge, "flow")
        speed = float(np.hypot(values["x_speed"], values["y_speed"]))
        number = settings["density"] * speed * size / settings["viscosity"]
        if number > LAMINAR_BOX:
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} drives the stream beyond the laminar range.",
                f"Re is {number:.3g} on {size * 1e3:.3g} mm; streams in boxes "
                f"become unsteady from about {LAMINAR_BOX:.0f} on, and turbulent later "
                "(common practice).",
                edge,
                "flow",
            )


def _wakes(facts: Facts) -> Iterator[Finding]:
    """A steady stream round a body whose wake would sway."""
    if facts.stirred():
        return
    if "steady" not in facts.modes("flow"):
        return
    settings = facts.settings("flow")
    fastest = max(
        ((facts.stream(e) or 0.0) / facts.edge_area(e) for e in _of_kind(facts, "inflow")),
        default=0.0,
    )
    limit, what = (WAKE_ROUND, "a round body") if facts.round() else (WAKE, "a bar")
    for edge, width in facts.bodies():
        number = settings["density"] * fastest * width / settings["viscosity"]
        if number > limit:
            yield Finding(
                "doubt",
                f"The wake of {facts.edge_label(edge).lower()} may sway.",
                f"Re is {number:.3g} on its width of {width * 1e3:.3g} mm and the "
                f"inflow; the wake of {what} sways above {limit:.0f} (common practice), "
                "and a steady solution is then one that nobody sees.",
                edge,
                "flow",
            )


def _idle_wall(facts: Facts) -> Iterator[Finding]:
    """A side left at its assumed wall that is longer than everything open."""
    opened = sum(facts.edge_length(e) for e in _of_kind(facts, "inflow", *OUTLETS))
    if opened or facts.repeats():
        return
    for edge in facts.edges():
        if facts.assumed(edge, "flow") and edge not in facts.nozzles() and not facts.on_axis(edge):
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} is taken to be a wall.",
                "No edge of this vessel is open; is one of them missing?",
                edge,
                "flow",
            )
            return


def _few_cells(facts: Facts) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow", "outflow", "drawn off"):
        across = facts.edge_cells(edge)
        if across < FEW_CELLS:
            yield Finding(
                "doubt",
                f"Few cells across {facts.edge_label(edge)}.",
                f"{across} cells span it; {FEW_CELLS} is usual (common practice).",
                edge,
                "flow",
                cure=(
                    (
                        f"grid/refine/across_{edge}",
                        {
                            "place": edge,
                            "size": f"{1e3 * facts.edge_length(edge) / FEW_CELLS:.3g} mm",
                        },
                    ),
                ),
                cure_label="Refine there",
            )


def _uneven(facts: Facts) -> Iterator[Finding]:
    """Given flows in and out that nothing can even out."""
    if _of_kind(facts, "outflow", "open edge", "total pressure"):
        return
    flows = {e: facts.stream(e) or 0.0 for e in facts.edges()}
    entering = sum(v for v in flows.values() if v > 0)
    leaving = -sum(v for v in flows.values() if v < 0)
    if leaving > 0 and abs(entering - leaving) > UNEVEN * max(entering, leaving):
        drawn = _of_kind(facts, "drawn off")[0]
        yield Finding(
            "contradiction",
            "What enters is not what is drawn off.",
            f"{entering:.4g} m3/s enter and {leaving:.4g} m3/s are drawn off; no other "
            "edge can make up the difference.",
            drawn,
            "flow",
            cure=((f"conditions/{drawn}/flow", {"kind": "outflow", **dict.fromkeys(SIZES)}),),
            cure_label="Let it flow out freely",
        )


def _crossed_axis(facts: Facts) -> Iterator[Finding]:
    for edge in facts.edges():
        if facts.on_axis(edge) and facts.kind(edge, "flow") not in ("symmetry", ""):
            yield Finding(
                "stops",
                f"{facts.edge_label(edge)} is the axis, where nothing can be.",
                "The vessel is turned about y = 0, so this edge has no area.",
                edge,
                "flow",
                cure=((f"conditions/{edge}/flow", None),),
                cure_label="Leave it to symmetry",
            )


def _negative_inflow(facts: Facts) -> Iterator[Finding]:
    for edge in _of_kind(facts, "inflow"):
        speed = facts.values(edge, "flow").get("speed")
        if speed is not None and speed <= 0:
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} is an inflow that does not flow in.",
                f"Its mean speed is {speed:g} m/s; positive speeds enter.",
                edge,
                "flow",
            )


OPEN = ("outflow", "open edge", "total pressure")


def _swells_shut(facts: Facts) -> Iterator[Finding]:
    if not facts.law("flow", "density") or _of_kind(facts, *OPEN) or facts.pressed():
        return
    unsaid = [e for e in facts.edges() if facts.state(e, "flow") == "missing"]
    if not unsaid:
        yield Finding(
            "stops",
            "What swells has nowhere to go.",
            "Density follows what is solved, yet no edge at a given pressure lets the "
            "stream in or out.",
            column="flow",
        )


def _weighs_nothing(facts: Facts) -> Iterator[Finding]:
    settings = facts.settings("flow")
    if facts.told_medium() or facts.law("flow", "density"):
        return
    if settings["gravity_x"] or settings["gravity_y"]:
        yield Finding(
            "doubt",
            "Gravity does nothing here.",
            "Density is the same everywhere, so weight only adds to the pressure. Give "
            "density as a law of what is solved, or switch Buoyancy on.",
            column="flow",
        )


def _levels(facts: Facts) -> Iterator[Finding]:
    """Pressures read where no edge gives them a level."""
    if _of_kind(facts, *OPEN) or any(facts.state(e, "flow") == "missing" for e in facts.edges()):
        return
    for name, readout in facts.readouts().items():
        if readout.field == "pressure" and readout.kind not in ("difference", "on", "spread"):
            yield Finding(
                "doubt",
                f"{headed(name)} has no level.",
                "No edge of this vessel fixes the pressure: readings count from the mean "
                "over the vessel.",
                column="flow",
            )


def _wide_still(facts: Facts) -> Iterator[Finding]:
    """Total pressure on the only open edge, with an inflow: nothing can enter there."""
    still = _of_kind(facts, "total pressure")
    if len(still) > 1 and not _of_kind(facts, "inflow", "drawn off"):
        levels = {facts.values(e, "flow").get("pressure") for e in still}
        if len(levels) == 1 and not _of_kind(facts, "outflow", "open edge", "moving wall"):
            yield Finding(
                "doubt",
                "All open edges meet the same still surroundings.",
                "Nothing moves between edges at one total pressure unless something in "
                "the vessel drives it.",
                still[0],
                "flow",
            )


def _sealed_pocket(facts: Facts) -> Iterator[Finding]:
    pockets = facts.pockets()
    for edges in pockets if len(pockets) > 1 else ():
        kinds = {e: facts.kind(e, "flow") for e in sorted(edges)}
        inlets = [e for e, k in kinds.items() if k == "inflow"]
        if inlets and not any(k in OUTLETS for k in kinds.values()):
            yield Finding(
                "stops",
                f"What enters through {facts.edge_label(inlets[0])} cannot leave.",
                "The space behind it is cut off from every outlet.",
                inlets[0],
                "flow",
            )


def _close_outlet(facts: Facts) -> Iterator[Finding]:
    """An outlet nearer than five bores to a place where the section changes."""
    if facts.open_stream():
        return
    for edge in _of_kind(facts, "outflow"):
        x0, y0, x1, y1 = facts.edge_bounds(edge)
        axis = 0 if x0 == x1 else 1
        if not facts.edge_is_straight(edge) or (axis == 1 and y0 != y1):
            continue
        low, high = ((y0, y1), (x0, x1))[axis]
        at, bore, middle = (x0, y0)[axis], high - low, 0.5 * (low + high)
        inward = 1.0 if facts.open_around(axis, at + 1e-3 * bore, middle) else -1.0
        for k in range(1, NEAR_STEPS + 1):
            away = k * NEAR_BORES * bore / NEAR_STEPS
            found = facts.open_around(axis, at + inward * away, middle)
            if found is None:
                break
            if max(abs(found[0] - low), abs(found[1] - high)) > 0.02 * bore:
                if away < HOLE_BORES * bore:
                    break  # a hole in a wall: the stream speeds up into it
                yield Finding(
                    "doubt",
                    f"{facts.edge_label(edge)} stands close to a change of section.",
                    f"{away / bore:.2g} bores upstream the passage is "
                    f"{(found[1] - found[0]) * 1e3:.3g} mm wide instead of {bore * 1e3:.3g}; "
                    f"within {NEAR_BORES} bores an eddy may reach the outlet (common practice).",
                    edge,
                    "flow",
                )
                break


def _unlikely(facts: Facts) -> Iterator[Finding]:
    s = facts.settings("flow")
    density, viscosity = s["density"], s["viscosity"]
    if facts.told_medium():
        return
    if density < LIGHT and viscosity > 1e-3:
        yield Finding(
            "doubt",
            "The stream is as light as a gas and as thick as a liquid.",
            f"{density:.3g} kg/m3 with {viscosity:.3g} Pa s: is one of the units right?",
            column="flow",
        )
    elif density > 300 and viscosity < 5e-5:
        yield Finding(
            "doubt",
            "The stream is as dense as a liquid and as thin as a gas.",
            f"{density:.3g} kg/m3 with {viscosity:.3g} Pa s: is one of the units right?",
            column="flow",
        )
    elif density > HEAVIEST:
        yield Finding(
            "doubt",
            "The stream is denser than any liquid.",
            f"{density:.3g} kg/m3: is the unit right?",
            column="flow",
        )


def _fast(facts: Facts) -> Iterator[Finding]:
    s = facts.settings("flow")
    if s["density"] > LIGHT:
        return
    sound = (1.4 * AIR_PRESSURE / s["density"]) ** 0.5
    for edge in _of_kind(facts, "inflow"):
        speed = abs(facts.stream(edge) or 0.0) / facts.edge_area(edge)
        if speed > 0.3 * sound:
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} runs at Mach {speed / sound:.2g}.",
                "Beyond 0.3 a gas is squeezed by its own speed, which is not solved "
                f"here; sound is taken to travel at {sound:.3g} m/s.",
                edge,
                "flow",
            )


def _through_wall(facts: Facts) -> Iterator[Finding]:
    for edge in _of_kind(facts, "moving wall"):
        x0, y0, x1, y1 = facts.edge_bounds(edge)
        values = facts.values(edge, "flow")
        across = values["x_speed"] if x0 == x1 else values["y_speed"] if y0 == y1 else 0.0
        if across:
            name = "x_speed" if x0 == x1 else "y_speed"
            yield Finding(
                "doubt",
                f"{facts.edge_label(edge)} moves into the stream.",
                "A wall that stays in its place can only slide along itself.",
                edge,
                "flow",
                cure=((f"conditions/{edge}/flow/{name}", "0 m/s"),),
                cure_label="Slide only",
            )


def _too_short(facts: Facts) -> Iterator[Finding]:
    until, total = facts.until("flow"), facts.inflow()
    if until is None or total <= 0 or "steady" in facts.modes("flow"):
        return
    stay = facts.stream_volume() / total
    if until < SHORT_STAY * stay:
        yield Finding(
            "doubt",
            "The run ends before the stream has passed the vessel.",
            f"It takes {stay:.3g} s to pass and the run ends after {until:.3g} s.",
            column="flow",
        )


def _unsure_back(facts: Facts) -> Iterator[Finding]:
    """Edges that breathe, where what comes back in was only assumed."""
    for edge in _of_kind(facts, "open edge", "total pressure"):
        for column in facts.all_columns():
            if facts.carries(edge, column) == "out" and facts.assumed(edge, column):
                yield Finding(
                    "doubt",
                    f"What comes in through {facts.edge_label(edge)} is only assumed.",
                    "An edge at a given pressure lets the stream in as well as out.",
                    edge,
                    column,
                )


RULES = (
    AuditRule("pocket without an outlet", _sealed_pocket),
    AuditRule("outlet close to a change", _close_outlet),
    AuditRule("unlikely stream", _unlikely),
    AuditRule("fast gas", _fast),
    AuditRule("wall that moves into the stream", _through_wall),
    AuditRule("ends before it has passed", _too_short),
    AuditRule("what comes back in", _unsure_back),
    AuditRule("swells in a closed vessel", _swells_shut),
    AuditRule("gravity on an even density", _weighs_nothing),
    AuditRule("pressure without a level", _levels),
    AuditRule("same surroundings everywhere", _wide_still),
    AuditRule("nothing leaves", _nothing_leaves),
    AuditRule("nothing drives", _nothing_drives),
    AuditRule("slanted nozzle", _slanted_nozzle),
    AuditRule("above the laminar range", _turbulent),
    AuditRule("profile of another stream", _other_profile),
    AuditRule("lid beyond the laminar range", _lidded),
    AuditRule("wake that sways", _wakes),
    AuditRule("idle wall", _idle_wall),
    AuditRule("few cells across a nozzle", _few_cells),
    AuditRule("something on the axis", _crossed_axis),
    AuditRule("flows that do not balance", _uneven),
    AuditRule("inflow that does not flow in", _negative_inflow),
)
