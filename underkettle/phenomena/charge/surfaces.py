"""Surfaces where current passes between conductors: in pores, on walls, and where zones meet."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from underkettle.engine.contract import Composition, Problem
from underkettle.engine.contract.laws import Number, beside
from underkettle.engine.mesh import Mesh
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.kinetics import Across, butler_volmer, linear, with_matter
from underkettle.phenomena.charge.meeting import Meeting
from underkettle.phenomena.charge.naming import BUTLER, FORMS, RESISTS, TAKES, between, ends
from underkettle.quantities import Place
from underkettle.quantities.constants import FARADAY, GAS

Array = np.ndarray

REFILLS = 0.2  # of what a film lets pass, by which next cells refill what a step takes (tried out)
FAINTEST = 1e-30  # of what an exchange current was told at
LAWS = "balanced", "exchange", "temperature", "resistance"


@dataclass(frozen=True)
class Held:
    """What a surface holds, which it goes on from in time: in pores, several things (n) each, of which
    the first is the one that is told; and on walls and where zones meet, V (m).
    """

    pores: tuple[Array, ...]
    walls: Array

    def toward(self, other: Held, share: float) -> Held:
        """So much of the way to another, or beyond it."""
        pores = zip(self.pores, other.pores, strict=True)
        walls = self.walls + share * (other.walls - self.walls)
        return Held(tuple(a + share * (b - a) for a, b in pores), walls)


class _Beside:
    """Cells beside walls that it stands on. row, column : each once; `mean` : of what walls have."""

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
    which it stands on walls; meets : faces where it stands between both; these come after the legs in
    all that is told of walls. at : their cells of `into`; wall_area (m2) : how much of it. PARTS : what
    it holds in pores.
    """

    PARTS: tuple[str, ...] = ("across",)

    def __init__(
        self,
        problem: Problem,
        name: str,
        settings: Mapping[str, Any],
        here: Mapping[str, Conductor],
    ) -> None:
        """settings : of the phenomenon."""
        mesh = self.mesh = problem.mesh
        self.name, self.settings = name, between(settings)[name]
        first, last = ends(settings, self.settings)
        self.into = here[last]
        self.out_of = here[first] if first else None
        self.law = str(self.settings.get("law") or "")
        self.capacity = float(self.settings.get("capacity") or 0.0)
        self.zones = {
            zone: given.values["area"] if given.has("area") else Number(1.0 / mesh.grid.depth)
            for zone, given in problem.zone_conditions(name).items()
            if given.kind in ("in pores", "over the sheet")
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
        self.shares = {mesh.edge_index(e): g.values["share"] for e, g in walls.items()}
        met = {p: g for p, g in problem.divide_conditions(name).items() if g.has("share")}
        self.meets = Meeting(mesh, met, self.out_of, self.into)
        self.met_shares = [g.values["share"] for g in met.values()]
        self.at = (
            np.concatenate([legs.row[self.legs], self.meets.second[0]]),
            np.concatenate([legs.column[self.legs], self.meets.second[1]]),
        )
        self.beside = _Beside(*self.at)
        self.area = np.zeros(int(self.cells.sum()))
        self.wall_area = np.zeros(self.at[0].size)
        laws = [*(self.settings.get(n) for n in LAWS), *self.zones.values()]
        laws += [*self.shares.values(), *self.met_shares]
        laws = [law for law in laws if hasattr(law, "at")]
        self.reads = frozenset().union(*(law.reads for law in laws))
        self.steady = all(law.steady for law in laws)
        self.values: dict[str, Any] = {}
        self.wall_values: dict[str, Any] = {}
        self.takes = str(self.settings.get(TAKES) or "")
        self.forms = {form: str(self.settings[form]) for form in FORMS if self.settings.get(form)}
        self.matter: dict[str, Any] = {}  # as much as there is of each form, and what brings it
        self.wall_matter: dict[str, Any] = {}
        self.pieces: Array | None = None  # of the whole outline, that each leg meets

    @property
    def reacts(self) -> bool:
        """Whether what passes it does not rise in a line."""
        return self.law == BUTLER

    @property
    def stores(self) -> bool:
        """Whether what it holds changes in time."""
        return self.capacity > 0

    @property
    def drifts(self) -> bool:
        """Whether it passes another current at the same voltage as what it holds changes."""
        return False

    def set_values(self, known: Mapping[str, Any], t: float) -> None:
        """Evaluate its laws at a time (s)."""
        if self.steady and self.values:
            return
        mesh, legs, mine, meets = self.mesh, self.into.legs, self.legs, self.meets
        here = mesh.place(t)
        area = np.zeros(self.cells.shape)
        for zone, law in self.zones.items():
            inside = mesh.zone_cells(zone)[0]
            area[inside] = np.broadcast_to(law.at(here, known), area.shape)[inside]
        self.area = (area * mesh.volume[0])[self.cells]
        spot = Place(
            x=np.concatenate([legs.x[mine], meets.x]),
            y=np.concatenate([legs.y[mine], meets.y]),
            t=t,
        )
        near = beside(known, *self.at)
        share = np.ones(self.wall_area.shape)
        edges = np.concatenate([legs.edge[mine], np.full(meets.area.size, -1)])
        places = np.concatenate([np.full(mine.size, -1), meets.place])
        for of, told in ((edges, self.shares), (places, dict(enumerate(self.met_shares)))):
            for place, law in told.items():
                own = of == place
                share[own] = np.broadcast_to(law.at(spot, near), share.shape)[own]
        self.wall_area = share * np.concatenate([legs.area[mine] * legs.facing[mine], meets.area])
        for name in LAWS:
            law = self.settings.get(name)
            if law is None:
                continue
            cells = np.broadcast_to(law.at(here, known), self.cells.shape)
            self.values[name] = cells[self.cells]
            self.wall_values[name] = np.broadcast_to(law.at(spot, near), share.shape)

    def set_matter(
        self, told: Composition | None, whole: Mesh, span: float, made: Mapping[str, Array]
    ) -> None:
        """Take over what there is of what it turns. whole : the mesh that films are told on. span : s
        that it is turned in, 0 at rest; made : mol/s that cells got of each when that was found. What
        a cell loses in that time counts as standing before the surface, so that what passes and what
        is left agree without swinging.
        """
        if not self.forms:
            return
        legs, mine, volume, at = self.into.legs, self.legs, self.mesh.volume[0], self.at
        films = told.films() if told is not None and told.films is not None and mine.size else None
        if self.pieces is None:
            self.pieces = _nearest(whole, self.mesh, legs, mine)
        plain = legs.area[mine] * legs.facing[mine]
        per = FARADAY * float(self.settings["electrons"])
        self.matter, self.wall_matter = {}, {}
        for form in FORMS:
            name, ref = self.forms.get(form, ""), float(self.settings[f"{form}_at"])
            k = told.names.index(name) if told is not None and name in told.names else -1
            if told is None or k < 0:
                for matter in (self.matter, self.wall_matter):
                    matter[form], matter[f"bring_{form}"] = 1.0, np.inf
                continue
            amounts = np.maximum(told.amounts[k], 0.0)
            moves = np.zeros(self.wall_area.size)  # m3/s; nothing stands before faces
            if films is not None:
                moves[: mine.size] = films[k, self.pieces] * plain
            lost = np.divide(span, volume, out=np.zeros(volume.shape), where=volume > 0)  # s/m3
            lost_walls = lost[at] / (1.0 + REFILLS * moves * lost[at])
            free = amounts - lost * made[name]
            free_walls = amounts[at] - lost_walls * made[name][at]
            self.matter[form], self.wall_matter[form] = free[self.cells] / ref, free_walls / ref
            self.matter[f"bring_{form}"] = _over(per * ref, self.area * lost[self.cells])
            comes = np.divide(1.0, moves, out=np.zeros(moves.size), where=moves > 0) + lost_walls
            self.wall_matter[f"bring_{form}"] = _over(per * ref, self.wall_area * comes)

    def turns(
        self, passing_pores: Array, passing_walls: Array
    ) -> Iterator[tuple[str, Array, Array]]:
        """Of each form by name: mol/s that cells get of it, and by how much that falls as there is more
        (m3/s), so that it is taken along its tangent. passing_* : voltages (V) across it.
        """
        for form, name in self.forms.items():
            per = FARADAY * float(self.settings["electrons"])
            at, sign = float(self.settings[f"{form}_at"]), 1.0 if form == "oxidised" else -1.0
            found = []
            for area, across, on_walls in (
                (self.area, passing_pores, False),
                (self.wall_area, passing_walls, True),
            ):
                i, by = self._turned(across, on_walls)
                found.append((sign * area * i / per, np.abs(area * by[form] / (per * at))))
            (made, falls), (on_wall, falling) = found
            yield name, self._in_cells(made, on_wall), self._in_cells(falls, falling)

    def _in_cells(self, pores: Array, walls: Array) -> Array:
        """In every cell, what it has in pores and on walls."""
        found = np.zeros(self.cells.shape)
        found[self.cells] = pores
        np.add.at(found, self.at, walls)
        return found

    def conducts(self) -> Array:
        """S of what stands before it on walls: of `into` behind legs, of both where they meet."""
        return np.concatenate([self.into.unknown.factor[self.legs], self.meets.ease()])

    def met(self, walls: Array) -> Array:
        """Of what is told of walls, what is of faces where both meet."""
        return walls[self.legs.size :]

    def stored(self, held: Held) -> Array:
        """mol of salt in every cell that its charge holds: half a mole for each of electrons, as ions
        of both signs come and go alike (a salt of two equal ions).
        """
        per = 0.5 * self.capacity / FARADAY
        return self._in_cells(
            per * self.area * np.abs(held.pores[0]), per * self.wall_area * np.abs(held.walls)
        )

    def _turned(self, across: Array, on_walls: bool) -> tuple[Array, dict[str, Array]]:
        """A/m2 by reaction, and what it rises by with as much of each form as it was told at."""
        values, matter = self._of(on_walls)
        balanced = values["balanced"]
        i, _, by_reduced, by_oxidised = with_matter(
            across - balanced, **self._told(values), **matter
        )
        return i, {"reduced": by_reduced, "oxidised": by_oxidised}

    def bounds(self, legs: Array) -> tuple[float, float]:
        """A that some of its legs on walls can pass at most as there is, out of the conductor (below
        nought) and into it; infinite where nothing has to come.
        """
        if self.law != BUTLER or not self.wall_matter:
            return -np.inf, np.inf
        found = []
        for form in FORMS:
            comes = self.wall_matter[form] * self.wall_matter[f"bring_{form}"]
            found.append(float((self.wall_area * comes)[: legs.size][legs].sum()))
        return -found[1], found[0]

    def _of(self, on_walls: bool) -> tuple[dict[str, Any], dict[str, Any]]:
        if on_walls:
            return self.wall_values, self.wall_matter
        return self.values, self.matter

    def start_held(self, start: Array) -> Held:
        """What it holds at the start. start : what places were told, in all cells of the mesh."""
        return Held((start[self.cells].copy(),), start[self.at].copy())

    def pores(self, base: Held, per: float, across: Array) -> tuple[Array, Array]:
        """A/m2 and S/m2 at voltages across it. base : what it goes on from; per : s it does so in, 0 at
        rest.
        """
        return self._across(base.pores[0], per, False).passes(across)

    def walls(
        self, base: Held, per: float, voltage: Array, before: Array
    ) -> tuple[Array, Array, Array]:
        """The same on walls behind resistances (ohm m2) at voltages over both, and those across it."""
        return self._across(base.walls, per, True).behind(voltage, before)

    def after(self, base: Held, per: float, i: Array, across: Array, on_walls: Array) -> Held:
        """What it holds then. i : A/m2 that passes in pores; across, on_walls : V."""
        return Held((across,), on_walls)

    def bends(self, held: Held, early: Held, base: Held, late: Held) -> float:
        """V by which two stages differ in where a step leads."""
        if not self.capacity > 0:
            return 0.0
        each = zip(*((*h.pores, h.walls) for h in (held, early, base, late)), strict=True)
        apart = [(late - base) - (early - held) for held, early, base, late in each]
        return max(float(np.abs(a).max(initial=0.0)) for a in apart)

    def refuse(self, held: Held) -> None:
        """Raises StepFailed where it cannot hold that."""

    def ease(self, held: Held, across: Array, omega: float, on_walls: bool) -> Array:
        """S/m2, complex, of a small swing (rad/s) about voltages (V)."""
        plain = self._across(np.zeros(across.size), 0.0, on_walls)
        return plain.passes(across)[1] + 1j * omega * self.capacity

    def heat_in(self, held: Held, across: Array, on_walls: Array, i: Array) -> Array:
        """W in every cell that reactions turn into heat: what passes times how far from balance,
        charging apart. across, on_walls : voltages (V) across it; i : A/m2 in pores.
        """
        return self._in_cells(
            self.area * self._lost(across, False), self.wall_area * self._lost(on_walls, True)
        )

    def _across(self, base: Array, per: float, on_walls: bool) -> Across:
        """What it lets pass. base : the voltage (V) that it charges from."""
        values, matter = self._of(on_walls)
        stores = self.capacity / per if per > 0 else 0.0
        rests = None
        if matter:
            both = float(self.settings["anodic"]) + float(self.settings["cathodic"])
            ratio = np.maximum(matter["oxidised"], FAINTEST) / np.maximum(
                matter["reduced"], FAINTEST
            )
            rests = values["balanced"] + GAS * values["temperature"] / (FARADAY * both) * np.log(
                ratio
            )
        kinetics = self._kinetics(values, matter)
        return Across(kinetics, values["balanced"], stores, stores * base, rests)

    def _lost(self, across: Array, on_walls: bool) -> Array:
        """W/m2."""
        plain = self._across(np.zeros(across.size), 0.0, on_walls)
        return np.asarray(plain.passes(across)[0] * (across - plain.balanced))

    def _told(self, values: Mapping[str, Any]) -> dict[str, Any]:
        return {
            "exchange": values["exchange"],
            "anodic": float(self.settings["anodic"]),
            "cathodic": float(self.settings["cathodic"]),
            "temperature": values["temperature"],
        }

    def _kinetics(self, values: Mapping[str, Any], matter: Mapping[str, Any]) -> Any:
        if self.law == BUTLER and matter:
            told = {**self._told(values), **matter}
            return lambda eta: with_matter(eta, **told)[:2]
        if self.law == BUTLER:
            return partial(butler_volmer, **self._told(values))
        return partial(linear, resistance=values["resistance"]) if self.law == RESISTS else None


def _over(top: float, under: Array) -> Array:
    """Infinite where nothing stands under it."""
    return np.divide(top, under, out=np.full(under.shape, np.inf), where=under > 0)


def _nearest(whole: Mesh, mesh: Mesh, legs: Any, mine: Array) -> Array:
    """The piece of the whole outline that lies nearest to where each leg meets its edge."""
    from scipy.spatial import cKDTree

    found = np.zeros(mine.size, int)
    for k, edge in enumerate(mesh.edges):
        own = np.flatnonzero(legs.edge[mine] == k)
        if own.size and edge in whole.edges:
            rows = whole.pieces.of(whole.edge_index(edge))
            at = np.stack([whole.pieces.x[rows], whole.pieces.y[rows]], axis=1)
            here = np.stack([legs.x[mine[own]], legs.y[mine[own]]], axis=1)
            found[own] = np.asarray(rows)[cKDTree(at).query(here)[1]]
    return found
