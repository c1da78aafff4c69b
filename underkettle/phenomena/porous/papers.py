"""Hand estimates for what porous matter holds back."""

from __future__ import annotations

from typing import Any

import numpy as np

from underkettle.engine.contract import Estimate, Facts, Paper
from underkettle.paper.flow import reynolds
from underkettle.phenomena.porous.audit import beds, resists, stream_speed

Array = np.ndarray
EVEN = 0.7  # narrowest over widest section, below which a stream cannot spread evenly


def _along(facts: Facts, ends: tuple[str, str]) -> int:
    """The axis along which one edge lies from another."""
    middles = [np.array(facts.edge_bounds(e)).reshape(2, 2).mean(axis=0) for e in ends]
    return int(np.argmax(np.abs(middles[1] - middles[0])))


def _drop(facts: Facts, readout: Any) -> Estimate | None:
    if readout.kind != "difference" or readout.field != "pressure":
        return None
    ends = readout.place, readout.to
    if any(e not in facts.edges() for e in ends):
        return None
    if facts.through(ends[0]) != "in" or facts.through(ends[1]) != "out":
        return None
    total = facts.inflow()
    medium = facts.medium()
    if total <= 0 or medium is None or not beds(facts):
        return None
    axis, mesh = _along(facts, ends), facts.mesh
    slow, fast = np.zeros(mesh.shape[1:]), np.zeros(mesh.shape[1:])
    for zone in beds(facts):
        found = resists(facts, zone)
        if found is None:
            return None
        inside = mesh.zone_cells(zone)[0]
        c2 = np.cos(found.turned) ** 2 if axis == 0 else np.sin(found.turned) ** 2
        for into, pair in ((slow, found.slow), (fast, found.fast)):
            into[inside] = c2 * pair[0] + (1 - c2) * pair[1]
    shut = np.zeros(mesh.shape[1:], bool)
    for zone in facts.zones():
        if facts.blocked(zone):
            shut |= mesh.zone_cells(zone)[0]
    open_ = np.where(shut, 0.0, mesh.volume[0])
    return _slices(facts, axis, open_, slow, fast, total, *medium)


def _slices(
    facts: Facts,
    axis: int,
    volume: Array,
    slow: Array,
    fast: Array,
    total: float,
    density: float,
    viscosity: float,
) -> Estimate | None:
    """Slice after slice across the vessel: what stands side by side shares the stream."""
    mesh = facts.mesh
    widths = mesh.grid.widths(axis)
    area = volume / (widths[None, :] if axis == 0 else widths[:, None])
    area, slow, fast = (a if axis == 0 else a.T for a in (area, slow, fast))
    value, passed, wide = 0.0, 0, []
    for k in range(1, widths.size - 2):
        open_ = area[:, k] > 0
        r, b, a = slow[open_, k], fast[open_, k], area[open_, k]
        if not a.size or (r == 0).any():
            continue  # what is open beside it takes nothing to pass
        gradient = viscosity * total / (a / r).sum()
        for _ in range(30):  # the gradient at which all speeds together pass the total
            root = np.sqrt((viscosity * r) ** 2 + 4 * density * b * gradient)
            speed = 2 * gradient / (viscosity * r + root)
            gradient *= float(total / (a * speed).sum())
        value, passed = value + gradient * float(widths[k]), passed + 1
        wide.append(float(a.sum()))
    if not passed or min(wide) < EVEN * max(wide):
        return None
    return Estimate(value, note="open stretches hold nothing back, and the stream spreads evenly")


def _pores(facts: Facts, readout: Any) -> Estimate | None:
    speed, medium = stream_speed(facts), facts.medium()
    if speed is None or medium is None:
        return None
    found = [r for r in (resists(facts, zone) for zone in beds(facts)) if r is not None]
    if not found:
        return None
    size = max(1 / np.sqrt(r.slow[0]) for r in found)
    return Estimate(
        reynolds(medium[0], speed, float(size), medium[1]),
        note=f"on {size * 1e3:.3g} mm, the root of the permeability",
    )


def _layer(facts: Facts, readout: Any) -> Estimate | None:
    """How far shear reaches into the most open matter, over the vessel's shorter side."""
    found = [r for r in (resists(facts, zone) for zone in beds(facts)) if r is not None]
    if not found or not facts.carried():
        return None
    reach = float(max(1 / np.sqrt(r.slow[0]) for r in found))
    return Estimate(
        reach / min(facts.size()),
        note=f"{reach * 1e3:.3g} mm; cells are {facts.cell_size() * 1e3:.3g} mm",
    )


PAPERS = (
    Paper(
        "Drop of what stands in the way",
        r"\Delta p=\sum(\mu/K+\rho B u)\,u\,\Delta x",
        "Darcy 1856, Forchheimer 1901, slice by slice",
        "even streams across beds",
        "pressure",
        _drop,
    ),
    Paper(
        "Pore Reynolds number",
        r"Re_K=\rho u\sqrt K/\mu",
        "inertia in pores; Ward 1964, from memory",
        "any",
        "number",
        _pores,
        regime="ReK",
        verdict=lambda v: (
            "Darcy's law holds" if v < 0.1 else "inertia counts" if v > 1 else "inertia begins"
        ),
    ),
    Paper(
        "Reach of shear",
        r"\sqrt K/h",
        "Brinkman 1949",
        "any",
        "number",
        _layer,
        regime="Da",
        verdict=lambda v: "shear stays at the faces" if v < 0.05 else "shear reaches inside",
    ),
)
