"""Hand estimates for two fluids."""

from __future__ import annotations

from math import pi, sqrt
from typing import Any

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.engine.contract.streams import quickest_inflow
from underkettle.paper.surfaces import bond, capillary, drawn_speed, laplace, weber
from underkettle.phenomena.two_fluids.audit import drops, smallest
from underkettle.phenomena.two_fluids.naming import LETS_IN, LETS_OUT, ME, fluids, pair


def _bond(facts: Facts, readout: Any) -> Estimate | None:
    settings, size = facts.settings(ME), smallest(facts)
    tension, pull = float(settings["tension"]), facts.gravity()
    if not tension > 0.0 or pull is None:
        return None
    one, two = pair(settings, "density")
    number = bond(abs(one - two), sqrt(pull[0] ** 2 + pull[1] ** 2), size, tension)
    return Estimate(number, note=f"on {1e3 * size:.4g} mm")


def _ohnesorge(facts: Facts, readout: Any) -> Estimate | None:
    settings, size = facts.settings(ME), smallest(facts)
    tension = float(settings["tension"])
    if not tension > 0.0:
        return None
    heavy = max(fluids(settings).values(), key=lambda fluid: float(fluid["density"]))
    number = float(heavy["viscosity"]) / sqrt(float(heavy["density"]) * tension * size)
    return Estimate(number, note=f"of the heavier, on {1e3 * size:.4g} mm")


def _driven(facts: Facts) -> tuple[float, float, str] | None:
    """Tension (N/m) that the quickest stream works against, its speed (m/s), and where it comes in."""
    tension, quickest = float(facts.settings(ME)["tension"]), quickest_inflow(facts)
    return None if not tension > 0.0 or quickest is None else (tension, *quickest)


def _weber(facts: Facts, readout: Any) -> Estimate | None:
    driven = _driven(facts)
    if driven is None:
        return None
    tension, speed, edge = driven
    share = facts.values(edge, ME).get("value")
    one, two = pair(facts.settings(ME), "density")
    density = one if share == 1.0 else two if share == 0.0 else max(one, two)
    size = facts.edge_length(edge) * (2.0 if facts.round() else 1.0)
    return Estimate(
        weber(density, speed, size, tension), note=f"of what comes in by {facts.edge_label(edge)}"
    )


def _capillary(facts: Facts, readout: Any) -> Estimate | None:
    driven = _driven(facts)
    if driven is None:
        return None
    tension, speed, edge = driven
    return Estimate(
        capillary(max(pair(facts.settings(ME), "viscosity")), speed, tension),
        note=f"of the thicker, at the speed of {facts.edge_label(edge)}",
    )


def _drawn(facts: Facts, readout: Any) -> Estimate | None:
    """How fast one drop swims, where its tension differs along the axis."""
    own = list(drops(facts).values())
    if len(own) != 1 or not facts.round():
        return None
    radius, x = float(own[0]["radius"]), float(own[0]["x"])
    before, after = (facts.setting_at(ME, "tension", x + by, 0.0) for by in (-radius, radius))
    rises = abs(after - before) / (2.0 * radius)
    if not rises > 0.0:
        return None
    thick, of = pair(facts.settings(ME), "viscosity"), int(own[0]["of"] == "second")
    return Estimate(
        drawn_speed(rises, radius, thick[1 - of], thick[of]),
        note=f"towards {'larger' if after < before else 'smaller'} x, as it begins",
    )


def _within(facts: Facts, readout: Any) -> Estimate | None:
    """The highest pressure where a drop rests and nothing pushes."""
    if readout.kind != "max" or readout.field != "pressure" or facts.inflow() > 0:
        return None
    own = [told for told in drops(facts).values() if told["of"] == "first"]
    tension = float(facts.settings(ME)["tension"])
    if len(own) != 1 or facts.gravity() is not None or not tension > 0.0:
        return None
    radius = float(own[0]["radius"])
    high = laplace(tension, radius)
    return Estimate(high if facts.round() else 0.5 * high, note="at rest, over the fluid around it")


def at_start(facts: Facts) -> tuple[float, float] | None:
    """m3 of both, where one zone is filled evenly or holds one drop that meets no wall."""
    if len(facts.zones()) != 1:
        return None
    zone = facts.zones()[0]
    told, whole = facts.start(zone, ME), facts.zone_volume(zone)
    if "radius" in told:
        radius, x, y = (float(told[n]) for n in ("radius", "x", "y"))
        low_x, low_y, high_x, high_y = facts.size_box()
        apart = min(x - low_x, high_x - x, y - low_y, high_y - y)
        if facts.round():
            if y != 0.0 or min(x - low_x, high_x - x, high_y) < radius:
                return None
            drop = 4.0 / 3.0 * pi * radius**3
        elif apart < radius:
            return None
        else:
            drop = pi * radius**2 * facts.depth()
        first = drop if told["of"] == "first" else whole - drop
    elif isinstance(told.get("value"), float):
        first = float(told["value"]) * whole
    else:
        return None
    return first, whole - first


def _stays(facts: Facts, readout: Any) -> Estimate | None:
    """What neither comes nor goes."""
    names = list(fluids(facts.settings(ME)))[:2]
    if readout.kind != "total" or readout.field not in names:
        return None
    if any(facts.kind(e, ME) in (LETS_IN, LETS_OUT) for e in facts.edges()):
        return None
    parts = at_start(facts)
    if parts is None:
        return None
    return Estimate(parts[names.index(readout.field)], note="nothing passes edges")


PAPERS = (
    Paper(
        "Bond number",
        r"Bo=\Delta\rho\,g L^2/\sigma",
        "definition",
        "both fluids at rest or nearly so",
        "number",
        _bond,
        regime="Bo",
        verdict=lambda v: (
            "tension rounds it" if v < 0.1 else "weight flattens it" if v > 10 else "both count"
        ),
    ),
    Paper(
        "Ohnesorge number",
        r"Oh=\mu/\sqrt{\rho\sigma L}",
        "definition (Ohnesorge 1936)",
        "drops and threads",
        "number",
        _ohnesorge,
        regime="Oh",
        verdict=lambda v: (
            "swings before it rests" if v < 0.1 else "creeps to rest" if v > 1 else "both"
        ),
    ),
    Paper(
        "Weber number",
        r"We=\rho u^2 L/\sigma",
        "definition; jets from 4 on by Clanet & Lasheras 1999, from memory",
        "something flows in",
        "number",
        _weber,
        regime="We",
        verdict=lambda v: (
            "it drips" if v < 1 else "it comes as a jet, or as spray" if v > 4 else "both"
        ),
    ),
    Paper(
        "Capillary number",
        r"Ca=\mu u/\sigma",
        "definition",
        "something flows in",
        "number",
        _capillary,
        regime="Ca",
        verdict=lambda v: (
            "tension keeps it whole"
            if v < 0.01
            else "shear draws it out"
            if v > 1
            else "both count"
        ),
    ),
    Paper(
        "Speed that tension draws a drop at",
        r"U=\tfrac23\,R\,|\partial_x\sigma|/(2\mu+3\mu')",
        "Young, Goldstein & Block 1959, from memory",
        "creeping, walls far away",
        "speed",
        _drawn,
        regime="U,t",
    ),
    Paper(
        "Pressure within a drop",
        r"\Delta p=\sigma/R\ \text{(a ball: }2\sigma/R)",
        "Laplace 1806, Young 1805",
        "one round drop at rest, no weight",
        "pressure",
        _within,
    ),
    Paper(
        "What neither comes nor goes",
        r"V=V_0",
        "conservation of volume",
        "no openings, one zone",
        "volume",
        _stays,
    ),
)
