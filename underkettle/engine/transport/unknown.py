"""One carried thing on one mesh: what conducts it, what holds it, and what its edges do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from underkettle.engine.contract import FLUID, AtWalls, Given, Problem, Source
from underkettle.engine.contract.laws import beside
from underkettle.engine.linear import Helmholtz
from underkettle.engine.marching.state import State
from underkettle.engine.operators.diffusion import (
    WallLegs,
    at_legs,
    face_mean,
    lay_links,
    wall_legs,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.content import Content
from underkettle.engine.transport.pores import InPores, Within
from underkettle.engine.transport.stirred import Eddies
from underkettle.quantities import Place

Array = np.ndarray

AROUND = (1, 1), (-1, 1), (1, 0), (-1, 0)  # rolls: the cell before and after, along x and y
SMALL_CHANGE = 1e-6  # of a value, to see how a law of it changes
VALUES = ("value", "flux", "film", "ambient", "source", "loss")


@dataclass(frozen=True)
class Solid:
    """What a zone is made of: spread (amount/(s m) per unit of c), capacity (amount/m3 per unit of
    c).
    """

    spread: Any
    capacity: float


@dataclass(frozen=True)
class Carried:
    """One thing that is carried. c is its value, in `unit`.

    spread, across : conductivity along x and y (amount/(s m) per unit of c); numbers or laws.
    capacity : amount/m3 per unit of c, in the stream. carry : share of it the stream takes along.
    density : that of a stream of this capacity (kg/m3), where the capacity goes with mass, else 0.
    amount : unit of its amount; budgets count it from `origin`. solids : zones of another make.
    lever : it counts by its distance from the axis squared, as angular momentum does.
    called : how laws call its value. warmth : heat capacity (J/(kg K)) it brings along, over that
    of what it replaces. by_warmth : carried by the warmth of all components, where it is told.
    phase : whose stream takes it along. holds : the law of its capacity, of its own value, where
    `capacity` is that at the origin only. in_pores : how it feels porous matter. follows : what it is
    given by those before it in the list, as they have gone on: under which name, and (state) -> it.
    """

    name: str
    words: str
    array: str
    spread: Any
    across: Any
    capacity: float = 1.0
    origin: float = 0.0
    unit: str = "mol/m3"
    amount: str = "mol"
    carry: float = 1.0
    density: float = 0.0
    solids: Mapping[str, Solid] = field(default_factory=dict)
    lever: bool = False
    called: str = ""
    warmth: float = 0.0
    by_warmth: bool = False
    phase: str = FLUID
    holds: Any = None
    in_pores: InPores = ""
    follows: tuple[str, Callable[[State], Source]] | None = None


def holds(given: Given) -> bool:
    """Whether an edge ties the value next to it, directly or through a film."""
    return given.has("film") or (given.has("value") and not given.through)


def _reads(value: Any) -> frozenset[str]:
    return frozenset(getattr(value, "reads", ()))


def _is_steady(value: Any) -> bool:
    return bool(getattr(value, "steady", True))


class Unknown:
    """Coefficients and edges of one carried thing, all divided by its capacity in the stream.

    link_x, link_y : (m3/s) between cells. wall, decay, holding : on the diagonal (m3/s).
    lasting : nothing of this changes in time but what a stream brings in.
    source, given : what is made, and that with fluxes and walls' pull (value m3/s).
    heft : capacity over that of the stream; store : heft x volume (m3).
    """

    def __init__(self, problem: Problem, what: Carried) -> None:
        self.what, self.name, self.problem = what, what.name, problem
        mesh = self.mesh = problem.mesh
        shape = mesh.shape[1:]
        self.live = mesh.live[0]
        self.edges = dict(problem.edge_conditions(what.name))
        self.zones = dict(problem.zone_conditions(what.name))
        self.divides = {
            place: (mesh.divide(place), given)
            for place, given in problem.divide_conditions(what.name).items()
            if given.has("film")
        }
        held = frozenset(k for k, e in enumerate(mesh.edges) if holds(self.edges[e]))
        films = frozenset(k for k in held if self.edges[mesh.edges[k]].has("film"))
        self.laid = lay_links(mesh, held, films)
        self.legs = self.laid.legs
        self.cells = wall_legs(mesh)
        self.link_x, self.link_y = np.zeros(shape), np.zeros(shape)
        self.implicit = Helmholtz(self.link_x, self.link_y, repeats=mesh.grid.repeats)
        count = self.legs.row.size
        self.bare, self.factor = np.zeros(count), np.zeros(count)  # without and with any film
        self.held = np.zeros(count)
        self.flux = np.zeros(mesh.pieces.j.size)  # into the vessel, per s and capacity
        self.arriving = np.zeros(mesh.pieces.j.size)  # value of what a stream brings in
        self.arrived = self.arriving  # the same when the step began
        self.wall, self.decay, self.source, self.given, self.holding = (
            np.zeros(shape) for _ in range(5)
        )
        self.gift, self.grip = np.zeros(shape), np.zeros(shape)  # as the two above, by others
        self.givers: Mapping[str, Source] = {}
        self.gifts: dict[str, tuple[Array, Array]] = {}  # giver -> both
        self.taken: dict[str, Array] = {}  # giver -> what it gives by the values around, if it does
        self.taking: Array | None = None  # the sum of these
        self._lever()
        self.law = None if what.holds is None else Content(what.holds, what.called, what.origin)
        self.solid = np.zeros(shape, bool)
        for zone in what.solids:
            self.solid |= mesh.zone_cells(zone)[0]
        self.pores: Within | None = None
        self.eddies: Eddies | None = None
        self.heft = self.level()
        self.store, self.inverse = np.zeros(shape), np.zeros(shape)
        self.weigh(self.heft)
        self.span = 1.0  # of its values, when it was last looked at
        self.stiffness, self.rate, self.set, self.laid_out = 0.0, -1.0, False, False
        self.fastest = 0.0
        self.along: list[Array] = []
        spreads = [what.spread, what.across, *(s.spread for s in what.solids.values())]
        values = [
            v
            for g in (*self.edges.values(), *self.zones.values())
            for n, v in g.values.items()
            if n in VALUES
        ]
        spreads += [given.values["film"] for _, given in self.divides.values()]
        self.spread_steady = all(_is_steady(s) for s in spreads)
        self.steady = self.spread_steady and all(_is_steady(v) for v in values)
        brought = [
            g.values["value"] for g in self.edges.values() if g.has("value") and not holds(g)
        ]
        rest = [v for v in values if not any(v is b for b in brought)]
        self.brings_same = all(_is_steady(v) and not _reads(v) for v in brought)
        self._for: tuple[State | None, float] = None, 0.0  # what values were last set for
        self.reads = frozenset().union(*(_reads(v) for v in (*spreads, *values)))
        # nothing changes as it is carried but what a stream brings in
        self.lasting = not self.reads and self.spread_steady and all(_is_steady(v) for v in rest)

    @property
    def quantity(self) -> str:
        """What is balanced of it, by name."""
        return self.what.name or self.what.words

    # ------------------------------------------------------------ what does not change

    def _lever(self) -> None:
        """Squares of the distance from the axis (m2): at cells, faces, legs and pieces; else 1."""
        grid, pieces = self.mesh.grid, self.mesh.pieces
        one = np.ones(self.live.shape)
        if not self.what.lever:
            self.lever_x = self.lever_y = self.lever_cell = one
            self.lever_leg, self.lever_piece = np.ones(self.legs.row.size), np.ones(pieces.j.size)
            return
        centre, low, h = grid.centres(1), grid.faces(1), grid.widths(1)
        self.lever_x = one * (centre**2)[:, None]
        self.lever_y = one * (low**2)[:, None]
        self.lever_cell = one * (0.5 * (low**2 + (low + h) ** 2))[:, None]
        self.lever_leg = (
            np.where(self.legs.axis == 0, self.legs.y, 0.5 * (self.legs.y + centre[self.legs.row]))
            ** 2
        )
        self.lever_piece = pieces.y**2

    def level(self, share: Array | float = 1.0) -> Array:
        """What each cell holds per value, relative to the stream's capacity as given. share : of it
        that the stream has now.
        """
        heft = self.lever_cell * share
        if self.pores is not None:
            heft = heft * self.pores.room + self.pores.more / self.what.capacity
        for zone, solid in self.what.solids.items():
            inside = self.mesh.zone_cells(zone)[0]
            heft[inside] = self.lever_cell[inside] * solid.capacity / self.what.capacity
        return np.asarray(heft)

    def fill_pores(self, pores: Within) -> None:
        """Take over the porous matter it is carried through."""
        self.pores = pores
        self.weigh(self.level())
        self.set = self.laid_out = False

    def stir(self, eddies: Eddies) -> None:
        """Take over the eddies that spread it."""
        self.eddies = eddies
        self.set = self.laid_out = False

    def content(self, c: Array) -> Array:
        """What the value holds beyond its origin, per what `store` counts: in cells where c has
        their shape (solids by their own capacity), else in the stream.
        """
        plain = c - self.what.origin
        if self.law is None:
            return np.asarray(plain)
        held = self.law.of(c)
        return np.where(self.solid, plain, held) if c.shape == self.live.shape else held

    def count(self, c: Array) -> None:
        """Turn values of cells (in place) into what they hold."""
        if self.law is not None:
            c[:] = self.content(c)
        elif self.what.origin:
            c -= self.what.origin

    def uncount(self, c: Array) -> None:
        """Turn what cells hold (in place) into values; nothing where they are closed."""
        if self.law is not None:
            c[:] = self.value_of(c)
        elif self.what.origin:
            c += self.what.origin
        else:
            return
        c[~self.live] = 0.0

    def value_of(self, content: Array) -> Array:
        """The values of cells that hold so much; see `content`."""
        plain = content + self.what.origin
        if self.law is None:
            return np.asarray(plain)
        return np.where(self.solid, plain, self.law.value(content))

    def slope(self, c: Array) -> Array | None:
        """What more cells hold per value; None where that is always one."""
        return None if self.law is None else np.where(self.solid, 1.0, self.law.slope(c))

    def bend(self, c: Array) -> Array | float:
        """The same as a factor."""
        slope = self.slope(c)
        return 1.0 if slope is None else slope

    def weigh(self, heft: Array) -> None:
        """Take over what each cell holds per value, relative to the stream's capacity."""
        self.heft = heft
        np.multiply(self.mesh.volume[0], heft, out=self.store)
        self.store[~self.live] = 0.0
        np.divide(1.0, self.store, out=self.inverse, where=self.store > 0)

    # ------------------------------------------------------------ values

    def set_values(self, state: State, known: Mapping[str, Any] | None = None) -> None:
        """Evaluate every law and given value at the state's time. Laws follow what was when the step
        began, so that repeats of a step find the same. known : what it `reads`, where that is at hand.
        """
        t, known_for = state.time, (state.begun, state.time)
        same = state.begun is not None and self._for[0] is state.begun and self._for[1] == t
        if self.set and (self.steady or same):
            return
        self._for = known_for
        if known is None:
            known = self.problem.known(state, self.reads) if self.reads else {}
        if not (self.laid_out and self.spread_steady):
            self._conduct(known, t)
        self._set_edges(known, t)
        self._set_zones(known, t)
        self.wall[:] = 0.0
        np.add.at(self.wall, (self.legs.row, self.legs.column), self.factor)
        self._sum_up()
        self.set = True

    def receive(self, givers: Mapping[str, Source]) -> None:
        """Take over what others give to each cell; what they gave before is forgotten."""
        self.givers = givers
        if not givers and not self.gifts:
            return
        none = np.zeros(self.live.shape)
        scale = np.where(self.live, 1.0 / self.what.capacity, 0.0)
        self.gifts = {
            name: (s.value[0] * scale, none if s.linear is None else s.linear[0] * scale)
            for name, s in givers.items()
        }
        self.gift = np.asarray(sum((g for g, _ in self.gifts.values()), none))
        self.grip = np.asarray(sum((g for _, g in self.gifts.values()), none))
        self.taken = {n: s.passed * scale for n, s in givers.items() if s.passed is not None}
        self.taking = np.asarray(sum(self.taken.values())) if self.taken else None
        if self.set:
            self._sum_up()

    def _sum_up(self) -> None:
        """What each cell is given, what holds it, and how fast that acts."""
        self.given = self.all_given()
        np.add(self.wall, self.decay, out=self.holding)
        self.holding += self.grip
        around = (
            self.link_x[1:-1, 1:-1]
            + self.link_x[1:-1, 2:]
            + self.link_y[1:-1, 1:-1]
            + self.link_y[2:, 1:-1]
            + self.holding[1:-1, 1:-1]
        )
        self.stiffness = float((around * self.inverse[1:-1, 1:-1]).max())
        self.rate = -1.0

    def _conduct(self, known: Mapping[str, Any], t: float) -> None:
        """Links and legs from what conducts in each cell."""
        here, grid, along = self.mesh.place(t), self.mesh.grid, []
        for axis, value in enumerate((self.what.spread, self.what.across)):
            cells = np.empty(self.live.shape)
            cells[:] = value.at(here, known) if hasattr(value, "at") else value
            if self.pores is not None:
                cells *= self.pores.passes
                cells += self.pores.conducts + self.what.capacity * self.pores.mixes[axis]
            for zone, solid in self.what.solids.items():
                inside = self.mesh.zone_cells(zone)[0]
                of_zone = solid.spread
                cells[inside] = np.broadcast_to(
                    of_zone.at(here, known) if hasattr(of_zone, "at") else of_zone,
                    cells.shape,
                )[inside]
            cells /= self.what.capacity
            plain = cells.copy()
            if self.eddies is not None:
                cells += self.eddies.added(plain, self.what.lever)
            along.append(grid.wrap(cells))
        np.multiply(self.laid.x * self.lever_x, face_mean(along[0], grid, 0), out=self.link_x)
        np.multiply(self.laid.y * self.lever_y, face_mean(along[1], grid, 1), out=self.link_y)
        self._hold_back(known, t)
        grid.wrap(self.link_x)
        grid.wrap(self.link_y)
        self.along, self.plain = along, plain
        conducts = (
            self.legs.conducting(*along)
            if self.spread_steady
            else np.where(
                self.legs.axis == 0,
                at_legs(along[0], grid, self.legs),
                np.where(
                    self.legs.axis == 1,
                    at_legs(along[1], grid, self.legs),
                    self.legs.conducting(*along),
                ),
            )
        )
        if self.eddies is not None:
            conducts = self.eddies.at_walls(self.legs, plain, conducts)
        self.bare = self.legs.factor * self.lever_leg * conducts
        self.factor = self.bare.copy()
        quick = np.maximum(along[0], along[1]) / np.where(self.heft > 0, self.heft, np.inf)
        self.fastest = float((quick * self.lever_cell)[self.live].max(initial=0.0))
        self.laid_out = True

    def conducting_at(self, rows: Array, cells: WallLegs | None = None) -> Array:
        """What conducts between pieces of the outline and the cells that feel them (m2/s), or others
        that are told.
        """
        cells, pieces = cells or self.cells, self.mesh.pieces
        at = cells.row[rows], cells.column[rows]
        conducts = np.maximum(self.along[0][at], self.along[1][at])
        if self.eddies is None:
            return np.asarray(conducts)
        away = pieces.area[rows] / cells.factor[rows]
        return self.eddies.by_law(pieces.x[rows], pieces.y[rows], *at, away, self.plain, conducts)

    def _hold_back(self, known: Mapping[str, Any], t: float) -> None:
        """Films on screens and where zones meet stand in a row with what conducts on either side."""
        for faces, given in self.divides.values():
            spot = _Spot(known, faces.place(t), faces.row, faces.column)
            film = spot.value(given, "film") / self.what.capacity * faces.area
            for axis, link in enumerate((self.link_x, self.link_y)):
                mine = faces.along(axis)
                at = faces.row[mine], faces.column[mine]
                bare = link[at]
                link[at] = bare * film[mine] / np.maximum(bare + film[mine], 1e-300)

    def _set_edges(self, known: Mapping[str, Any], t: float) -> None:
        mesh, capacity = self.mesh, self.what.capacity
        pieces = mesh.pieces
        for k, edge in enumerate(mesh.edges):
            given, rows = self.edges[edge], pieces.of(k)
            at = _Spot(known, pieces.place(t)[rows], self.cells.row[rows], self.cells.column[rows])
            if given.has("flux"):
                self.flux[rows] = pieces.area[rows] * at.value(given, "flux") / capacity
            if holds(given):
                mine = self.legs.edge == k
                spot = _Spot(
                    known, self.legs.place(t)[mine], self.legs.row[mine], self.legs.column[mine]
                )
                self.held[mine] = spot.value(given, "ambient" if given.has("film") else "value")
                if given.has("film"):
                    film = spot.value(given, "film") / capacity
                    film = film * self.legs.area[mine] * self.legs.facing[mine]
                    bare = self.bare[mine]
                    self.factor[mine] = bare * film / np.maximum(bare + film, 1e-300)
        self._bring(known, t, self.arriving)

    def _bring(self, known: Mapping[str, Any], t: float, into: Array) -> None:
        """The value of what a stream brings in, for every piece of the outline."""
        pieces = self.mesh.pieces
        for k, edge in enumerate(self.mesh.edges):
            given = self.edges[edge]
            if given.has("value"):  # a stream that enters where a value is held brings it, too
                rows = pieces.of(k)
                into[rows] = _Spot(
                    known, pieces.place(t)[rows], self.cells.row[rows], self.cells.column[rows]
                ).value(given, "value")

    def arriving_at(self, state: State) -> Array:
        """The value of what a stream brings in at the state's time."""
        if self.set and (self.steady or self.brings_same):
            return self.arriving
        known = self.problem.known(state, self.reads) if self.reads else {}
        found = np.zeros(self.arriving.shape)
        self._bring(known, state.time, found)
        return found

    def _set_zones(self, known: Mapping[str, Any], t: float) -> None:
        """What is made and used up. A source that falls as the value rises is taken along its
        tangent, which keeps stiff reactions stable.
        """
        mesh = self.mesh
        here = mesh.place(t)
        for zone, given in self.zones.items():
            inside = mesh.zone_cells(zone)[0]
            share = mesh.volume[0][inside] / self.what.capacity
            if self.pores is not None and self.what.in_pores == "dissolved":
                share = (
                    share * self.pores.room[inside]
                )  # it happens in the stream, not in the solid

            def value(
                name: str, known: Mapping[str, Any], given: Given = given, inside: Array = inside
            ) -> Array:
                full = given.values[name].at(here, known)
                return np.asarray(np.broadcast_to(full, self.live.shape)[inside])

            if given.has("loss"):
                self.decay[inside] = value("loss", known) * share
            if not given.has("source"):
                continue
            made = value("source", known)
            own = self.what.called
            if own in _reads(given.values["source"]):
                now = known[own]
                nudge = SMALL_CHANGE * max(float(np.abs(now[self.live]).max(initial=0.0)), 1e-30)
                slope = (value("source", {**known, own: now + nudge}) - made) / nudge
                fall = np.maximum(-slope, 0.0)
                made = made + fall * now[inside]
                lost = value("loss", known) if given.has("loss") else 0.0
                self.decay[inside] = (lost + fall) * share
            self.source[inside] = made * share

    def coming_in(self, through: Array) -> Array:
        """Values that a stream brings in through pieces of the outline."""
        return self.arriving[through < 0]

    def all_given(self) -> Array:
        """What sources, fluxes and held walls give to each cell per s, walls' pull included."""
        return self.with_walls(self.source + self.gift, self.factor * self.held)

    def with_walls(self, made: Array, legs: Array) -> Array:
        """What comes to each cell, `made` and through its legs and with given fluxes; legs : through
        each.
        """
        found = made.copy()
        np.add.at(found, (self.legs.row, self.legs.column), legs)
        np.add.at(found, (self.cells.row, self.cells.column), self.flux)
        return found

    def by_edge(self, legs: Array, flux: Array) -> Array:
        """What comes in through each edge; legs, flux : through each leg and each piece."""
        count = len(self.mesh.edges)
        on_legs = np.bincount(self.legs.edge, legs, count)
        return np.asarray(on_legs + np.bincount(self.mesh.pieces.edge, flux, count))

    def at_walls(self, c: Array, pull: Array) -> AtWalls:
        """Where walls are felt that pull through legs, or give a flux. c : values; pull : into the
        vessel through each leg, per s and capacity.
        """
        legs, pieces, cells, scale = self.legs, self.mesh.pieces, self.cells, self.what.capacity
        here = c[legs.row, legs.column]
        surface = here + np.divide(pull, self.bare, out=np.zeros(pull.size), where=self.bare > 0)
        given = np.flatnonzero(self.flux)
        conducts = self.conducting_at(given)
        hold = cells.factor[given] * self.lever_piece[given] * conducts
        beyond = c[cells.row[given], cells.column[given]] + np.divide(
            self.flux[given], hold, out=np.zeros(given.size), where=hold > 0
        )

        def both(on_legs: Array, on_pieces: Array) -> Array:
            return np.concatenate([on_legs, on_pieces])

        return AtWalls(
            both(legs.x, pieces.x[given]),
            both(legs.y, pieces.y[given]),
            both(legs.edge, pieces.edge[given]),
            both(legs.area, pieces.area[given]),
            scale * both(pull / legs.area, self.flux[given] / pieces.area[given]),
            both(surface, beyond),
            scale * both(legs.conducting(*self.along), conducts),
            both(legs.axis, np.full(given.size, -1)),
        )

    def took(self, c: Array, by: Array | None = None) -> Array:
        """What cells are given by the values around them (value m3/s); by : of one giver alone."""
        found, by = np.zeros(self.live.shape), self.taking if by is None else by
        for coefficient, (step, axis) in zip(() if by is None else by, AROUND, strict=False):
            found += coefficient * roll(c, step, axis)
        return np.where(self.live, found, 0.0)

    def gave(self, c: Array) -> dict[str, float]:
        """What every giver gives to all cells together, amount per s."""
        return {
            name: self.what.capacity * float((gift - grip * c)[self.live].sum())
            for name, (gift, grip) in self.gifts.items()
        }

    def leaving(self, c: Array) -> Array:
        """Diffusion and given fluxes out of the vessel through every edge, per s and capacity."""
        pull = self.factor * (self.held - c[self.legs.row, self.legs.column])
        return -self.by_edge(pull, self.flux)


@dataclass(frozen=True)
class _Spot:
    """Places on an edge where given values are wanted, and the cells next to them."""

    known: Mapping[str, Any]
    place: Place
    row: Array
    column: Array

    def value(self, given: Given, name: str) -> Array:
        found = given.values[name].at(self.place, beside(self.known, self.row, self.column))
        return np.broadcast_to(found, self.row.shape)
