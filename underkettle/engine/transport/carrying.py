"""What is carried, step by step: convection, diffusion, and what others are carried by.

See `solver` for the equation and the order of things.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from underkettle.engine.contract import (
    Budget,
    Carrier,
    Flows,
    Geometry,
    Inputs,
    Problem,
    Source,
    StepFailed,
    Warmth,
    Work,
)
from underkettle.engine.marching.state import State
from underkettle.engine.operators.convection import carry_faces, carry_scalar, courant_rate
from underkettle.engine.operators.diffusion import (
    spread_right,
    spread_update,
    total,
)
from underkettle.engine.operators.small_cells import SmallCells
from underkettle.engine.operators.stencil import cell_weights, roll
from underkettle.engine.transport.striding import EULER, Striding
from underkettle.engine.transport.unknown import Carried, Unknown

Array = np.ndarray

COURANT = 0.45
DIFFUSION_NUMBER = 2.0
IMPLICIT_AIM = 1e-9
MILD_AIM = 1e-6  # enough while the update that follows cannot amplify what is left
BOUND_SLACK = 1e-5
PARTS = 3  # steps of many stages in one, while the stream holds
MOST_STAGES = 12  # of a step that takes convection and diffusion together
STIFF = 4.0  # times what convection asks for, up to which diffusion is explicit in them
NEVER = -9.0  # the step of what has not been
TOLD = ("x", "y", "through", "spread_x", "spread_y", "made")


@dataclass(frozen=True)
class Stream:
    """What takes values along: the stream, and its own warmth where that is told."""

    carrier: Carrier
    warm: Warmth | None = None


class Carrying:
    """Takes the value of everything carried through time: what is carried first in one step is
    spread first in the next.
    """

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        self.problem, self.carried = problem, carried
        self.motion: Geometry | None = None  # what has moved in this step
        self.now = State()
        self.budgets: dict[str, Budget] = {}
        self.telling = any(what.warmth for what in carried)
        self.parts = PARTS  # steps of many stages that one may hold; 0 for one small step each
        self.splits = True  # the last step took convection and diffusion one after the other
        self._lay()

    def _lay(self) -> None:
        """Lay out what lives on the problem's mesh."""
        problem, mesh = self.problem, self.problem.mesh
        self.mesh, grid = mesh, mesh.grid
        self.ny, self.nx = grid.ny, grid.nx
        self.live, self.volume = mesh.live[0], mesh.volume[0]
        self.shape = self.live.shape
        self.small = SmallCells(mesh)
        self.wx, self.wy = cell_weights(grid, 0), cell_weights(grid, 1)
        self.flat = np.zeros(self.wx.shape), np.zeros(self.wy.shape)
        self.scratch = tuple(np.zeros(self.nx + 3) for _ in range(3))
        self.out, self.stage, self.right = (np.zeros(self.shape) for _ in range(3))
        self.inverse = np.divide(1.0, self.volume, out=np.zeros(self.shape), where=self.live)
        self.carried_volume = np.where(self.small.is_small, 0.0, self.volume)
        self.large_piece = self.carried_volume[mesh.pieces.j, mesh.pieces.i] > 0
        self.half_live = np.where(self.live, 0.5, 0.0)
        self.members = [Unknown(problem, what) for what in self.carried]
        self.striding: dict[str, Striding] = {}
        self.phases = list(dict.fromkeys(m.what.phase for m in self.members))
        self.legs = self.members[0].cells
        self.in_whole = mesh.matching(problem.whole)
        self.fill = self._fill_list()
        self.bounds = {m.name: self._bounds(m) for m in self.members}

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step. What cells that close held goes to
        their neighbours.
        """
        moving = geometry.mesh is not geometry.before
        self.motion = geometry if moving else None
        if geometry.mesh is self.mesh and not moving:
            for member in self.members:
                member.weigh(member.level())
            return
        self._lay()
        for member in self.members:
            c = self.of(state, member)
            if moving:
                amount = geometry.hand_on(c * geometry.before.volume[0])
                near = geometry.carried_over(c.copy())
                c[:] = np.divide(amount, geometry.held, out=near, where=geometry.held > 0)
            for part in ("c", "spread", "spread_last"):
                geometry.carried_over(self.of(state, member, part))[~self.mesh.there[0]] = 0.0
            state.numbers[self.name(member, "spread_step")] = NEVER
            if self.telling:
                state.fields[self.name(member, "told_through")] = np.zeros(self.mesh.pieces.j.size)

    def _fill_list(self) -> tuple[Array, Array]:
        """Dead cells next to live ones, and the live neighbour whose value the limiter sees."""
        dead, source = [], []
        width = self.shape[1]
        for axis, step in ((0, 1), (0, -1), (1, 1), (1, -1)):
            near = roll(self.live, step, axis=axis) & ~self.live
            rows, columns = np.nonzero(near)
            dead.append(rows * width + columns)
            source.append((rows - step * (axis == 0)) * width + columns - step * (axis == 1))
        return np.concatenate(dead), np.concatenate(source)

    def _bounds(self, member: Unknown) -> tuple[float, float]:
        """Bounds that hold as long as nothing is made inside and no flux is given."""
        named = [*member.edges.values(), *member.zones.values()]
        if any(g.has(name) for g in named for name in ("flux", "source", "film")):
            return -np.inf, np.inf
        if member.what.lever or member.reads:
            return -np.inf, np.inf
        here = self.mesh.place()
        values = [np.zeros(1)]
        for given in (*member.edges.values(), *self.problem.start_conditions(member.name).values()):
            if given.has("value"):
                if not given.values["value"].steady:
                    return -np.inf, np.inf
                values.append(np.ravel(given.values["value"].at(here)))
        low = min(float(v.min()) for v in values)
        high = max(float(v.max()) for v in values)
        slack = BOUND_SLACK * max(high - low, 1e-30)
        return low - slack, high + slack

    def name(self, member: Unknown, array: str = "c") -> str:
        own = member.what.array
        return self.problem.state_name(own if array == "c" else f"{own}_{array}")

    def of(self, state: State, member: Unknown, array: str = "c") -> Array:
        return state.fields[self.name(member, array)][0]

    def start(self, state: State) -> None:
        here = self.mesh.place(state.time)
        for member in self.members:
            field = np.zeros(self.mesh.shape)
            for zone, given in self.problem.start_conditions(member.name).items():
                inside = self.mesh.zone_cells(zone)
                if given.has("value"):
                    value = np.broadcast_to(given.values["value"].at(here), field.shape)
                    field[inside] = value[inside]
            state.fields[self.name(member)] = field
            for part in ("spread", "spread_last"):
                state.fields[self.name(member, part)] = np.zeros(self.mesh.shape)
            state.numbers[self.name(member, "spread_step")] = NEVER
            for part in TOLD if self.telling else ():
                state.fields[self.name(member, f"told_{part}")] = np.zeros(
                    self.mesh.pieces.j.size if part == "through" else self.shape
                )

    # ------------------------------------------------------------ transient

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        carriers = [inputs.get(Carrier, phase) for phase in self.phases]
        rate = max((self._rate(c) for c in carriers if c is not None), default=0.0)
        if rate > 0:
            if self._strides(state, inputs, rate):
                parts = self.parts * EULER
                return parts * COURANT / rate, f"{parts} steps of Courant number {COURANT} at once"
            return COURANT / rate, f"Courant number {COURANT} of what the stream carries"
        grid = self.mesh.grid
        h = min(float(np.diff(grid.x).min()), float(np.diff(grid.y).min()))
        for member in self.members:
            member.set_values(state)
        fastest = max(m.fastest for m in self.members)
        if fastest <= 0:
            return np.inf, "nothing moves"
        return DIFFUSION_NUMBER * h * h / fastest, f"diffusion number {DIFFUSION_NUMBER:g}"

    def _strides(self, state: State, inputs: Inputs, rate: float) -> bool:
        """Whether many small steps may be taken in one: the stream is what it was a step ago, and
        nothing but the stream changes what is carried in the meantime.
        """
        if rate <= 0 or not self.parts or not all(m.lasting for m in self.members):
            return False
        if state.numbers.get(self.problem.state_name("stream")) != self._print(inputs):
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
        quickest = max(self._striding(member).quickest() for member in self.members)
        return quickest * COURANT <= STIFF * rate

    def _plain(self, member: Unknown, stream: Stream | None) -> bool:
        """Whether what cells hold of it per value stays, and nobody asks what passes each face."""
        apart = self.telling or self.motion is not None or member.law is not None
        return not apart and not _swells(member.what, stream)

    def _print(self, inputs: Inputs) -> float:
        """A number that tells streams apart, of all their bits."""
        found = 0
        for phase in self.phases:
            carrier = inputs.get(Carrier, phase)
            for flow in () if carrier is None else carrier.volume:
                bits = np.ascontiguousarray(flow).view(np.uint64)
                found = 31 * found + int(np.add.reduce(bits, axis=None))
        return float(found % (1 << 53))

    def _striding(self, member: Unknown) -> Striding:
        found = self.striding.get(member.name)
        if found is None:
            found = Striding(self.mesh, member, self.small, self.fill, (self.wx, self.wy))
            self.striding[member.name] = found
        return found

    def stream(self, inputs: Inputs, phase: str) -> Stream | None:
        """The stream, and all that takes heat along where the warmth of what it is made of is told."""
        carrier = inputs.get(Carrier, phase)
        if carrier is None:
            return None
        heat = any(m.what.by_warmth and m.what.phase == phase for m in self.members)
        warm = inputs.get(Warmth, phase) if heat else None
        if warm is None:
            return Stream(carrier)
        scale = warm.rest * (1.0 if carrier.mass else warm.density)
        rest = carrier.mass or carrier.volume
        flows = (own + scale * more for own, more in zip(warm.flows, rest, strict=True))
        return Stream(carrier, replace(warm, flows=Flows(*flows)))

    def streams(self, inputs: Inputs) -> dict[str, Stream | None]:
        return {phase: self.stream(inputs, phase) for phase in self.phases}

    def receive(self, inputs: Inputs) -> None:
        """Take over what others give to each member's cells."""
        for member in self.members:
            given: dict[str, Source] = {}
            for name in self.problem.called(member.quantity):
                given |= inputs.each(Source, name)
            member.receive(given)
            if given:
                self.bounds[member.name] = -np.inf, np.inf

    def _rate(self, carrier: Carrier) -> float:
        x, y, through = carrier.volume
        inner = courant_rate(x[0], y[0], self.carried_volume)
        pieces = self.mesh.pieces
        outlet = np.maximum(self._own(through), 0.0) * self.inverse[pieces.j, pieces.i]
        carry = max(m.what.carry for m in self.members)
        return carry * (inner + float(outlet.max(initial=0.0, where=self.large_piece)))

    def _own(self, through: Array) -> Array:
        """What passes the whole vessel's pieces, on the pieces of this mesh."""
        return np.where(self.in_whole >= 0, through[self.in_whole], 0.0)

    def flows(
        self, member: Unknown, stream: Stream | None, volume: Flows | None = None
    ) -> tuple[Array, Array, Array]:
        """What takes the member's value along, through faces and pieces: m3/s of the capacity it is
        counted by; nothing without a stream. volume : flows of another time than the newest.
        """
        what, carry = member.what, member.what.carry
        if stream is None:
            return np.zeros(self.shape), np.zeros(self.shape), np.zeros(self.mesh.pieces.j.size)
        taking = volume or stream.carrier.volume
        if what.by_warmth and stream.warm:
            if member.law is not None:
                raise StepFailed(
                    what.words,
                    "the whole vessel",
                    "its capacity follows its own value, and what the stream consists of tells its "
                    "warmth: give only one of them",
                )
            taking, carry = stream.warm.flows, carry / what.capacity
        elif what.density > 0 and stream.carrier.mass:
            taking, carry = stream.carrier.mass, carry / what.density
        x, y, through = taking.x[0], taking.y[0], self._own(taking.through)
        if what.lever:
            x, y = x * member.lever_x, y * member.lever_y
            through = through * member.lever_piece
        if carry != 1.0:
            x, y, through = carry * x, carry * y, carry * through
        return x, y, through

    def _swelling(
        self, member: Unknown, flows: tuple[Array, Array, Array] | None, stream: Stream | None
    ) -> Array | None:
        """Net outflow of what carries the member (m3/s), where its density is solved for; what
        others give to cells is none of it.
        """
        swells = _swells(member.what, stream)
        if stream is None or flows is None or not (swells or self.motion is not None):
            return None
        net = self.net(flows)
        if swells and stream.carrier.fed is not None:
            net -= self._share(member, stream) * stream.carrier.fed[0]
        return net

    def net(self, flows: tuple[Array, Array, Array]) -> Array:
        """Net outflow of every cell (m3/s)."""
        x, y, through = flows
        net = roll(x, -1, 1) - x + roll(y, -1, 0) - y
        np.add.at(net, (self.mesh.pieces.j, self.mesh.pieces.i), through)
        return np.where(self.live, net, 0.0)

    def _share(self, member: Unknown, stream: Stream) -> float:
        """m3/s of the member's capacity that one kg/s of a stream of solved density takes along."""
        what = member.what
        if what.by_warmth and stream.warm:
            return what.carry * stream.warm.rest / what.capacity
        return what.carry / what.density

    def coming(self, member: Unknown, stream: Stream | None) -> Array | float:
        """What each cell comes to hold (m3/s) by what is made in it or passes its walls."""
        if stream is None or stream.warm is None or not member.what.by_warmth:
            return 0.0
        return np.where(self.live, stream.warm.made[0] / member.what.capacity, 0.0)

    def unclosed(self, member: Unknown, stream: Stream | None) -> Array | float:
        """What more flows out of each cell than may (m3/s of the member's capacity), where a stream
        does not close yet.
        """
        if stream is None or stream.carrier.unclosed is None:
            return 0.0
        by_mass = member.what.density > 0 and stream.carrier.mass is not None
        share = self._share(member, stream) if by_mass else member.what.carry
        return np.where(self.live, share * stream.carrier.unclosed[0], 0.0) * member.lever_cell

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        streams, self.now = self.streams(inputs), state
        work = Work()
        self.budgets = {}
        carriers = [s.carrier for s in streams.values() if s is not None]
        rate = max(map(self._rate, carriers), default=0.0)
        strides = self._strides(state, inputs, rate)
        self.splits = False
        state.numbers[self.problem.state_name("stream")] = self._print(inputs)
        self.receive(inputs)
        for member in self.members:
            what, c = member.what, self.of(state, member)
            stream = streams[what.phase]
            swells = _swells(what, stream)
            if stream is not None and swells:
                member.weigh(self._heft(member, _held_before(what, stream)))
            if self.motion is not None:
                self._unlay(member, stream, self.motion)
            early_value = member.arriving_at(_at_time(state, t0))
            member.set_values(state if state.time == t1 else _at_time(state, t1))
            member.arrived = early_value
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
                need = (t1 - t0) * (2.0 * rate + self._striding(member).quickest())
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
        striding, dt = self._striding(member), t1 - t0
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
        acted = self._striding(member).take_one(c, early, late, dt, stages, brought)
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
        if stream is None or _swells(member.what, stream) or stream.carrier.span != (t0, t1):
            return flows
        return self.flows(member, stream, stream.carrier.before)

    def _heft(self, member: Unknown, share: Array) -> Array:
        """What the stream holds per value, over its capacity as given; solids as they are."""
        heft = member.lever_cell * share
        for zone, solid in member.what.solids.items():
            inside = self.mesh.zone_cells(zone)[0]
            heft[inside] = solid.capacity / member.what.capacity
        return np.asarray(heft)

    def _held(self, member: Unknown, c: Array) -> float:
        """The amount in the vessel, counted from the member's origin."""
        what = member.what
        if member.law is not None:
            return what.capacity * float(total(member.content(c), member.store))
        return what.capacity * float(total(c, member.store) - what.origin * member.store.sum())

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
        wx, wy = (self.wx, self.wy) if limited else self.flat
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
        carry_faces(c, *flows, x, y, self.wx, self.wy, *grid.repeats, self.ny, self.nx)
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
            self._apply(c, self.stage, dt, old, new, member, coming, c)
            c[:] = np.where(self.live, self.stage, 0.0)
            self._end_carry(member, c, new)
            self.book(member, budget, passed, np.zeros(len(self.mesh.edges)), dt)
            return
        first = self.fluxes(c, early, member, True, dt, old, new, arrived)
        self._apply(c, self.stage, dt, old, new, member, coming, c)
        told = [a.copy() for a in self.told(member)[:3]] if self.telling else []
        second = self.fluxes(self.stage, flows, member, True, dt, new, last, arrives)
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
                f"x {self.mesh.grid.centres(0)[i]:.4g} m, y {self.mesh.grid.centres(1)[j]:.4g} m",
                f"{c[j, i]:.4g} {member.what.unit} lies outside {low:.4g} to {high:.4g}",
            )


def _swells(what: Carried, stream: Stream | None) -> bool:
    """Whether what carries it changes its density or make, so that volume is not what counts."""
    if stream is None:
        return False
    by_warmth = what.by_warmth and stream.warm is not None
    return by_warmth or (what.density > 0 and stream.carrier.mass is not None)


def _held_before(what: Carried, stream: Stream) -> Array:
    """What the stream held per value when the step began, over its capacity as given."""
    if what.by_warmth and stream.warm:
        return np.asarray(stream.warm.before[0] / what.capacity)
    assert stream.carrier.density_before is not None
    return np.asarray(stream.carrier.density_before[0] / what.density)


def _at_time(state: State, t: float) -> State:
    """The same state, read at another time."""
    return replace(state, time=t)
