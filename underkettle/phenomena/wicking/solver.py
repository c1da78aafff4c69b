"""Wicking: pressures and wetness as they follow each other, step by step."""

from __future__ import annotations

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Crossing,
    Inputs,
    Offer,
    Pressure,
    Problem,
    Provides,
    Resistance,
    StepFailed,
    Work,
)
from underkettle.engine.contract.streams import cross_edges, mass_given
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.mesh.nearest import nearest
from underkettle.engine.operators.inflow import entering, held_pressures
from underkettle.phenomena.wicking.laws import FRONT, Law, law_of
from underkettle.phenomena.wicking.soaking import Passing, Soaking

Array = np.ndarray

CELLS = ("p", "wet", "held", "taken", "u", "v", "since")
FILLS = {True: 0.5, False: 0.1}  # share of a cell's pores that a step may fill: sharp fronts, else
FIRST = (
    1.0 - 0.5**0.5
)  # of a step of second order, after which its first part ends (Alexander 1977)
WET = 0.5  # share of what pores can take, from which a spot counts as wet
QUICKER, TRIES = 4.0, 20  # of steps towards rest
LONGEST = 1e12  # s, of them
STILL = 1e-12  # share of pores per step below which nothing moves


class WickingSolver:
    """Solves for pressure (Pa, below nought where liquid is drawn) and wetness."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        self.settings = problem.settings()
        self.density, self.viscosity = float(self.settings["density"]), self.settings["viscosity"]
        self.conditions = dict(problem.edge_conditions())
        self.zones = dict(problem.zone_conditions())
        self.soaking = Soaking(self.mesh, self._edges("wetted"), self._edges("drips"))
        given = [self.mesh.edge_index(edge) for edge in self._edges("inflow", "drawn off")]
        self.given = np.flatnonzero(np.isin(self.mesh.pieces.edge, given))
        self.names = {n: problem.state_name(n) for n in (*CELLS, "through", "pace")}
        self.offered: Resistance | None = None
        self.began = self.stored = 0.0  # kg, of the last step
        self.givers: dict[str, Array] = {}
        self.steady = self.viscosity.steady and all(
            getattr(value, "steady", True)
            for g in self.zones.values()
            for value in g.values.values()
        )
        self.sharp = any(g.kind == FRONT for g in self.zones.values())

    def _edges(self, *kinds: str) -> list[str]:
        return [edge for edge, given in self.conditions.items() if given.kind in kinds]

    def array(self, state: State, name: str) -> Array:
        array = state.fields[self.names[name]]
        return array[0] if array.ndim == 3 else array

    def _laws(self, t: float) -> list[tuple[Array, Law]]:
        """What pores do, zone by zone. Cells that a zone cut out has in its middle, and not as a
        whole, do as those next to them.
        """
        place, live = self.mesh.place(t), self.mesh.live[0]
        found: list[tuple[Array, Law]] = []
        owner = np.full(live.shape, -1)
        for zone, given in self.zones.items():
            cells = self.mesh.zone_cells(zone)[0]
            if given.kind != "cut out" and cells.any():
                law = law_of(given, self.settings, place)
                spread = [np.array(np.broadcast_to(v, self.mesh.shape[1:])) for v in tuple(law)[1:]]
                owner[cells & live] = len(found)
                found.append((cells, Law(law.kind, *spread)))
        rest = live & (owner < 0)
        if rest.any() and found:
            near = tuple(along[rest] for along in nearest(owner >= 0))
            owner[rest] = owner[near]
        return [(owner == k, law) for k, (_, law) in enumerate(found)]

    # ------------------------------------------------------------ beginning

    def start(self, state: State) -> None:
        for name in CELLS:
            state.fields[self.names[name]] = np.zeros(self.mesh.shape)
        state.fields[self.names["through"]] = np.zeros(self.mesh.pieces.j.size)
        p, since = self.array(state, "p"), self.array(state, "since")
        since[:] = -1.0
        place, begins = self.mesh.place(state.time), np.zeros(p.shape)
        for zone, given in self.problem.start_conditions().items():
            inside = self.mesh.zone_cells(zone)[0]
            if given.has("wetness"):
                begins[inside] = np.broadcast_to(given.values["wetness"].at(place), p.shape)[inside]
        laws = self._laws(state.time)
        for cells, law in laws:
            mine = law.of(cells)
            p[cells] = mine.pressure(np.clip(mine.filled(begins[cells]), 0.0, 1.0))
        self._hold(state, laws)
        for cells, law in laws:
            moved = law.of(cells).moved(p[cells])
            since[cells] = np.where(moved >= WET, state.time, -1.0)
        self.mesh.grid.wrap(p)

    def _hold(self, state: State, laws: list[tuple[Array, Law]]) -> None:
        """What pores hold at the pressures there are."""
        p, wet, held = (self.array(state, n) for n in ("p", "wet", "held"))
        for cells, law in laws:
            mine = law.of(cells)
            wet[cells] = mine.wetness(mine.moved(p[cells]))
            held[cells] = mine.holds(wet[cells])

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from pressures on another grid."""
        p, live = self.array(state, "p"), self.mesh.live[0]
        p[live] = handed_over(kept.fields[self.names["p"]][0], mesh, self.mesh)[live]
        self._hold(state, self._laws(state.time))

    # ------------------------------------------------------------ what others and edges give

    def _take_over(self, state: State, t: float, inputs: Inputs) -> tuple[Array, Array]:
        """Matter, laws and edges at a time; pressures at mouths (Pa) and what cells get (m3/s)."""
        offered = inputs.get(Resistance, FLUID)
        if offered is None:
            raise StepFailed("wicking", "the whole vessel", "no porous matter stands there")
        same = self.offered is not None and self.offered.is_same(offered)
        if not (same and self.steady):
            known = self.problem.known(state, self.viscosity.reads) if self.viscosity.reads else {}
            viscosity = np.broadcast_to(
                self.viscosity.at(self.mesh.place(t), known), self.mesh.shape[1:]
            )
            gravity = float(self.settings["gravity_x"]), float(self.settings["gravity_y"])
            laws = self._laws(t)
            self.soaking.fill(offered, laws, viscosity, self.density, gravity)
            self.offered = offered if offered.steady else offered.set_aside()
            self._weigh(state)
        self.givers = mass_given(self.problem, inputs, self.mesh.live[0])
        fed = self._entering(t)[1]
        for mass in self.givers.values():
            fed = fed + mass / self.density
        piece = self.soaking.mouths.piece
        return held_pressures(self.mesh, self.conditions, piece, t), fed

    def _weigh(self, state: State) -> None:
        """What is taken up, per volume of the vessel (kg/m3)."""
        volume = np.where(self.mesh.live, self.mesh.volume, 1.0)[0]
        liquid = self.density * self.soaking.pores * self.array(state, "held")
        np.divide(liquid, volume, out=self.array(state, "taken"))

    def _entering(self, t: float) -> tuple[Array, Array]:
        """Outward through every piece, and into every cell (m3/s), of edges with a given flow."""
        pieces, own = self.mesh.pieces, self.given
        through, fed = np.zeros(pieces.j.size), np.zeros(self.mesh.shape[1:])
        weighs = np.full(fed.shape, self.density)
        inward = entering(self.mesh, self.conditions, own, weighs, t) * pieces.area[own]
        through[own] = -inward
        np.add.at(fed, (pieces.j[own], pieces.i[own]), inward)
        return through, fed

    # ------------------------------------------------------------ steps

    def _now(self, state: State, outside: Array, fed: Array) -> Array:
        """What cells gain (m3/s) at the pressures there are."""
        p, soaking = self.array(state, "p"), self.soaking
        _, _, ease, slope = soaking.look(p)
        passing = soaking.pass_(p, ease, slope, outside, soaking.outside_eases(outside))
        return np.asarray(fed - soaking.outflow(passing.x, passing.y, passing.out))

    def _longest(self, state: State, outside: Array, fed: Array) -> float:
        """The step (s) that fills, or drains, no more of a cell's pores than it may."""
        gain = np.abs(self._now(state, outside, fed))
        rate = self.soaking.per_pores(gain).max()
        return float(FILLS[self.sharp] / rate) if rate > STILL / LONGEST else np.inf

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        try:
            outside, fed = self._take_over(state, state.time, inputs)
        except StepFailed:  # the step itself says so
            return np.inf, "nothing can be drawn in yet"
        return self._longest(state, outside, fed), "pores fill no faster than they may in a step"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        p, held, soak = self.array(state, "p"), self.array(state, "held"), self.soaking.soak
        if self.sharp:  # where pores may be full, a step of second order would overfill them
            passing, gain = soak(p, held, t1 - t0, *self._take_over(state, t1, inputs))
            self._book(state, passing, gain, t0, t1)
            return Work(self.soaking.count)
        part, count = FIRST * (t1 - t0), 0
        begun, early = soak(p, held, part, *self._take_over(state, t0 + part, inputs))
        count += self.soaking.count
        then = held + (t1 - t0 - part) * self.soaking.per_pores(early)
        passing, gain = soak(p, then, part, *self._take_over(state, t1, inputs))
        passing, gain = passing.after(begun, 1.0 - FIRST), gain + (1 - FIRST) * (early - gain)
        self._book(state, passing, gain, t0, t1)
        return Work(count + self.soaking.count)

    def relax(self, state: State, inputs: Inputs) -> Work:
        """A step in time that grows as less and less changes."""
        outside, fed = self._take_over(state, state.time, inputs)
        pace = state.numbers.get(self.names["pace"], 0.0)
        span = pace or min(self._longest(state, outside, fed), LONGEST)
        p, held = self.array(state, "p"), self.array(state, "held")
        kept = p.copy()
        for _ in range(TRIES):
            try:
                passing, gain = self.soaking.soak(p, held, span, outside, fed)
                break
            except StepFailed:
                p[:] = kept
                span /= QUICKER
        else:
            raise StepFailed("wicking", "the whole vessel", "no step towards rest settles")
        before = held.copy()
        self._book(state, passing, gain, state.time, state.time, span)
        state.numbers[self.names["pace"]] = min(QUICKER * span, LONGEST)
        change = float(np.abs(held - before).max())
        return Work(self.soaking.count, {"wicking": change})

    def _book(
        self, state: State, passing: Passing, gain: Array, t0: float, t1: float, span: float = 0.0
    ) -> None:
        """Store what has come and what passes."""
        soaking, pieces = self.soaking, self.mesh.pieces
        span = span or t1 - t0
        held, wet, since = (self.array(state, n) for n in ("held", "wet", "since"))
        self.began = self.density * float((soaking.pores * held).sum())
        held += span * soaking.per_pores(gain)
        self.stored = self.density * span * float(gain[soaking.pores > 0].sum())
        self._weigh(state)
        before = wet.copy()
        for at, law in soaking.laws:
            s = held[at]
            swells = np.broadcast_to(law.swelling, s.shape)
            root = np.sqrt(1.0 + 4.0 * swells * np.maximum(s, 0.0))
            wet[at] = 2.0 * s / (1.0 + root)
            now, then = law.filled(wet[at]), law.filled(before[at])
            part = np.divide(WET - then, now - then, out=np.zeros(s.shape), where=now > then)
            begun = np.where(then < WET, t0 + np.clip(part, 0.0, 1.0) * (t1 - t0), since[at])
            since[at] = np.where(now >= WET, np.where(since[at] < 0, begun, since[at]), -1.0)
        through, m = self.array(state, "through"), soaking.mouths
        outward = self._entering(t1)[0]
        outward[m.piece] += passing.out
        through[:] = outward
        for axis, (name, flow) in enumerate((("u", passing.x), ("v", passing.y))):
            speed, area = self.array(state, name), soaking.nodes[axis].inner
            speed[:] = np.divide(flow, area, out=np.zeros(flow.shape), where=area > 0)
            own = np.flatnonzero((pieces.axis == axis) & (pieces.area > 0))
            outward_speed = outward[own] / pieces.area[own]
            normal = (pieces.nx if axis == 0 else pieces.ny)[own]
            speed[pieces.face_j[own], pieces.face_i[own]] = outward_speed * np.sign(normal)

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        return Pressure(state.fields[self.names["p"]])

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        span = t1 - t0 if t1 > t0 else 1.0
        budget = Budget("kg" if t1 > t0 else "kg/s", label="Liquid")
        cross_edges(budget, self.mesh, span * self.density * self.array(state, "through"))
        for giver, mass in self.givers.items():
            budget.give(giver, span * float(mass.sum()))
        held = self.density * float((self.soaking.pores * self.array(state, "held")).sum())
        budget.held = held
        if t1 > t0:
            budget.stored, budget.began = self.stored, self.began
        return {"mass": budget}

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """Mass through faces (kg/s), and what openings and others give."""
        self._take_over(state, state.time, inputs)
        pieces, m = self.mesh.pieces, self.soaking.mouths
        through = self.density * self.array(state, "through")
        x, y = (
            self.density * self.array(state, name) * n.inner
            for name, n in zip("uv", self.soaking.nodes, strict=True)
        )
        j, i = pieces.j.copy(), pieces.i.copy()
        j[m.piece], i[m.piece] = m.j, m.i
        gained = np.zeros(x.shape)
        np.add.at(gained, (j, i), -through)
        for mass in self.givers.values():
            gained += mass
        return Crossing(x, y, gained)

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.names["p"]: (-1e12, 1e12), self.names["held"]: (-1e-6, np.inf)}
