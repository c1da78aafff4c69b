"""Everything carried as it is laid out on a mesh, and what a stream takes of it along."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from underkettle.engine.contract import (
    Carrier,
    Flows,
    Geometry,
    Inputs,
    Pores,
    Problem,
    StepFailed,
    Turbulence,
    Warmth,
)
from underkettle.engine.contract.streams import given_to
from underkettle.engine.marching.state import State
from underkettle.engine.operators.convection import courant_rate
from underkettle.engine.operators.diffusion import total
from underkettle.engine.operators.small_cells import SmallCells
from underkettle.engine.operators.stencil import cell_weights, roll
from underkettle.engine.transport.pores import is_spread, within
from underkettle.engine.transport.stirred import Eddies
from underkettle.engine.transport.striding import Striding
from underkettle.engine.transport.unknown import Carried, Unknown

Array = np.ndarray


BOUND_SLACK = 1e-5
NEVER = -9.0  # the step of what has not been
TOLD = ("x", "y", "through", "spread_x", "spread_y", "made")


@dataclass(frozen=True)
class Stream:
    """What takes values along: the stream, and its own warmth where that is told."""

    carrier: Carrier
    warm: Warmth | None = None


class Laid:
    """Members on their mesh: their names in the state, bounds, flows, what they hold."""

    def __init__(self, problem: Problem, carried: Sequence[Carried]) -> None:
        self.problem, self.carried = problem, carried
        self.motion: Geometry | None = None  # what has moved in this step
        self.matter: dict[str, tuple[Pores, Array]] = {}  # by phase, and the speeds it was seen at
        self.telling = any(what.warmth for what in carried)
        self._lay()

    def _lay(self) -> None:
        """Lay out what lives on the problem's mesh."""
        problem, mesh = self.problem, self.problem.mesh
        self.mesh, grid = mesh, mesh.grid
        self.matter = {}
        self.eddies: dict[str, Eddies] = {}
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

    def weights(self, member: Unknown) -> tuple[Array, Array]:
        """Of the limiter; none where cloths hold back what comes, behind which values jump."""
        return (self.wx, self.wy) if member.taking is None else self.flat

    def striding_of(self, member: Unknown) -> Striding:
        found = self.striding.get(member.name)
        if found is None:
            found = Striding(self.mesh, member, self.small, self.fill, (self.wx, self.wy))
            self.striding[member.name] = found
        return found

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

    # ------------------------------------------------------------ what a stream takes along

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

    def _stir(self, inputs: Inputs) -> None:
        """Take over eddies as they are now."""
        for phase in self.phases:
            offered, carrier = inputs.get(Turbulence, phase), inputs.get(Carrier, phase)
            if offered is None or carrier is None:
                continue
            known = self.eddies.get(phase)
            if known is not None and known.offered.is_same(offered):
                continue
            self.eddies[phase] = Eddies(self.mesh, offered, carrier)
            for member in self.members:
                if member.what.phase == phase:
                    member.stir(self.eddies[phase])
            self.striding = {}

    def fill_pores(self, inputs: Inputs) -> None:
        """Take over eddies and porous matter as they are now, and what the stream spreads in it."""
        self._stir(inputs)
        changed = False
        for phase in self.phases:
            pores = inputs.get(Pores, phase)
            if pores is None:
                continue
            known = self.matter.get(phase)
            carrier = inputs.get(Carrier, phase) if is_spread(pores) else None
            seen = np.zeros(0) if carrier is None else np.stack([carrier.u[0], carrier.v[0]])
            if known is not None and np.array_equal(known[1], seen) and known[0].is_same(pores):
                continue
            self.matter[phase] = (pores if pores.steady else pores.set_aside()), seen
            changed = True
            for member in (m for m in self.members if m.what.phase == phase and m.what.in_pores):
                found = within(member.what.in_pores, pores, carrier)
                if member.law is not None and found.more.any():
                    raise StepFailed(
                        member.what.words,
                        "where porous matter stands",
                        "its capacity follows its own value there, which is not told for the solid: "
                        "give one number",
                    )
                member.fill_pores(found)
        if changed:
            self.striding = {}
            room = np.min([m.heft / m.lever_cell for m in self.members], axis=0)
            self.carried_volume = np.where(
                self.small.is_small, 0.0, self.volume * np.minimum(room, 1.0)
            )

    def receive(self, inputs: Inputs) -> None:
        """Take over what others give to each member's cells."""
        for member in self.members:
            given = given_to(self.problem, inputs, member.quantity)
            member.receive(given)
            if given:
                self.bounds[member.name] = -np.inf, np.inf

    def follow(self, member: Unknown, state: State) -> None:
        """Let those before a member give to it, as they have gone on."""
        if member.what.follows is not None:
            giver, gives = member.what.follows
            member.receive({**member.givers, giver: gives(state)})
            self.bounds[member.name] = -np.inf, np.inf

    def passing(self, carrier: Carrier) -> float:
        x, y, through = carrier.volume
        inner = courant_rate(x[0], y[0], self.carried_volume)
        pieces = self.mesh.pieces
        room = self.carried_volume[pieces.j, pieces.i]
        leaves = np.maximum(self._own(through), 0.0)
        outlet = np.divide(leaves, room, out=np.zeros(leaves.shape), where=self.large_piece)
        carry = max(m.what.carry for m in self.members)
        return carry * (inner + float(outlet.max(initial=0.0)))

    def _own(self, through: Array) -> Array:
        """What passes the whole vessel's pieces, on the pieces of this mesh."""
        return np.where(self.in_whole >= 0, through[self.in_whole], 0.0)

    def flows(
        self, member: Unknown, stream: Stream | None, volume: Flows | None = None
    ) -> tuple[Array, Array, Array]:
        """What takes the member's value along, through faces and pieces: m3/s of the capacity it is
        counted by; nothing without a stream. volume : flows of another time than the newest.
        """
        if stream is None:
            return np.zeros(self.shape), np.zeros(self.shape), np.zeros(self.mesh.pieces.j.size)
        x, y, through = self._taking(member, stream, volume)
        if member.what.lever:
            x, y = x * member.lever_x, y * member.lever_y
            through = through * member.lever_piece
        return x, y, through

    def _taking(
        self, member: Unknown, stream: Stream, volume: Flows | None = None
    ) -> tuple[Array, Array, Array]:
        """The same, whatever it counts by."""
        what, carry = member.what, member.what.carry
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
        if carry != 1.0:
            x, y, through = carry * x, carry * y, carry * through
        return x, y, through

    def _swelling(
        self, member: Unknown, flows: tuple[Array, Array, Array] | None, stream: Stream | None
    ) -> Array | None:
        """Net outflow of what carries the member (m3/s), where its density is solved for; what
        others give to cells is none of it.
        """
        swells = is_swelling(member.what, stream)
        if stream is None or flows is None or not (swells or self.motion is not None):
            return None
        # a ring's mass, whatever lever what passes its faces has
        net = member.lever_cell * self.net(self._taking(member, stream))
        if swells and stream.carrier.fed is not None:
            net -= self._share(member, stream) * member.lever_cell * stream.carrier.fed[0]
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

    def _held(self, member: Unknown, c: Array) -> float:
        """The amount in the vessel, counted from the member's origin."""
        what = member.what
        if member.law is not None:
            return what.capacity * float(total(member.content(c), member.store))
        return what.capacity * float(total(c, member.store) - what.origin * member.store.sum())


def is_swelling(what: Carried, stream: Stream | None) -> bool:
    """Whether what carries it changes its density or make, so that volume is not what counts."""
    if stream is None:
        return False
    by_warmth = what.by_warmth and stream.warm is not None
    return by_warmth or (what.density > 0 and stream.carrier.mass is not None)


def held_before(what: Carried, stream: Stream) -> Array:
    """What the stream held per value when the step began, over its capacity as given."""
    if what.by_warmth and stream.warm:
        return np.asarray(stream.warm.before[0] / what.capacity)
    assert stream.carrier.density_before is not None
    return np.asarray(stream.carrier.density_before[0] / what.density)
