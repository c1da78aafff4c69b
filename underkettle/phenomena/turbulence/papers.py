"""Hand estimates for turbulent streams."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper.ducts import friction_drop, friction_factor
from underkettle.paper.flow import reynolds
from underkettle.phenomena.turbulence.audit import REACH, STIRRED, reaches, strongest

LOOKS = 24  # places along a duct at which it must be as wide as elsewhere
EVEN = 1e-6
LONG = 60.0  # diameters beyond which the entrance counts for little


def _number(facts: Facts, readout: Any) -> Estimate | None:
    duct = strongest(facts)
    if duct is None:
        return None
    return Estimate(
        duct.number,
        note=f"on the hydraulic diameter of {facts.edge_label(duct.edge)}, {duct.wide * 1e3:.4g} mm",
        verdict="turbulent" if duct.number >= STIRRED else "hardly turbulent",
    )


def _reach(facts: Facts, readout: Any) -> Estimate | None:
    duct = strongest(facts)
    if duct is None or duct.number < STIRRED:
        return None
    reached = max(reaches(facts, duct).values(), default=0.0)
    if not reached:
        return None
    verdict = "walls resolved" if reached < 2 else "walls by their law"
    return Estimate(reached, reached < REACH, "middle of a cell beside a wall", verdict)


def _straight(facts: Facts, low: float, high: float) -> tuple[float, float] | None:
    """Section (m2) and hydraulic diameter (m) of a duct that is the same between two x."""
    seen: tuple[float, float] | None = None
    for x in low + (np.arange(LOOKS) + 0.5) * (high - low) / LOOKS:
        open_ = facts.wall_column(float(x))
        if len(open_) != 1 or (seen is not None and not np.allclose(seen, open_[0], rtol=EVEN)):
            return None
        seen = open_[0]
    if seen is None:
        return None
    bottom, top = seen
    pipe = facts.round() and bottom <= EVEN * top
    wide = 2 * top if pipe else 2 * (top - bottom)
    return facts.section(*seen), wide


def _drop(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "difference" or readout.field != "pressure" or facts.filled():
        return None
    ends = (readout.place or "", readout.to or "")
    medium = facts.medium()
    if any(e not in facts.edges() for e in ends) or medium is None:
        return None
    if facts.through(ends[0]) != "in" or facts.through(ends[1]) != "out" or facts.inflow() <= 0:
        return None
    a, b = (facts.edge_bounds(e) for e in ends)
    if a[0] != a[2] or b[0] != b[2] or a[0] == b[0]:
        return None
    found = _straight(facts, min(a[0], b[0]), max(a[0], b[0]))
    if found is None:
        return None
    section, wide = found
    speed, length = facts.inflow() / section, abs(b[0] - a[0])
    density, viscosity = medium
    number = reynolds(density, speed, wide, viscosity)
    if number < STIRRED:
        return None
    grains = [
        facts.values(e, "turbulence").get("grain", 0.0)
        for e in facts.edges()
        if facts.kind(e, "turbulence") == "rough wall"
    ]
    factor = friction_factor(number, max(grains, default=0.0) / wide)
    return Estimate(
        friction_drop(density, speed, length, wide, factor),
        length > LONG * wide,
        f"developed all along; {length / wide:.3g} diameters long",
    )


PAPERS = (
    Paper(
        "Reynolds number of the duct",
        r"Re=u D_h/\nu",
        "ratio of inertia to viscous forces",
        f"ducts are turbulent from about {STIRRED:.0f} on (common practice)",
        "number",
        _number,
        regime="Re,h",
    ),
    Paper(
        "Reach of the first cell",
        r"y^+=\tfrac12 h\,u_\tau/\nu,\quad u_\tau=\bar u\sqrt{f/8}",
        "Colebrook 1939",
        "ducts; walls were checked from y+ .3 to 150",
        "number",
        _reach,
        regime="y+",
    ),
    Paper(
        "Turbulent duct",
        r"\Delta p=f\,\frac{L}{D_h}\,\frac{\rho\bar u^2}{2}",
        "Colebrook 1939; Darcy & Weisbach",
        "developed, one straight duct of more than 60 hydraulic diameters",
        "pressure",
        _drop,
    ),
)
