"""A hydrogen cell as one system of equations, and Newton's method over it.

Unknowns of cells are, where they are there: the potential of the solid (V), that of protons (V), the
share of hydrogen on the fuel's side, in the membrane too, and of oxygen on the air's, the share of
vapour, the pressure over that of the outlets (Pa), the water per site of ionomer, and where liquid
stays in pores the share of them that it fills; then the potential of every edge that current is drawn
from. Each equation is what its unknown gains.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.linalg import splu

from underkettle.engine.contract import StepFailed
from underkettle.engine.linear.tied import Tied, factor_even
from underkettle.phenomena.hydrogen_cell import matter
from underkettle.phenomena.hydrogen_cell.layout import Ends, Layout
from underkettle.phenomena.hydrogen_cell.naming import (
    AIR,
    FIRST,
    FUEL,
    LIQUID,
    PRESSURE,
    PROTON,
    SIDES,
    SOLID,
    UNKNOWN,
    VAPOUR,
    WATER,
)
from underkettle.phenomena.hydrogen_cell.touching import Faces, between
from underkettle.quantities.constants import FARADAY, GAS

Array = np.ndarray
Fields = tuple[int, ...]
Spots = list[tuple[int, Array]]  # fields, and cells
Amounts = tuple[Array, ...]
Law = Callable[..., Amounts]
Slopes = list[tuple[Array, Amounts]]

FIELDS = len(UNKNOWN)
GASES: Fields = FIRST, VAPOUR, PRESSURE
_PER = 1.0 / FARADAY
# what an ampere that reacts at either catalyst brings, and what a mole does that ionomer takes up
GAINED: tuple[Mapping[int, float], ...] = (
    {SOLID: -1.0, PROTON: 1.0, FIRST: -0.5 * _PER, PRESSURE: -0.5 * _PER},
    {SOLID: 1.0, PROTON: -1.0, FIRST: -0.25 * _PER, VAPOUR: 0.5 * _PER, PRESSURE: 0.25 * _PER},
)
TAKEN: Mapping[int, float] = {VAPOUR: -1.0, PRESSURE: -1.0, WATER: 1.0}
LOST: Mapping[int, float] = {VAPOUR: -1.0, PRESSURE: -1.0, LIQUID: 1.0}
TINY = 1e-30  # of the imaginary part by which slopes are found
MOST = 60  # turns of Newton's method
HALVINGS = 6
LEAP, WETTER, LEFT = 0.08, 3.0, 0.1  # V, water per site, share of a share: most and least of a turn
DRIEST, WETTEST = 0.3, 24.0
FILLS, FULLEST = 0.1, 0.95  # share of pores that a turn fills at most, and that liquid does
NOT_OPEN = 0.0, 0.0  # shares beyond edges that nothing comes in by
NO_STREAM, NO_CROSSING = 1e-14, 1e-9  # mol/s, A/m2: as good as none
FAR = 50.0  # of a turn, in the measure below, beyond which only its bounds hold it
SETTLED = 1e-9  # of that measure
NEAR = 1.0  # of it, from which factors may serve again
QUICK = 0.1  # what factors have to take a change down to, or they are made anew
ROUNDING = 1e-4  # of it, below which what no longer falls is what rounding leaves
LIKE = (0.03, 0.03, 0.05, 0.05, np.inf, 5.0, 0.2)  # what a change of each unknown is measured by


@dataclass
class Told:
    """What laws and edges say at one time. temperature (K), conducts of solids (S/m): in cells.

    ends : potential (V) at edges that are held, and current (A) drawn out of edges, by number. fed :
    mol/s and shares (first, vapour) of each edge. here : shares at edges where gas stands.
    """

    temperature: Array
    pressure: float
    held: dict[int, float] = field(default_factory=dict)
    drawn: dict[int, float] = field(default_factory=dict)
    contact: dict[int, float] = field(default_factory=dict)  # ohm m2
    fed: dict[int, tuple[float, float, float]] = field(default_factory=dict)
    here: dict[int, tuple[float, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Laws:
    """How both electrodes react, how fast ionomer takes up water and vapour condenses (1/s), how many
    sites there are (mol/m3), what hydrogen at 1 bar comes to through the membrane (A/m2).
    """

    air: Mapping[str, float]
    fuel: Mapping[str, float]
    takes_up: float
    condenses: float
    sites: float
    crossover: float
    fills: bool = False  # whether liquid stays in pores until it has crept to a channel
    repels: float = 0.34  # cosine of how little it wets them


@dataclass
class Passing:
    """What passes: A of solids and protons and mol/s of gas in all through faces, from a to b; in
    cells, current (A) that reacts at each catalyst, water (mol/s) that condenses, hydrogen that burns
    (A); at edges, A into solids and mol/s of each gas and of all out of the sheet.
    """

    solid: Array
    protons: Array
    total: Array
    reacts: tuple[Array, Array]
    condenses: Array
    burns: Array
    ends: Array
    leaves: Amounts


@dataclass(frozen=True)
class Pairs:
    """m2/s of gases in each other, freely, whatever there is of each: of the first in vapour and in
    nitrogen, of vapour in nitrogen.
    """

    first_wet: Array
    first_dry: Array
    vapour_dry: Array

    @classmethod
    def of(cls, is_fuel: Array, temperature: Array, pressure: float) -> Pairs:
        """Where gas is fuel, and where it is air."""

        def both(other: str) -> Array:
            two = (matter.spreads(one, other, temperature, pressure) for one in ("H2", "O2"))
            return np.where(is_fuel, *two)

        return cls(both("H2O"), both("N2"), matter.spreads("H2O", "N2", temperature, pressure))

    def spread(self, first: Array, vapour: Array) -> tuple[Array, Array]:
        """m2/s of the first gas and of vapour, where there is so much of each."""
        rest = 1.0 - first - vapour
        return (
            matter.mixed(vapour, rest, self.first_wet, self.first_dry),
            matter.mixed(first, rest, self.first_wet, self.vapour_dry),
        )


class System:
    """Everything about one sheet; `tell` first, then `solve`."""

    def __init__(self, layout: Layout, laws: Laws) -> None:
        self.layout, self.laws, self.size = layout, laws, layout.size
        cells, side = layout.size, layout.side
        there = np.zeros((FIELDS, cells), bool)
        gas = layout.gas & (side >= 0)
        there[SOLID], there[PROTON] = layout.solid_there, layout.ionomer
        there[FIRST] = gas | layout.is_membrane
        there[VAPOUR] = there[PRESSURE] = gas
        there[WATER] = layout.ionomer
        there[LIQUID] = gas & ~layout.is_channel & laws.fills
        self.there = there
        self.index = np.full((FIELDS, cells), -1)
        self.own = int(there.sum())  # unknowns of cells
        self.index[there] = np.arange(self.own)
        self.terminals = [int(e) for e in np.unique(layout.solid_ends.edge)]
        self.told: Told | None = None
        f = layout.gas_faces
        self.gas_faces = f.only((side[f.a] >= 0) & (side[f.a] == side[f.b]))
        f = layout.wet_faces
        f = self.gas_faces
        wet = there[LIQUID]
        self.seeping = f.only(wet[f.a] & wet[f.b])
        self.drains = f.where(wet, layout.is_channel)  # from pores to channels
        f = layout.wet_faces
        self.inner = f.only(layout.is_membrane[f.a] & layout.is_membrane[f.b])
        self.turns = 0
        self.off = 0.0  # what the last change was, by the measure of `measure`
        self._refuse_loose()

    def _refuse_loose(self) -> None:
        """Raises StepFailed where an electrode or a gas is joined to nothing."""
        layout = self.layout
        for side, words in enumerate(SIDES):
            if not (layout.electrode[layout.solid_ends.cell] == side).any():
                raise StepFailed(
                    "current",
                    f"the solid of the {words} catalyst",
                    "no edge that it reaches is held or draws a current",
                    is_final=True,
                )
            if not (layout.side[layout.gas_ends.cell] == side).any():
                raise StepFailed(
                    "gas",
                    f"the side of the {words} catalyst",
                    "it reaches no edge where gas leaves or stands, so that its pressure is fixed "
                    "nowhere",
                    is_final=True,
                )

    # ------------------------------------------------------------ what does not change in a solve

    def tell(self, told: Told) -> None:
        """Take over what laws and edges say."""
        layout, laws, t = self.layout, self.laws, told.temperature
        self.told = told
        self.floating = [e for e in self.terminals if e in told.drawn]
        self.count = self.own + len(self.floating)
        self.far = {e: self.own + n for n, e in enumerate(self.floating)}
        self.concentration = told.pressure / (GAS * t)
        self.vapour_full = matter.saturation(t) / told.pressure  # share of vapour when saturated
        self.over_standard = told.pressure / matter.STANDARD
        self.balanced = matter.balanced(t)
        ends = layout.solid_ends
        bare = ends.of * layout.solid[ends.cell]
        self.end_far = np.array([self.far.get(int(e), -1) for e in ends.edge], int)
        self.held = np.array([0.0 if int(e) in self.far else told.held[int(e)] for e in ends.edge])
        film = np.array([told.contact.get(int(e), 0.0) for e in ends.edge])
        self.end_links = 1.0 / (1.0 / np.maximum(bare, 1e-300) + film / ends.area)
        link = layout.solid_faces.link(layout.solid)
        self.solid_links = link / (1.0 + link * layout.contacts)
        side, f, e = layout.side, self.gas_faces, layout.gas_ends
        p = told.pressure
        self.among = Pairs.of(side[f.a] == FUEL, 0.5 * (t[f.a] + t[f.b]), p)
        self.among_ends = Pairs.of(side[e.cell] == FUEL, t[e.cell], p)
        shares = np.array([told.here.get(int(k), NOT_OPEN) for k in e.edge]).reshape(-1, 2)
        self.outside = *shares.T, np.array([int(k) in told.here for k in e.edge], bool)
        self.fed = self._feeds()
        thin = np.select(
            [side == FUEL, side == AIR], [matter.viscosity(s, t) for s in (FUEL, AIR)], 1.0
        )
        self.flows = layout.eases * self.concentration / thin  # mol/(s m Pa)
        # Pa that liquid is under for each unit of Leverett's function, and mol/(s m Pa) that seep
        firm = np.sqrt(layout.open / np.maximum(layout.eases, 1e-300))
        self.pressed = matter.TENSION * laws.repels * firm
        self.seeps = layout.eases * matter.HEAVY / matter.MOLE / matter.THICKNESS
        # A/m2 at 1 bar through the membrane as it is drawn -> mol/(s m) per share of hydrogen
        lets = (
            max(laws.crossover, NO_CROSSING) * layout.thick / (2.0 * FARADAY) * told.pressure / 1e5
        )
        self.cross_inner = self.inner.link(np.full(self.size, lets))
        self.cross_fuel = layout.fuel_skin.of_a * lets
        self.cross_air = layout.air_skin.of_a * lets
        self.fixed = self._fixed()

    def _fixed(self) -> sparse.csc_array:
        """What unknowns gain by what does not bend: solids, edges, hydrogen in the membrane."""
        layout, found = self.layout, Tied(self.count)
        f, ends = layout.solid_faces, layout.solid_ends
        found.tie(self.index[SOLID][f.a], self.index[SOLID][f.b], self.solid_links)
        found.tie(self.index[SOLID][ends.cell], self.end_far, self.end_links)
        first, skin = self.index[FIRST], layout.fuel_skin
        found.tie(first[self.inner.a], first[self.inner.b], self.cross_inner)
        found.tie(first[skin.a], first[skin.b], self.cross_fuel)
        pressure = self.index[PRESSURE][skin.b]  # what goes is part of all that there is
        found.put(pressure, first[skin.a], -self.cross_fuel)
        found.put(pressure, first[skin.b], self.cross_fuel)
        skin = layout.air_skin
        burns = 2.0 * FARADAY * self.cross_air
        found.hold(first[skin.a], self.cross_air)
        found.put(self.index[SOLID][skin.b], first[skin.a], burns)
        found.put(self.index[PROTON][skin.b], first[skin.a], -burns)
        return sparse.csc_array(-found.matrix())

    # ------------------------------------------------------------ laws of faces and cells

    def _gas(self, *u: Array) -> tuple[Array, Array, Array]:
        """mol/s of the first gas, of vapour and of all, from a to b. u : of a, then of b."""
        faces = self.gas_faces
        first_a, vapour_a, high, wet_a, first_b, vapour_b, low, wet_b = u
        stream = (high - low) * between(
            faces.of_a * self.flows[faces.a] * (1.0 - wet_a) ** 3,
            faces.of_b * self.flows[faces.b] * (1.0 - wet_b) ** 3,
        )
        first, vapour = 0.5 * (first_a + first_b), 0.5 * (vapour_a + vapour_b)
        spread = self.among.spread(first, vapour)
        c = self.concentration * self.layout.through
        link = between(
            faces.of_a * c[faces.a] * (1.0 - wet_a) ** 1.5,
            faces.of_b * c[faces.b] * (1.0 - wet_b) ** 1.5,
        )
        one = matter.passes(first_a, first_b, stream, link * spread[0])
        two = matter.passes(vapour_a, vapour_b, stream, link * spread[1])
        return one, two, stream

    def _wet(self, faces: Faces, *u: Array) -> tuple[Array, Array]:
        """A of protons, and mol/s of water in ionomer."""
        high, water_a, low, water_b = u
        layout, t = self.layout, self.told.temperature  # type: ignore[union-attr]
        conducts = [
            of * layout.protons[k] * matter.membrane_conducts(w, t[k])
            for of, k, w in ((faces.of_a, faces.a, water_a), (faces.of_b, faces.b, water_b))
        ]
        protons = between(*conducts) * (high - low)
        spreads = [
            of * layout.protons[k] * self.laws.sites * matter.water_spreads(w, t[k])
            for of, k, w in ((faces.of_a, faces.a, water_a), (faces.of_b, faces.b, water_b))
        ]
        dragged = matter.DRAG * 0.5 * (water_a + water_b) * protons / FARADAY
        return protons, between(*spreads) * (water_a - water_b) + dragged

    def activity(self, vapour: Any, cells: Array) -> Any:
        return vapour / self.vapour_full[cells]

    def _react(self, which: int, cells: Array, *u: Array) -> tuple[Array, Array]:
        """A in each cell of a catalyst, and mol/s of water that its ionomer takes up."""
        solid, proton, first, vapour, water, liquid = u
        layout, t = self.layout, self.told.temperature[cells]  # type: ignore[union-attr]
        exchange, volume = layout.exchange[cells] * (1.0 - liquid), layout.volume[cells]
        activity, over = self.activity(vapour, cells), solid - proton
        if which == FUEL:
            current = matter.fuel_reacts(
                over, first * self.over_standard, t, exchange, **self.laws.fuel
            )
        else:
            current = matter.air_reacts(
                over - self.balanced[cells],
                first * self.over_standard,
                activity,
                t,
                exchange,
                **self.laws.air,
            )
        room = self.laws.takes_up * self.laws.sites * layout.share[cells]
        return current * volume, room * (matter.sorbed(activity) - water) * volume

    def _seep(self, faces: Faces, wet_a: Array, wet_b: Array) -> tuple[Array]:
        """mol/s of liquid that creeps from pores to pores, from where it is pressed more."""
        fall = self.pressed[faces.a] * matter.leverett(wet_a) - self.pressed[
            faces.b
        ] * matter.leverett(wet_b)
        from_ = np.where(np.real(fall) > 0, wet_a, wet_b)
        return (faces.link(self.seeps) * matter.eased(from_) * fall,)

    def _drain(self, liquid: Array) -> tuple[Array]:
        """mol/s of liquid that creeps out of pores into channels, which carry it off."""
        f = self.drains
        pressed = self.pressed[f.a] * matter.leverett(liquid)
        return (f.of_a * self.seeps[f.a] * matter.eased(liquid) * pressed,)

    def _condense(self, cells: Array, vapour: Array, liquid: Array) -> tuple[Array]:
        """mol/s of vapour that becomes liquid in cells."""
        more = matter.beyond(vapour, self.vapour_full[cells], liquid)
        made = self.laws.condenses * self.concentration[cells] * more
        return (made * self.layout.open[cells] * self.layout.volume[cells],)

    # ------------------------------------------------------------ what passes

    def look(self, x: Array, sloped: bool = True) -> tuple[Array, sparse.csc_array | None, Passing]:
        """What each unknown gains at x, how that rises, and what passes."""
        u, layout, told = self.unfold(x), self.layout, self.told
        assert told is not None
        gains = _Gains(self.index, np.asarray(self.fixed @ x), sloped)
        ends, beyond = layout.solid_ends, self.beyond(x)
        np.add.at(gains.left, self.index[SOLID][ends.cell], self.end_links * self.held)
        for edge, row in self.far.items():
            gains.left[row] -= told.drawn[edge]
        faces, names = self.gas_faces, GASES
        *_, total = gains.across(faces, (*names, LIQUID), names, u, self._gas)
        leaves = gains.out(layout.gas_ends.cell, names, u, self._leave)
        for amount, what in zip(self.fed, names, strict=True):
            np.add.at(gains.left, self.index[what][layout.fed_ends.cell], amount)
        wet_faces, wet = layout.wet_faces, (PROTON, WATER)
        protons, _ = gains.across(wet_faces, wet, wet, u, lambda *v: self._wet(wet_faces, *v))
        reacts = []
        for which, gained in enumerate(GAINED):
            cells = np.flatnonzero(layout.catalyst[which])
            current, _ = gains.within(
                cells,
                (SOLID, PROTON, FIRST, VAPOUR, WATER, LIQUID),
                (gained, TAKEN),
                u,
                lambda *v, which=which, cells=cells: self._react(which, cells, *v),
            )
            here = np.zeros(self.size)
            here[cells] = current
            reacts.append(here)
        cells, condenses = np.flatnonzero(self.there[VAPOUR]), np.zeros(self.size)
        (condenses[cells],) = gains.within(
            cells,
            (VAPOUR, LIQUID),
            (LOST,),
            u,
            lambda vapour, liquid, cells=cells: self._condense(cells, vapour, liquid),
        )
        if self.laws.fills:
            seeping = self.seeping
            gains.across(seeping, (LIQUID,), (LIQUID,), u, lambda *v: self._seep(seeping, *v))
            gains.out(self.drains.a, (LIQUID,), u, self._drain)
        skin, burns = layout.air_skin, np.zeros(self.size)
        np.add.at(burns, skin.b, 2.0 * FARADAY * self.cross_air * u[FIRST][skin.a])
        s = layout.solid_faces
        passing = Passing(
            self.solid_links * (u[SOLID][s.a] - u[SOLID][s.b]),
            protons,
            total,
            (reacts[FUEL], reacts[AIR]),
            condenses,
            burns,
            self.end_links * (beyond - u[SOLID][ends.cell]),
            leaves,
        )
        matrix = sparse.csc_array(self.fixed + gains.entries.matrix()) if sloped else None
        return gains.left, matrix, passing

    def beyond(self, x: Array) -> Array:
        """V that solids meet at edges."""
        return np.where(self.end_far >= 0, x[self.end_far], self.held)

    def _leave(self, one: Array, two: Array, pressure: Array) -> tuple[Array, Array, Array]:
        """mol/s that leave through edges, of the first gas, of vapour and of all."""
        e = self.layout.gas_ends
        first, vapour, open_to = self.outside
        stream = e.of * self.flows[e.cell] * pressure
        spreads = e.of * (self.concentration * self.layout.through)[e.cell]
        beside = 0.5 * (one + first), 0.5 * (two + vapour)
        freely = self.among_ends.spread(*beside)
        held = [
            matter.passes(here, there, stream, spreads * free)
            for here, there, free in zip((one, two), (first, vapour), freely, strict=True)
        ]
        out = 0.5 * (stream + np.sqrt(stream**2 + NO_STREAM**2))  # what comes back is neither
        return (
            np.where(open_to, held[0], out * one),
            np.where(open_to, held[1], out * two),
            stream,
        )

    def _feeds(self) -> tuple[Array, Array, Array]:
        """mol/s that edges bring, of the first gas, of vapour and of all."""
        assert self.told is not None
        e: Ends = self.layout.fed_ends
        all_, first, vapour = np.zeros(e.cell.size), np.zeros(e.cell.size), np.zeros(e.cell.size)
        for edge, (amount, one, two) in self.told.fed.items():
            mine = e.edge == edge
            all_[mine] = amount * e.area[mine] / e.area[mine].sum()
            first[mine], vapour[mine] = one * all_[mine], two * all_[mine]
        return first, vapour, all_

    def streaming(self) -> Array:
        """Pressures (Pa) in cells of gases as they are fed, where nothing reacts."""
        f, e, index = self.gas_faces, self.layout.gas_ends, np.full(self.size, -1)
        cells = np.flatnonzero(self.there[PRESSURE])
        index[cells] = np.arange(cells.size)
        tied, fed = Tied(cells.size), np.zeros(cells.size)
        tied.tie(index[f.a], index[f.b], f.link(self.flows))
        tied.hold(index[e.cell], e.of * self.flows[e.cell])
        np.add.at(fed, index[self.layout.fed_ends.cell], self.fed[2])
        found = np.zeros(self.size)
        found[cells] = factor_even(tied.matrix()).solve(fed)
        return found

    # ------------------------------------------------------------ Newton's method

    def unfold(self, x: Array) -> Array:
        """Unknowns by field and cell, 0 where they are not there."""
        found = np.zeros((FIELDS, self.size))
        found[self.there] = x[: self.own]
        return found

    def fold(self, u: Array, joined: Mapping[int, float]) -> Array:
        ends = [joined.get(e, 0.0) for e in self.floating]
        return np.concatenate([u[self.there], ends])

    def solve(self, x: Array) -> tuple[Array, Passing]:
        """Unknowns at which nothing gains: Newton's method, where changes grow smaller from turn to
        turn by the measure of their own (natural monotonicity), within bounds. Factors serve as long as
        they bring changes down quickly; `turns` counts how often they were made. Raises StepFailed.
        """
        last, self.turns = np.inf, 0
        change: Array | None = None
        solved: Callable[[Array], Array] = _nothing_solved
        while self.turns < MOST:
            if change is None:
                left, matrix, _ = self.look(x)
                assert matrix is not None
                solved = self._factor(matrix)
                self.turns += 1
                change = solved(-left)
            now = self.measure(change)
            if not np.isfinite(now):
                raise StepFailed("cell", "the whole sheet", "not a finite number")
            if now <= SETTLED or (now <= ROUNDING and now >= 0.5 * last):
                x, self.off = x + change, now
                return x, self.look(x, sloped=False)[2]
            held, part = self._bounded(x, change), 1.0
            for _ in range(HALVINGS):
                new = self._kept_in(x + part * held)
                further = solved(-self.look(new, sloped=False)[0])
                after = self.measure(further)
                if after <= (1.0 - 0.25 * part) * now or now > FAR:
                    break
                part *= 0.5
            x, last = new, now
            change = further if after <= QUICK * now and now < NEAR else None
        raise StepFailed("cell", "the whole sheet", "Newton's method does not settle")

    def _factor(self, matrix: sparse.csc_array) -> Callable[[Array], Array]:
        largest = abs(matrix).max(axis=1).toarray().ravel()
        scale = 1.0 / np.where(largest > 0, largest, 1.0)
        try:
            lu = splu(sparse.csc_array(sparse.diags_array(scale) @ matrix))
        except RuntimeError as failure:
            raise StepFailed("cell", "the whole sheet", "its equations are singular") from failure
        return lambda right: np.asarray(lu.solve(right * scale))

    def measure(self, change: Array) -> float:
        """The largest change, each over what is like it."""
        u = self.unfold(change)
        found = float(np.abs(change[self.own :]).max(initial=0.0)) / LIKE[SOLID]
        for part, like in zip(u, LIKE, strict=True):
            found = max(found, float(np.abs(part).max(initial=0.0)) / like)
        return found if np.isfinite(change).all() else np.inf

    def _bounded(self, x: Array, change: Array) -> Array:
        """A change held within what laws can follow."""
        u, d = self.unfold(x), self.unfold(change)
        for k in (SOLID, PROTON):
            d[k] = np.clip(d[k], -LEAP, LEAP)
        d[WATER] = np.clip(d[WATER], -WETTER, WETTER)
        d[LIQUID] = np.clip(d[LIQUID], -FILLS, FILLS)
        for k in (FIRST, VAPOUR):
            d[k] = np.where(u[k] + d[k] < LEFT * u[k], (LEFT - 1.0) * u[k], d[k])
        ends = np.clip(change[self.own :], -LEAP, LEAP)
        return np.concatenate([d[self.there], ends])

    def _kept_in(self, x: Array) -> Array:
        u = self.unfold(x)
        u[WATER] = np.clip(u[WATER], DRIEST, WETTEST)
        u[LIQUID] = np.clip(u[LIQUID], 0.0, FULLEST)
        u[FIRST], u[VAPOUR] = np.maximum(u[FIRST], 0.0), np.maximum(u[VAPOUR], 0.0)
        return np.concatenate([u[self.there], x[self.own :]])


def _nothing_solved(right: Array) -> Array:
    raise StepFailed("cell", "the whole sheet", "nothing was factored yet")


class _Gains:
    """What unknowns gain, as laws are looked at one after the other, and how that rises. index : of
    unknowns, by field and cell; sloped : whether slopes are wanted.
    """

    def __init__(self, index: Array, left: Array, sloped: bool) -> None:
        self.index, self.left, self.sloped = index, left, sloped
        self.entries = Tied(left.size)

    def across(self, faces: Faces, fields: Fields, gives: Fields, u: Array, law: Law) -> Amounts:
        """What passes faces, from a to b, by a law of fields on both sides; of each it gives."""
        spots = [(n, cells) for cells in (faces.a, faces.b) for n in fields]
        found, slopes = self._looked(law, spots, u)
        for k, what in enumerate(gives):
            for cells, sign in ((faces.a, -1.0), (faces.b, 1.0)):
                self._book(self.index[what][cells], sign, k, found, slopes)
        return found

    def out(self, cells: Array, fields: Fields, u: Array, law: Law) -> Amounts:
        """What leaves cells, by a law of fields there; of each of the fields."""
        spots = [(n, cells) for n in fields]
        found, slopes = self._looked(law, spots, u)
        for k, what in enumerate(fields):
            self._book(self.index[what][cells], -1.0, k, found, slopes)
        return found

    def within(
        self,
        cells: Array,
        fields: Fields,
        gains: Sequence[Mapping[int, float]],
        u: Array,
        law: Law,
    ) -> Amounts:
        """What a law of fields makes in cells; gains : which fields gain how many times each of it."""
        spots = [(n, cells) for n in fields]
        found, slopes = self._looked(law, spots, u)
        for k, gained in enumerate(gains):
            for what, times in gained.items():
                self._book(self.index[what][cells], times, k, found, slopes)
        return found

    def _looked(self, law: Law, spots: Spots, u: Array) -> tuple[Amounts, Slopes]:
        """What a law says; and the unknowns (columns) that it is of, with how it rises with each. What
        is nowhere is not asked about.
        """
        values, slopes = [u[n][cells] for n, cells in spots], []
        for k, (n, cells) in enumerate(spots):
            columns = self.index[n][cells]
            if self.sloped and (columns >= 0).any():
                turned = [v + TINY * 1j if m == k else v for m, v in enumerate(values)]
                slopes.append((columns, tuple(np.imag(v) / TINY for v in law(*turned))))
        return law(*values), slopes

    def _book(self, rows: Array, times: float, k: int, found: Amounts, slopes: Slopes) -> None:
        on = rows >= 0
        np.add.at(self.left, rows[on], times * found[k][on])
        for columns, slope in slopes:
            self.entries.put(rows, columns, times * slope[k])
