"""What takes the voltage of a hydrogen cell away, cause by cause.

Power leaves as the currents of both electrodes times their voltages, less what ionomer and solids
resist: for every point where current reacts, what its voltage lacks of that of balance with the gases
as they come is told apart into what the reaction itself takes there and what it takes for lack of gas.
What is told adds up to the voltage of balance exactly.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from underkettle.phenomena.hydrogen_cell import matter
from underkettle.phenomena.hydrogen_cell.naming import AIR, FUEL, LOST, PROTON, SOLID
from underkettle.phenomena.hydrogen_cell.system import Passing, System

Array = np.ndarray

TURNS = 60
FAINTEST = 1e-9  # of what reacts, below which no current is drawn


@dataclass(frozen=True)
class Losses:
    """V: between the edges, of balance with gases as they come, and what each cause takes."""

    voltage: float
    reversible: float
    by: dict[str, float]


def supplied(system: System) -> tuple[tuple[float, float], tuple[float, float]]:
    """Shares of the first gas and of vapour that are brought to either side, on average."""
    told, ends = system.told, system.layout.gas_ends
    assert told is not None
    found = []
    for side in (FUEL, AIR):
        mine = {e for e in (*told.fed, *told.here) if system.layout.brings(e) == side}
        brought = [told.fed[e] for e in sorted(mine) if e in told.fed]
        if not brought:  # as much as is wanted, by how wide edges are
            brought = [
                (float(ends.area[ends.edge == e].sum()), *told.here[e]) for e in sorted(mine)
            ]
        amounts, first, vapour = np.array(brought).reshape(-1, 3).T
        shares = amounts / amounts.sum()
        found.append((float(shares @ first), float(shares @ vapour)))
    return found[0], found[1]


def losses(system: System, u: Array, beyond: Array, passing: Passing) -> Losses:
    """u : unknowns by field and cell. beyond : V that solids meet at edges."""
    layout, told = system.layout, system.told
    assert told is not None
    ends, feeds = layout.solid_ends, supplied(system)
    fuel, air = (np.flatnonzero(own) for own in layout.catalyst)
    reacts = passing.reacts[FUEL][fuel], (passing.reacts[AIR] - passing.burns)[air]
    current = float(reacts[FUEL].sum())
    moved = float(np.abs(passing.reacts[AIR]).sum()) + float(np.abs(reacts[FUEL]).sum())
    flows = abs(current) > FAINTEST * moved and moved > 0
    by = dict.fromkeys(LOST, 0.0)
    # what both electrodes are at, weighed by what reacts
    balance = []
    for which, cells, through in ((FUEL, fuel, reacts[0]), (AIR, air, reacts[1])):
        weights = through if flows else layout.volume[cells]
        weights = weights / weights.sum()
        t, first = told.temperature[cells], feeds[which][0] * system.over_standard
        over = u[SOLID][cells] - u[PROTON][cells]
        if which == AIR:
            activity = system.activity(feeds[AIR][1], cells)
            rests = system.balanced[cells] + matter.of_air(first, activity, t)
        else:
            rests = matter.of_fuel(first, t)
        alone = _as_supplied(system, which, cells, passing.reacts[which][cells], feeds[which])
        sign = 1.0 if which == FUEL else -1.0
        name = "hydrogen" if which == FUEL else "oxygen"
        by[name] = float((weights * sign * (alone - rests)).sum())
        by["supply"] += float((weights * sign * (over - alone)).sum())
        balance.append(float((weights * rests).sum()))
    reversible = balance[AIR] - balance[FUEL]
    if flows:
        f = layout.wet_faces
        heat = passing.protons * (u[PROTON][f.a] - u[PROTON][f.b])
        by["protons"] = float(heat.sum()) / current
        s = layout.solid_faces
        heat = passing.solid * (u[SOLID][s.a] - u[SOLID][s.b])
        at_ends = passing.ends * (beyond - u[SOLID][ends.cell])
        by["electrons"] = float(heat.sum() + at_ends.sum()) / current
    voltage = reversible - sum(by.values())
    return Losses(voltage, reversible, by)


def _as_supplied(
    system: System, which: int, cells: Array, current: Array, supply: tuple[float, float]
) -> Array:
    """V of the solid over the ionomer at which as much would react with gases as they are brought:
    halving, as either way rises with the voltage.
    """
    told, layout = system.told, system.layout
    assert told is not None
    t, volume = told.temperature[cells], layout.volume[cells]
    exchange, first = layout.exchange[cells], supply[0] * system.over_standard
    middle = system.balanced[cells] if which == AIR else np.zeros(cells.size)
    low, high = middle - 3.0, middle + 3.0
    for _ in range(TURNS):
        at = 0.5 * (low + high)
        if which == AIR:
            activity = system.activity(supply[1], cells)
            found = -matter.air_reacts(at - middle, first, activity, t, exchange, **system.laws.air)
            wanted = -current / volume
        else:
            found = matter.fuel_reacts(at, first, t, exchange, **system.laws.fuel)
            wanted = current / volume
        more = found < wanted
        low, high = np.where(more, at, low), np.where(more, high, at)
    return np.asarray(0.5 * (low + high))
