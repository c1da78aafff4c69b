"""Reactions as sources: at rest as fast as they run, in time by what each cell comes to in a step."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Composition,
    Inputs,
    Offer,
    Pores,
    Problem,
    Provides,
    Source,
    StepFailed,
    Temperature,
    Ties,
    Turbulence,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.operators.kinetics import (
    UNSTIRRED,
    carry_through,
    rates_in,
    unwarmed,
    used_up,
)
from underkettle.matter.reaction import ReactionError
from underkettle.phenomena.reactions.mechanism import as_rates, names_in, read_steps
from underkettle.phenomena.reactions.places import ON_WALL, ball, share_in, thiele
from underkettle.phenomena.reactions.walls import Walls

Array = np.ndarray

FAINT = 1e-4  # of the largest concentration: below it an order under one is a line
FAINTEST = 1e-6  # mol/m3
COLDEST, HOTTEST = 100.0, 6000.0  # K, within which laws are asked on the way to rest
HEAT, WARM = "heat", "temperature"
DISSIPATED = 0.09  # of the energy of eddies, each time they turn over
HALF = 0.5  # of what there is, that may go by other ways while it reacts


@dataclass(frozen=True)
class _Seen:
    """In open cells: concentrations of what takes part (n, cells), what they rise by, temperature (K),
    what one mole of each is, and J that a mole of each reaction gives off (reactions, cells); holds :
    as `carry_through` takes it, where what reacts warms itself by enthalpies, else None. eddies : how
    fast they mix (1/s). more : mol/m3 of what takes no part but may help. films : how fast each comes
    to pieces of the outline (m/s), where walls react.
    """

    c: Array
    rises: Array
    temperature: Array
    mole: list[float]
    heats: Array
    holds: Array | None
    eddies: Array
    more: Array
    films: Array | None


class ReactionSolver:
    """Solves for nothing: how fast each reaction runs follows from what others hold."""

    def __init__(self, problem: Problem) -> None:
        self.problem, self.mesh = problem, problem.mesh
        settings = problem.settings()
        self.names = names_in(settings)
        try:
            found = read_steps(settings)
        except ReactionError as error:
            raise StepFailed("reactions", "the whole vessel", str(error)) from error
        self.labels, self.steps = list(found), list(found.values())
        self.rates = as_rates(self.steps, self.names)
        self.heat = np.array([step.heat for step in self.steps])
        self.given_temperature = settings.get("temperature")
        self.zones = [problem.zone_conditions(n) for n in self.labels]
        self.edges = [problem.edge_conditions(n) for n in self.labels]
        self.steady = all(
            getattr(v, "steady", True)
            for places in (*self.zones, *self.edges)
            for given in places.values()
            for v in given.values.values()
        )
        self.in_whole = self.mesh.matching(problem.whole)
        self.live = self.mesh.live[0]
        self.at = np.flatnonzero(self.live)
        self.state_names = {
            **{f"rate {n}": problem.state_name(f"{n}.rate") for n in self.labels},
            **{
                f"{k} {n}": problem.state_name(f"{n}.{k}")
                for n in self.names
                for k in ("made", "held")
            },
            "warms": problem.state_name("warms"),
            "own": problem.state_name("own_step"),
            **{
                f"{k} {n}": problem.state_name(f"{n}.{k}")
                for n in (*self.names, WARM)
                for k in ("then", "ran")
            },
        }
        self.kept = (*self.names, WARM)
        self.lasted = problem.state_name("lasted")
        self.unwarmed = unwarmed(len(self.labels))
        self.itself = problem.state_name("warms_itself")
        self.on_walls = any(g.kind == ON_WALL for edges in self.edges for g in edges.values())
        self.share: Array | None = None
        self.walls: Walls | None = None
        self.grains: list[
            tuple[int, Array, dict[str, Array]]
        ] = []  # reaction, cells, numbers there
        self.room = np.ones(self.at.size)  # share of each open cell that matter leaves open

    def start(self, state: State) -> None:
        for name in self.state_names.values():
            state.fields[name] = np.zeros(self.mesh.shape)
        state.numbers[self.lasted] = 0.0

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "reactions keep a pace of their own"

    def _array(self, state: State, name: str) -> Array:
        return state.fields[self.state_names[name]][0]

    def _see(self, state: State, inputs: Inputs) -> _Seen:
        there, warm = inputs.get(Composition, FLUID), inputs.get(Temperature, FLUID)
        if there is None:
            raise StepFailed("reactions", "the whole vessel", "nothing tells what there is")
        for name in self.names:
            if name not in there.names:
                raise StepFailed("reactions", "the whole vessel", f"nobody follows {name}")
        found = [there.names.index(name) for name in self.names]

        def open_(of: Array) -> Array:
            return of.reshape(len(there.names), -1)[np.ix_(np.array(found), self.at)]

        if warm is not None:
            temperature = np.clip(warm.value[0].ravel()[self.at], COLDEST, HOTTEST)
        else:
            temperature = np.full(self.at.size, float(self.given_temperature or 293.15))
        heats, holds = np.broadcast_to(self.heat[:, None], (len(self.heat), self.at.size)), None
        if warm is not None and warm.capacity is not None and there.enthalpies is not None:
            heats = np.ascontiguousarray(-self.rates.made @ open_(there.enthalpies))
            rise = np.zeros(self.mesh.shape) if warm.rise is None else warm.rise
            holds = np.stack([a[0].ravel()[self.at] for a in (warm.capacity, rise)])
        return _Seen(
            np.ascontiguousarray(open_(there.amounts)),
            open_(there.rises),
            np.ascontiguousarray(temperature),
            [there.mole[k] for k in found],
            heats,
            holds,
            self._mixing(inputs),
            self._others(there, found),
            self._films(there, found),
        )

    def _films(self, there: Composition, found: list[int]) -> Array | None:
        """How fast each of those found comes to pieces of the outline (m/s), where walls react."""
        if not self.on_walls:
            return None
        if there.films is None:
            raise StepFailed(
                "reactions", "a wall", "nothing tells how fast what reacts comes to it"
            )
        return np.where(self.in_whole >= 0, there.films()[found][:, self.in_whole], 0.0)

    def _others(self, there: Composition, found: list[int]) -> Array:
        """mol/m3 of all in open cells that is none of those found."""
        known = there.amounts.reshape(len(there.names), -1)[:, self.at]
        total = known.sum(axis=0) if there.total is None else there.total.reshape(-1)[self.at]
        return np.asarray(np.maximum(total - known[found].sum(axis=0), 0.0))

    def _mixing(self, inputs: Inputs) -> Array:
        """How fast eddies mix in open cells (1/s): what is dissipated over what they hold."""
        stirred = inputs.get(Turbulence, FLUID)
        if stirred is None:
            return np.full(self.at.size, UNSTIRRED)
        return np.ascontiguousarray(DISSIPATED * stirred.rate.reshape(-1)[self.at])

    def _lay(self, state: State) -> None:
        """How much of each reaction runs in each open cell, grains as if all of them took part."""
        self.share = np.zeros((len(self.labels), self.at.size))
        self.grains = []
        here = self.mesh.place(state.time)
        self.walls = Walls.of(self.mesh, self.at, self.edges, state.time)
        for j, zones in enumerate(self.zones):
            for zone, given in zones.items():
                inside = np.flatnonzero(self.mesh.zone_cells(zone)[0].ravel()[self.at])
                if given.kind == "rests" or not inside.size:
                    continue
                numbers = {
                    n: np.broadcast_to(
                        v.at(here) if hasattr(v, "at") else v, self.live.shape
                    ).ravel()[self.at[inside]]
                    for n, v in given.values.items()
                }
                open_ = self.room[inside] if given.kind == "runs" else 1.0
                self.share[j, inside] = open_ * share_in(given.kind, numbers)
                if given.kind == "in grains":
                    self.grains.append((j, inside, numbers))

    def _shares(self, state: State, inputs: Inputs, seen: _Seen) -> Array:
        """How much of each reaction runs in a volume of each open cell, matter included (reactions,
        cells).
        """
        c, temperature = seen.c, seen.temperature
        pores = inputs.get(Pores, FLUID)
        room = np.ones(self.at.size) if pores is None else pores.porosity[0].ravel()[self.at]
        if self.share is None or not self.steady or not np.array_equal(room, self.room):
            self.room = room
            self._lay(state)
        assert self.share is not None
        share = self.share.copy() if self.grains else self.share
        for j, inside, numbers in self.grains:
            amounts = dict(zip(self.names, c[:, inside], strict=True))
            key, order, k = self.steps[j].alone(amounts, temperature[inside])
            now = np.maximum(amounts[key], FAINTEST)
            share[j, inside] *= ball(thiele(k, now, order, numbers["grain"], numbers["inside"]))
        return share

    def _told_walls(self, seen: _Seen) -> tuple[Any, ...]:
        """What walls that react are told of cells."""
        assert seen.films is not None
        faint = self._faint(seen.c)
        return self.rates, seen.c, seen.temperature, seen.films, seen.more, faint

    def _feed(self, state: State, c: Array, temperature: Array, span: float) -> Array:
        """What came of each substance (mol/(m3 s)) and of warmth (K/s) by other ways in the step
        before, as far as it leaves half of what there is: what reacts in a step reacts among it.
        """
        lasted = state.numbers[self.lasted]
        if lasted <= 0.0:
            return np.zeros((len(c) + 1, 0))
        now = np.concatenate([c, temperature[None]])
        then = np.stack([self._array(state, f"then {n}").ravel()[self.at] for n in self.kept])
        made = np.stack([self._array(state, f"ran {n}").ravel()[self.at] for n in self.kept])
        came = (now - then) / lasted - made
        return np.ascontiguousarray(np.maximum(came, -HALF * np.abs(now) / span))

    def _remember(
        self, state: State, c: Array, temperature: Array, made: Array, warmed: Array, span: float
    ) -> None:
        """Keep what a step began with, and what reactions made of it, per second."""
        for n, began, came in zip(
            self.kept, [*c, temperature], [*made / span, warmed / span], strict=True
        ):
            self._array(state, f"then {n}").ravel()[self.at] = began
            self._array(state, f"ran {n}").ravel()[self.at] = came
        state.numbers[self.lasted] = span

    def _faint(self, c: Array) -> Array:
        return np.full(len(c), max(FAINT * float(c.max(initial=0.0)), FAINTEST))

    def _book(self, state: State, rate: Array, grip: Array, seen: _Seen) -> None:
        """Keep how fast each runs and what that makes of each substance per volume: made, less what is
        held of the quantity's value.
        """
        for j, label in enumerate(self.labels):
            self._array(state, f"rate {label}").ravel()[self.at] = rate[j]
        self._array(state, "warms").ravel()[self.at] = (seen.heats * rate).sum(axis=0)
        state.numbers[self.itself] = float(seen.holds is not None)
        made = self.rates.made.T @ rate
        for i, name in enumerate(self.names):
            mole = seen.mole[i]
            value = mole * (made[i] + grip[i] * seen.c[i])
            self._array(state, f"made {name}").ravel()[self.at] = value
            self._array(state, f"held {name}").ravel()[self.at] = mole * grip[i] * seen.rises[i]

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        seen, span = self._see(state, inputs), t1 - t0
        c, temperature = seen.c, seen.temperature
        share = self._shares(state, inputs, seen)
        if self.walls is not None:
            share = share.copy()
            more = self.walls.shares(*self._told_walls(seen))
            self.walls.add(share, more)
        share = share / self.room
        begin = self._array(state, "own").ravel()[self.at]
        feed, warm = self._feed(state, c, temperature, span), temperature.copy()
        heats, holds = (seen.heats, seen.holds) if seen.holds is not None else self.unwarmed
        run, parts = np.zeros((len(self.labels), self.at.size)), np.zeros(self.at.size, np.int64)
        carry_through(
            c.copy(),
            warm,
            share,
            span,
            *self.rates,
            seen.eddies,
            seen.more,
            self._faint(c),
            begin,
            run,
            parts,
            heats,
            holds,
            feed,
        )
        warmed = np.zeros(self.at.size)
        if seen.holds is not None:
            warmed = warm - temperature - (feed[-1] * span if feed.shape[1] else 0.0)
        self._remember(state, c, temperature, self.rates.made.T @ run, warmed, span)
        if parts.min(initial=0) < 0:
            j, i = np.unravel_index(self.at[int(parts.argmin())], self.live.shape)
            raise StepFailed(
                "reactions", self.mesh.grid.spot(j, i), "too stiff to be followed through a step"
            )
        self._array(state, "own").ravel()[self.at] = begin
        self._book(state, self.room * run / span, np.zeros(c.shape), seen)
        return Work(parts=max(1, int(parts.max(initial=1))))

    def _running(self, state: State, inputs: Inputs) -> tuple[_Seen, Array, Array]:
        """How fast all run as things are, and their slopes: see `rates_in`."""
        seen, many = self._see(state, inputs), len(self.labels)
        share = self._shares(state, inputs, seen)
        rate = np.zeros((many, self.at.size))
        slopes = np.zeros((many, len(self.names) + 1, self.at.size))
        faint = self._faint(seen.c)
        around = (seen.eddies, seen.more, faint)
        rates_in(seen.c, seen.temperature, share, *self.rates, *around, rate, slopes)
        if self.walls is not None:
            run, rises = self.walls.running(*self._told_walls(seen))
            self.walls.add(rate, run)
            self.walls.add(slopes, rises)
        return seen, rate, slopes

    def relax(self, state: State, inputs: Inputs) -> Work:
        seen, rate, slopes = self._running(state, inputs)
        state.numbers[self.lasted] = 0.0
        self._book(state, rate, used_up(self.rates.made, slopes), seen)
        return Work()

    def ties(self, state: State, inputs: Inputs) -> Ties:
        seen, _, slopes = self._running(state, inputs)
        n = len(self.names)
        volume, mole = self.mesh.volume[0].ravel()[self.at], np.array(seen.mole)
        made = np.einsum("ji,jkp->ikp", self.rates.made * mole, slopes) * volume
        made[:, :n] *= seen.rises
        rises = np.zeros((n, n + 1, self.live.size))
        rises[:, :, self.at] = made
        return Ties(tuple(self.names), rises.reshape(n, n + 1, *self.live.shape))

    def offer(self, what: Provides, state: State) -> Offer | None:
        volume = self.mesh.volume
        if what.of == HEAT:
            if state.numbers.get(self.itself):
                return Source(np.zeros(self.mesh.shape))
            return Source(state.fields[self.state_names["warms"]] * volume)
        made, held = (state.fields[self.state_names[f"{k} {what.of}"]] for k in ("made", "held"))
        return Source(made * volume, held * volume)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {}
