"""Surfaces where current passes from one conductor to another: in pores, and on walls."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import Problem
from underkettle.engine.contract.laws import beside
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.kinetics import Across, butler_volmer, linear
from underkettle.phenomena.charge.naming import BUTLER, RESISTS, ends
from underkettle.quantities import Place

Array = np.ndarray

LAWS = "balanced", "exchange", "temperature", "resistance"


class _Beside:
    """Cells beside walls that it stands on. row, column : each once; `mean` is what legs have there."""

    def __init__(self, row: Array, column: Array) -> None:
        cells, self.of = np.unique(np.stack([row, column]), axis=1, return_inverse=True)
        self.of = self.of.ravel()
        self.row, self.column = cells
        self.many = np.bincount(self.of, minlength=self.row.size)

    def mean(self, values: Array) -> Array:
        found = np.zeros(self.row.size)
        np.add.at(found, self.of, values)
        return found / np.maximum(self.many, 1)


class Surface:
    """One passage. into, out_of : the conductors, the latter None where it is on walls only.

    cells : where it is in pores, `area` (m2) how much of it there. legs : those of `into` behind
    which it stands on walls, `wall_area` (m2) how much of it.
    """

    def __init__(
        self,
        problem: Problem,
        name: str,
        settings: Mapping[str, Any],
        here: Mapping[str, Conductor],
    ) -> None:
        mesh = self.mesh = problem.mesh
        self.name, self.settings = name, settings["passages"][name]
        first, last = ends(settings, self.settings)
        self.into = here[last]
        self.out_of = here[first] if first else None
        self.law, self.capacity = str(self.settings["law"]), float(self.settings["capacity"])
        self.zones = {
            zone: given.values["area"]
            for zone, given in problem.zone_conditions(name).items()
            if given.has("area")
        }
        both = self.into.there & (self.out_of.there if self.out_of is not None else False)
        self.cells = np.zeros(both.shape, bool)
        for zone in self.zones:
            self.cells |= mesh.zone_cells(zone)[0]
        self.cells &= both
        legs, into = self.into.legs, self.into
        walls = {e: g for e, g in problem.edge_conditions(name).items() if g.has("share")}
        own = np.isin(legs.edge, [mesh.edge_index(e) for e in walls]) & into.coated
        self.legs = np.flatnonzero(own & into.there[legs.row, legs.column])
        self.beside = _Beside(legs.row[self.legs], legs.column[self.legs])
        self.shares = {mesh.edge_index(e): g.values["share"] for e, g in walls.items()}
        self.area = np.zeros(int(self.cells.sum()))
        self.wall_area = np.zeros(self.legs.size)
        laws = [*(self.settings.get(n) for n in LAWS), *self.zones.values(), *self.shares.values()]
        laws = [law for law in laws if hasattr(law, "at")]
        self.reads = frozenset().union(*(law.reads for law in laws))
        self.steady = all(law.steady for law in laws)
        self.values: dict[str, Any] = {}
        self.wall_values: dict[str, Any] = {}

    @property
    def reacts(self) -> bool:
        """Whether what passes it does not rise in a line."""
        return self.law == BUTLER

    def set_values(self, known: Mapping[str, Any], t: float) -> None:
        """Evaluate its laws at a time (s)."""
        if self.steady and self.values:
            return
        mesh, legs, mine = self.mesh, self.into.legs, self.legs
        here = mesh.place(t)
        area = np.zeros(self.cells.shape)
        for zone, law in self.zones.items():
            inside = mesh.zone_cells(zone)[0]
            area[inside] = np.broadcast_to(law.at(here, known), area.shape)[inside]
        self.area = (area * mesh.volume[0])[self.cells]
        spot = Place(x=legs.x[mine], y=legs.y[mine], t=t)
        near = beside(known, legs.row[mine], legs.column[mine])
        share = np.ones(mine.size)
        for edge, law in self.shares.items():
            own = legs.edge[mine] == edge
            share[own] = np.broadcast_to(law.at(spot, near), share.shape)[own]
        self.wall_area = share * legs.area[mine] * legs.facing[mine]
        for name in LAWS:
            law = self.settings.get(name)
            if law is None:
                continue
            cells = np.broadcast_to(law.at(here, known), self.cells.shape)
            self.values[name] = cells[self.cells]
            self.wall_values[name] = np.broadcast_to(law.at(spot, near), share.shape)

    def across(self, base: Array, per: float, on_walls: bool) -> Across:
        """What it lets pass. base : the voltage (V) that it charges from; per : s it does so in, 0 at
        rest.
        """
        values = self.wall_values if on_walls else self.values
        stores = self.capacity / per if per > 0 else 0.0
        return Across(self._kinetics(values), values["balanced"], stores, stores * base)

    def heat(self, pores: Array, walls: Array) -> Array:
        """W in every cell that reactions turn into heat: what passes times how far from balance,
        charging apart. pores, walls : voltages (V) across it.
        """
        found, legs = np.zeros(self.cells.shape), self.into.legs
        found[self.cells] = self.area * self._lost(pores, False)
        at = legs.row[self.legs], legs.column[self.legs]
        np.add.at(found, at, self.wall_area * self._lost(walls, True))
        return found

    def _lost(self, across: Array, on_walls: bool) -> Array:
        """W/m2."""
        plain = self.across(np.zeros(across.size), 0.0, on_walls)
        return np.asarray(plain.passes(across)[0] * (across - plain.balanced))

    def _kinetics(self, values: Mapping[str, Any]) -> Any:
        if self.law == BUTLER:
            return partial(
                butler_volmer,
                exchange=values["exchange"],
                anodic=float(self.settings["anodic"]),
                cathodic=float(self.settings["cathodic"]),
                temperature=values["temperature"],
            )
        return partial(linear, resistance=values["resistance"]) if self.law == RESISTS else None
