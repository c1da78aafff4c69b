"""What a stream carries and diffusion spreads: species, heat, and whatever else follows that law.

    capacity (dc/dt + div(u c)) = div(spread grad c) + source - loss c

A phenomenon names what is `Carried`; conditions are told by the values they have: `value` on an
edge that holds one, `flux`, `film` with `ambient`, `value` on an edge a stream passes, `source` and
`loss` in zones, `film` on a screen or where zones meet. Everything is divided by the capacity here
and multiplied back in the budgets.

Transient: convection by two explicit stages (bounded while the Courant number holds), diffusion
and decay implicit, in an order that alternates from step to step. Steady: see `resting`.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from underkettle.engine.contract import (
    AtWalls,
    Budget,
    Carrier,
    Crossing,
    Flows,
    Geometry,
    Inputs,
    Offer,
    Problem,
    Provides,
    StepFailed,
    Ties,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.operators.convection import carry_faces
from underkettle.engine.operators.diffusion import WallLegs, facing, neighbours, steady_matrix
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.bound import Knot
from underkettle.engine.transport.carrying import Carrying
from underkettle.engine.transport.laid import NEVER, TOLD
from underkettle.engine.transport.resting import Resting, span_of
from underkettle.engine.transport.unknown import Carried, Unknown

Array = np.ndarray

LAST, CLOSED = 6, 1e-9  # sweeps at the end, and the change that ends them
LEAST = 0.01  # of what holds values, in turn with a stream and its eddies
SCRAP = 1e-3  # of the span of an amount, by which a change may end below nought, and is cut there
FAINT = 1e-6  # of the largest span of values: one that hardly is there is judged by no less


@dataclass(frozen=True)
class Seen:
    """A member, its values, and what takes them along: flows, what comes by itself and what flows
    out beyond that without closing yet (m3/s).
    """

    member: Unknown
    c: Array
    flows: tuple[Array, Array, Array]
    coming: Array
    unclosed: Array | float


def row_of(member: Unknown, ties: Ties) -> int | None:
    """Where ties tell of a member; None where they do not."""
    found = next((n for n in (member.name, member.quantity) if n in ties.names), None)
    return None if found is None else ties.names.index(found)


class TransportSolver:
    """Solves for the value of everything carried."""

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        self.problem, self.carrying = problem, Carrying(problem, carried)
        self.resting: dict[str, Resting] = {}
        self.weights: list[Array] = []
        self.residual, self.loose = 0.0, False
        self.free = False  # whether nothing holds values to what they were
        self.quick = 0.0  # how fast streams pass cells (1/s)
        self.told_ties: Ties | None = None
        self.knot: Knot | None = None
        self.faced: tuple[Mesh, WallLegs] | None = None

    @property
    def alternates(self) -> bool:
        """Whether steps in time come in pairs that differ."""
        return self.carrying.splits

    @property
    def single(self) -> float:
        """The step (s) that it takes by itself, where its limit holds many of them."""
        return self.carrying.single

    @property
    def mesh(self) -> Mesh:
        return self.carrying.mesh

    @property
    def members(self) -> list[Unknown]:
        return self.carrying.members

    def start(self, state: State) -> None:
        self.carrying.start(state)

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from values on another grid."""
        for member in self.members:
            name = self.carrying.name(member)
            if name in kept.fields:
                c = self.carrying.of(state, member)
                values = handed_over(kept.fields[name][0], mesh, self.mesh)
                c[self.carrying.live] = values[self.carrying.live]

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step."""
        self.carrying.moved(state, geometry)

    def look(self, state: State, inputs: Inputs) -> None:
        """Take over what one's own laws follow of what others offer, before they are asked."""

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return self.carrying.limit(state, inputs)

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        return self.carrying.advance(state, t0, t1, inputs)

    # ------------------------------------------------------------ steady

    def relax(self, state: State, inputs: Inputs) -> Work:
        self.carrying.budgets = {}
        work = Work()
        for m in self._seen(state, inputs, in_turn=True):
            state.numbers[self.carrying.name(m.member, "spread_step")] = NEVER
            change, directions = self._resting(m.member).settle(
                m.c,
                m.flows,
                m.member.holding - m.coming,
                partial(self._imbalance, m.member, m.flows, m.coming),
                self.carrying.fill,
                0.0 if self.free else self._share(m.member, inputs),
            )
            work.residuals[m.member.what.words] = change
            work.iterations += directions
            self._account(m.member, m.c, m.flows, m.coming)
        return work

    def _share(self, member: Unknown, inputs: Inputs) -> float:
        """How much of all that holds values holds them to what they were: as much as with the stream's
        own velocities, where it is brought to rest in turn with what stirs it.
        """
        carrier = inputs.get(Carrier, member.what.phase)
        return max(carrier.damped, LEAST) if carrier is not None and carrier.damped else 0.0

    def _resting(self, member: Unknown) -> Resting:
        found = self.resting.get(member.name)
        if found is None or found.member is not member:
            found = Resting(member, *self.carrying.weights(member))
            self.resting[member.name] = found
        return found

    def _account(
        self, member: Unknown, c: Array, flows: tuple[Array, Array, Array], coming: Array
    ) -> None:
        """Book what passes at rest, and tell it to who is carried by it."""
        self._steady_budget(member, c, flows, coming)
        if self.carrying.telling:
            self.carrying.fluxes(c, flows, member, True)
            c[~self.carrying.live] = 0.0
            self.carrying.tell_spread(member, c)
        if not np.isfinite(c.sum()):
            raise StepFailed(member.what.words, "the whole vessel", "not a finite number")

    # ------------------------------------------------------------ steady, with others

    @property
    def couples(self) -> bool:
        """Whether members do nothing to each other but through others."""
        return not self.carrying.telling

    def approach(self, state: State, inputs: Inputs, fresh: bool) -> None:
        streams = self.carrying.streams(inputs).values()
        self.quick = max((self.carrying.passing(s.carrier) for s in streams if s), default=0.0)

    def bind(self, ties: Ties | None) -> None:
        self.told_ties = ties

    def tied(self, ties: Ties, state: State) -> Array:
        """What each member gains (value m3/s) per unit of every one's value (m, m, ny + 3, nx + 3)."""
        own = [row_of(member, ties) for member in self.members]
        found = np.zeros((len(own), len(own), *self.carrying.shape))
        for i, row in enumerate(own):
            for k, column in enumerate(own):
                if row is not None and column is not None:
                    found[i, k] = ties.rises[row, column] / self.members[i].what.capacity
        return found

    def first_rate(self, state: State) -> float:
        return self.quick if self.told_ties is not None else 0.0

    def slow(self, state: State) -> float:
        return 0.0

    def _seen(self, state: State, inputs: Inputs, in_turn: bool = False) -> Iterator[Seen]:
        """Each member with what others offer it now; what laws follow is worked out once for all, or
        for each where those before it have changed meanwhile.
        """
        self.look(state, inputs)
        reads = frozenset().union(*(m.reads for m in self.members if not (m.set and m.steady)))
        known = None if in_turn else self.problem.known(state, reads) if reads else {}
        self.carrying.fill_pores(inputs)
        streams, self.carrying.now = self.carrying.streams(inputs), state
        self.carrying.receive(inputs)
        for member in self.members:
            member.set_values(state, known)
            self.carrying.follow(member, state)
            stream = streams[member.what.phase]
            flows = self.carrying.flows(member, stream)
            coming = self.carrying.coming(member, stream) * np.ones(self.carrying.shape)
            unclosed = self.carrying.unclosed(member, stream)
            yield Seen(member, self.carrying.of(state, member), flows, coming, unclosed)

    def linearise(self, state: State, inputs: Inputs, rate: float) -> None:
        self.weights, largest = [], 0.0
        for m in self._seen(state, inputs):
            resting, live = self._resting(m.member), self.carrying.live
            resting.linearise(
                m.c, m.flows, m.member.holding - m.coming, self.carrying.fill, m.unclosed, rate
            )
            # what a mass term holds is no part of what an imbalance is judged by
            held = rate * m.member.store * m.member.bend(m.c)
            diagonal = (resting.lines.diagonal - held).ravel()[resting.at]
            given = m.member.gift.ravel()[resting.at] / diagonal
            known = np.concatenate(
                [m.c[live], m.member.held, m.member.coming_in(m.flows[2]), m.c[live] + given]
            )
            largest = max(largest, span_of(known))
            span = max(span_of(known), FAINT * largest)
            self.weights.append(1.0 / (diagonal * span * np.sqrt(diagonal.size)))
            m.member.span = span
        if self.told_ties is None:
            self.knot = None
            return
        resting_all = [self._resting(m) for m in self.members]
        if self.knot is None or self.knot.resting != resting_all:
            self.knot = Knot(resting_all)
        ties = self.tied(self.told_ties, state)
        for k, member in enumerate(self.members):
            ties[k, k] += member.grip  # which holds it already
        self.knot.tie(ties)

    def imbalance(self, state: State, inputs: Inputs) -> Array:
        found, self.residual = [], 0.0
        for m, weights in zip(self._seen(state, inputs), self.weights, strict=True):
            left = self._imbalance(m.member, m.flows, m.coming, m.c)
            left += m.unclosed * np.where(self.carrying.live, m.member.content(m.c), 0.0)
            left = left.ravel()[self._resting(m.member).at] * weights
            found.append(left)
            worst = float(np.abs(left).max()) * np.sqrt(left.size)
            self.residual = max(self.residual, worst)
        return np.concatenate(found)

    def _each(self, vector: Array) -> Iterator[tuple[Unknown, Resting, Array, Array]]:
        first = 0
        for member, weights in zip(self.members, self.weights, strict=True):
            yield member, self._resting(member), weights, vector[first : first + weights.size]
            first += weights.size

    def apply(self, change: Array) -> Array:
        each = list(self._each(change))
        found = [r.apply(by) for _, r, _, by in each]
        if self.knot is not None:
            ties = self.knot.pull([by for *_, by in each])
            found = [own + tie for own, tie in zip(found, ties, strict=True)]
        return np.concatenate([f * w for f, w in zip(found, self.weights, strict=True)])

    def precondition(self, left: Array) -> Array:
        if self.knot is not None:
            return np.concatenate(
                self.knot.precondition([by / w for *_, w, by in self._each(left)])
            )
        return np.concatenate([r.precondition(by / w) for _, r, w, by in self._each(left)])

    def change(self, state: State, by: Array, part: float) -> None:
        each = list(self._each(by))
        allowed = self._allowed(state, each, part)
        for member, resting, _, more in each:
            c = self.carrying.of(state, member)
            c.ravel()[resting.at] += part * allowed * more
            if self._is_tied(member):
                np.maximum(c, 0.0, out=c)
            self.mesh.grid.wrap(c)

    def _is_tied(self, member: Unknown) -> bool:
        """Whether it is an amount of what reacts."""
        return self.told_ties is not None and row_of(member, self.told_ties) is not None

    def _allowed(
        self, state: State, each: list[tuple[Unknown, Resting, Array, Array]], part: float
    ) -> Array | float:
        """How much of a change every cell takes: what reacts there is used up as a whole, and no more
        of it than there is.
        """
        allowed: Array | float = 1.0
        for member, resting, _, more in each:
            if self._is_tied(member):
                left = self.carrying.of(state, member).ravel()[resting.at] + SCRAP * member.span
                falls = np.maximum(-part * more, 1e-300)
                allowed = np.minimum(allowed, np.minimum(left / falls, 1.0))
        return allowed

    def reach(self, by: Array) -> float:
        return max(
            float(np.abs(more).max(initial=0.0)) / member.span
            for member, _, _, more in self._each(by)
        )

    def arrived(self, state: State, inputs: Inputs) -> str:
        self.carrying.budgets = {}
        for m in self._seen(state, inputs):
            state.numbers[self.carrying.name(m.member, "spread_step")] = NEVER
            self._account(m.member, m.c, m.flows, m.coming)
        return ""

    def conclude(self, state: State, inputs: Inputs) -> None:
        """Values that nothing holds back any more, in the stream as it is."""
        self.free = True
        try:
            for _ in range(LAST):
                work = self.relax(state, inputs)
                if max(work.residuals.values(), default=0.0) < CLOSED:
                    break
        finally:
            self.free = False

    def _from_origin(
        self, member: Unknown, flows: tuple[Array, Array, Array], coming: Array | float
    ) -> Array | float:
        """What mass that others give brings of the member, which is counted from its origin: value
        m3/s in every cell.
        """
        origin = member.what.origin
        if not origin or member.law is not None:  # what a law holds is counted from there already
            return 0.0
        return origin * (self.carrying.net(flows) - coming)

    def _imbalance(
        self, member: Unknown, flows: tuple[Array, Array, Array], coming: Array, c: Array
    ) -> Array:
        """What each cell still gains (value m3/s)."""
        self._convect(member, c, flows)
        c[~self.carrying.live] = 0.0
        self.mesh.grid.wrap(c)
        left = member.given + self._from_origin(member, flows, coming) - self.carrying.out
        left += neighbours(c, member.link_x, member.link_y) - (member.holding - coming) * c
        left[~self.carrying.live] = 0.0
        return np.asarray(left)

    def _convect(self, member: Unknown, c: Array, flows: tuple[Array, Array, Array]) -> None:
        """Net outflow of every cell by limited convection, of what the value holds where a law says,
        into `out`.
        """
        if member.law is None:
            self.carrying.fluxes(c, flows, member, True)
        else:
            held = np.where(self.carrying.live, member.content(c), 0.0)
            arriving = member.content(member.arriving)
            self.carrying.fluxes(held, flows, member, True, arriving=arriving)

    def _steady_budget(
        self, member: Unknown, c: Array, flows: tuple[Array, Array, Array], coming: Array
    ) -> None:
        budget = Budget(member.what.amount, label=member.what.words).per(1.0)
        cell = (self.carrying.legs.row, self.carrying.legs.column)
        through = flows[2]
        value = np.where(through >= 0, member.content(c)[cell], member.content(member.arriving))
        self.carrying.book(member, budget, through * value, member.leaving(c), 1.0)
        made = member.source - member.decay * c + coming * (c - member.what.origin)
        budget.made = member.what.capacity * float(made[self.carrying.live].sum())
        for giver, amount in member.gave(c).items():
            budget.give(giver, amount)
        self.mesh.grid.wrap(c)
        self.carrying.book_taken(member, c, 1.0, budget)
        self.carrying.budgets[member.what.words] = budget

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer | None:
        raise LookupError(what.says)

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {
            m.what.name or m.what.words: self.carrying.budgets[m.what.words]
            for m in self.members
            if m.what.words in self.carrying.budgets
        }

    def warm_stream(self, state: State) -> tuple[Flows, Array]:
        """What the members' own warmth (J/(kg K), `Carried.warmth`) takes along: W/K through faces
        and the whole vessel's pieces, and what comes to cells from walls and sources.
        """
        x, y, made = (np.zeros(self.mesh.shape) for _ in range(3))
        through = np.zeros(self.mesh.pieces.j.size)
        for member in self.members:
            scale = member.what.warmth * member.what.capacity
            told = self.carrying.told(member, state) if self.carrying.telling else []
            for target, values in zip(
                (x[0], y[0], through, x[0], y[0], made[0]), told, strict=False
            ):
                target += scale * values
        whole = np.zeros(self.problem.whole.pieces.j.size)
        passing = self.carrying.in_whole >= 0
        whole[self.carrying.in_whole[passing]] = through[passing]
        return Flows(x, y, whole), made

    def films(self, members: Sequence[Unknown], state: State) -> Array:
        """How fast each comes to every piece of the whole vessel's outline from the middle of the
        cell that faces it (m/s, (n, pieces)).
        """
        area, mine = self.mesh.pieces.area, self.carrying.in_whole >= 0
        found = np.zeros((len(members), self.problem.whole.pieces.j.size))
        if self.faced is None or self.faced[0] is not self.mesh:
            self.faced = self.mesh, facing(self.mesh)
        cells = self.faced[1]
        for own, member in zip(found, members, strict=True):
            member.set_values(state)
            conducts = cells.factor * member.conducting_at(np.arange(area.size), cells)
            own[self.carrying.in_whole[mine]] = (conducts / np.maximum(area, 1e-300))[mine]
        return found

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        """Amount gained per m3 and s by each cell, term by term."""
        return self._terms_of(next(m for m in self.members if m.name == member), state, inputs)

    def _terms_of(self, member: Unknown, state: State, inputs: Inputs) -> dict[str, Array]:
        self.look(state, inputs)
        self.carrying.now = replace(state, fields=dict(state.fields))
        for part in TOLD if self.carrying.telling else ():
            name = self.carrying.name(member, f"told_{part}")
            self.carrying.now.fields[name] = state.fields[name].copy()
        self.carrying.fill_pores(inputs)
        for one in self.members:  # one may follow those before it
            one.set_values(state)
        self.carrying.receive(inputs)
        self.carrying.follow(member, state)
        stream = self.carrying.stream(inputs, member.what.phase)
        flows = self.carrying.flows(member, stream)
        c = self.carrying.of(state, member).copy()
        self._convect(member, c, flows)
        c[~self.mesh.there[0]] = 0.0
        coming = self.carrying.coming(member, stream)
        self.carrying.out -= self._from_origin(member, flows, coming)
        convection = -self.carrying.out * self.carrying.inverse
        known = member.all_given()
        walls = known - member.source - member.gift - member.wall * c
        diffusion = (neighbours(c, member.link_x, member.link_y) + walls) * self.carrying.inverse
        made = member.source + member.gift - (member.holding - member.wall) * c
        terms = {
            "convection": convection,
            "diffusion": diffusion,
            "made": made * self.carrying.inverse,
        }
        matrix = steady_matrix(
            self.mesh,
            member.link_x,
            member.link_y,
            member.holding,
            np.zeros(self.carrying.shape),
            np.zeros(self.carrying.shape),
        )
        residual = np.zeros(self.carrying.shape)
        residual[self.carrying.live] = (known - self.carrying.out)[self.carrying.live] - matrix @ c[
            self.carrying.live
        ]
        terms["residual"] = residual * self.carrying.inverse
        scale = member.what.capacity
        return {
            name: np.where(self.carrying.live, scale * a, 0.0)[None] for name, a in terms.items()
        }

    def at_walls(self, quantity: str, state: State, inputs: Inputs) -> AtWalls:
        """Through walls that hold a value, have a film or a given flux."""
        member = next(m for m in self.members if (m.name or m.what.words) == quantity)
        self.look(state, inputs)
        self.carrying.fill_pores(inputs)
        member.set_values(state)
        c = self.carrying.spreading(state, member)
        here = c[member.legs.row, member.legs.column]
        return member.at_walls(c, member.factor * (member.held - here))

    def crossing(self, quantity: str, state: State, inputs: Inputs) -> Crossing:
        """Carried and spread through faces, counted from the member's origin."""
        self.look(state, inputs)
        member = next(
            m
            for m in self.members
            if (m.name or m.what.words) == quantity or m.what.name == quantity
        )
        self.carrying.now, what = replace(state, fields=dict(state.fields)), member.what
        self.carrying.fill_pores(inputs)
        for one in self.members:  # one may follow those before it
            one.set_values(state)
        self.carrying.receive(inputs)
        self.carrying.follow(member, state)
        stream = self.carrying.stream(inputs, what.phase)
        flows = self.carrying.flows(member, stream)
        c = self.carrying.of(state, member).copy()
        flat = c.ravel()
        flat[self.carrying.fill[0]] = flat[self.carrying.fill[1]]
        self.mesh.grid.wrap(c)
        x, y = np.zeros(self.carrying.shape), np.zeros(self.carrying.shape)
        held = member.content(c)
        carry_faces(
            held,
            *flows[:2],
            x,
            y,
            *self.carrying.weights(member),
            *self.mesh.grid.repeats,
            self.carrying.ny,
            self.carrying.nx,
        )
        x += member.link_x * (roll(c, 1, 1) - c)
        y += member.link_y * (roll(c, 1, 0) - c)
        cell = (self.carrying.legs.row, self.carrying.legs.column)
        value = np.where(flows[2] >= 0, held[cell], member.content(member.arriving))
        gained = (
            member.all_given()
            - member.holding * c
            + self.carrying.coming(member, stream) * (c - what.origin)
        )
        gained += member.took(c)
        np.add.at(gained, cell, -flows[2] * value)
        scale = what.capacity
        return Crossing(scale * x, scale * y, scale * np.where(self.carrying.live, gained, 0.0))

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.carrying.name(m): self.carrying.bounds[m.name] for m in self.members}
