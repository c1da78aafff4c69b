"""Cells of a battery, so many on each area of two foils: a rest voltage over how far they are charged,
a resistance, and two more that each take time.

What passes a cell is i (A/m2) from the first conductor, where its negative electrode is, into the
second: it charges by -i at the voltage -across. See `underkettle.sums.pulses` for its circuit.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numba import njit

from underkettle.engine.contract import Problem, StepFailed
from underkettle.phenomena.charge.circuits import circuit_of
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.surfaces import Held, Surface
from underkettle.quantities.constants import GAS
from underkettle.sums.pulses import look_up_each

Array = np.ndarray

TURNS, CLOSE = 60, 1e-12  # of the search for what passes, and of the voltage it is found to
BEYOND = 1e-3  # of a level, by which one may be below nought or above one


@njit(cache=True)
def _passes(
    charging: Array,
    level: Array,
    fast: Array,
    slow: Array,
    worse: Array,
    rows: Array,
    per: float,
    charge: float,
    i: Array,
    slope: Array,
) -> None:
    """What charges (A/m2) cells at voltages (V) after `per` (s; at rest 0) from levels and delayed
    voltages, and by how much more per volt. worse : times that resistances are as large as in `rows`;
    i : begins with what passed before.
    """
    last = rows.shape[0] - 1
    for k in range(charging.size):
        found = i[k]
        for _ in range(TURNS):
            level_then = (level[k] + per * found / charge) * last
            n = min(max(int(np.floor(level_then)), 0), last - 1)
            along = level_then - n  # of a row of the table; beyond its ends the voltage goes on
            part = min(max(along, 0.0), 1.0)
            low, high = rows[n], rows[n + 1]
            rest = low[0] + along * (high[0] - low[0])
            r = low[1] + part * (high[1] - low[1])
            r1 = low[2] + part * (high[2] - low[2])
            r2 = low[4] + part * (high[4] - low[4])
            before, steep, turns = 0.0, 0.0, high[1] - low[1]
            if per > 0.0:
                a = per / (low[3] + part * (high[3] - low[3]))
                b = per / (low[5] + part * (high[5] - low[5]))
                before = fast[k] / (1.0 + a) + slow[k] / (1.0 + b)
                a, b = a / (1.0 + a), b / (1.0 + b)
                turns += (high[2] - low[2]) * a + (high[4] - low[4]) * b
                r1, r2 = r1 * a, r2 * b
                steep = max(high[0] - low[0], 0.0)
            r = (r + r1 + r2) * worse[k]
            off = charging[k] - (rest + before + r * found)
            steep += turns * worse[k] * found if 0.0 < along < 1.0 else 0.0
            eased = 1.0 / (r + max(steep, 0.0) * last * per / charge)
            found += off * eased
            slope[k] = eased
            if abs(off) <= CLOSE * (1.0 + abs(charging[k])):
                break
        i[k] = found


class Cells(Surface):
    """Cells in zones that the foils share. circuit : per area, ohm m2; charge : C/m2 of a full one.
    It holds its level (a share), two voltages that are delayed (V), and what charged it last (A/m2).
    """

    PARTS = "level", "fast", "slow", "charging"

    def __init__(
        self,
        problem: Problem,
        name: str,
        settings: Mapping[str, Any],
        here: Mapping[str, Conductor],
    ) -> None:
        super().__init__(problem, name, settings, here)
        own = self.settings
        self.charge = float(own["holds"])
        self.circuit = circuit_of(own)
        self.rows = self.circuit.rows
        self.hinders = float(own["activation"]) / GAS
        self.told_at = float(own["told_at"])
        self.turns_heat = float(own["entropic"])
        self.worse = np.ones(int(self.cells.sum()))

    @property
    def stores(self) -> bool:
        return True

    @property
    def drifts(self) -> bool:
        return True

    def set_values(self, known: Mapping[str, Any], t: float) -> None:
        super().set_values(known, t)
        warm = self.values["temperature"]
        self.worse = np.ascontiguousarray(
            np.exp(self.hinders * (1.0 / warm - 1.0 / self.told_at)) + 0.0 * self.area
        )

    def start_held(self, start: Array) -> Held:
        """start : levels in all cells of the mesh."""
        level = start[self.cells].copy()
        return Held((level, *(np.zeros(level.size) for _ in self.PARTS[1:])), np.zeros(0))

    def pores(self, base: Held, per: float, across: Array) -> tuple[Array, Array]:
        level, fast, slow, last = base.pores
        i, slope = last.copy(), np.zeros(across.size)
        _passes(-across, level, fast, slow, self.worse, self.rows, per, self.charge, i, slope)
        return -i, slope

    def after(self, base: Held, per: float, i: Array, across: Array, on_walls: Array) -> Held:
        charging = -i
        level = base.pores[0] + per * charging / self.charge
        found = [level]
        for k, (resists, delays) in enumerate(((2, 3), (4, 5)), 1):
            rest = self._row(level, resists) * self.worse * charging
            if per > 0:
                a = per / self._row(level, delays)
                found.append((base.pores[k] + a * rest) / (1.0 + a))
            else:
                found.append(rest)
        return Held((*found, charging), base.walls)

    def bends(self, held: Held, early: Held, base: Held, late: Held) -> float:
        volts = [self._volts(h) for h in (held, early, base, late)]
        return float(np.abs((volts[3] - volts[2]) - (volts[1] - volts[0])).max(initial=0.0))

    def _volts(self, held: Held) -> Array:
        level, fast, slow, _ = held.pores
        return np.asarray(self._row(level, 0) + fast + slow)

    def refuse(self, held: Held) -> None:
        """Raises StepFailed where cells are emptier than empty, or fuller than full."""
        level = held.pores[0]
        if not level.size:
            return
        for worst, is_so, words in (
            (int(level.argmin()), level.min() < -BEYOND, "it is empty, and current still drawn"),
            (int(level.argmax()), level.max() > 1 + BEYOND, "it is full, and still charged"),
        ):
            if is_so:
                j, i = np.argwhere(self.cells)[worst]
                raise StepFailed(
                    f"charge level of {self.name}",
                    self.mesh.grid.spot(int(j), int(i)),
                    f"{words}: let the stage end before, as by 'voltage < 3 V'",
                    is_final=True,
                )

    def heat_in(self, held: Held, across: Array, on_walls: Array, i: Array) -> Array:
        """W: what is lost between rest and what passes, and what turns with the temperature."""
        charging, level = -i, held.pores[0]
        lost = charging * (-across - self._row(level, 0))
        turned = charging * self.values["temperature"] * self.turns_heat
        found = np.zeros(self.cells.shape)
        found[self.cells] = self.area * (lost + turned)
        return found

    def ease(self, held: Held, across: Array, omega: float, on_walls: bool) -> Array:
        """S/m2, complex, of a small swing about a level."""
        if on_walls:
            return np.zeros(0, complex)
        level = held.pores[0]
        swing = 1j * omega
        z = self._row(level, 1).astype(complex)
        for resists, delays in ((2, 3), (4, 5)):
            z += self._row(level, resists) / (1.0 + swing * self._row(level, delays))
        slope = np.gradient(self.rows[:, 0], 1.0 / (len(self.rows) - 1))
        steep = np.interp(level, np.linspace(0.0, 1.0, len(self.rows)), slope)
        return np.asarray(1.0 / (z * self.worse + steep / (swing * self.charge)))

    def _row(self, level: Array, column: int) -> Array:
        """A column of its table at levels."""
        return np.asarray(look_up_each(self.rows, level, column))
