"""Hand estimates for flow."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Paper
from underkettle.paper.flow import (
    channel_drop,
    passing_time,
    plane_conductance,
    reynolds,
    round_conductance,
)
from underkettle.phenomena.flow.audit import LAMINAR, LAMINAR_PIPE, bore_of, inflow_total

STRETCHES = 400


def _widest_inlet(facts: Any) -> str | None:
    inlets = [e for e in facts.edges() if facts.kind(e, "flow") == "inflow"]
    return max(inlets, key=facts.edge_length) if inlets else None


def _re(facts: Any, readout: Any) -> Estimate | None:
    inlet = _widest_inlet(facts)
    if inlet is None:
        return None
    settings, (bore, limit, where) = facts.settings("flow"), bore_of(facts, inlet)
    speed = (facts.stream(inlet) or 0.0) / facts.edge_area(inlet)
    number = reynolds(settings["density"], speed, bore, settings["viscosity"])
    return Estimate(number, note=f"on {bore * 1e3:.4g} mm, {where}",
                    verdict="laminar" if number < limit else "above the laminar range")


def _stay(facts: Any, readout: Any) -> Estimate | None:
    total = inflow_total(facts)
    return Estimate(passing_time(facts.stream_volume(), total)) if total > 0 else None


def _drop(facts: Any, readout: Any) -> Estimate | None:
    """Between two nozzles at different x: the gaps in between, column by column."""
    if readout.kind != "difference" or readout.field != "pressure":
        return None
    ends = (readout.place, readout.to)
    if any(e not in facts.edges() for e in ends) or inflow_total(facts) <= 0:
        return None
    if facts.through(ends[0]) != "in" or facts.through(ends[1]) != "out":
        return None
    a, b = (facts.edge_bounds(e) for e in ends)
    if a[0] != a[2] or b[0] != b[2] or a[0] == b[0]:
        return None
    x0, x1 = sorted((a[0], b[0]))
    step = (x1 - x0) / STRETCHES
    columns, widest = [], (0.0, 0.0)
    for x in x0 + (np.arange(STRETCHES) + 0.5) * step:
        open_ = facts.wall_column(float(x))
        if not open_:
            return None
        columns.append([round_conductance(*s) if facts.round()
                        else plane_conductance(facts.depth(), s[1] - s[0]) for s in open_])
        widest = max(widest, *open_, key=lambda s: s[1] - s[0])
    settings, flow = facts.settings("flow"), inflow_total(facts)
    value = channel_drop(settings["viscosity"], flow, step, columns)
    gap = widest[1] - widest[0]
    number = reynolds(settings["density"], flow / facts.section(*widest), gap,
                      settings["viscosity"])
    inertia = number * gap / (x1 - x0)
    return Estimate(value, inside=inertia < 10.0,
                    note="developed flow everywhere, no losses at steps and bends")


PAPERS = (
    Paper("Reynolds number", r"Re=\rho u h/\mu", "ratio of inertia to viscous forces",
          f"laminar to about {LAMINAR:.0f} between plates, {LAMINAR_PIPE:.0f} in pipes (common "
          "practice)", "number", _re,
          regime="Re"),
    Paper("Passing time", r"t=V/Q", "mass balance", "any", "time", _stay, regime="V/Q"),
    Paper("Poiseuille, column by column", r"\Delta p=\sum \mu\,Q\,\Delta x/\textstyle\sum K,\quad"
          r"K=\tfrac{b h^3}{12},\;\tfrac{\pi R^4}{8}",
          "Poiseuille between plates and in pipes; Shah & London 1978 (f Re = 24 and 16)",
          "developed laminar flow: Re h / L below 10", "pressure", _drop),
)
