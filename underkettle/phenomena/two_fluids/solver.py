"""Two fluids, carried by the stream as it was when the step began; the stream then takes over what
they weigh, and the mass that went through faces meanwhile, so that momentum goes along with it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Apart,
    Budget,
    Carrier,
    Flows,
    Force,
    Inputs,
    Medium,
    Offer,
    Problem,
    Provides,
    StepFailed,
    Work,
    not_at_rest,
)
from underkettle.engine.contract.streams import centred, cross_edges
from underkettle.engine.interface.drawing import CLEAR, draw, plane, weigh
from underkettle.engine.interface.filling import means, shares
from underkettle.engine.interface.fractions import Fractions
from underkettle.engine.interface.lumps import Lumps
from underkettle.engine.marching.state import State
from underkettle.phenomena.two_fluids.happened import NUMBER, nothing, with_more
from underkettle.phenomena.two_fluids.limits import wave_time
from underkettle.phenomena.two_fluids.naming import (
    DROP,
    FILLED,
    HOLDS,
    LETS_IN,
    LETS_OUT,
    LEVEL,
    WALL,
    alike,
    fluids,
    pair,
)
from underkettle.quantities import Place

Array = np.ndarray

LOW, HIGH = -1e-6, 1.0 + 1e-6  # that shares may reach before they are trimmed
WORDS = "share of the first fluid"
ARRAYS = (
    *("first", "second", "bend", "pull_x", "pull_y", "hold_x", "hold_y", "mass_x", "mass_y"),
    *("lumps_first", "lumps_second"),
)
STAY = (
    100.0  # times as strong as shear over one cell: what lets nothing pass a contact that is held
)


class TwoFluidsSolver:
    """Shares of both fluids (`first`, `second`) in cells, and what their interface does."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        settings = problem.settings()
        self.names = list(fluids(settings))[:2]
        self.density, self.viscosity = pair(settings, "density"), pair(settings, "viscosity")
        self.tension = settings["tension"]
        self.fractions = Fractions(self.mesh)
        self.edges = problem.edge_conditions()
        self.in_whole = self.mesh.matching(problem.whole)
        self.budgets: dict[str, Budget] = {}
        self.steady = all(law.steady for law in self._laws())
        self.brought = np.zeros(self.mesh.pieces.j.size)  # share of the first in what pieces let in
        self.told = False  # what edges say
        self.finest = self.mesh.grid.finest
        self.least = float(np.median(self.mesh.full_volume[0][self.mesh.live[0]]))
        self.stays = STAY * max(self.viscosity) / self.finest**2  # N s/m4
        self.even = alike(self.tension)
        # what tension counts for in cells, and which way the interface faces there
        self.weight, self.normal = (
            np.zeros(self.mesh.shape[1:]),
            np.zeros((2, *self.mesh.shape[1:])),
        )
        self.lumps = Lumps(self.mesh, self._beside_openings())

    def _beside_openings(self) -> Array:
        """Cells beside edges that a stream passes."""
        pieces, found = self.mesh.pieces, np.zeros(self.mesh.shape[1:])
        for k, edge in enumerate(self.mesh.edges):
            if edge in self.edges and self.edges[edge].kind not in (WALL, HOLDS):
                rows = pieces.of(k)
                found[pieces.j[rows], pieces.i[rows]] = 1.0
        return found

    def _laws(self) -> list[Any]:
        return [law for g in self.edges.values() for law in g.values.values() if hasattr(law, "at")]

    def _name(self, array: str) -> str:
        return self.problem.state_name(array)

    def _of(self, state: State, array: str) -> Array:
        found = state.fields[self._name(array)]
        return found[0] if found.ndim == 3 else found

    # ------------------------------------------------------------ the state

    def start(self, state: State) -> None:
        shape, pieces = self.mesh.shape, self.problem.whole.pieces.j.size
        for array in ARRAYS:
            state.fields[self._name(array)] = np.zeros(shape)
        state.fields[self._name("mass_through")] = np.zeros(pieces)
        state.numbers[self._name("sweeps")] = 0.0
        state.numbers[self._name("fresh")] = 1.0
        self._refuse_split()
        first = self._of(state, "first")
        for zone, given in self.problem.start_conditions().items():
            inside = self.mesh.zone_cells(zone)[0]
            first[inside] = self._begins(given.kind, given.values)[inside]
        self.mesh.grid.wrap(first)
        self._set_edges(state.time)
        self.fractions.take(first)
        self._keep(state, (np.zeros(shape), np.zeros(shape)), state.time)

    def _begins(self, kind: str, values: Any) -> Array:
        """Shares of the first fluid at the start, (ny + 3, nx + 3)."""
        if kind == FILLED:
            value, cuts = values["value"], self.fractions.cuts
            return means(self.mesh.grid, lambda x, y: value.at(Place(x=x, y=y)), cuts)
        if kind == LEVEL:
            level, axis = float(values["level"]), "xy".index(values["along"])
            return self._within(lambda x, y: level - (x, y)[axis])
        if kind == DROP:
            at, radius = (float(values["x"]), float(values["y"])), float(values["radius"])
            sign = 1.0 if values["of"] == "first" else -1.0
            return self._within(lambda x, y: sign * (radius - np.hypot(x - at[0], y - at[1])))
        return self._within(lambda x, y: values["inside"].at(Place(x=x, y=y)))

    def _within(self, inside: Callable[[Array, Array], Array]) -> Array:
        return shares(self.mesh.grid, inside, self.fractions.cuts)

    def _refuse_split(self) -> None:
        """Raises StepFailed where walls leave two openings of one cell."""
        if self.fractions.cuts.split:
            j, i = self.fractions.cuts.split[0]
            raise StepFailed(
                WORDS,
                self.mesh.grid.spot(j, i),
                "walls leave two openings of a cell there, or end within it: an interface is followed "
                "where each cell has one; take finer cells there, or thicker walls",
                is_final=True,
            )

    def _set_edges(self, t: float) -> None:
        """Angles and what comes in at a time (s)."""
        if self.steady and self.told:
            return
        self.told = True
        pieces = self.mesh.pieces
        angles, brought = np.full((2, pieces.j.size), np.nan), np.zeros(pieces.j.size)
        for k, edge in enumerate(self.mesh.edges):
            given, rows = self.edges.get(edge), pieces.of(k)
            if given is None:
                continue
            at = pieces.place(t)[rows]
            if given.kind == WALL:
                angles[:, rows] = given.values["angle"].at(at)
            elif given.kind == HOLDS:
                angles[0, rows] = given.values["receding"].at(at)
                angles[1, rows] = given.values["advancing"].at(at)
            elif given.kind in (LETS_IN, LETS_OUT):
                brought[rows] = given.values["value"].at(at)
        self.fractions.set_angles(*angles)
        self.brought = brought

    def _keep(self, state: State, speeds: tuple[Array, Array], t: float) -> None:
        """Keep shares, and what follows from where the interface is at a time (s). speeds : m/s on
        faces.
        """
        own = self.fractions
        first, second = self._of(state, "first"), self._of(state, "second")
        own.give(first)
        second[:] = np.where(self.mesh.there[0], 1.0 - first, 0.0)
        bend = self._of(state, "bend")
        bend[:] = np.nan
        if self.even != 0.0:
            own.bends()
            own.on_mesh(own.pull_x, self._of(state, "pull_x"))
            own.on_mesh(own.pull_y, self._of(state, "pull_y"))
            own.on_cells(np.where(own.known, own.bend, np.nan), bend)
            if own.holds:
                own.holding(self._of(state, "hold_x"), self._of(state, "hold_y"))
        ends = own.pieces()
        line = np.arange(len(ends), dtype=float)
        rows = np.empty((2 * len(ends), 3))
        rows[0::2], rows[1::2] = (
            np.column_stack([ends[:, 2 * end], ends[:, 2 * end + 1], line]) for end in (0, 1)
        )
        state.tables[self._name("interface")] = rows
        self._follow(state, speeds, ends, t)

    def _follow(self, state: State, speeds: tuple[Array, Array], pieces: Array, t: float) -> None:
        """Keep the lumps of both fluids by their numbers, and what has happened to them."""
        lumps, told, fresh = self._name("lumps"), self._name("happened"), self._name("fresh")
        u, v = (speed[0] for speed in centred(self.mesh, *speeds))
        before, rows = state.tables.get(lumps), []
        table = state.tables.get(told, nothing())
        for fluid, name in enumerate(("first", "second")):
            share = self._of(state, name)
            kept, events, state.numbers[fresh] = self.lumps.follow(
                share, self._of(state, f"lumps_{name}"), state.numbers[fresh]
            )
            found = self.lumps.of(share, u, v, pieces, kept)
            rows.append(np.column_stack([np.full(len(found), float(fluid)), found]))
            if before is not None and events:
                was = {row[NUMBER]: row for row in before if row[0] == fluid}
                now = {row[NUMBER]: row for row in rows[-1]}
                table = with_more(table, t, fluid, events, was, now, self.least)
        state.tables[lumps], state.tables[told] = np.concatenate(rows), table

    # ------------------------------------------------------------ steps

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        tension = self.even
        if tension is None:
            given = self._weigh(state)
            tension = float(np.max(given, where=self.weight > 0.0, initial=0.0))
        if tension <= 0.0:
            return np.inf, "no surface tension"
        longest = wave_time(self.density, tension, self.finest)
        return longest, "the shortest wave that surface tension lets run"

    def _weigh(self, state: State) -> Array:
        """Tension (N/m) by its law, where that is known; what counts of it, and which way the interface
        faces, are kept.
        """
        reads = self.tension.reads
        known = self.problem.known(state, reads) if reads else {}
        told = np.asarray(self.tension.at(self.mesh.place(state.time), known), float)
        given = np.ascontiguousarray(np.broadcast_to(told, self.weight.shape))
        grid, first = self.mesh.grid, self._of(state, "first")
        live, wide = self.mesh.live[0], (grid.widths(0), grid.widths(1))
        weigh(first, live, given, *wide, self.weight, self.normal)
        grid.wrap(self.weight)
        grid.wrap(self.normal)
        return given

    def _refuse_below(self, state: State) -> None:
        """Raises StepFailed where tension is below nought."""
        given = self._weigh(state)
        tension = np.where(self.weight > CLEAR, given, 0.0)
        if tension.min() < 0.0:
            j, i = np.unravel_index(np.argmin(tension), tension.shape)
            raise StepFailed(
                WORDS,
                self.mesh.grid.spot(int(j), int(i)),
                f"the tension is {1e3 * tension.min():.3g} mN/m there: keep it above nought, as by "
                "max(..., 1 mN/m)",
                is_final=True,
            )

    def _draws(self, state: State) -> Array:
        """What tension that differs draws with on x faces and y faces (2, ny + 3, nx + 3), N/m3."""
        given, live, grid = self._weigh(state), self.mesh.live[0], self.mesh.grid
        middles, pulls = (grid.centres(0), grid.centres(1)), ("pull_x", "pull_y")
        tension, (slope, force) = np.empty_like(given), np.zeros((2, *self.normal.shape))
        plane(live, given, self.weight, *middles, self.normal, tension, slope)
        for around in (self.normal, tension, slope):
            grid.wrap(around)
        pull = np.stack([self._of(state, n) for n in pulls])
        draw(self._of(state, "first"), live, self.normal, tension, slope, pull, *middles, force)
        return grid.wrap(force)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        carrier = inputs.get(Carrier, FLUID)
        assert carrier is not None
        own, dt = self.fractions, t1 - t0
        self._set_edges(t1)
        own.take(self._of(state, "first"))
        before = own.volume()
        # flows at the very start need not close
        moves = carrier.span is not None or state.numbers[self._name("sweeps")] > 0.0
        volume = carrier.volume
        through = np.where(self.in_whole >= 0, volume.through[self.in_whole], 0.0)
        share = 1.0 if moves else 0.0
        own.set_flows(share * volume.x[0], share * volume.y[0], share * through, self.brought)
        own.advance(dt, state.numbers[self._name("sweeps")] % 2.0 == 1.0)
        state.numbers[self._name("sweeps")] += 1.0
        if not np.isfinite(own.over):
            raise StepFailed(WORDS, "the whole vessel", "not a finite number")
        self._book(state, before, share * through, dt)
        self._keep(state, (carrier.u, carrier.v), t1)
        if self.even is None:
            self._refuse_below(state)
        return Work(1)

    def _book(self, state: State, before: float, through: Array, dt: float) -> None:
        """Keep the mass that passed faces and pieces, and book both fluids."""
        own = self.fractions
        heavier = self.density[0] - self.density[1]
        for flow, passed, name in (
            (own.flow_x, own.passed_x, "mass_x"),
            (own.flow_y, own.passed_y, "mass_y"),
        ):
            own.on_mesh(self.density[1] * flow + heavier / dt * passed, self._of(state, name))
        first = own.through(own.passed_x, own.passed_y)
        mass = self._of(state, "mass_through")
        mass[:] = 0.0
        mass[self.in_whole] = self.density[1] * through + heavier / dt * first
        room, now = own.all_volume(), own.volume()
        moved = float(np.abs(own.passed_x).sum() + np.abs(own.passed_y).sum())
        for k, name in enumerate(self.names):
            begun, ended, outward = (
                (before, now, first)
                if k == 0
                else (room - before, room - now, dt * through - first)
            )
            budget = Budget("m3", label=f"Volume of {name.replace('_', ' ')}")
            cross_edges(budget, self.mesh, outward)
            budget.began, budget.held, budget.stored = begun, ended, ended - begun
            budget.moved = moved
            self.budgets[name] = budget

    def relax(self, state: State, inputs: Inputs) -> Work:
        raise not_at_rest(WORDS)

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer:
        if what.kind is Apart:
            return self.fractions.apart()
        if what.kind is Force:
            holds = self.fractions.holds
            stays = [
                self.stays * state.fields[self._name(n)] if holds else None
                for n in ("hold_x", "hold_y")
            ]
            if self.even is None:
                x, y = self._draws(state)[:, None]
            else:
                x, y = (self.even * state.fields[self._name(n)] for n in ("pull_x", "pull_y"))
            return Force(x, y, *stays)
        share = state.fields[self._name("first")]
        one, two = self.density
        thick, thin = self.viscosity
        return Medium(
            two + share * (one - two),
            thin + share * (thick - thin),
            Flows(*(state.fields[self._name(f"mass_{n}")] for n in ("x", "y", "through"))),
            min(self.density),
        )

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return dict(self.budgets) if t1 > t0 else {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self._name("first"): (LOW, HIGH)}
