"""Hand estimates for flow."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper import ducts
from underkettle.paper.flow import (
    channel_drop,
    entrance_length,
    passing_time,
    plane_conductance,
    reynolds,
    round_conductance,
)
from underkettle.phenomena.flow.audit import LAMINAR, LAMINAR_PIPE, bore_of

STRETCHES = 400
ROUND = 0.02  # by which a round body's width may differ from its height


def _widest_inlet(facts: Facts) -> str | None:
    inlets = [e for e in facts.edges() if facts.kind(e, "flow") == "inflow"]
    return max(inlets, key=facts.edge_length) if inlets else None


def _re(facts: Facts, readout: Any) -> Estimate | None:
    inlet = _widest_inlet(facts)
    if inlet is None:
        return None
    settings, (bore, limit, where) = facts.settings("flow"), bore_of(facts, inlet)
    speed = (facts.stream(inlet) or 0.0) / facts.edge_area(inlet)
    number = reynolds(settings["density"], speed, bore, settings["viscosity"])
    return Estimate(
        number,
        note=f"on {bore * 1e3:.4g} mm, {where}",
        verdict="laminar" if number < limit else "above the laminar range",
    )


def _stay(facts: Facts, readout: Any) -> Estimate | None:
    total = facts.inflow()
    return Estimate(passing_time(facts.stream_volume(), total)) if total > 0 else None


def _conductance(facts: Facts, stretch: tuple[float, float]) -> float:
    if facts.round():
        return round_conductance(*stretch)
    return plane_conductance(facts.depth(), stretch[1] - stretch[0])


def _level(facts: Facts, readout: Any) -> Estimate | None:
    """Mean pressure on an inlet: what the outlet is held at, and the drop in between."""
    if readout.kind != "mean" or readout.field != "pressure" or facts.told_medium():
        return None
    outlets = [e for e in facts.edges() if facts.kind(e, "flow") == "outflow"]
    if facts.through(readout.place or "") != "in" or len(outlets) != 1:
        return None
    drop = _drop_between(facts, readout.place, outlets[0])
    if drop is None:
        return None
    held = facts.values(outlets[0], "flow").get("pressure", 0.0)
    return replace(drop, value=drop.value + held)


def _fastest(facts: Facts, readout: Any) -> Estimate | None:
    """The middle of the narrowest section of a channel or pipe: 1.5 or 2 times the mean."""
    if readout.kind != "max" or readout.field != "speed":
        return None
    total, (x0, _, x1, _) = facts.inflow(), facts.size_box()
    if total <= 0 or facts.open_stream() or facts.repeats() or facts.filled() or facts.stirred():
        return None
    worst, single = 0.0, True
    for x in x0 + (np.arange(STRETCHES) + 0.5) * (x1 - x0) / STRETCHES:
        open_ = facts.wall_column(float(x))
        conductances = [_conductance(facts, s) for s in open_]
        single &= len(open_) == 1
        for stretch, own in zip(open_, conductances, strict=True):
            share = total * own / sum(conductances)
            pipe = facts.round() and stretch[0] <= 0
            worst = max(worst, (2.0 if pipe else 1.5) * share / facts.section(*stretch))
    return Estimate(worst, single, "developed flow in the narrowest section")


def _mass(facts: Facts, readout: Any) -> Estimate | None:
    """What enters leaves: mass through the only outlet, or through an inlet."""
    if readout.kind != "through" or readout.quantity != "mass" or facts.law("flow", "density"):
        return None
    place, density = readout.place or "", facts.settings("flow")["density"]
    outward = {"out": 1.0, "in": -1.0}[readout.counts]
    if facts.through(place) == "in":
        given = facts.stream(place)
        return None if given is None else Estimate(-outward * density * given)
    passing = [e for e in facts.edges() if facts.through(e) == "out"]
    if passing != [place] or facts.inflow() <= 0:
        return None
    return Estimate(outward * density * facts.inflow())


def _drag(facts: Facts, readout: Any) -> Estimate | None:
    """A round body across the stream: Sucker & Brauer on the mean speed of the section."""
    if readout.kind != "on" or readout.field != "force_x" or facts.round() or facts.filled():
        return None
    place, total = readout.place or "", facts.inflow()
    x0, y0, x1, y1 = facts.edge_bounds(place)
    size = y1 - y0
    if total <= 0 or facts.edge_is_straight(place) or abs(size / (x1 - x0) - 1) > ROUND:
        return None
    s, section = facts.settings("flow"), facts.size()[1] * facts.depth()
    speed = total / section
    number = reynolds(s["density"], speed, size, s["viscosity"])
    force = ducts.cylinder_drag(number) * ducts.stagnation(s["density"], speed)
    blocked = size / facts.size()[1]
    return Estimate(
        force * size * facts.depth(),
        blocked < 0.05,
        f"wide stream at its mean speed; here {100 * blocked:.0f} % is blocked",
    )


def _entrance(facts: Facts, readout: Any) -> Estimate | None:
    """Entrance length over the vessel's length."""
    inlet = _widest_inlet(facts)
    if (
        inlet is None
        or facts.stirred()
        or facts.open_stream()
        or facts.values(inlet, "flow").get("profile") == "developed"
    ):
        return None
    s, (bore, _, where) = facts.settings("flow"), bore_of(facts, inlet)
    speed = (facts.stream(inlet) or 0.0) / facts.edge_area(inlet)
    number = reynolds(s["density"], speed, bore, s["viscosity"])
    length = ducts.pipe_entrance(bore, number) if facts.round() else entrance_length(bore, number)
    share = length / max(facts.size())
    return Estimate(
        share,
        note=f"{length * 1e3:.3g} mm, {where}",
        verdict="developed on most of its length"
        if share < 0.3
        else "developing on most of its length",
    )


def _drop(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "difference" or readout.field != "pressure":
        return None
    return _drop_between(facts, readout.place, readout.to)


def _drop_between(facts: Facts, *ends: str) -> Estimate | None:
    """From one nozzle to another at a different x: the gaps in between, column by column."""
    if any(e not in facts.edges() for e in ends) or facts.inflow() <= 0 or facts.filled():
        return None
    if facts.stirred() or facts.through(ends[0]) != "in" or facts.through(ends[1]) != "out":
        return None
    a, b = (facts.edge_bounds(e) for e in ends)
    if a[0] != a[2] or b[0] != b[2] or a[0] == b[0]:
        return None
    x0, x1 = sorted((a[0], b[0]))
    step = (x1 - x0) / STRETCHES
    along = [facts.wall_column(float(x)) for x in x0 + (np.arange(STRETCHES) + 0.5) * step]
    if not all(along):
        return None
    columns = [[_conductance(facts, s) for s in open_] for open_ in along]
    widest = max((s for open_ in along for s in open_), key=lambda s: s[1] - s[0])
    settings, flow = facts.settings("flow"), facts.inflow()
    value = channel_drop(settings["viscosity"], flow, step, columns)
    gap = widest[1] - widest[0]
    number = reynolds(
        settings["density"], flow / facts.section(*widest), gap, settings["viscosity"]
    )
    inertia = number * gap / (x1 - x0)
    return Estimate(
        value, inside=inertia < 10.0, note="developed flow everywhere, no losses at steps and bends"
    )


PAPERS = (
    Paper(
        "Reynolds number",
        r"Re=\rho u h/\mu",
        "ratio of inertia to viscous forces",
        f"laminar to about {LAMINAR:.0f} between plates, {LAMINAR_PIPE:.0f} in pipes (common "
        "practice)",
        "number",
        _re,
        regime="Re",
    ),
    Paper("Passing time", r"t=V/Q", "mass balance", "any", "time", _stay, regime="V/Q"),
    Paper(
        "Poiseuille, column by column",
        r"\Delta p=\sum \mu\,Q\,\Delta x/\textstyle\sum K,\quad "
        r"K=\tfrac{b h^3}{12},\;\tfrac{\pi R^4}{8}",
        "Poiseuille between plates and in pipes; Shah & London 1978 (f Re = 24 and 16)",
        "developed laminar flow: Re h / L below 10",
        "pressure",
        _drop,
    ),
    Paper(
        "Poiseuille from the outlet's level",
        r"p_{in}=p_{out}+\sum \mu\,Q\,\Delta x/"
        r"\textstyle\sum K",
        "Poiseuille; Shah & London 1978",
        "developed laminar flow: Re h / L below 10",
        "pressure",
        _level,
    ),
    Paper(
        "Middle of a developed profile",
        r"u_{max}=\tfrac32\bar u,\;2\bar u",
        "Poiseuille between plates and in pipes",
        "developed laminar flow, one passage",
        "speed",
        _fastest,
    ),
    Paper(
        "Mass balance",
        r"\dot m=\rho Q",
        "what enters leaves",
        "constant density",
        "mass flow",
        _mass,
    ),
    Paper(
        "Cylinder across a stream",
        r"F=C_D(Re)\,\tfrac{\rho U^2}{2}\,d\,b",
        "Sucker & Brauer 1975, from memory",
        "Re 1e-4 to 2e5, less than 5 % blocked",
        "force",
        _drag,
    ),
    Paper(
        "Entrance length over length",
        r"L_e/L",
        "Shah & London 1978, from memory",
        "laminar",
        "number",
        _entrance,
        regime="Le/L",
    ),
)
