"""A stream on a cut staggered grid: its medium, its edges, and what pushes it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Flows,
    Force,
    Geometry,
    Inputs,
    Jump,
    Medium,
    Problem,
    Resistance,
    Sheet,
    StepFailed,
    Turbulence,
)
from underkettle.engine.contract.streams import TURBULENT_PROFILE
from underkettle.engine.linear import Multigrid
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.convection import (
    carry_u,
    carry_u_out,
    carry_v,
    carry_v_out,
)
from underkettle.engine.operators.inflow import entering, held_pressures
from underkettle.engine.operators.pockets import closed_pockets
from underkettle.engine.operators.projection import (
    divergence,
    lay_pressure,
    level,
    outlet_force,
    pressure_force,
)
from underkettle.engine.operators.shear import (
    AT_MATTER,
    EVEN,
    SHARP,
    onto_faces,
    turn_sharp,
    turn_shear,
)
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.velocity import (
    EdgeRole,
    Nodes,
    middle_open,
    relaid,
    sliver_share,
    velocity_nodes,
)
from underkettle.engine.threads import beside
from underkettle.phenomena.flow.eddies import Drags, Eddies
from underkettle.phenomena.flow.matter import Matter
from underkettle.phenomena.flow.medium import MEDIUM, WHEN, follows
from underkettle.phenomena.flow.momentum import Component
from underkettle.phenomena.flow.rims import behind_walls, beyond, hand_on, within
from underkettle.quantities import Place

Array = np.ndarray

SLIPPING = "slipping wall"
NOBODY = np.zeros(0, np.int64)
Followers = tuple[Array, Array, Array]  # see `rims`

ROLES = {
    "wall": "wall",
    "moving wall": "wall",
    SLIPPING: "wall",
    "slip wall": "slip",
    "symmetry": "slip",
    "inflow": "in",
    "drawn off": "in",
    "outflow": "out",
    "open edge": "out",
    "total pressure": "out",
}
STRONGEST = 100.0  # bound on how much more strongly a cut cell's pressure is corrected
ARRAYS = (
    "u",
    "v",
    "p",
    "u_before",
    "v_before",
    "carried_u",
    "carried_v",
    "q",
    "q_before",
    "flow_x",
    "flow_y",
    "flow_x_before",
    "flow_y_before",
)
SWELLING = ("density_before", "mass_x", "mass_y")
PASSING = ("through", "through_before")  # one number per piece of the whole vessel's outline


@dataclass(frozen=True)
class Push:
    """What others push the velocities of one component with (N), and what that falls by per speed
    (N s/m); None where nothing does.
    """

    force: Array | None = None
    falls: Array | None = None

    def plus(self, force: Array | None, falls: Array | None) -> Push:
        """Both, and more; nothing where None."""
        return Push(
            self.force if force is None else _more(self.force, force),
            self.falls if falls is None else _more(self.falls, falls),
        )


def _among(values: Array, known: Array) -> Array:
    """The mean of the known ones among the four neighbours of each; 0 where there are none."""
    total, count = np.zeros(values.shape), np.zeros(values.shape)
    for axis, step in ((0, 1), (0, -1), (1, 1), (1, -1)):
        there = roll(known, step, axis)
        total += np.where(there, roll(values, step, axis), 0.0)
        count += there
    return np.asarray(total / np.maximum(count, 1.0))


def _joined(one: Followers, two: Followers) -> Followers:
    a, b, c = (np.concatenate(pair) for pair in zip(one, two, strict=True))
    return a, b, c


def _more(so_far: Array | None, more: Array) -> Array:
    return more if so_far is None else so_far + more


class Stream:
    """Velocities (m/s) and pressure (Pa) on one mesh: coefficients, edges and forces."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        settings = problem.settings()
        self.laws = {name: settings[name] for name in MEDIUM}
        self.offered = False  # whether another phenomenon sets density and viscosity
        self.passed: Flows | None = None  # mass that fluids which do not mix pass faces with (kg/s)
        self.follows = [name for name in MEDIUM if follows(self.laws[name])]
        self.swells = "density" in self.follows
        self.gravity = float(settings["gravity_x"]), float(settings["gravity_y"])
        self.weightless = settings.get("weightless")
        self.falls = {
            axis: given.values["fall"] for axis, given in problem.repeat_conditions().items()
        }
        self.aim_step = float(settings["pressure_aim"])
        arrays = (
            *ARRAYS,
            *PASSING,
            *self.follows,
            *((*SWELLING, "mass_through") if self.swells else ()),
        )
        self.names = {array: problem.state_name(array) for array in arrays}
        shape = problem.mesh.shape[1:]
        self.right = np.zeros(shape)
        self.face_x, self.face_y = np.zeros(shape), np.zeros(shape)
        self.ax, self.ay, self.d = np.zeros(shape), np.zeros(shape), np.zeros(shape)
        self.givers: dict[str, Array] = {}  # who gives mass, and how much to each cell (kg/s)
        self.matter: Matter | None = None  # what stands in the stream
        self.eddies: Eddies | None = None  # that are too fast to be followed
        self.slips = False  # whether the stream does not stick to walls
        self.slivers = False  # whether it does, and passes faces whose middle is closed
        self.still, self.everywhere = np.zeros(shape), np.ones(shape)
        cells, forces = ((np.zeros(shape), np.zeros(shape)) for _ in range(2))
        self.turning = cells, forces  # of the turned part of shear: N/m3 in cells, N on faces
        self.fed = self.right  # that of all, in what must close: m3/s, kg/s where density is solved
        self.pressure: Multigrid | None = None
        self.motion: Geometry | None = None  # what has moved in this step
        self.drawn: tuple[Mesh, list[Nodes]] | None = None  # the layout before anything moved
        none = np.zeros(0, np.int64), np.zeros(0)
        self.pushing: tuple[tuple[Array, Array], ...] = (none, none)  # see `beside_moving`
        self.scale = 0.0
        # laws are followed from the first step on; until then anything will do
        self._lay(
            *(
                np.full(shape, 1.0 if name in self.follows else self.laws[name].at())
                for name in MEDIUM
            )
        )

    def _lay(self, density: Array, viscosity: Array) -> None:
        """Lay out what lives on the problem's mesh, for a medium as it is now."""
        problem, mesh = self.problem, self.problem.mesh
        self.mesh, self.matter, self.eddies = mesh, None, None
        self.ny, self.nx = mesh.grid.ny, mesh.grid.nx
        self.conditions = dict(problem.edge_conditions())
        self.timeless = all(
            getattr(value, "steady", True)
            for given in self.conditions.values()
            for value in given.values.values()
        )
        # whether what enters does so alike whatever the time, the density and the viscosity are
        self.enters_alike = self.timeless and not any(
            given.has("mass_flow") or given.values.get("profile") == TURBULENT_PROFILE
            for given in self.conditions.values()
        )
        self.entries: dict[bytes, Array] = {}  # speeds that were worked out
        roles = {edge: EdgeRole(ROLES[given.kind]) for edge, given in self.conditions.items()}
        self.parts = [
            Component(mesh, self._nodes(mesh, axis, roles), self.slips) for axis in (0, 1)
        ]
        slips = {
            mesh.edge_index(edge): float(given.values["length"])
            for edge, given in self.conditions.items()
            if given.kind == SLIPPING
        }
        for part in self.parts:
            part.let_slip(slips)
        nodes = [part.nodes for part in self.parts]
        self.beyond = (
            beyond(mesh, nodes[0], nodes[1], self.conditions),
            beyond(mesh, nodes[1], nodes[0], self.conditions),
        )
        self.hidden = [(NOBODY, NOBODY), (NOBODY, NOBODY)]
        if self.slips:
            behind = [
                behind_walls(mesh, n, found[0]) for n, found in zip(nodes, self.beyond, strict=True)
            ]
            self.hidden = [
                (at[own], inside[own])
                for n, (at, inside, _) in zip(nodes, behind, strict=True)
                for own in (within(n, at),)
            ]
            self.beyond = _joined(self.beyond[0], behind[0]), _joined(self.beyond[1], behind[1])
            for part, (at, inside, _) in zip(self.parts, behind, strict=True):
                part.nodes.carried.ravel()[at] = part.nodes.carried.ravel()[inside]
                part.lightness[:] = part.nodes.carried
                part.cautious = sliver_share(mesh, part.nodes)
        if self.slivers:
            for part in self.parts:
                part.cautious = sliver_share(mesh, part.nodes)
        self.live = mesh.live[0]
        self.closed = np.nonzero(~self.live)
        self.full = mesh.full_volume[0]
        self.fraction = mesh.volume / np.maximum(mesh.full_volume, 1e-300)
        self.half = np.maximum(mesh.volume[0], 0.5 * self.full)
        self.moves = any(
            given.has(name) for given in self.conditions.values() for name in ("x_speed", "y_speed")
        )
        kinds = [self.conditions[edge].kind for edge in mesh.edges]
        self.opens = [ROLES[kind] in ("in", "out") for kind in kinds]
        self.from_rest = np.array([kind == "total pressure" for kind in kinds], bool)
        self.edges_set, self.given_rate = False, -1.0
        self.in_whole = mesh.matching(problem.whole)
        self.set_medium(density, viscosity)
        self.pockets = closed_pockets(mesh, nodes)

    def _nodes(self, mesh: Mesh, axis: int, roles: Mapping[str, EdgeRole]) -> Nodes:
        """One component; where parts have moved, from how it is laid out as drawn."""
        if mesh.like is None:
            return velocity_nodes(mesh, axis, roles, self.slips, self.slivers)
        if self.drawn is None or self.drawn[0] is not mesh.like:
            self.drawn = mesh.like, [velocity_nodes(mesh.like, a, roles) for a in (0, 1)]
        return relaid(mesh, self.drawn[1][axis], roles)

    def moved(self, state: State, geometry: Geometry) -> None:
        """Take over where walls are at the end of the step, and how fast they move. Velocities on
        faces that have opened are those of their neighbours.
        """
        still = geometry.mesh is geometry.before and geometry.mesh is self.mesh
        self.motion = None if still and not geometry.speeds else geometry
        self.edges_set = False
        for part in self.parts:
            part.speeds = geometry.speeds
        if still:
            self.pushing = tuple(part.beside_moving() for part in self.parts)
            return
        for name in ("p", "q", "q_before", *self.follows, *SWELLING[: self.swells]):
            geometry.carried_over(self.array(state, name))
        was = self.mesh is geometry.before
        alive = [
            part.nodes.inner > 0 if was else middle_open(geometry.before, axis)
            for axis, part in enumerate(self.parts)
        ]
        self._lay(*self.medium_of(state))
        pieces = self.problem.whole.pieces.j.size
        for name in (*PASSING, *(("mass_through",) if self.swells else ())):
            state.fields[self.names[name]] = np.zeros(pieces)
        for part, own in zip(self.parts, ("u", "v"), strict=True):
            part.speeds = geometry.speeds
            n = part.nodes
            old = alive[n.axis]
            fresh = n.active & (n.inner > 0) & ~old
            shut = ~(n.active | n.prescribed)
            for name in (own, f"{own}_before", f"carried_{own}"):
                values = self.array(state, name)
                values[shut] = 0.0
                if fresh.any():
                    values[fresh] = _among(values, n.active & old)[fresh]
                self.mesh.grid.wrap(values)
        self.pushing = tuple(part.beside_moving() for part in self.parts)
        for name in ("p", "q", "q_before"):
            self.array(state, name)[~self.mesh.there[0]] = 0.0

    def growing(self, state: State, over: float) -> Array | None:
        """What each cell comes to hold more of per s, of what must close: m3/s, kg/s where density
        is solved for; None where it holds the same. over : the time (s) that it takes.
        """
        if over <= 0:
            return None
        motion = self.motion
        if self.swells:
            now, before = self.array(state, "density"), self.array(state, "density_before")
            held = self.mesh.volume[0] if motion is None else motion.held
            return np.where(self.live, now * self.mesh.volume[0] - before * held, 0.0) / over
        return None if motion is None else motion.growth / over

    def missing(self, u: Array, v: Array, growing: Array | None = None) -> tuple[Array, float]:
        """Inflow that cells lack, of what must close, and the largest that passes a face. growing :
        what they come to hold more of per s.
        """
        lacks = np.zeros(self.live.shape)
        x, y = (part.opening for part in self.parts)
        largest = float(divergence(u, v, x, y, lacks, -1.0, self.ny, self.nx))
        if growing is not None:
            lacks -= growing
        if self.givers:
            lacks += self.fed
        lacks[self.closed] = 0.0
        for pocket in self.pockets:
            level(lacks, *pocket)
        return lacks, largest

    # ------------------------------------------------------------ set-up

    def set_medium(self, density: Array, viscosity: Array, pressure_too: bool = True) -> None:
        self.edges_set = False
        self.medium = density, viscosity
        if self.matter is not None:
            self.matter.set_medium(density, viscosity)
            viscosity = viscosity * self.matter.shear
        jumps = AT_MATTER if self.matter is not None and self.matter.thick else EVEN
        if self.passed is not None:
            jumps = SHARP
        drags: list[Drags] = [(None, None), (None, None)]
        if self.eddies is not None:
            drags = self.eddies.drags(density, self.medium[1])
            viscosity = viscosity + self.eddies.viscosity
        for part, own in zip(self.parts, drags, strict=True):
            part.set_medium(density, viscosity, self.swells, jumps, *own)
        self.now_density, self.now_viscosity = density, viscosity
        if pressure_too:
            self._set_pressure()
        self.plain = viscosity / self.full / (density if self.swells else 1.0)

    def _set_pressure(self) -> None:
        """The pressure operator. Where mass is what must close, density drops out of it."""
        self.lay_pressure([part.moves for part in self.parts], self.ax, self.ay, self.d)
        if self.pressure is None:
            self.pressure = Multigrid(self.ax, self.ay, self.d, repeats=self.mesh.grid.repeats)
        else:
            self.pressure.set_up()

    def lay_pressure(self, mobility: Sequence[Array], ax: Array, ay: Array, d: Array) -> None:
        """Faces and diagonal of the operator that gives net outflows for pressures. mobility : of
        each component, what a jump of pressure moves it by.
        """
        factors = [part.opening * moves for part, moves in zip(self.parts, mobility, strict=True)]
        lay_pressure([part.nodes for part in self.parts], factors, ax, ay, d)

    def ways(self) -> Array:
        """What a cell's pressure moves its faces by, all together: 0 where nothing can pass."""
        return self.ax + roll(self.ax, -1, 1) + self.ay + roll(self.ay, -1, 0) + self.d

    def ready(self, state: State) -> None:
        """Take over density and viscosity as they are at the start."""
        self.follow(state, begins=True)
        mean = float(
            (self.now_density * self.mesh.volume[0])[self.live].sum()
            / self.mesh.volume[0][self.live].sum()
        )
        state.numbers[self.problem.state_name("weightless")] = self.weightless or mean

    def follow(self, state: State, begins: bool = False) -> None:
        """Take over density and viscosity as they are now, where laws say."""
        if not self.follows:
            return
        here = self.mesh.place(state.time)
        for name in self.follows:
            known = self.problem.known(state, self.laws[name].reads, WHEN[name])
            kept = self.array(state, name)
            value = self.laws[name].at(here, known)
            if name == "density":
                self.array(state, "density_before")[:] = value if begins else kept
            kept[:] = value
            self.mesh.grid.wrap(kept)
            if not (np.isfinite(kept).all() and (kept > 0).all()):
                j, i = np.argwhere(~(kept > 0) | ~np.isfinite(kept))[0]
                raise StepFailed(name, self.mesh.grid.spot(j, i), f"the law gives {kept[j, i]:.4g}")
        self.set_medium(*self.medium_of(state), pressure_too=False)

    def hold(self, rate: float, falls: Sequence[Array | None]) -> None:
        """Let pressure move less what is held back (N s/m, of each component) while a time term of
        `rate` (1/s) acts: what it moves and what closes are the same, however old this is.
        """
        if sum([part.hold(rate, held) for part, held in zip(self.parts, falls, strict=True)]):
            self._set_pressure()

    def meet(self, inputs: Inputs, state: State) -> None:
        """Take over the medium, the porous matter and the eddies that others offer."""
        medium, offered = inputs.get(Medium, FLUID), inputs.get(Resistance, FLUID)
        sheet, eddies = inputs.get(Sheet, FLUID), inputs.get(Turbulence, FLUID)
        if eddies is not None:
            changed = self._stir(eddies, state)
            if changed and medium is None:
                self.set_medium(*self.medium, pressure_too=False)
        if medium is not None:
            if medium.mass is not None and self.mesh.cuts and not (self.slips or self.slivers):
                self.slivers = True  # what meets walls is to move along them, whatever they cut
                self._lay(*self.medium_of(state))
                self.set_edges(state, state.time)
            self.take_over(medium)
            if medium.light is not None and self.weightless is None:
                state.numbers[self.problem.state_name("weightless")] = medium.light
        if offered is None and sheet is None:
            return
        if self.matter is not None and self.matter.is_as(offered, sheet):
            return
        self.matter = Matter(self.mesh, [part.nodes for part in self.parts], offered, sheet)
        for part, pores in zip(self.parts, self.matter.pores, strict=True):
            part.pores = pores if self.matter.full else None
        self.half = np.maximum(self.mesh.volume[0], 0.5 * self.full) * self.matter.porosity
        self.fraction = (
            self.matter.porosity * self.mesh.volume / np.maximum(self.mesh.full_volume, 1e-300)
        )
        self.set_medium(*self.medium)

    def _stir(self, offered: Turbulence, state: State) -> bool:
        """Take over eddies, and keep what follows from when that was; whether they are anything new."""
        if self.eddies is None:
            self.slips = True
            self._lay(*self.medium_of(state))
            self.eddies = Eddies(self.mesh, self.parts, self.conditions)
            self.set_edges(state, state.time)
        stirred, slid = (self.problem.state_name(own) for own in ("stirred", "slid"))
        known = stirred in state.fields
        kept = (state.fields[stirred], state.fields[slid]) if known else None
        changed = self.eddies.take(offered, self.array(state, "u"), self.array(state, "v"), kept)
        if changed or not known:
            state.fields[stirred] = self.eddies.viscosity.copy()
            state.fields[slid] = self.eddies.slid.copy()
        return changed

    def take_over(self, medium: Medium) -> None:
        """Density and viscosity that another phenomenon offers; closed cells hold none of their
        own.
        """
        self.offered, self.passed = True, medium.mass
        density, viscosity = (
            self.mesh.grid.wrap(self.mesh.filled(a[0])) for a in (medium.density, medium.viscosity)
        )
        self.set_medium(density, viscosity)

    def gone(self) -> float:
        """kg/s that fluids which do not mix leave through openings with."""
        return 0.0 if self.passed is None else float(self.passed.through.sum())

    def medium_of(self, state: State) -> tuple[Array, Array]:
        """Density and viscosity as the state holds them."""
        density, viscosity = (
            self.array(state, name)
            if name in self.follows
            else np.full(self.live.shape, self.laws[name].at())
            for name in MEDIUM
        )
        return density, viscosity

    def own_forces(self, state: State) -> tuple[Array, Array] | None:
        """Forces (N) that follow from how density and viscosity vary; None where they do not."""
        forces = [f for f in (self.stress(state), self.weight(state)) if f is not None]
        if len(forces) < 2:
            return forces[0] if forces else None
        return (np.asarray(sum(f[0] for f in forces)), np.asarray(sum(f[1] for f in forces)))

    def pushed(self, inputs: Inputs) -> tuple[Push, Push]:
        """Forces, and jumps of pressure, that others offer."""
        force, jump = inputs.get(Force), inputs.get(Jump)
        found = []
        for axis, part in enumerate(self.parts):
            n = part.nodes
            push = Push()
            for given, acts_on in ((force, n.volume), (jump, n.side)):
                if given is not None:
                    values, falls = ((given.x, given.linear_x), (given.y, given.linear_y))[axis]
                    on = np.where(n.active, acts_on, 0.0)
                    push = push.plus(on * values[0], None if falls is None else on * falls[0])
            found.append(push)
        return found[0], found[1]

    def weight(self, state: State) -> tuple[Array, Array] | None:
        """Weight (N) beyond that of what weighs nothing."""
        if not ((self.swells or self.passed is not None) and any(self.gravity)):
            return None
        light = state.numbers[self.problem.state_name("weightless")]
        along_x, along_y = (
            (part.weighs - light * part.nodes.volume) * g
            for part, g in zip(self.parts, self.gravity, strict=True)
        )
        return along_x, along_y

    @property
    def shears(self) -> bool:
        """Whether viscosity is not one number, so that shear has a turned part of its own."""
        thick = self.matter is not None and self.matter.thick
        return "viscosity" in self.follows or self.offered or thick or self.eddies is not None

    def stress(self, state: State) -> tuple[Array, Array] | None:
        """Forces (N) of shear that vary with viscosity; None where it is one number."""
        if not self.shears:
            return None
        return self.turned(self.array(state, "u"), self.array(state, "v"))

    def turned(self, u: Array, v: Array) -> tuple[Array, Array]:
        """Forces (N) of the turned part of the shear of these velocities (m/s)."""
        grid, (pu, pv) = self.mesh.grid, self.parts
        if self.passed is not None:
            return self._turned_sharp(u, v)
        swell = self.still
        if self.swells:
            swell = np.zeros(self.live.shape)
            divergence(u, v, pu.nodes.area, pv.nodes.area, swell, 1.0, self.ny, self.nx)
            swell = np.where(self.live, swell / self.full, 0.0)
        counts = self.everywhere if self.eddies is None else self.eddies.away
        cells, forces = self.turning
        sizes = grid.widths(0), grid.widths(1)
        turn_shear(u, v, self.now_viscosity, swell, counts, *sizes, *cells, self.ny, self.nx)
        for part, along, force in zip(self.parts, cells, forces, strict=True):
            upright = part.nodes.axis == 1
            onto_faces(grid.wrap(along), upright, part.nodes.volume, force, self.ny, self.nx)
            grid.wrap(force)
        return forces

    def _turned_sharp(self, u: Array, v: Array) -> tuple[Array, Array]:
        """The same where fluids that do not mix make viscosity jump."""
        grid, forces = self.mesh.grid, self.turning[1]
        level = grid.centres(1), grid.faces(1)
        along, faces = level if grid.round else (np.ones(n.size) for n in level)
        turn_sharp(
            u,
            v,
            self.now_viscosity,
            grid.widths(0),
            grid.widths(1),
            along,
            faces,
            *(part.nodes.unknown for part in self.parts),
            *(part.nodes.volume for part in self.parts),
            *forces,
            self.ny,
            self.nx,
        )
        for force in forces:
            grid.wrap(force)
        return forces

    def pressure_answer(self) -> Array:
        """Pressure (Pa) that undoes a net outflow of 1 m3/s of a cell when shear rules.

        In an uncut cell it is viscosity over volume. A cut cell answers more weakly to its own
        pressure, in proportion to open area squared over what holds its velocities; without
        this share a steady creeping flow takes ten times as many sweeps.
        """
        answer = np.zeros(self.live.shape)
        for part in self.parts:
            n = part.nodes
            turn = 1 - n.axis
            hold = (
                part.held
                + part.link_x
                + roll(part.link_x, -1, 1)
                + part.link_y
                + roll(part.link_y, -1, 0)
            )
            share = np.where(
                n.active & (hold > 0), n.area * n.side / np.where(hold > 0, hold, 1), 0.0
            )
            answer += share + roll(share, -1, turn)
        plain = self.plain
        weak = np.divide(
            1.0, answer * plain, out=np.ones(answer.shape), where=self.live & (answer > 0)
        )
        typical = float(np.median(weak[self.live]))
        return plain * np.clip(weak / typical, 1.0, STRONGEST)

    def start(self, state: State) -> None:
        shape, pieces = self.mesh.shape, self.problem.whole.pieces.j.size
        for own in self.names:
            passing = own in (*PASSING, "mass_through")
            state.fields[self.names[own]] = np.zeros(pieces if passing else shape)
        state.fields[self.problem.state_name("rubbed")] = np.zeros((3, len(self.mesh.edges)))
        for own in self.follows:
            state.fields[self.names[own]][:] = 1.0
        starts = self.problem.start_conditions()
        here = self.mesh.place(state.time)
        for zone, given in starts.items():
            inside = self.mesh.zone_cells(zone)[0]
            for speed, part in (("x_speed", self.parts[0]), ("y_speed", self.parts[1])):
                if given.has(speed):
                    array = self.array(state, "u" if part.nodes.axis == 0 else "v")
                    value = np.broadcast_to(given.values[speed].at(here), shape[1:])
                    array[inside & part.nodes.active] = value[inside & part.nodes.active]
                    self.mesh.grid.wrap(array)
        for part, name in zip(self.parts, ("u", "v"), strict=True):
            n, velocity = part.nodes, self.array(state, name)  # openings go on as it is inside
            inward = np.where(n.out_sign > 0, -1, 1)
            velocity[n.out_row, n.out_column] = velocity[
                n.out_row + inward * n.axis, n.out_column + inward * (1 - n.axis)
            ]
        state.numbers[self.problem.state_name("dt")] = 0.0
        for axis in self.falls:
            state.numbers[self.problem.state_name(f"fall_{axis}")] = 0.0
        self.edges_set = False
        self.set_edges(state, state.time)
        self.tilt(state, state.time)
        self.book(state)

    def array(self, state: State, name: str) -> Array:
        array = state.fields[self.names[name]]
        return array[0] if array.ndim == 3 else array

    def set_edges(self, state: State, t: float) -> None:
        """Write the given inflow velocities of time t and the walls' pull."""
        if self.edges_set and self.timeless:
            return
        self.edges_set = True
        total = 0.0
        for part, name in zip(self.parts, ("u", "v"), strict=True):
            velocity = self.array(state, name)
            n = part.nodes
            if n.in_row.size:
                inward = self.inflow_speed(n.in_piece, t)
                velocity[n.in_row, n.in_column] = -n.in_sign * inward
                total += float(np.abs(inward * part.opening[n.in_row, n.in_column]).sum())
            part.set_walls(self.conditions, velocity, t)
        self.scale = total

    def tilt(self, state: State, t: float) -> None:
        """Spread what the fall of pressure has changed by evenly over the vessel's length: a jump
        where it is cut open would push there first.
        """
        for axis, fall in self.falls.items():
            key = self.problem.state_name(f"fall_{axis}")
            now = float(fall.at(Place(t=t)))
            change, state.numbers[key] = now - state.numbers[key], now
            if change:
                grid = self.mesh.grid
                low, high = (grid.x, grid.y)[axis][[0, -1]]
                share = (high - grid.centres(axis)) / (high - low)
                p = self.array(state, "p")
                p += np.where(self.live, change * (share if axis == 0 else share[:, None]), 0.0)
                grid.wrap(p)

    def wall_speeds(self, t: float) -> Array | None:
        """How fast each piece of the outline moves along x and y (2, n), m/s; None where all stand."""
        if not self.moves and not any(part.speeds for part in self.parts):
            return None
        speeds = np.zeros((2, self.mesh.pieces.j.size))
        for k, edge in enumerate(self.mesh.edges):
            rows = self.mesh.pieces.of(k)
            for axis, name in enumerate(("x_speed", "y_speed")):
                if self.conditions[edge].has(name):
                    place = self.mesh.pieces.place(t)[rows]
                    speeds[axis, rows] += self.conditions[edge].values[name].at(place)
                speeds[axis, rows] += self.parts[axis].speeds.get(edge, (0.0, 0.0))[axis]
        return speeds if speeds.any() else None

    def inflow_speed(self, piece: Array, t: float) -> Array:
        """Speed into the vessel (m/s) at boundary pieces."""
        if not self.enters_alike:
            return self._entering(piece, t)
        key = piece.tobytes()
        if key not in self.entries:
            self.entries[key] = self._entering(piece, t)
        return self.entries[key]

    def _entering(self, piece: Array, t: float) -> Array:
        return entering(self.mesh, self.conditions, piece, self.now_density, t, self.medium[1])

    def _outside_pressure(self, part: Component, velocity: Array, t: float) -> Array:
        """Pressure (Pa) behind every outlet face; what enters from still surroundings has paid
        for its speed.
        """
        held = held_pressures(self.mesh, self.conditions, part.nodes.out_piece, t)
        return held - 0.5 * self.entering(part, velocity)[0]

    def entering(self, part: Component, velocity: Array) -> tuple[Array, Array]:
        """Density x speed squared (Pa) of what enters from still surroundings through each outlet
        face, and what that adds to the face's stiffness (N s/m); 0 elsewhere.
        """
        n, pieces = part.nodes, self.mesh.pieces
        at = n.out_row, n.out_column
        still = self.from_rest[pieces.edge[n.out_piece]]
        inward = np.where(still, np.maximum(-n.out_sign * velocity[at], 0.0), 0.0)
        density = self.now_density[n.behind_outlets]
        return density * inward**2, density * inward * n.side[at]

    def booked(self, state: State) -> tuple[Array, Array] | None:
        """What passes every face, from what is booked for those inside; None where density has
        changed since.
        """
        if self.swells or self.motion is not None:
            return None
        faces = self.array(state, "flow_x"), self.array(state, "flow_y")
        for part, face, name in zip(self.parts, faces, ("u", "v"), strict=True):
            n = part.nodes
            for at in ((n.in_row, n.in_column), (n.out_row, n.out_column)):
                face[at] = self.array(state, name)[at] * part.opening[at]
            self.mesh.grid.wrap(face)
        return faces

    def carry(self, u: Array, v: Array, faces: tuple[Array, Array] | None = None) -> None:
        """Accelerations (m/s2) by convection into both parts' `carried`; faces : what passes them,
        where it is known.
        """
        pu, pv = self.parts
        if self.passed is not None:
            faces = self.passed.x[0], self.passed.y[0]
        if faces is None:
            np.multiply(u, pu.opening, out=self.face_x)
            np.multiply(v, pv.opening, out=self.face_y)
        face_x, face_y = faces or (self.face_x, self.face_y)
        repeats = self.mesh.grid.repeats
        net = self.net_outflow(face_x, face_y)
        face_x, face_y = self.in_pores(face_x, face_y)
        self.fill_beyond(u, v)
        args = (*repeats, self.ny, self.nx)
        nu, nv = pu.nodes, pv.nodes
        beside(
            self.mesh.cells,
            partial(
                carry_u,
                u,
                face_x,
                face_y,
                pu.carried,
                pu.lightness,
                pu.along_weights,
                pu.across_weights,
                *pu.scratch,
                *args,
            ),
            partial(
                carry_v,
                v,
                face_x,
                face_y,
                pv.carried,
                pv.lightness,
                pv.across_weights,
                pv.along_weights,
                *pv.scratch,
                *args,
            ),
        )
        nets = [] if net is None else [0.5 * (net + roll(net, 1, 1)), 0.5 * (net + roll(net, 1, 0))]
        for part, velocity, more in zip(self.parts, (u, v), nets, strict=False):
            part.carried -= velocity * more * part.lightness
        for part, (at, inside) in zip(self.parts, self.hidden, strict=True):
            hand_on(part.carried, at, inside)
        self.clear_beyond(u, v)
        carry_u_out(
            u, face_x, face_y, pu.carried, pu.lightness, nu.out_row, nu.out_column, nu.out_sign
        )
        carry_v_out(
            v, face_x, face_y, pv.carried, pv.lightness, nv.out_row, nv.out_column, nv.out_sign
        )
        for part, velocity, more in zip(self.parts, (u, v), nets, strict=False):
            outlets = part.nodes.out_row, part.nodes.out_column
            part.carried[outlets] -= velocity[outlets] * more[outlets] * part.lightness[outlets]

    def in_pores(self, face_x: Array, face_y: Array) -> tuple[Array, Array]:
        """What carries velocities through faces: a stream in pores is as much quicker as they are
        narrow. What pressure it takes to enter them comes back where it leaves.
        """
        if self.matter is None or not self.matter.full:
            return face_x, face_y
        x, y = self.matter.quicker
        return face_x * x, face_y * y

    def fill_beyond(self, u: Array, v: Array, change: bool = False) -> None:
        """Velocities that a limiter sees beyond rims and openings, and within parts that move.
        change : u and v are changes of velocities.
        """
        repeats = self.mesh.grid.repeats
        if not repeats[1]:
            u[0], u[self.ny + 1] = -u[1], -u[self.ny]
        if not repeats[0]:
            v[:, 0], v[:, self.nx + 1] = -v[:, 1], -v[:, self.nx]
        for velocity, (at, inside, share) in zip((u, v), self.beyond, strict=True):
            flat = velocity.reshape(-1)
            flat[at] = share * flat[inside]
        for velocity, (at, speed) in zip((u, v), self.pushing, strict=True):
            velocity.reshape(-1)[at] = 0.0 if change else speed

    def clear_beyond(self, u: Array, v: Array) -> None:
        """Take away what `fill_beyond` has put there."""
        repeats = self.mesh.grid.repeats
        if not repeats[1]:
            u[0], u[self.ny + 1] = 0.0, 0.0
        if not repeats[0]:
            v[:, 0], v[:, self.nx + 1] = 0.0, 0.0
        for velocity, (at, _, _), (inside, _) in zip(
            (u, v), self.beyond, self.pushing, strict=True
        ):
            velocity.reshape(-1)[at] = 0.0
            velocity.reshape(-1)[inside] = 0.0

    def net_outflow(self, face_x: Array, face_y: Array, change: bool = False) -> Array | None:
        """What flows out of each cell on balance, where it need not be nothing: a uniform velocity
        carries nothing whatever that is. change : faces pass changes of flows.
        """
        if not self.swells and self.motion is None and self.passed is None:
            return None
        net = roll(face_x, -1, 1) - face_x + roll(face_y, -1, 0) - face_y
        if self.givers and not change and self.passed is None:
            net -= self.fed
        net[~self.live] = 0.0
        return np.asarray(self.mesh.grid.wrap(net))

    def gradient(self, state: State, part: Component, axis: int, t: float) -> None:
        """Pressure force (N) on every active velocity, edges included."""
        p = self.array(state, "p")
        n = part.nodes
        pressure_force(p, n, part.gradient)
        if axis in self.falls:
            line, side = (
                (part.gradient[:, 1], n.side[:, 1]) if axis == 0 else (part.gradient[1], n.side[1])
            )
            line -= state.numbers[self.problem.state_name(f"fall_{axis}")] * side
        self.mesh.grid.wrap(part.gradient)
        if n.out_row.size:
            outside = self._outside_pressure(part, self.array(state, "uv"[axis]), t)
            outlet_force(p, n, outside, part.gradient)

    def book(self, state: State, velocities: tuple[Array, Array] | None = None) -> None:
        """Store the conservative flows the other phenomena are carried by. velocities : that close
        where those of the state do not yet.
        """
        pieces = self.mesh.pieces
        moving = velocities or (self.array(state, "u"), self.array(state, "v"))
        through = self.array(state, "through")
        through[:] = 0.0
        if self.swells:
            self.array(state, "mass_through")[:] = 0.0
        for part, velocity, axis in zip(self.parts, moving, "xy", strict=True):
            n = part.nodes
            np.multiply(velocity, n.inner, out=self.array(state, f"flow_{axis}"))
            if self.swells:
                self.array(state, f"mass_{axis}")[:] = np.where(
                    n.inner > 0, velocity * part.opening, 0.0
                )
            for at, piece, outward in n.passing(velocity):
                through[self.in_whole[piece]] = outward * pieces.area[piece]
                if self.swells:
                    self.array(state, "mass_through")[self.in_whole[piece]] = (
                        outward * part.opening[at]
                    )

        self._rub(state, moving)

    def _rub(self, state: State, moving: tuple[Array, Array]) -> None:
        """Store what each edge on grid lines is dragged with along x and y (N), and whether it is an
        opening.
        """
        found = np.zeros((3, len(self.mesh.edges)))
        for part, velocity, drags in zip(self.parts, moving, found, strict=False):
            drags += part.dragged(velocity)
        found[2, self.opens] = 1.0
        state.fields[self.problem.state_name("rubbed")] = found

    def check(self, state: State) -> None:
        for name, words in (("u", "x velocity"), ("v", "y velocity"), ("p", "pressure")):
            array = self.array(state, name)
            if not np.isfinite(array.sum()):
                j, i = np.argwhere(~np.isfinite(array))[0]
                raise StepFailed(words, self.mesh.grid.spot(j, i), "not a finite number")
