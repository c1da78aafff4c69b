"""All conductors as one system of equations: what each cell and each terminal gains, and Newton's
method over it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy.sparse as sparse
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

from underkettle.engine.contract import StepFailed
from underkettle.engine.linear.tied import Tied, factor_even
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.diffusion import steady_matrix
from underkettle.phenomena.charge.conductors import Conductor
from underkettle.phenomena.charge.shapes import scaled, shapes_of
from underkettle.phenomena.charge.surfaces import Held, Surface

Array = np.ndarray

MOST = 80  # turns of Newton's method
SMALLEST = 1.0 / 256  # part of a step, below which it leads nowhere
BOLDEST = 0.2  # V that a reacting surface may change by in one turn
SLOW = 0.2  # what an old factorisation must take the change down to, or it is made anew
SETTLED = 1e-12  # of the largest potential, and a volt
SETTLED_NEAR = 1e-11  # where each turn brings it only so much nearer
STALLED = 1e3  # times that, at which rounding may keep it from falling
KEPT = 6  # factorisations that are kept for steps as long as earlier ones
FINE = 8  # steps of a doubling that the ease of surfaces is rounded to
TRIES, SAME_POWER = 40, 1e-12  # of a current that brings a power, and of the power
QUICK = 1e-4  # of a change, that the next one is of it near the end, with a slope that is true
LITTLE = 1e-4  # A/m2 that is no current
WORDS = "potential"


@dataclass
class Passing:
    """What passes (A) at potentials that were found: legs of each conductor and given fluxes, inward;
    surfaces in pores, and on walls and where zones meet, from the first conductor to the second; the
    voltage across these (V); and what they hold then.
    """

    legs: list[Array]
    fluxes: list[Array]
    pores: list[Array]
    walls: list[Array]
    across: list[Array]
    wall_across: list[Array]
    held: list[Held]


class Network:
    """Unknowns are the potentials of each conductor's cells, one after the other, and of terminals."""

    def __init__(
        self, mesh: Mesh, conductors: Sequence[Conductor], surfaces: Sequence[Surface]
    ) -> None:
        self.mesh, self.conductors, self.surfaces = mesh, list(conductors), list(surfaces)
        self.index, size = [], 0
        for conductor in conductors:
            index = np.full(conductor.there.shape, -1)
            count = int(conductor.there.sum())
            index[conductor.there] = np.arange(size, size + count)
            self.index.append(index)
            size += count
        self.terminals = [
            (c, edge) for c in range(len(conductors)) for edge in conductors[c].terminals
        ]
        self.size = size + len(self.terminals)
        self.leg_cell, self.leg_far = [], []
        for c, conductor in enumerate(conductors):
            legs, far = conductor.legs, np.full(conductor.legs.row.size, -1)
            for n, (owner, edge) in enumerate(self.terminals):
                if owner == c:
                    far[legs.edge == edge] = size + n
            self.leg_cell.append(self.index[c][legs.row, legs.column])
            self.leg_far.append(far)
        self.first = size  # terminal
        # legs that nothing but a resistance stands in, and those of them that end at what is known
        self.plain = [
            ~c.coated & (cell >= 0) for c, cell in zip(conductors, self.leg_cell, strict=True)
        ]
        self.is_held = [
            plain & (far < 0) for plain, far in zip(self.plain, self.leg_far, strict=True)
        ]
        self.passes = [cell >= 0 for cell in self.leg_cell]  # legs that nothing closes
        for c, conductor in enumerate(conductors):
            free = [s.legs for s in surfaces if s.into is conductor]
            closed = conductor.coated.copy()
            closed[np.concatenate([np.zeros(0, int), *free])] = False
            self.passes[c] = self.passes[c] & ~closed
        of = {conductor.name: k for k, conductor in enumerate(conductors)}
        self.into = [of[s.into.name] for s in surfaces]
        self.out_of = [-1 if s.out_of is None else of[s.out_of.name] for s in surfaces]
        # cells before walls and before faces where both meet, and what lies beyond
        self.wall_cell, self.wall_far = [], []
        for k, s in enumerate(surfaces):
            self.wall_cell.append(self.index[self.into[k]][s.at])
            beyond = self.index[self.out_of[k]][s.meets.first]
            self.wall_far.append(np.concatenate([self.leg_far[self.into[k]][s.legs], beyond]))
        self.before = [np.zeros(s.wall_area.size) for s in surfaces]  # ohm m2 before walls
        self.linear: Any = None
        self.given = np.zeros(self.size)
        self.loads: list[float] = []
        self.powers: list[tuple[float, float]] = []
        self.shapes: Array | None = None
        self.reduced: Array | None = None  # the linear part, shape by shape
        self.apart: list[Array] = []  # shapes across every surface in pores
        self.is_reduced = False
        near = any(s.drifts for s in surfaces) and not any(s.reacts for s in surfaces)
        self.is_near = near  # whether even surfaces give factors that are near enough
        self.settled = SETTLED_NEAR if near else SETTLED
        # whether shapes are kept, so that it pays to begin with them
        spreads = all(c.unknown.spread_steady for c in conductors)
        self.keeps = spreads and bool(surfaces) and all(s.drifts for s in surfaces)
        self.known_lus: dict[tuple[float, ...], Any] = {}
        self.recent: dict[float, Any] = {}
        self.turns = 0

    # ------------------------------------------------------------ what does not change in a solve

    def lay(
        self,
        currents: Sequence[float],
        loads: Sequence[float],
        powers: Sequence[tuple[float, float]],
        anew: bool,
        changed: bool,
    ) -> None:
        """Take over coefficients. currents : A that each terminal carries in at 0 V; loads : S by which
        that falls as its potential rises; powers : W that it brings in besides, against a potential
        (V); anew : what conducts may have changed; changed : surfaces may have.
        """
        anew = anew or list(loads) != self.loads
        self.loads, self.powers = list(loads), list(powers)
        if anew or self.linear is None:
            self.linear, self.shapes = self._lay_linear(), None
        if anew or changed:
            self.known_lus = {}
        self.before = [s.wall_area / np.maximum(s.conducts(), 1e-300) for s in self.surfaces]
        given = np.zeros(self.size)
        for c, conductor in enumerate(self.conductors):
            unknown, there = conductor.unknown, conductor.there
            held = np.where(self.is_held[c], unknown.factor * unknown.held, 0.0)
            made = unknown.with_walls(unknown.source + unknown.gift, held)
            given[self.index[c][there]] = made[there]
        given[self.first :] = currents
        self.given = given

    def begin(self) -> None:
        """Forget factors of laws that bend: a run that goes on after a kill would not have them."""
        self.recent = {}

    def _lay_linear(self) -> sparse.csc_array:
        tied, none = Tied(self.size), np.zeros(self.mesh.shape[1:])
        for c, conductor in enumerate(self.conductors):
            unknown, number = conductor.unknown, self.index[c][self.mesh.live[0]]
            spread = steady_matrix(
                self.mesh, unknown.link_x, unknown.link_y, unknown.grip, none, none
            ).tocoo()
            tied.put(number[spread.row], number[spread.col], spread.data)
            mine = self.plain[c]
            tied.tie(self.leg_cell[c][mine], self.leg_far[c][mine], unknown.factor[mine])
        tied.hold(np.arange(self.first, self.size), np.array(self.loads))
        return tied.matrix()

    # ------------------------------------------------------------ what passes

    def passing(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Passing, list[Array]]:
        """What passes at potentials x, and by how much that rises (S), surface by surface, in pores and
        on walls. bases : what surfaces go on from.
        """
        legs = []
        for c, conductor in enumerate(self.conductors):
            unknown, cell, far = conductor.unknown, self.leg_cell[c], self.leg_far[c]
            beyond = np.where(far >= 0, x[far], unknown.held)
            legs.append(np.where(self.passes[c], unknown.factor * (beyond - x[cell]), 0.0))
        fluxes = [conductor.unknown.flux.copy() for conductor in self.conductors]
        found, slopes = Passing(legs, fluxes, [], [], [], [], []), []
        for k, surface in enumerate(self.surfaces):
            across = self._between(k, x)
            i, slope = surface.pores(bases[k], per, across)
            found.pores.append(surface.area * i)
            found.across.append(across)
            on_wall = self._on_walls(k, x, bases[k], per)
            found.walls.append(on_wall[0])
            found.wall_across.append(on_wall[2])
            legs[self.into[k]][surface.legs] = on_wall[0][: surface.legs.size]
            slopes.append(np.concatenate([surface.area * slope, on_wall[1]]))
        return found, slopes

    def _between(self, k: int, x: Array) -> Array:
        """Voltage (V) across a surface in pores."""
        surface = self.surfaces[k]
        if self.out_of[k] < 0:
            return np.zeros(surface.area.size)
        return np.asarray(
            x[self.index[self.out_of[k]][surface.cells]]
            - x[self.index[self.into[k]][surface.cells]]
        )

    def _on_walls(self, k: int, x: Array, base: Held, per: float) -> tuple[Array, Array, Array]:
        """A, S and V of a surface on walls."""
        surface, far, area = self.surfaces[k], self.wall_far[k], self.surfaces[k].wall_area
        if not area.size:
            return np.zeros(0), np.zeros(0), np.zeros(0)
        beyond = x[far]
        legs, held = surface.legs, surface.into.unknown.held
        beyond[: legs.size] = np.where(far[: legs.size] >= 0, beyond[: legs.size], held[legs])
        i, slope, alone = surface.walls(base, per, beyond - x[self.wall_cell[k]], self.before[k])
        return area * i, area * slope, alone

    def _gains(self, x: Array, passing: Passing) -> Array:
        """What each unknown still gains (A)."""
        left = self.given - self.linear @ x
        for k, surface in enumerate(self.surfaces):
            if self.out_of[k] >= 0:
                left[self.index[self.out_of[k]][surface.cells]] -= passing.pores[k]
                left[self.index[self.into[k]][surface.cells]] += passing.pores[k]
            np.add.at(left, self.wall_cell[k], passing.walls[k])
            far = self.wall_far[k]
            np.subtract.at(left, far[far >= 0], passing.walls[k][far >= 0])
        return np.asarray(left)

    def _matrix(self, slopes: list[Array]) -> sparse.csc_array:
        if not self.surfaces:
            return self.linear
        tied = Tied(self.size)
        for k, surface in enumerate(self.surfaces):
            count = surface.area.size
            if self.out_of[k] >= 0:
                a = self.index[self.out_of[k]][surface.cells]
                b = self.index[self.into[k]][surface.cells]
                tied.tie(a, b, slopes[k][:count])
            tied.tie(self.wall_cell[k], self.wall_far[k], slopes[k][count:])
        return sparse.csc_array(self.linear + tied.matrix())

    def _factor(self, slopes: list[Array]) -> Any:
        matrix = self._matrix(slopes)
        self._refuse_loose(matrix)
        try:
            return factor_even(matrix)
        except RuntimeError as failure:
            raise StepFailed(WORDS, "the whole vessel", f"no solution: {failure}") from failure

    def _refuse_loose(self, matrix: sparse.csc_array) -> None:
        """Raises StepFailed where nothing fixes the potential of what hangs together."""
        count, of = connected_components(matrix, directed=False)
        excess = np.abs(np.asarray(matrix.sum(axis=1)).ravel())
        size = np.abs(matrix.diagonal())
        tied = np.zeros(count)
        np.maximum.at(tied, of, excess / np.maximum(size, 1e-300))
        loose = np.flatnonzero(tied < 1e-12)
        if not loose.size:
            return
        unknown = int(np.flatnonzero(of == loose[0])[0])
        for conductor, index in zip(self.conductors, self.index, strict=True):
            for j, i in np.argwhere(index == unknown):
                raise StepFailed(
                    f"{WORDS} of {conductor.name}",
                    self.mesh.grid.spot(j, i),
                    "nothing fixes it there: hold an edge that it reaches, or let a surface pass "
                    "current",
                )
        raise StepFailed(WORDS, "an edge that floats", "nothing is joined to it")

    # ------------------------------------------------------------ Newton's method

    def solve(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Array, Passing]:
        """Potentials at which nothing gains, and what passes then. per : s that surfaces go on in, 0 at
        rest.
        """
        for n, (power, beyond) in enumerate(self.powers):
            if power != 0.0:
                x, passing = self._with_power(x, bases, per, n, power, beyond)
                break
        else:
            x, passing = self._solve(x, bases, per)
        passing.held = self.held(passing, bases, per)
        return x, passing

    def held(self, passing: Passing, bases: Sequence[Held], per: float) -> list[Held]:
        """What surfaces hold once that has passed for so long (s)."""
        return [
            surface.after(
                bases[k],
                per,
                passing.pores[k] / np.maximum(surface.area, 1e-300),
                passing.across[k],
                passing.wall_across[k],
            )
            for k, surface in enumerate(self.surfaces)
        ]

    def _solve(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Array, Passing]:
        if self.is_reduced:
            return self._by_shapes(x, bases, per)
        bends = any(s.reacts or s.drifts for s in self.surfaces)
        return (self._newton if bends else self._straight)(x, bases, per)

    def _with_power(
        self,
        x: Array,
        bases: Sequence[Held],
        per: float,
        n: int,
        power: float,
        beyond: float,
    ) -> tuple[Array, Passing]:
        """With the current by which a terminal brings a power (W) in, against a potential (V)."""
        at, plain = self.first + n, self.given[self.first + n]

        def tried(current: float) -> tuple[Array, Passing, float]:
            self.given[at] = plain + current
            found, passing = self._solve(x, bases, per)
            return found, passing, float(found[at]) - beyond

        x, passing, volts = tried(0.0)
        current, rises = 0.0, 0.0
        for _ in range(TRIES):
            # the voltage rises in a line from here: the root at which less flows
            line = volts - rises * current
            under = line * line + 4.0 * rises * power
            if under < 0:
                raise StepFailed(
                    "power",
                    "an edge that brings it",
                    f"no current gives {abs(power):.6g} W: it can give "
                    f"{line * line / (4.0 * rises):.4g} W at most now, at half its voltage",
                    is_final=True,
                )
            new = 2.0 * power / (line + math.copysign(math.sqrt(under), line))
            x, passing, then = tried(new)
            if abs(new * then - power) <= SAME_POWER * abs(power):
                return x, passing
            if new != current:
                rises = max((then - volts) / (new - current), 0.0)
            current, volts = new, then
        raise StepFailed("power", "an edge that brings it", "no current is found that gives it")

    def _by_shapes(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Array, Passing]:
        """Potentials made of a few shapes; see `shapes.py`."""
        v = self._shapes()
        x, passing, _ = self._shaped(v @ (v.T @ x), bases, per)
        self._close(x, passing)
        return x, passing

    def _shapes(self) -> Array:
        """The shapes; and, from them, what they leave of the linear part and across surfaces."""
        if self.shapes is None:
            self.shapes = shapes_of(self.linear, self._sources())
            self.reduced = self.shapes.T @ (self.linear @ self.shapes)
            self.apart = [
                self.shapes[self._cells(k, self.out_of)] - self.shapes[self._cells(k, self.into)]
                if self.out_of[k] >= 0
                else np.zeros((0, self.shapes.shape[1]))
                for k in range(len(self.surfaces))
            ]
        return self.shapes

    def _shaped(
        self, x: Array, bases: Sequence[Held], per: float
    ) -> tuple[Array, Passing, list[Array]]:
        """Potentials once shapes have been added to them so that currents balance as they tell it, what
        passes then, and by how much that rises.
        """
        v, size = self._shapes(), np.inf
        assert self.reduced is not None
        passing, slopes = self.passing(x, bases, per)
        for self.turns in range(1, MOST + 1):
            matrix = self.reduced.copy()
            for apart, slope in zip(self.apart, slopes, strict=True):
                matrix += apart.T @ (slope[: len(apart), None] * apart)
            change = v @ scaled(matrix, v.T @ self._gains(x, passing))
            now = _largest(change)
            if self._is_settled(x, now, size):
                return x, passing, slopes
            x, aim = x + change, self.settled * (1.0 + _largest(x))
            passing, slopes = self.passing(x, bases, per)
            # the next change would be no larger than that
            if QUICK * now <= aim or (size < np.inf and now * now / size <= aim):
                return x, passing, slopes
            size = now
        raise StepFailed(WORDS, "the whole vessel", "no sum of shapes settles")

    def _close(self, x: Array, passing: Passing) -> None:
        """Let edges carry what they do as wholes, which shapes tell only nearly: terminals what they
        are told, edges that are held what is left.
        """
        for c, conductor in enumerate(self.conductors):
            legs, unknown = passing.legs[c], conductor.unknown
            eased = np.where(self.passes[c], unknown.factor, 0.0)
            for n, (owner, _) in enumerate(self.terminals):
                mine = self.leg_far[c] == self.first + n
                if owner == c and mine.any():
                    at = self.first + n
                    missing = self.given[at] - self.loads[n] * x[at] - legs[mine].sum()
                    legs[mine] += missing * eased[mine] / eased[mine].sum()
            held = np.where(self.is_held[c], eased, 0.0)
            if held.sum() > 0:
                given = self.given[self.index[c][conductor.there]].sum()
                fed = given - (held * unknown.held).sum()  # but by edges that are held
                for k in range(len(self.surfaces)):
                    through = passing.pores[k].sum()
                    fed += through * (self.into[k] == c) - through * (self.out_of[k] == c)
                fed += legs[self.leg_far[c] >= 0].sum()
                legs += (-fed - legs[held > 0].sum()) * held / held.sum()

    def _cells(self, k: int, ends: list[int]) -> Array:
        """Unknowns of a conductor that a surface in pores touches."""
        return np.asarray(self.index[ends[k]][self.surfaces[k].cells])

    def _sources(self) -> list[Array]:
        """What conductors are fed by: surfaces, evenly; terminals; edges with a given current."""
        found = []
        for k, surface in enumerate(self.surfaces):
            if self.out_of[k] >= 0:
                for ends in (self.out_of, self.into):
                    own = np.zeros(self.size)
                    own[self._cells(k, ends)] = surface.area
                    found.append(own)
        for n in range(len(self.terminals)):
            own = np.zeros(self.size)
            own[self.first + n] = 1.0
            found.append(own)
        for c, conductor in enumerate(self.conductors):
            unknown, legs = conductor.unknown, conductor.legs
            mine = self.is_held[c]
            for edge in np.unique(legs.edge[mine]):
                own = np.zeros(self.size)
                here = mine & (legs.edge == edge)
                np.add.at(own, self.leg_cell[c][here], unknown.factor[here])
                found.append(own)
            if unknown.source.any() or unknown.flux.any():
                own = np.zeros(self.size)
                fed = unknown.with_walls(unknown.source, np.zeros(legs.row.size))
                own[self.index[c][conductor.there]] = fed[conductor.there]
                found.append(own)
        return found

    def uneven(
        self, x: Array, passing: Passing, bases: Sequence[Held], per: float
    ) -> tuple[float, float]:
        """How far (of the mean) what passes surfaces in pores by shapes is from what does in full, with
        the same currents, and by how much (V) potentials x are.
        """
        whole, full = self._newton(x, bases, per)
        worst = 0.0
        for k, surface in enumerate(self.surfaces):
            one, other = passing.pores[k] / surface.area, full.pores[k] / surface.area
            mean = float(np.abs(other).mean()) if other.size else 0.0
            if mean > LITTLE:
                worst = max(worst, _largest(one - other) / mean)
        return worst, _largest(x - whole)

    def _straight(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Array, Passing]:
        """Where no law bends: one solve, and corrections of what rounding has left."""
        passing, slopes = self.passing(x, bases, per)
        lu, size = self._kept((per,), slopes), np.inf
        for turn in range(1, MOST + 1):
            change = lu.solve(self._gains(x, passing))
            now = _largest(change)
            if self._is_settled(x, now, size):
                return x, passing
            if not np.isfinite(now):
                break
            x, size, self.turns = x + change, now, turn
            passing, _ = self.passing(x, bases, per)
        raise StepFailed(WORDS, "the whole vessel", "no finite numbers, or none that stay")

    def _kept(self, key: tuple[float, ...], slopes: list[Array]) -> Any:
        """Factors that are kept under a key, which tells all of what they are made of."""
        if key not in self.known_lus:
            if len(self.known_lus) >= KEPT:
                self.known_lus.pop(next(iter(self.known_lus)))
            self.known_lus[key] = self._factor(slopes)
        return self.known_lus[key]

    def _near(self, per: float, slopes: list[Array]) -> Any:
        """Factors that are near enough to bring changes down quickly, where surfaces drift: those of
        as even a surface, its ease rounded, so that they serve many steps, and a run that goes on after
        a kill makes the same ones.
        """
        if not self.is_near:
            return None
        even, key = list(slopes), [per * any(s.stores and not s.drifts for s in self.surfaces)]
        for k, surface in enumerate(self.surfaces):
            if surface.drifts:
                ease = slopes[k].sum() / surface.area.sum()
                key.append(round(math.log2(ease) * FINE))
                even[k] = surface.area * 2.0 ** (key[-1] / FINE)
        return self._kept(tuple(key), even)

    def _newton(self, x: Array, bases: Sequence[Held], per: float) -> tuple[Array, Passing]:
        """Newton's method. Factors serve as long as they bring changes down quickly, those of the last
        solve of the same step included.
        """
        if self.keeps:
            x, passing, slopes = self._shaped(x, bases, per)
        else:
            passing, slopes = self.passing(x, bases, per)
        lu, is_old = self.recent.get(per) or self._near(per, slopes), True
        if lu is None:
            lu, is_old = self._factor(slopes), False
        change = lu.solve(self._gains(x, passing))
        for self.turns in range(1, MOST + 1):
            size = _largest(change)
            step = self._step(x, change, lu, is_old, bases, per)
            if step is None:  # from where it stands, with new factors
                passing, slopes = self.passing(x, bases, per)
                lu, is_old = self._factor(slopes), False
                change = lu.solve(self._gains(x, passing))
                continue
            x, passing, slopes, change = step
            now = _largest(change)
            if self._is_settled(x, now, size):
                if any(s.reacts for s in self.surfaces):
                    self.recent = {per: lu}
                return x, passing
            is_old = now <= SLOW * size
            if not is_old:
                lu = self._factor(slopes)
                change = lu.solve(self._gains(x, passing))
        raise StepFailed(WORDS, "the whole vessel", "Newton's method does not settle")

    def _step(
        self,
        x: Array,
        change: Array,
        lu: Any,
        is_old: bool,
        bases: Sequence[Held],
        per: float,
    ) -> tuple[Array, Passing, list[Array], Array] | None:
        """As much of a change as brings it nearer, what passes then, and the change after it, by the
        same factors; None where old ones lead too slowly. Raises StepFailed where new ones lead
        nowhere.
        """
        size, part = _largest(change), min(1.0, BOLDEST / max(self._leap(change), 1e-300))
        while part >= SMALLEST:
            new = x + part * change
            passing, slopes = self.passing(new, bases, per)
            after = lu.solve(self._gains(new, passing))
            now, aim = _largest(after), self.settled * (1.0 + _largest(new))
            if now <= aim or now <= (SLOW if is_old else 1.0 - 0.25 * part) * size:
                return new, passing, slopes, after
            if self._is_settled(new, now, size):
                return new, passing, slopes, after
            if is_old:
                return None
            part *= 0.5
        raise StepFailed(WORDS, "the whole vessel", "no step of Newton's method brings it nearer")

    def _is_settled(self, x: Array, now: float, before: float) -> bool:
        """Whether changes are as small as they are asked to be, or as rounding lets them."""
        aim = self.settled * (1.0 + _largest(x))
        return now <= aim or (now >= 0.5 * before and before <= STALLED * aim)

    def impedance(self, rests: Sequence[Held], x: Array, omega: float, edge: int) -> complex:
        """Ohm that an edge (number) feels of a small swing about potentials x, omega (rad/s); NaN where
        no conductor is joined to it.
        """
        found, _ = self.passing(x, rests, 0.0)
        ease: list[Array] = []  # of every surface, S, in pores and on walls
        for k, s in enumerate(self.surfaces):
            pores = s.ease(rests[k], found.across[k], omega, False)
            walls = s.ease(rests[k], found.wall_across[k], omega, True)
            on_walls = s.wall_area * walls / (1 + self.before[k] * walls)
            ease.append(np.concatenate([s.area * pores, on_walls]))
        for c, conductor in enumerate(self.conductors):
            mine = np.flatnonzero((conductor.legs.edge == edge) & (self.leg_cell[c] >= 0))
            conducts = np.where(self.passes[c], conductor.unknown.factor, 0.0).astype(complex)
            for k, s in enumerate(self.surfaces):
                if self.into[k] == c:
                    conducts[s.legs] = ease[k][s.area.size :][: s.legs.size]
            if conducts[mine].any():
                return self._felt(ease, c, edge, mine, conducts[mine])
        return complex(np.nan, np.nan)

    def _felt(self, ease: list[Array], c: int, edge: int, legs: Array, conducts: Array) -> complex:
        """Volts over amperes at an edge, through legs that conduct so (S)."""
        matrix = sparse.csc_array(self._matrix(ease), dtype=complex)
        lu = splu(matrix)

        def solved(right: Array) -> Array:
            found = lu.solve(right)
            return np.asarray(found + lu.solve(right - matrix @ found))

        right, cells = np.zeros(self.size, complex), self.leg_cell[c][legs]
        if (c, edge) in self.terminals:
            at = self.first + self.terminals.index((c, edge))
            right[at] = 1.0
            return complex(solved(right)[at])
        np.add.at(right, cells, conducts)
        return complex(1.0 / (conducts * (1.0 - solved(right)[cells])).sum())

    def _leap(self, change: Array) -> float:
        """The largest change (V) across a surface that reacts."""
        found = 0.0
        for k, surface in enumerate(self.surfaces):
            if not surface.reacts:
                continue
            if self.out_of[k] >= 0:
                found = max(found, _largest(self._between(k, change)))
            far = self.wall_far[k]
            moved = np.where(far >= 0, change[far], 0.0) - change[self.wall_cell[k]]
            found = max(found, _largest(moved))
        return found


def _largest(values: Array) -> float:
    return float(np.abs(values).max(initial=0.0))
