"""Potentials and currents as edges, surfaces and what conducts ask for; surfaces charge in time.

In time the voltage across surfaces goes on by two implicit stages (Alexander 1977, of second order,
which damps what is faster than a step), in steps of its own that follow how it bends.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from underkettle.engine.contract import (
    AtWalls,
    Budget,
    Crossing,
    Inputs,
    Offer,
    Potential,
    Problem,
    Provides,
    Source,
    StepFailed,
    Work,
)
from underkettle.engine.contract.laws import where_it_begins
from underkettle.engine.contract.streams import given_to
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.operators.diffusion import neighbours
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.seen import flows, lost
from underkettle.phenomena.charge.cells import Cells
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.naming import (
    REDUCED,
    ROWS,
    between,
    cells,
    conductors,
    ends,
    passages,
)
from underkettle.phenomena.charge.network import Network, Passing
from underkettle.phenomena.charge.surfaces import Held, Surface
from underkettle.phenomena.charge.turning import Turning

Array = np.ndarray
Bases = list[Held]

GAMMA = 1.0 - math.sqrt(0.5)
FINEST = 30  # halvings of a step
CALM = 0.2  # of what a step may be off by, below which the next is twice as long
BEGINS = 8  # steps that the first one is tried in
LEAST, MOST = -1e9, 1e9  # V
UNEVEN, OFF = 0.05, 1e-3  # of the mean current, and V, that shapes may be off by
FINE_SWEEP = 5e-4  # V in a step, where substances follow a sweep
SAME_TIME, JUMP = 1e-12, 1e-3  # of a time; of the next row's, that a jump in a table takes
ROUNDING = 1e-12  # of what goes to and fro, below which what is left of it is none


@dataclass
class _Sums:
    """Amounts over a step (C, J): of legs, surfaces in pores and where zones meet, and cells."""

    legs: list[Array]
    inside: list[Array]
    heat: Array
    fluxes: list[Array]
    gifts: list[dict[str, float]]


class ChargeSolver:
    """Solves for the potentials (V) of conductors and of what edges are joined to."""

    def __init__(self, problem: Problem) -> None:
        settings = problem.settings()
        self.problem, self.mesh = problem, problem.mesh
        self.accuracy, self.warms = float(settings["accuracy"]), bool(settings["warms"])
        coated: dict[str, set[str]] = {name: set() for name in conductors(settings)}
        for name, passage in passages(settings).items():
            for edge, given in problem.edge_conditions(name).items():
                if given.kind == "on the wall":
                    coated[ends(settings, passage)[1]].add(edge)
        self.conductors = [
            Conductor(problem, name, own, frozenset(coated[name]))
            for name, own in conductors(settings).items()
        ]
        here = {c.name: c for c in self.conductors}
        self.surfaces = [
            (Cells if name in cells(settings) else Surface)(problem, name, settings, here)
            for name in between(settings)
        ]
        self.meeting = [(k, s) for k, s in enumerate(self.surfaces) if s.meets.area.size]
        self.network = Network(self.mesh, self.conductors, self.surfaces)
        self.network.is_reduced = settings["way"] == REDUCED
        self.is_checked = not self.network.is_reduced
        self.changes = [
            np.array(table.points)
            for c in self.conductors
            for terminal in c.terminals.values()
            for law in terminal.laws
            if (table := getattr(law, "table", None)) is not None and not law.steady
        ]
        self.stores = any(s.stores for s in self.surfaces)
        self.steady = all(c.unknown.spread_steady for c in self.conductors)
        self.turning = Turning(problem, settings, self.conductors, self.surfaces)
        self.fixed = all(s.steady or s.drifts for s in self.surfaces)
        self.reads = frozenset().union(
            *(c.unknown.reads for c in self.conductors),
            *(s.reads for s in self.surfaces),
            *(law.reads for c in self.conductors for t in c.terminals.values() for law in t.laws),
        )
        place, frequency = settings.get("swings"), settings.get("frequency")
        self.swing: tuple[int, float] | None = None  # at which edge, and how fast (rad/s)
        if place in self.mesh.edges and frequency is not None:
            self.swing = self.mesh.edge_index(str(place)), 2.0 * math.pi * float(frequency)
        self.sums: _Sums | None = None
        self.last: Passing | None = None

    # ------------------------------------------------------------ the state

    def _name(self, owner: str, array: str) -> str:
        return self.problem.state_name(f"{owner}.{array}" if owner else array)

    def _of(self, state: State, owner: str, array: str) -> Array:
        found = state.fields[self._name(owner, array)]
        return found[0] if found.ndim == 3 else found

    def start(self, state: State) -> None:
        shape = self.mesh.shape
        for c in self.conductors:
            for array in ("potential", "current_x", "current_y"):
                state.fields[self._name(c.name, array)] = np.zeros(shape)
            state.fields[self._name(c.name, "there")] = c.there[None].astype(float)
            state.fields[self._name(c.name, "terminals")] = np.full(len(self.mesh.edges), np.nan)
        here = self.mesh.place(state.time)
        for s in self.surfaces:
            start = np.zeros(shape)
            for zone, given in self.problem.start_conditions(s.name).items():
                inside = self.mesh.zone_cells(zone)
                if given.has("value"):
                    value = np.broadcast_to(given.values["value"].at(here), shape)
                    start[inside] = value[inside]
            there = s.cells.astype(float)
            there[s.at] = 1.0
            state.fields[self._name(s.name, "there")] = there[None]
            for array in dict.fromkeys(("passes", "across", "density", *s.PARTS)):
                state.fields[self._name(s.name, array)] = np.zeros(shape)
            state.fields[self._name(s.name, "on_walls")] = np.zeros(s.wall_area.size)
            state.fields[self._name(s.name, "met")] = np.zeros(s.meets.area.size)
            across = self._of(state, s.name, "across")
            across[s.at] = start[0][s.at] if s.PARTS[0] == "across" else 0.0
            self._keep_held(state, s, s.start_held(start[0]))
        state.fields[self._name("", "heat")] = np.zeros(shape)
        self.turning.start(state)
        for array in ("z_real", "z_imaginary"):
            state.fields[self._name("", array)] = np.full(len(self.mesh.edges), np.nan)
        state.numbers[self._name("", "pace")] = 0.0
        for owner, edge in self.network.terminals:
            if self.conductors[owner].terminals[edge].cycles is not None:
                state.numbers[self._way(owner, edge)] = 1.0
        state.fields[self._name("", "joined")] = np.zeros(len(self.network.terminals))

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from potentials on another grid."""
        for c in self.conductors:
            name = self._name(c.name, "potential")
            if name in kept.fields:
                values = handed_over(kept.fields[name][0], mesh, self.mesh)
                state.fields[name][0][c.there] = values[c.there]

    def _unknowns(self, state: State) -> Array:
        potentials = [self._of(state, c.name, "potential")[c.there] for c in self.conductors]
        return np.concatenate([*potentials, self._of(state, "", "joined")])

    def _keep(self, state: State, x: Array) -> None:
        for c, index in zip(self.conductors, self.network.index, strict=True):
            potential = self._of(state, c.name, "potential")
            potential[c.there] = x[index[c.there]]
            self.mesh.grid.wrap(potential)
        self._of(state, "", "joined")[:] = x[self.network.first :]

    # ------------------------------------------------------------ what is told at a time

    def _set(self, state: State, t: float, inputs: Inputs) -> None:
        """Evaluate laws and edges at a time (s), and take over what others give."""
        seen = replace(state, time=t)
        known = self.problem.known(state, self.reads) if self.reads else {}
        for c in self.conductors:
            c.set_values(seen, known)
            c.unknown.receive(given_to(self.problem, inputs, c.name))
        for s in self.surfaces:
            s.set_values(known, t)
        self.turning.take(inputs)
        currents, loads, powers = [], [], []
        for owner, edge in self.network.terminals:
            terminal = self.conductors[owner].terminals[edge]
            current, load, beyond, rate, power = (
                where_it_begins(law, self.mesh, edge, t, known) for law in terminal.laws
            )
            way = state.numbers[self._way(owner, edge)] if terminal.cycles else 1.0
            currents.append(way * current + load * beyond + rate * self._whole())
            loads.append(load)
            powers.append((power, beyond))
        self._refuse_more(currents)
        anew = not self.steady or any(c.unknown.grip.any() for c in self.conductors)
        self.network.lay(currents, loads, powers, anew, not self.fixed)

    def _refuse_more(self, currents: list[float]) -> None:
        """Raises StepFailed where an edge carries more than what reacts there lets pass."""
        for (owner, edge), current in zip(self.network.terminals, currents, strict=True):
            c = self.conductors[owner]
            for s in self.surfaces:
                if s.into is not c or not s.forms or c.terminals[edge].cycles is not None:
                    continue
                mine = c.legs.edge[s.legs] == edge
                least, most = s.bounds(mine)
                if mine.any() and not least <= current <= most:
                    limit, form = (most, "reduced") if current > 0 else (-least, "oxidised")
                    raise StepFailed(
                        f"current of {c.name}",
                        f"edge {self.mesh.edges[edge]}",
                        f"{abs(current):.4g} A is asked of it, and {limit:.4g} A is what can come of "
                        f"{s.forms.get(form, 'what reacts')} now: carry less, stir, or bring more",
                        is_final=True,
                    )

    def _whole(self) -> float:
        """C that all cells hold when full."""
        return sum(float(s.area.sum()) * s.charge for s in self.surfaces if isinstance(s, Cells))

    def _way(self, owner: int, edge: int) -> str:
        """Where it is kept whether an edge that is cycled takes current in, 1, or gives it, -1."""
        return self._name(self.conductors[owner].name, f"way_{edge}")

    def _beyond(self, state: State, x: Array) -> float:
        """V by which an edge that is cycled has passed where it turns; below nought where none has."""
        worst = -np.inf
        for n, (owner, edge) in enumerate(self.network.terminals):
            cycles = self.conductors[owner].terminals[edge].cycles
            if cycles is not None:
                up = state.numbers[self._way(owner, edge)] > 0
                v = float(x[self.network.first + n])
                worst = max(worst, v - cycles[1] if up else cycles[0] - v)
        return worst

    def _turn(self, state: State, x: Array) -> None:
        """Let those turn that have come to where they do."""
        for n, (owner, edge) in enumerate(self.network.terminals):
            cycles, name = self.conductors[owner].terminals[edge].cycles, self._way(owner, edge)
            if cycles is not None:
                way, v = state.numbers[name], float(x[self.network.first + n])
                if (way > 0 and v >= cycles[1]) or (way < 0 and v <= cycles[0]):
                    state.numbers[name] = -way

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        told = self._until_told_anew(state.time)
        sweeps = [sweep for c in self.conductors for _, sweep in c.swept]
        if not sweeps:
            if np.isfinite(told):
                return told, "a table of what is applied turns"
            return np.inf, "charge follows at once, and surfaces in steps of their own"
        turns = min(sweep.turns_in(state.time) for sweep in sweeps)
        part, words = min(sweep.half for sweep in sweeps) / ROWS, f"a sweep is told in {ROWS} steps"
        fine = FINE_SWEEP / max(sweep.rate for sweep in sweeps)
        if any(s.forms for s in self.surfaces) and fine < part:
            part, words = fine, f"what currents turn is told in steps of {1e3 * FINE_SWEEP:g} mV"
        return (turns, "a sweep turns") if turns < part else (part, words)

    def _until_told_anew(self, t: float) -> float:
        """s to the next row of a table that an edge follows; rows of a jump count as one."""
        soonest = np.inf
        for points in self.changes:
            later = points[points > t * (1.0 + SAME_TIME)]
            if later.size > 1 and later[0] - t < JUMP * (later[1] - later[0]):
                later = later[1:]
            if later.size:
                soonest = min(soonest, float(later[0]) - t)
        return soonest

    # ------------------------------------------------------------ solving

    def relax(self, state: State, inputs: Inputs) -> Work:
        self.network.begin()
        self._set(state, state.time, inputs)
        begun, rests = self._unknowns(state), self._held(state)
        try:
            x, passing = self.network.solve(begun, rests, 0.0)
            self._check(x, passing, rests, 0.0)
        except StepFailed:  # what only charges has no rest of its own, and may swing about none
            if self.swing is None or not self.stores:
                raise
            x, passing = begun, self.network.passing(begun, rests, 0.0)[0]
            passing.held = self.network.held(passing, rests, 0.0)
        turns = self.network.turns
        self._settle(state, x, passing, 1.0)
        if self.swing is not None:
            edge, omega = self.swing
            z = self.network.impedance(rests, x, omega, edge)
            for array, part in (("z_real", z.real), ("z_imaginary", z.imag)):
                self._of(state, "", array)[edge] = part
        moved = float(np.abs(x - begun).max(initial=0.0)) / (
            1.0 + float(np.abs(x).max(initial=0.0))
        )
        return Work(turns, {"charge": moved}, whole=True, way="one solve of all")

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        self.network.begin()
        self.turning.begin(state, t0, t1)
        try:
            return self._go(state, t0, t1, inputs)
        finally:
            self.turning.begin(state, t1, t1)  # what is looked at later is looked at as at rest

    def _go(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        if self.stores:
            return self._charge(state, t0, t1, inputs)
        self._set(state, t1, inputs)
        self._settle(
            state, *self.network.solve(self._unknowns(state), self._held(state), 0.0), t1 - t0
        )
        return Work(self.network.turns)

    def _settle(self, state: State, x: Array, passing: Passing, span: float) -> None:
        """Keep and book what one solve has found, for a time (s)."""
        self._keep(state, x)
        self._keep_across(state, passing, passing.held)
        self.sums = self._sums()
        self._add(state, passing, span)
        self._tell(state, passing, span)

    def _held(self, state: State) -> Bases:
        """What surfaces hold."""
        return [
            Held(
                tuple(self._of(state, s.name, part)[s.cells].copy() for part in s.PARTS),
                self._of(state, s.name, "on_walls").copy(),
            )
            for s in self.surfaces
        ]

    def _keep_held(self, state: State, s: Surface, held: Held) -> None:
        for part, values in zip(s.PARTS, held.pores, strict=True):
            self._of(state, s.name, part)[s.cells] = values
        self._of(state, s.name, "on_walls")[:] = held.walls

    def _charge(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        """From t0 to t1 in steps of its own: halves of halves of it, so that few lengths recur."""
        span, pace = t1 - t0, state.numbers.get(self._name("", "pace"), 0.0)
        level = max(0, math.ceil(math.log2(span / (pace or span / BEGINS)) - 1e-9))
        at, parts, turns = 0.0, 0, 0  # at : of the span that has gone
        held = begun = self._held(state)
        x, self.sums = self._unknowns(state), self._sums()
        passing = None
        while at < 1.0:
            step = 0.5**level
            h = span * step
            try:
                first, early, one = self._stage(
                    state, t0 + at * span + GAMMA * h, x, held, GAMMA * h, inputs
                )
                turns += self.network.turns
                part = (1.0 - GAMMA) / GAMMA
                base = [old.toward(new, part) for old, new in zip(held, early, strict=True)]
                ahead = x + (first - x) / GAMMA  # as if it went on straight
                last, late, two = self._stage(
                    state, t0 + (at + step) * span, ahead, base, GAMMA * h, inputs
                )
                turns += self.network.turns
                for s, own in zip(self.surfaces, late, strict=True):
                    s.refuse(own)
                off, over = self._bends(held, early, base, late), self._beyond(state, last)
            except StepFailed as failure:
                if level >= FINEST or failure.is_final:
                    raise
                level += 1
                continue
            if level < FINEST and (off > self.accuracy or over > self.accuracy):
                level += 1
                continue
            if over > self.accuracy:
                raise StepFailed(
                    "current",
                    "an edge that is cycled",
                    "it is so large that what is lost in conductors alone passes both voltages",
                )
            for there, passed, share in ((first, one, 1.0 - GAMMA), (last, two, GAMMA)):
                self._keep(state, there)
                self._add(state, passed, share * h)
            held, x, passing = late, last, two
            self._turn(state, x)
            at += step
            parts += 1
            state.numbers[self._name("", "pace")] = h
            if off < CALM * self.accuracy and level and (at / (2.0 * step)).is_integer():
                level -= 1
        assert passing is not None
        self.turning.take_up(begun, held)
        self._keep(state, x)
        self._keep_across(state, passing, held)
        self._tell(state, passing, span)
        return Work(turns, parts=parts)

    def _stage(
        self, state: State, t: float, x: Array, base: Bases, per: float, inputs: Inputs
    ) -> tuple[Array, Bases, Passing]:
        self._set(state, t, inputs)
        found, passing = self.network.solve(x, base, per)
        self._check(found, passing, base, per)
        return found, passing.held, passing

    def _check(self, x: Array, passing: Passing, base: Bases, per: float) -> None:
        """Whether shapes do, the first time that something flows. Raises StepFailed."""
        if self.is_checked:
            return
        uneven, off = self.network.uneven(x, passing, base, per)
        self.is_checked = uneven > 0.0
        if uneven > UNEVEN or off > OFF:
            raise StepFailed(
                "current through cells",
                "the whole plate",
                f"by shapes it is {100 * uneven:.1f} % of its mean off somewhere, and potentials "
                f"{1e3 * off:.2g} mV: more than {100 * UNEVEN:g} % or {1e3 * OFF:g} mV; solve in full",
                is_final=True,
            )

    def _bends(self, *stages: Bases) -> float:
        """V by which the two stages differ in where a step leads; see `Surface.bends`."""
        each = zip(self.surfaces, *stages, strict=True)
        return max((s.bends(*held) for s, *held in each), default=0.0)

    # ------------------------------------------------------------ what is kept of it

    def _sums(self) -> _Sums:
        self.turning.clear()
        return _Sums(
            [np.zeros(c.legs.row.size) for c in self.conductors],
            [np.zeros(s.area.size + s.meets.area.size) for s in self.surfaces],
            np.zeros(self.mesh.shape[1:]),
            [np.zeros(self.mesh.pieces.j.size) for _ in self.conductors],
            [{} for _ in self.conductors],
        )

    def _add(self, state: State, passing: Passing, span: float) -> None:
        """Add what passes over a time (s)."""
        sums = self.sums
        assert sums is not None
        for to, more in (
            (sums.legs, passing.legs),
            (sums.inside, self._inside(passing)),
            (sums.fluxes, passing.fluxes),
        ):
            for total, now in zip(to, more, strict=True):
                total += span * now
        for given, c in zip(sums.gifts, self.conductors, strict=True):
            for giver, amount in c.unknown.gave(self._of(state, c.name, "potential")).items():
                given[giver] = given.get(giver, 0.0) + span * amount
        if self.warms:
            sums.heat += span * self._heat(state, passing)
        self.turning.add(passing, span)

    def _inside(self, passing: Passing) -> list[Array]:
        """A that each surface passes in pores, and then where zones meet."""
        each = zip(self.surfaces, passing.pores, passing.walls, strict=True)
        return [np.concatenate([pores, s.met(walls)]) for s, pores, walls in each]

    def _heat(self, state: State, passing: Passing) -> Array:
        """W in every cell."""
        found = np.zeros(self.mesh.shape[1:])
        for c, legs in zip(self.conductors, passing.legs, strict=True):
            found += lost(self.mesh, c.unknown, self._of(state, c.name, "potential"), legs)
        for k, s in enumerate(self.surfaces):
            i = passing.pores[k] / np.maximum(s.area, 1e-300)
            found += s.heat_in(passing.held[k], passing.across[k], passing.wall_across[k], i)
        for k, s in self.meeting:
            found += s.meets.lost(s.met(passing.walls[k]))
        return np.where(self.mesh.live[0], found, 0.0)

    def _keep_across(self, state: State, passing: Passing, held: Bases) -> None:
        state.numbers[self._name("", "solved")] = 1.0
        for s, own, across, passes, walls in zip(
            self.surfaces, held, passing.across, passing.pores, passing.walls, strict=True
        ):
            beside = s.beside
            for array, on_walls, in_pores in (
                ("across", own.walls, across),
                ("density", walls / _some(s.wall_area), passes / _some(s.area)),
            ):
                told = self._of(state, s.name, array)
                told[beside.row, beside.column] = beside.mean(on_walls)
                told[s.cells] = in_pores
            self._keep_held(state, s, own)
            self._of(state, s.name, "met")[:] = s.met(walls)
            self._of(state, s.name, "passes")[s.cells] = passes / self.mesh.volume[0][s.cells]

    def _tell(self, state: State, passing: Passing, span: float) -> None:
        """Keep what is seen of it: currents, what edges are joined to, heat on average."""
        assert self.sums is not None
        self.last = passing
        volume = np.where(self.mesh.live[0], self.mesh.volume[0], 1.0)
        heat = self.sums.heat / span if self.warms else self._heat(state, passing)
        self._of(state, "", "heat")[:] = heat / volume
        self.turning.tell(state, span)
        for k, c in enumerate(self.conductors):
            potential = self._of(state, c.name, "potential")
            x, y = flows(self.mesh, c.unknown, potential, passing.legs[k])
            for n, s in self.meeting:
                along_x, along_y = s.meets.flows(c, s.met(passing.walls[n]))
                x, y = x + along_x / volume, y + along_y / volume
            self._of(state, c.name, "current_x")[:] = np.where(c.there, x, 0.0)
            self._of(state, c.name, "current_y")[:] = np.where(c.there, y, 0.0)
            joined = self._of(state, c.name, "terminals")
            joined[:] = np.nan
            held, areas = (
                np.bincount(c.legs.edge, weights, joined.size)
                for weights in (c.legs.area * c.unknown.held, c.legs.area)
            )
            tied = np.bincount(c.legs.edge, c.unknown.factor, joined.size) > 0
            joined[tied] = held[tied] / areas[tied]
            for n, (owner, edge) in enumerate(self.network.terminals):
                if owner == k:
                    joined[edge] = self._of(state, "", "joined")[n]

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        if what.kind is Potential:
            return Potential(state.fields[self._name(what.of, "potential")])
        if what.of in self.turning.names:
            return self.turning.offer(state, what.of)
        return Source(state.fields[self._name("", "heat")] * self.mesh.volume)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        found: dict[str, Budget] = {}
        if self.sums is None:
            return found
        for k, c in enumerate(self.conductors):
            budget = Budget("C" if t1 > t0 else "A", label=f"Charge of {c.unknown.what.words}")
            inward = c.unknown.by_edge(self.sums.legs[k], self.sums.fluxes[k])
            for n, edge in enumerate(self.mesh.edges):
                if inward[n]:
                    budget.cross(edge, -float(inward[n]))
            for s, amounts in zip(self.surfaces, self.sums.inside, strict=True):
                if c in (s.into, s.out_of):
                    passed, moved = float(amounts.sum()), float(np.abs(amounts).sum())
                    budget.moved += moved
                    if abs(passed) > ROUNDING * moved:
                        budget.made += passed * ((s.into is c) - (s.out_of is c))
            for giver, amount in self.sums.gifts[k].items():
                budget.give(giver, amount)
            if self.last is not None and t1 > t0:
                now = c.unknown.by_edge(self.last.legs[k], c.unknown.flux)
                budget.leaves = {
                    e: -float(i) for e, i in zip(self.mesh.edges, now, strict=True) if i
                }
            found[c.name] = budget
        return found

    def _member(self, name: str) -> tuple[int, Conductor]:
        return next((k, c) for k, c in enumerate(self.conductors) if c.name == name)

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """A/m3 that each cell gains, term by term."""
        k, c = self._member(member)
        self._set(state, state.time, inputs)
        u, volume = c.unknown, np.where(self.mesh.live[0], self.mesh.volume[0], 1.0)
        conducted = u.with_walls(
            neighbours(self._of(state, member, "potential"), u.link_x, u.link_y),
            self._legs(state, k),
        )
        passed = self._passed(state, c)
        for _, s in self.meeting:
            passed = passed + s.meets.gains(c, self._of(state, s.name, "met"))
        found = {"conduction": conducted, "passed": passed, "residual": conducted + passed}
        return {n: np.where(c.there, a / volume, 0.0)[None] for n, a in found.items()}

    def _passed(self, state: State, c: Conductor) -> Array:
        """A that surfaces in pores and others give to each cell."""
        u = c.unknown
        found = u.gift - u.grip * self._of(state, c.name, "potential")
        for s in self.surfaces:
            sign = float(s.into is c) - float(s.out_of is c)
            found += sign * self._of(state, s.name, "passes") * self.mesh.volume[0]
        return np.asarray(found)

    def _legs(self, state: State, k: int) -> Array:
        """A into the conductor through its legs, as the state stands; behind surfaces by what is lost
        before them.
        """
        c, network = self.conductors[k], self.network
        at, far = (c.legs.row, c.legs.column), network.leg_far[k]
        rest, bare = self._of(state, c.name, "potential")[at], c.coated.copy()
        for s in self.surfaces:
            if s.into is c:
                rest[s.legs] += self._on_walls(state, s)[: s.legs.size]
                bare[s.legs] = False
        conducts = np.where(c.there[at] & ~bare, c.unknown.factor, 0.0)
        beyond = c.unknown.held.copy()
        for n in range(len(network.terminals)):
            mine = far == network.first + n
            if mine.any() and network.powers[n][0] != 0.0:
                beyond[mine] = self._of(state, "", "joined")[n]
            elif mine.any():  # all of them together pass what the terminal carries
                total = network.given[network.first + n] + (conducts * rest)[mine].sum()
                beyond[mine] = total / (conducts[mine].sum() + network.loads[n])
        return np.asarray(conducts * (beyond - rest))

    def _on_walls(self, state: State, s: Surface) -> Array:
        """Voltage (V) across a surface on walls; where only cells tell, theirs."""
        if state.numbers.get(self._name("", "solved")):
            return self._of(state, s.name, "on_walls")
        return self._of(state, s.name, "across")[s.at]

    def at_walls(self, quantity: str, state: State, inputs: Inputs) -> AtWalls:
        """Through walls that a current passes; the value is the conductor's at the wall."""
        k, c = self._member(quantity)
        self._set(state, state.time, inputs)
        return c.unknown.at_walls(self._of(state, quantity, "potential"), self._legs(state, k))

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """A through faces, and what cells get from edges and surfaces."""
        k, c = self._member(quantity)
        self._set(state, state.time, inputs)
        u, potential = c.unknown, self._of(state, quantity, "potential")
        gained = u.with_walls(self._passed(state, c), self._legs(state, k))
        gained = np.where(c.there, gained, 0.0)
        x = u.link_x * (roll(potential, 1, 1) - potential)
        y = u.link_y * (roll(potential, 1, 0) - potential)
        for _, s in self.meeting:
            if c in (s.into, s.out_of):
                met = self._of(state, s.name, "met")
                along_x, along_y = s.meets.through(met)
                x, y, gained = x + along_x, y + along_y, gained - s.meets.beyond(c, met)
        return Crossing(x, y, gained)

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self._name(c.name, "potential"): (LEAST, MOST) for c in self.conductors}


def _some(area: Array) -> Array:
    """Never nought."""
    return np.maximum(area, 1e-300)
