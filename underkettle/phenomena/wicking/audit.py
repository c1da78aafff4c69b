"""What is worth questioning about wicking before a run."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from underkettle.engine.contract import AuditRule, Facts, Finding
from underkettle.phenomena.wicking.laws import FRONT, capillary
from underkettle.quantities import NOWHERE

GIVES = ("wetted", "inflow")
SMOOTH = ("curved", "power law", "exponential")
DRIEST = 1e-3  # share of what pores can let go of, below which a smooth law means little
COARSE = 2.0  # weight of a cell's liquid over what a law varies over


def drinking(facts: Facts) -> list[str]:
    """Zones that take liquid up."""
    return [z for z in facts.zones() if facts.kind(z, "wicking") not in ("", "cut out")]


def draws(facts: Facts, zone: str) -> float | None:
    """The capillary pressure (Pa) of a zone with a wet front, formulas as their mean."""
    if facts.kind(zone, "wicking") != FRONT:
        return None
    try:
        found = capillary(facts.values(zone, "wicking"), facts.settings("wicking"), NOWHERE)
    except (KeyError, TypeError):
        return None
    return float(np.mean(found))


def pull(facts: Facts) -> tuple[float, float]:
    """Gravity (m/s2) along x and y."""
    settings = facts.settings("wicking")
    return settings["gravity_x"], settings["gravity_y"]


def _dry(facts: Facts) -> Iterator[Finding]:
    edges = facts.edges()
    unsaid = any(facts.state(e, "wicking") == "missing" for e in edges)
    gives = [e for e in edges if facts.kind(e, "wicking") in GIVES]
    begins = [facts.start(z, "wicking").get("wetness", 0.0) for z in drinking(facts)]
    if not drinking(facts) or unsaid or gives or any(begins) or facts.pushed():
        return
    last = edges[-1]
    yield Finding(
        "stops",
        "The wick is dry and no edge touches liquid.",
        "Nothing could ever be drawn in: say which edge touches liquid, or begin with some inside.",
        last,
        "wicking",
        cure=((f"conditions/{last}/wicking", {"kind": "wetted", "pressure": "0 Pa"}),),
        cure_label=f"Let {facts.edge_label(last)} touch liquid",
    )


def _no_draw(facts: Facts) -> Iterator[Finding]:
    for zone in drinking(facts):
        found = draws(facts, zone)
        if found is None or found > 0:
            continue
        yield Finding(
            "stops" if found == 0 else "doubt",
            f"{facts.edge_label(zone)} draws nothing in.",
            f"Its capillary pressure is {found:.3g} Pa: the liquid has to be pushed.",
            zone,
            "wicking",
            cure=(("phenomena/wicking/contact_angle", "0 deg"),) if found < 0 else (),
            cure_label="Let it spread on the pores" if found < 0 else "",
        )


def _bare(facts: Facts) -> Iterator[Finding]:
    for zone in drinking(facts):
        if facts.mesh.zone_cells(zone).sum() == 0:
            continue
        if all(facts.assumed(zone, column) for column in facts.fillers()):
            yield Finding(
                "stops",
                f"{facts.edge_label(zone)} has no pores to drink with.",
                "No porous matter stands in it: say what fills it, or cut it out.",
                zone,
                "wicking",
                cure=((f"conditions/{zone}/wicking", {"kind": "cut out"}),),
                cure_label="Cut it out",
            )


def to_lift(facts: Facts) -> float | None:
    """The weight (Pa) of liquid from where it is drunk to the vessel's highest corner, less what pushes
    there; None where it is drunk nowhere.
    """
    gravity, density = pull(facts), facts.settings("wicking")["density"]
    wetted = [e for e in facts.edges() if facts.kind(e, "wicking") == "wetted"]
    box, found = facts.size_box(), []
    for edge in wetted:
        bounds = facts.edge_bounds(edge)
        up = 0.0
        for axis in (0, 1):
            middle = 0.5 * (bounds[axis] + bounds[axis + 2])
            up -= gravity[axis] * (box[axis if gravity[axis] > 0 else axis + 2] - middle)
        found.append(density * up - facts.values(edge, "wicking")["pressure"])
    return min(found, default=None)


def _too_high(facts: Facts) -> Iterator[Finding]:
    """Wicks that reach further up than what they can lift."""
    pulls, density = float(np.hypot(*pull(facts))), facts.settings("wicking")["density"]
    weight = to_lift(facts)
    if weight is None or pulls == 0:
        return
    for zone in drinking(facts):
        found = draws(facts, zone)
        if found is None or weight <= found:
            continue
        yield Finding(
            "doubt",
            f"{facts.edge_label(zone)} may not fill to its end.",
            f"Its pores lift the liquid {1e3 * found / (density * pulls):.3g} mm straight up, and it "
            f"reaches {1e3 * weight / (density * pulls):.3g} mm above where it drinks.",
            zone,
            "wicking",
        )


def _coarse(facts: Facts) -> Iterator[Finding]:
    density, size = facts.settings("wicking")["density"], facts.cell_size()
    weight = density * max(abs(g) for g in pull(facts)) * size
    for zone in drinking(facts):
        kind = facts.kind(zone, "wicking")
        if kind not in SMOOTH:
            continue
        reach = float(np.mean(facts.values(zone, "wicking")["drawn"]))
        if weight > COARSE * reach:
            fits = size * COARSE * reach / weight
            yield Finding(
                "doubt",
                f"Cells are tall against how {facts.edge_label(zone)} empties.",
                f"From one to the next liquid weighs {weight:.3g} Pa, and pores empty over "
                f"{reach:.3g} Pa.",
                zone,
                "wicking",
                cure=(("grid/size", f"{fits * 1e3:.2g} mm"),),
                cure_label="Refine the grid",
            )


def _begins_dry(facts: Facts) -> Iterator[Finding]:
    """Smooth laws never reach dryness: pressure would fall without end."""
    for zone in drinking(facts):
        if facts.kind(zone, "wicking") not in SMOOTH:
            continue
        residual = facts.values(zone, "wicking").get("residual", 0.0)
        begins = facts.start(zone, "wicking").get("wetness", 0.0)
        least = residual + DRIEST * (1.0 - residual)
        if begins < least:
            fits = round(residual + 0.05 * (1.0 - residual), 3)
            yield Finding(
                "doubt",
                f"{facts.edge_label(zone)} begins drier than its law means anything.",
                f"It begins {100 * begins:.3g} % full; its pores then hold liquid with more than any "
                "measurement shows.",
                zone,
                "wicking",
                cure=((f"start/{zone}/wicking/wetness", f"{fits:g}"),),
                cure_label=f"Begin {100 * fits:.3g} % full",
            )


RULES = (
    AuditRule("no liquid", _dry),
    AuditRule("does not draw", _no_draw),
    AuditRule("no pores", _bare),
    AuditRule("cannot fill", _too_high),
    AuditRule("cells too tall", _coarse),
    AuditRule("begins too dry", _begins_dry),
)
