"""What is carried, step by step: convection, diffusion, and what others are carried by.

See `solver` for the equation and the order of things.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from underkettle.engine.contract import (
    Budget,
    Carrier,
    Geometry,
    Inputs,
    Problem,
    StepFailed,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.operators.convection import carry_faces, carry_scalar
from underkettle.engine.operators.diffusion import (
    spread_right,
    spread_update,
    total,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.transport.laid import NEVER, TOLD, Laid, Stream, held_before, is_swelling
from underkettle.engine.transport.striding import EULER
from underkettle.engine.transport.unknown import Carried, Unknown

Array = np.ndarray

COURANT = 0.45
DIFFUSION_NUMBER = 2.0
IMPLICIT_AIM = 1e-9
MILD_AIM = 1e-6  # enough while the update that follows cannot amplify what is left
PARTS = 3  # steps of many stages in one, while the stream holds
MOST_STAGES = 32  # of a step that takes convection and diffusion together
STIFF = 12.0  # times what convection asks for, up to which diffusion is explicit in them


class Carrying(Laid):
    """Takes the value of everything carried through time: all together, or convection and diffusion
    in turn, where what is carried first in one step is spread first in the next.
    """

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        super().__init__(problem, carried)
        self.now = State()
        self.budgets: dict[str, Budget] = {}
        self.parts = PARTS  # steps of many stages that one may hold; 0 for one small step each
        self.single = math.inf  # the small step (s), where the last limit held many of them
        self.splits = True  # the last step took convection and diffusion one after the other

    # ------------------------------------------------------------ transient

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        self.fill_pores(inputs)
        carriers = [inputs.get(Carrier, phase) for phase in self.phases]
        rate = max((self.passing(c) for c in carriers if c is not None), default=0.0)
        self.single = math.inf
        if rate > 0:
            if self._strides(state, inputs, rate):
                self.single = COURANT / rate
                parts = self.parts * EULER
                return parts * COURANT / rate, f"{parts} steps of Courant number {COURANT} at once"
            return COURANT / rate, f"Courant number {COURANT} of what the stream carries"
        grid = self.mesh.grid
        h = grid.finest
        for member in self.members:
            member.set_values(state)
        fastest = max(m.fastest for m in self.members)
        if fastest <= 0:
            return np.inf, "nothing moves"
        return DIFFUSION_NUMBER * h * h / fastest, f"diffusion number {DIFFUSION_NUMBER:g}"

    def _strides(self, state: State, inputs: Inputs, rate: float) -> bool:
        """Whether many small steps may be taken in one: the stream was the same at the ends of the
        last two steps and still is, and nothing but what it brings changes in the meantime.
        """
        if rate <= 0 or not self.parts or not all(m.lasting for m in self.members):
            return False
        if not state.numbers.get(self.problem.state_name("stream_held")):
            return False
        if not self._is_same(state, self._print(inputs)):
            return False
        streams = self.streams(inputs)
        if not all(self._plain(m, streams[m.what.phase]) for m in self.members):
            return False
        self.receive(inputs)
        if any(m.gifts for m in self.members):
            return False
        for member in self.members:
            if not member.set:
                member.set_values(state)
        quickest = max(self.striding_of(member).quickest() for member in self.members)
        return quickest * COURANT <= STIFF * rate

    def _plain(self, member: Unknown, stream: Stream | None) -> bool:
        """Whether what cells hold of it per value stays, and nobody asks what passes each face."""
        apart = self.telling or self.motion is not None or member.law is not None
        apart = apart or member.taking is not None or member.what.follows is not None
        return not apart and not is_swelling(member.what, stream)

    def _look_at_streams(self, state: State, inputs: Inputs) -> None:
        """Keep what streams are at the end of a step, and whether they were so at its beginning."""
        seen = self._print(inputs)
        held = float(self._is_same(state, seen))
        state.numbers[self.problem.state_name("stream_held")] = held
        state.numbers[self.problem.state_name("stream")] = seen

    def _is_same(self, state: State, stream: float) -> bool:
        """Whether it is the stream that the last step saw at its end."""
        return state.numbers.get(self.problem.state_name("stream")) == stream

    def _print(self, inputs: Inputs) -> float:
        """A number that tells streams apart, of all their bits."""
        found = 0
        for phase in self.phases:
            carrier = inputs.get(Carrier, phase)
            for flow in () if carrier is None else carrier.volume:
                bits = np.ascontiguousarray(flow).view(np.uint64)
                found = 31 * found + int(np.add.reduce(bits, axis=None))
        return float(found % (1 << 53))

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        self.fill_pores(inputs)
        streams, self.now = self.streams(inputs), state
        work = Work()
        self.budgets = {}
        carriers = [s.carrier for s in streams.values() if s is not None]
        rate = max(map(self.passing, carriers), default=0.0)
        strides = self._strides(state, inputs, rate)
        self.splits = False
        self._look_at_streams(state, inputs)
        self.receive(inputs)
        for member in self.members:
            what, c = member.what, self.of(state, member)
            stream = streams[what.phase]
            swells = is_swelling(what, stream)
            if stream is not None and swells:
                member.weigh(member.level(held_before(what, stream)))
            if self.motion is not None:
                self._unlay(member, stream, self.motion)
            early_value = member.arriving_at(_at_time(state, t0))
            member.set_values(state if state.time == t1 else _at_time(state, t1))
            member.arrived = early_value
            self.follow(member, state)
            budget = Budget(what.amount, label=what.words)
            before = self._held(member, c)
            flows = self.flows(member, stream) if stream is not None else None
            early = self._early(member, stream, flows, t0, t1)
            net, coming = self._swelling(member, flows, stream), self.coming(member, stream)
            if strides:
                taken = self.flows(member, stream) if flows is None else flows
                self._stride(member, c, taken, rate, t0, t1, budget)
                self._end(member, c, budget, before)
                continue
            if stream is not None and early is not None and self._plain(member, stream):
                assert flows is not None
                need = (t1 - t0) * (2.0 * rate + self.striding_of(member).quickest())
                if need <= MOST_STAGES - 1:
                    stages = 1 + max(1, math.ceil(need - 1e-6))
                    self._step_one(member, c, early, flows, t1 - t0, stages, budget)
                    self._end(member, c, budget, before)
                    continue
            self.splits = True
            # their order alternates, but a density that did would shake the pressure
            late = bool(state.step % 2) and not swells and self.motion is None
            if flows is not None and late:
                self._carry(member, c, flows, net, t1 - t0, budget, coming, early)
            work.iterations += self._spread(member, c, t1 - t0, budget)
            if flows is not None and not late:
                self._carry(member, c, flows, net, t1 - t0, budget, coming, early)
            self._end(member, c, budget, before)
        return work

    def _end(self, member: Unknown, c: Array, budget: Budget, before: float) -> None:
        """Close the budget of a step."""
        now = self._held(member, c)
        budget.began, budget.stored = before, now - before
        budget.held = max(abs(before), abs(now))
        self.budgets[member.what.words] = budget
        self._check(member, c)

    def _stride(
        self,
        member: Unknown,
        c: Array,
        flows: tuple[Array, Array, Array],
        rate: float,
        t0: float,
        t1: float,
        budget: Budget,
    ) -> None:
        """Small steps from t0 to t1."""
        striding, dt = self.striding_of(member), t1 - t0
        steps = max(1, math.ceil(dt * (2.0 * rate + striding.quickest()) / EULER - 1e-6))
        times = [t1] if member.steady else np.linspace(t0, t1, steps * EULER + 1)
        values = [member.arriving_at(_at_time(self.now, t)) for t in times]
        arriving = member.content(np.array(values))
        member.count(c)
        acted = striding.take(c, flows, dt / steps, steps, arriving)
        self._book_whole(member, c, acted, flows[2], arriving[-1], dt, budget)

    def _step_one(
        self,
        member: Unknown,
        c: Array,
        early: tuple[Array, Array, Array],
        late: tuple[Array, Array, Array],
        dt: float,
        stages: int,
        budget: Budget,
    ) -> None:
        """One step of convection, diffusion and decay together."""
        brought = member.content(member.arrived), member.content(member.arriving)
        member.count(c)
        acted = self.striding_of(member).take_one(c, early, late, dt, stages, brought)
        self._book_whole(member, c, acted, late[2], brought[1], dt, budget)

    def _book_whole(
        self,
        member: Unknown,
        c: Array,
        acted: tuple[Array, Array],
        through: Array,
        arriving: Array,
        dt: float,
        budget: Budget,
    ) -> None:
        """Book a step that took all together, of values still counted from the origin: by the mean
        at which it acted and what passed the pieces, and what leaves by the values at its end.
        """
        mean, passed = acted
        pieces = self.mesh.pieces
        leaving = through * np.where(through >= 0, c[pieces.j, pieces.i], arriving)
        member.uncount(c)
        member.uncount(mean)
        self._book_spread(member, mean, dt, budget, passed)
        state = self.now
        state.numbers[self.name(member, "spread_step")] = NEVER  # walls are read as they are now
        rates = member.what.capacity * (self._by_edge(leaving) + member.leaving(c))
        budget.leaves = {e: float(r) for e, r in zip(self.mesh.edges, rates, strict=True) if r}

    def _unlay(self, member: Unknown, stream: Stream | None, motion: Geometry) -> None:
        """Let cells hold what they held when the step began, before parts moved."""
        if stream is None:
            raise StepFailed(
                member.what.words,
                "where parts of the vessel move",
                "no stream takes it out of their way",
            )
        share = np.divide(motion.held, self.volume, out=np.zeros(self.shape), where=self.volume > 0)
        member.weigh(member.heft * share)

    def _early(
        self,
        member: Unknown,
        stream: Stream | None,
        flows: tuple[Array, Array, Array] | None,
        t0: float,
        t1: float,
    ) -> tuple[Array, Array, Array] | None:
        """The flows at the start of the step, where the stream went through this very step."""
        if stream is None or is_swelling(member.what, stream) or stream.carrier.span != (t0, t1):
            return flows
        return self.flows(member, stream, stream.carrier.before)

    def fluxes(
        self,
        c: Array,
        flows: tuple[Array, Array, Array],
        member: Unknown,
        limited: bool,
        dt: float = 0.0,
        store: Array | None = None,
        after: Array | None = None,
        arriving: Array | None = None,
    ) -> Array:
        """Net outflow (value m3/s) of every cell into self.out; returns that through each piece.

        With a step dt, small cells are carried implicitly over it. arriving : the value of what
        comes in, by default the member's.
        """
        arriving = member.arriving if arriving is None else arriving
        flat = c.ravel()
        flat[self.fill[0]] = flat[self.fill[1]]
        self.mesh.grid.wrap(c)
        wx, wy = self.weights(member) if limited else self.flat
        flow_x, flow_y, through = flows
        kept_x, kept_y = self.small.mask(flow_x, flow_y) if dt else (flow_x, flow_y)
        carry_scalar(
            c,
            kept_x,
            kept_y,
            self.out,
            wx,
            wy,
            *self.scratch,
            *self.mesh.grid.repeats,
            self.ny,
            self.nx,
        )
        pieces = self.mesh.pieces
        value = np.where(through >= 0, c[pieces.j, pieces.i], arriving)
        edge = through * value
        np.add.at(self.out, (pieces.j, pieces.i), edge)
        if member.taking is not None:
            self.out -= member.took(c)
        apart = np.zeros(0)
        if store is not None and after is not None:
            apart = self.small.carry(
                c, flow_x, flow_y, through, arriving, self.out, edge, dt, store, after
            )
        if self.telling and limited:
            self._tell(member, c, (kept_x, kept_y), apart, edge)
        return edge

    def _tell(
        self, member: Unknown, c: Array, flows: tuple[Array, Array], apart: Array, edge: Array
    ) -> None:
        """Keep what convection takes through every face and piece, for who is carried by it."""
        x, y, through = self.told(member)[:3]
        x[:], y[:], through[:] = 0.0, 0.0, edge
        grid = self.mesh.grid
        carry_faces(c, *flows, x, y, *self.weights(member), *grid.repeats, self.ny, self.nx)
        first = self.small.faces[0].size
        if apart.size:
            x.ravel()[self.small.faces[0]] += apart[:first]
            y.ravel()[self.small.faces[1]] += apart[first:]
        grid.wrap(x)
        grid.wrap(y)

    def told(self, member: Unknown, state: State | None = None) -> list[Array]:
        """What passed faces, pieces and walls in the last step, of a member others are carried by:
        convection along x, y and through pieces; diffusion along x and y; what came to each cell.
        """
        fields = (state or self.now).fields
        return [fields[self.name(member, f"told_{part}")] for part in TOLD]

    def _carry(
        self,
        member: Unknown,
        c: Array,
        flows: tuple[Array, Array, Array],
        net: Array | None,
        dt: float,
        budget: Budget,
        coming: Array | float,
        early: tuple[Array, Array, Array] | None,
    ) -> None:
        """Two explicit stages, averaged: the first sees the stream and what it brings in as they
        were when the step began, the second as they are at its end. Where the stream swells, what
        holds the value changes by what flows in, so that a uniform value stays uniform. Values are
        carried as they are counted, from the origin: mass that others give comes with nothing.
        """
        member.count(c)
        arrived, arrives = member.content(member.arrived), member.content(member.arriving)
        old = new = last = member.store
        if net is not None:
            gain = dt * (coming - net)
            new, last = old + gain, old + 2 * gain
            share = member.what.capacity * dt * np.asarray(coming) * np.ones(self.shape)
            budget.made += float(total(c, share))
        early = early or flows
        if self.motion is not None:  # one stage: cells may close within the step
            assert net is not None
            passed = self.fluxes(c, flows, member, True, dt, old, new, arrives)
            self.book_taken(member, c, dt, budget)
            self._apply(c, self.stage, dt, old, new, member, coming, c)
            c[:] = np.where(self.live, self.stage, 0.0)
            self._end_carry(member, c, new)
            self.book(member, budget, passed, np.zeros(len(self.mesh.edges)), dt)
            return
        first = self.fluxes(c, early, member, True, dt, old, new, arrived)
        self.book_taken(member, c, 0.5 * dt, budget)
        self._apply(c, self.stage, dt, old, new, member, coming, c)
        told = [a.copy() for a in self.told(member)[:3]] if self.telling else []
        second = self.fluxes(self.stage, flows, member, True, dt, new, last, arrives)
        self.book_taken(member, self.stage, 0.5 * dt, budget)
        for earlier, later in zip(told, self.told(member) if told else [], strict=False):
            later += earlier
            later *= 0.5
        self._apply(self.stage, self.stage, dt, new, last, member, coming, c)
        if net is None:
            c += self.stage
            c *= self.half_live
        else:
            c[:] = np.divide(
                0.5 * (old * c + last * self.stage), new, out=np.zeros(self.shape), where=self.live
            )
        self._end_carry(member, c, None if net is None else new)
        self.book(member, budget, 0.5 * (first + second), np.zeros(len(self.mesh.edges)), dt)

    def book_taken(self, member: Unknown, c: Array, span: float, budget: Budget) -> None:
        """Book what givers give by the values around cells, over a time (s)."""
        for giver, by in member.taken.items():
            budget.give(giver, span * member.what.capacity * float(member.took(c, by).sum()))

    def _end_carry(self, member: Unknown, c: Array, held: Array | None) -> None:
        """Count from nothing again, and take over what cells now hold per value, where it changed."""
        if held is not None:
            heft = np.divide(held, self.volume, out=np.ones(self.shape), where=self.live)
            member.weigh(heft)
            member.rate = -1.0
        member.uncount(c)

    def _apply(
        self,
        c: Array,
        target: Array,
        dt: float,
        store: Array,
        after: Array,
        member: Unknown,
        coming: Array | float,
        at: Array,
    ) -> None:
        """One explicit stage; what comes into a cell by itself comes at the value `at`."""
        if after is store:
            self.out *= -dt
            self.out *= member.inverse
            np.add(c, self.out, out=target)
        else:
            target[:] = np.divide(
                store * c + dt * (coming * at - self.out),
                after,
                out=np.zeros(self.shape),
                where=self.live,
            )

    def _by_edge(self, through: Array) -> Array:
        """Sum of a per-piece amount over each edge."""
        return np.bincount(self.mesh.pieces.edge, through, len(self.mesh.edges))

    def book(
        self, member: Unknown, budget: Budget, carried: Array, other: Array, span: float
    ) -> None:
        """Book what leaves: carried through each piece, as it is counted, and otherwise through
        each edge, per s.
        """
        totals = span * member.what.capacity * (self._by_edge(carried) + other)
        for k, edge in enumerate(self.mesh.edges):
            if totals[k] != 0.0:
                budget.cross(edge, float(totals[k]))

    def _spread(self, member: Unknown, c: Array, dt: float, budget: Budget) -> int:
        """Diffusion, walls, sources and decay over dt, implicit enough to stay bounded."""
        stiff, store = dt * member.stiffness, member.store
        slope = member.slope(c)
        if slope is not None:
            stiff, store = stiff / float(slope[self.live].min()), store * slope
            member.rate = -1.0
        if stiff == 0.0 and not member.given.any():
            self._spread_at(member, c, dt)
            return 0
        theta = max(0.5, 1.0 - 1.0 / stiff) if stiff > 0 else 0.5
        rate = 1.0 / (theta * dt)
        if rate != member.rate:
            np.multiply(store, rate, out=member.implicit.d)
            member.implicit.d += member.holding
            member.implicit.changed()
            member.rate = rate
        operator = (member.link_x, member.link_y, member.holding, member.given)
        wrap = self.mesh.grid.wrap
        wrap(c)
        spread_right(c, *operator, store, rate, theta, self.right, self.ny, self.nx)
        mixed = self.stage
        mixed[:] = c
        iterations = member.implicit.solve(
            self.right, mixed, MILD_AIM if stiff < 1.0 else IMPLICIT_AIM
        )
        mixed *= theta
        mixed += (1.0 - theta) * c
        wrap(mixed)
        # what is held changes by what flows in, so that nothing is lost whatever was solved
        before = c if slope is None else member.content(c)
        spread_update(mixed, before, *operator, dt * member.inverse, self.out, self.ny, self.nx)
        c[:] = self.out if slope is None else np.where(self.live, member.value_of(self.out), 0.0)
        if self.telling:
            self.tell_spread(member, mixed)
        self._spread_at(member, mixed, dt)
        self._book_spread(member, mixed, dt, budget, np.zeros(self.mesh.pieces.j.size))
        return iterations

    def _book_spread(
        self, member: Unknown, mixed: Array, dt: float, budget: Budget, passed: Array
    ) -> None:
        """Book a step in which diffusion and decay acted at `mixed` and so much passed the pieces."""
        self.book(member, budget, passed, member.leaving(mixed), dt)
        budget.made += (
            dt * member.what.capacity * float(member.source.sum() - total(member.decay, mixed))
        )
        for giver, amount in member.gave(mixed).items():
            budget.give(giver, dt * amount)

    def _spread_at(self, member: Unknown, mixed: Array, dt: float) -> None:
        """Keep the values at which diffusion acted, as their mean over a pair of steps: what walls
        are told to pass then agrees with what was booked.
        """
        state, own = self.now, self.name(member, "spread_step")
        mean, last = (self.of(state, member, n) for n in ("spread", "spread_last"))
        span = self.name(member, "spread_dt")
        if state.numbers.get(own) == state.step - 1:
            share = dt / (dt + state.numbers[span])
            np.multiply(last, 1.0 - share, out=mean)
            mean += share * mixed
        else:
            mean[:] = mixed
        last[:] = mixed
        state.numbers[own], state.numbers[span] = float(state.step), dt

    def acted(self, state: State, member: Unknown) -> Array:
        """The values at which diffusion acted in this very step, where the member has taken it."""
        now = state.numbers.get(self.name(member, "spread_step"), NEVER) == state.step
        return self.of(state, member, "spread_last" if now else "c")

    def spreading(self, state: State, member: Unknown) -> Array:
        """The values at which diffusion acted last; the member's own where it was solved at rest."""
        if state.numbers.get(self.name(member, "spread_step"), NEVER) == state.step - 1:
            return self.of(state, member, "spread")
        return self.of(state, member)

    def tell_spread(self, member: Unknown, c: Array) -> None:
        """Keep what diffusion takes through faces, and what walls and sources give each cell."""
        x, y, made = self.told(member)[3:]
        self.mesh.grid.wrap(c)
        x[:] = member.link_x * (roll(c, 1, 1) - c)
        y[:] = member.link_y * (roll(c, 1, 0) - c)
        made[:] = np.where(self.live, member.given - member.holding * c, 0.0)

    def _check(self, member: Unknown, c: Array) -> None:
        low, high = self.bounds[member.name]
        if low <= float(c.min()) and float(c.max()) <= high:
            return
        bad = self.live & ~((c >= low) & (c <= high) & np.isfinite(c))
        if bad.any():
            j, i = np.argwhere(bad)[0]
            raise StepFailed(
                member.what.words,
                self.mesh.grid.spot(j, i),
                f"{c[j, i]:.4g} {member.what.unit} lies outside {low:.4g} to {high:.4g}",
            )


def _at_time(state: State, t: float) -> State:
    """The same state, read at another time."""
    return replace(state, time=t)
