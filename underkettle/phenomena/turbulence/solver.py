"""Eddies by two equations, beside walls by their law: in turns with the stream, implicit in time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from underkettle.engine.contract import (
    FLUID,
    Budget,
    Carrier,
    Given,
    Inputs,
    Offer,
    Problem,
    Provides,
    Resistance,
    Shear,
    StepFailed,
    Turbulence,
    Work,
)
from underkettle.engine.linear.lines import Lines
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.engine.mesh.between import handed_over
from underkettle.engine.operators.diffusion import lay_links, wall_legs
from underkettle.engine.operators.stencil import centre_distance, roll
from underkettle.engine.operators.velocity import middle_open
from underkettle.engine.operators.wall_law import BETA_STAR, ENERGY
from underkettle.phenomena.turbulence import realizable, sst
from underkettle.phenomena.turbulence.audit import K_EPSILON, REALIZABLE
from underkettle.phenomena.turbulence.beside import Beside
from underkettle.phenomena.turbulence.entering import entering
from underkettle.phenomena.turbulence.equations import (
    corners,
    cross,
    fill,
    nothing_before,
    out_of_balance,
    sharpen,
    strain,
    take_in,
)
from underkettle.phenomena.turbulence.laws import beside_walls

Array = np.ndarray

VALUES = ("energy", "rate")
FIELDS = (*VALUES, "viscosity", "held")
AT_WALLS = ("friction", "scale", "reach")  # in the cells that hold pieces of walls
TURNS = 4  # of both equations in one sweep to rest
CYCLES = 2  # of the multigrid in each
TOGETHER, STREAM, SHY = (
    0.1,
    0.3,
    0.02,
)  # pseudo time: of what is dissipated, of the stream's passing
HELD_BELOW, FREED_ABOVE = 10.0, 15.0  # y+ within which omega is that of walls, and beyond which not
LEAST_K, LEAST_W = 1e-9, 1e-6  # of what enters
SHARP = ("sharp_energy", "sharp_rate")  # what limited convection carries of both
EASED = 0.5  # share by which that follows a turn on the way to rest
SHRINKS = 0.05  # of a value that one correction leaves at least
LOW = 1e-3  # of the mean, below which a value counts as that in a residual
# share of what one step would change that may be left: an implicit step errs by far more
SETTLED_IN_TIME, MOST_SWEEPS = 0.03, 40
# steps of the stream that one of eddies may span, and by how much longer than the last it may be
MOST_STEPS, LONGER, EARLY = 8, 2.0, 1e-6
HUGE = 1e6
ROUND_OFF = 1e-12


class TurbulenceSolver:
    """Solves for energy (J/kg) and rate (1/s) of eddies; offers what they do to others."""

    guessed = False  # where turns lead is not extrapolated
    patient = 60  # turns that may pass without progress

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        model = problem.settings()["model"]
        self.plain, self.realizable = model == K_EPSILON, model == REALIZABLE
        self.may_change = float(problem.settings()["change"])
        self.names = {n: problem.state_name(n) for n in (*FIELDS, *AT_WALLS, *SHARP)}
        mesh = self.mesh = problem.mesh
        grid, pieces = mesh.grid, mesh.pieces
        self.live, self.shape = mesh.live[0], mesh.shape[1:]
        self.ny, self.nx = grid.ny, grid.nx
        self.hx, self.hy = grid.widths(0), grid.widths(1)
        self.gap_x, self.gap_y = centre_distance(grid, 0), centre_distance(grid, 1)
        self.radius = np.maximum(np.abs(grid.centres(1)), 1e-300)
        self.conditions: Mapping[str, Given] = dict(problem.edge_conditions())
        kinds = [self.conditions[e].kind for e in mesh.edges]
        is_wall = np.array([k in ("wall", "rough wall") for k in kinds], bool)
        passes = np.array([k not in ("wall", "rough wall", "untouched") for k in kinds], bool)
        grains = [float(self.conditions[e].values.get("grain", 0.0)) for e in mesh.edges]
        self.acts, self.grain = is_wall[pieces.edge], np.array(grains)[pieces.edge]
        self.walls = Beside(mesh, np.flatnonzero(self.acts), self.grain)
        self.where = np.stack([pieces.x, pieces.y, pieces.nx, pieces.ny])
        self.passing = np.flatnonzero(passes[pieces.edge])
        on = []
        for axis in (0, 1):
            there = middle_open(mesh, axis)
            own = self.passing[pieces.axis[self.passing] == axis]
            there[pieces.face_j[own], pieces.face_i[own]] = True
            on.append(there.astype(float))
        on_x, on_y = on
        self.corners = corners(on_x, on_y, self.gap_x, self.gap_y, self.walls.fixed)
        self.open = [(area[0] > 0).astype(float) for area in (mesh.open_x, mesh.open_y)]
        self.fills = self.live.astype(float)
        self.in_whole = mesh.matching(problem.whole)
        laid = lay_links(mesh)
        self.link_x, self.link_y = laid.x, laid.y
        self.legs = wall_legs(mesh)
        self.lines = [Lines(self.shape, self.ny, self.nx, grid.repeats, "itself") for _ in (0, 1)]
        zeros = lambda: np.zeros(self.shape)  # noqa: E731
        self.square, self.crossing, self.mix, self.made, self.grows = (zeros() for _ in range(5))
        self.eddy, self.left, self.change = zeros(), zeros(), zeros()
        if self.realizable:
            self.spin, self.third = zeros(), zeros()
        self.spread, self.hold, self.source = ([zeros(), zeros()] for _ in range(3))
        self.law_nt, self.law_made = zeros(), zeros()
        self.flow_x, self.flow_y = zeros(), zeros()
        self.hin, self.bin = zeros(), (zeros(), zeros())
        self.stirs = np.ones(self.shape)
        self.sharp, self.room = zeros(), np.zeros((3, *self.shape))
        self.there, self.lone = mesh.there[0].astype(float), nothing_before(mesh.there[0])
        self.free, self.all_free = np.ones(self.shape), np.ones(self.shape)

    # ------------------------------------------------------------ start

    def start(self, state: State) -> None:
        for name in (*FIELDS, *AT_WALLS, *SHARP):
            state.fields[self.names[name]] = np.zeros(self.mesh.shape)
        for name in ("begun", "waited", "waits"):
            state.numbers[self.problem.state_name(name)] = 0.0

    def array(self, state: State, name: str) -> Array:
        array = state.fields[self.names[name]]
        return array[0] if array.ndim == 3 else array

    def go_on_from(self, state: State, kept: State, mesh: Mesh) -> None:
        """Begin from eddies on another grid."""
        if not kept.numbers.get(self.problem.state_name("begun")):
            return
        for name in VALUES:
            values = kept.fields[self.names[name]][0]
            logs = np.log(np.where(mesh.live[0], np.maximum(values, 1e-300), 1.0))
            found = np.exp(handed_over(logs, mesh, self.mesh))
            self.array(state, name)[:] = np.where(self.live, found, 0.0)
        k, w = self.array(state, "energy"), self.array(state, "rate")
        eddy = np.divide(k, w, out=np.zeros(self.shape), where=w > 0)
        factor = kept.fields[self.names["viscosity"]][0]
        old = kept.fields[self.names["energy"]][0] / np.maximum(
            kept.fields[self.names["rate"]][0], 1e-300
        )
        live = mesh.live[0] & (old > 0)
        density = float(np.median(factor[live] / old[live])) if live.any() else 0.0
        self.array(state, "viscosity")[:] = density * eddy
        for part in "kw":
            name = self.problem.state_name(f"least_{part}")
            state.numbers[name] = kept.numbers[name]
        state.numbers[self.problem.state_name("begun")] = 1.0

    def _begin(self, state: State, carrier: Carrier) -> None:
        """Uniform eddies, as they enter on average; or as the case says."""
        k, w = self.array(state, "energy"), self.array(state, "rate")
        start = self.problem.start_conditions()
        rho, mu = self._medium(carrier)
        coming = self._entering(state, carrier)
        f = np.maximum(-coming[2], 0.0)
        if f.sum() > 0:
            mean_k, mean_w = (
                float((f * coming[0]).sum() / f.sum()),
                float((f * coming[1]).sum() / f.sum()),
            )
        else:
            mean_k, mean_w = 0.0, 0.0
        for zone, given in start.items():
            inside = self.mesh.zone_cells(zone)[0]
            if given.kind == "given":
                here = self.mesh.place(state.time)
                energy = np.broadcast_to(given.values["energy"].at(here), self.shape)
                k[inside] = energy[inside]
                w[inside] = (rho * energy / (given.values["ratio"] * mu))[inside]
            else:
                k[inside], w[inside] = mean_k, mean_w
        if not (k[self.live] > 0).all() or not (w[self.live] > 0).all():
            raise StepFailed(
                "turbulence",
                "the whole vessel",
                "nothing enters that could tell how strong it is at the start: say it there",
            )
        k[~self.live], w[~self.live] = 0.0, 0.0
        self.array(state, "viscosity")[:] = np.where(
            self.live, rho * k / np.where(self.live, w, 1.0), 0.0
        )
        self._floor(state)

    def _floor(self, state: State) -> None:
        """What energy and rate may not fall below, from what they begin with."""
        for name, part, share in (("energy", "k", LEAST_K), ("rate", "w", LEAST_W)):
            largest = float(self.array(state, name).max())
            state.numbers[self.problem.state_name(f"least_{part}")] = share * largest
        state.numbers[self.problem.state_name("begun")] = 1.0

    # ------------------------------------------------------------ what it sees of the stream

    def _medium(self, carrier: Carrier) -> tuple[Array, Array]:
        """Density (kg/m3) and viscosity (Pa s) of the stream."""
        if carrier.density is None or carrier.viscosity is None:
            raise StepFailed(
                "turbulence",
                "the whole vessel",
                "the stream does not tell its density and viscosity",
            )
        return carrier.density[0], carrier.viscosity[0]

    def _entering(self, state: State, carrier: Carrier) -> tuple[Array, Array, Array]:
        """energy, rate and outward mass flow (kg/s) of every piece of the outline."""
        rho, mu = self._medium(carrier)
        pieces = self.mesh.pieces
        through = carrier.mass.through if carrier.mass else carrier.volume.through
        own = np.where(self.in_whole >= 0, through[self.in_whole], 0.0)
        density = rho[pieces.j, pieces.i]
        out = own if carrier.mass else own * density
        speed = np.abs(out) / density / np.maximum(pieces.area, 1e-300)
        k, w = entering(
            self.mesh,
            self.conditions,
            self.passing,
            speed,
            mu[pieces.j, pieces.i] / density,
            state.time,
        )
        return k, w, out

    def _see(self, state: State, inputs: Inputs) -> Carrier:
        """Take over the stream: its medium, flows of mass, strain, and matter in its way."""
        carrier = inputs.get(Carrier, FLUID)
        if carrier is None:
            raise StepFailed("turbulence", "the whole vessel", "there is no stream to stir")
        if not state.numbers[self.problem.state_name("begun")]:
            self._begin(state, carrier)
        grid = self.mesh.grid
        rho, mu = self._medium(carrier)
        self.rho, self.mu = rho, mu
        self.nu = np.where(self.live, mu / rho, 1.0)
        self.u, self.v = carrier.u[0], carrier.v[0]
        if carrier.mass is not None:
            self.flow_x[:], self.flow_y[:] = carrier.mass.x[0], carrier.mass.y[0]
        else:
            for axis, (flow, out) in enumerate(
                ((carrier.volume.x[0], self.flow_x), (carrier.volume.y[0], self.flow_y))
            ):
                even = np.ptp(rho) == 0.0
                from_ = rho[0, 0] if even else np.where(flow > 0, roll(rho, 1, 1 - axis), rho)
                np.multiply(flow, from_, out=out)
        grid.wrap(self.flow_x), grid.wrap(self.flow_y)
        plane = (
            self.u,
            self.v,
            *self.corners,
            self.hx,
            self.hy,
            self.fills,
            self.radius,
            grid.round,
        )
        strain(*plane, self.square, self.ny, self.nx)
        more = inputs.get(Shear, FLUID)
        besides = 0.0 if more is None else np.where(self.live, more.square[0], 0.0)
        self.square += besides
        if self.realizable:  # shear is taken to turn as fast as it strains
            realizable.turning(*plane, self.spin, self.third, self.ny, self.nx)
            self.spin += besides
        k, w, out = self._entering(state, carrier)
        inward = np.maximum(-out, 0.0)
        at = self.legs.row, self.legs.column
        for target, values in zip(
            (self.hin, *self.bin), (inward, inward * k, inward * w), strict=True
        ):
            target[:] = 0.0
            np.add.at(target, at, values)
        matter = inputs.get(Resistance, FLUID)
        if matter is not None:
            held = (matter.porosity[0] < 1) | (matter.darcy[[0, 2]] > 0).any(axis=0)
            self.stirs = np.where(held, 0.0, 1.0)
        self.speeds = self.walls.speeds(self.u, self.v, carrier.walls)
        return carrier

    def _look(self, state: State) -> None:
        """Walls, strain and k, omega as they are now: what is made, and how viscous eddies are."""
        k, w = self.array(state, "energy"), self.array(state, "rate")
        grid, walls = self.mesh.grid, self.walls
        grid.wrap(k)
        if walls.count:
            at = walls.cells
            nu = self.nu[at]
            friction, scale, reach = (self.array(state, name) for name in AT_WALLS)
            u = walls.friction(self.speeds, nu, friction[at])
            s = np.maximum(u, np.sqrt(ENERGY * walls.seen(k)))
            for told, values in (
                (friction, u),
                (scale, s),
                (reach, 0.5 * walls.across * s / nu),
            ):
                told[at] = 0.0
                np.maximum.at(told, at, values)
            beside_walls(
                self.live,
                walls.first,
                walls.fixed,
                walls.y,
                walls.near,
                u,
                s,
                walls.grain,
                self.nu,
                HELD_BELOW,
                FREED_ABOVE,
                self.array(state, "held"),
                self.free,
                w,
                self.law_nt,
                self.law_made,
                self.ny,
                self.nx,
            )
        grid.wrap(w)
        cross(
            k,
            w,
            self.fills,
            *self.open,
            self.hx,
            self.hy,
            self.crossing,
            self.ny,
            self.nx,
        )
        given = (self.live, walls.first, self.stirs, k, w, self.square)
        law = (self.law_nt, self.law_made, self.free)
        found = (self.eddy, self.mix, self.made, self.grows)
        if self.realizable:
            realizable.look(*given, self.spin, self.third, self.nu, *law, *found, self.ny, self.nx)
        else:
            sst.look(
                *given,
                self.crossing,
                walls.y,
                self.nu,
                *law,
                *found,
                self.plain,
                self.ny,
                self.nx,
            )
        self._tell(state)

    def _tell(self, state: State) -> None:
        """What others feel of the eddies as they are now."""
        viscosity = self.array(state, "viscosity")
        np.multiply(self.rho, self.eddy, out=viscosity)
        self.mesh.grid.wrap(viscosity)

    def _stir(self, state: State) -> None:
        """How viscous eddies are that have changed since they were looked at."""
        k, w = self.array(state, "energy"), self.array(state, "rate")
        given = (self.live, self.walls.first, k, w, self.square)
        if self.realizable:
            realizable.stirred(
                *given, self.spin, self.third, self.law_nt, self.eddy, self.ny, self.nx
            )
        else:
            sst.stirred(
                *given,
                self.walls.y,
                self.nu,
                self.law_nt,
                self.plain,
                self.eddy,
                self.ny,
                self.nx,
            )
        self._tell(state)

    # ------------------------------------------------------------ equations

    def _assemble(self, state: State, rate: Array, eased: bool = False) -> None:
        """Coefficients around k, omega as they are. rate : of a mass term (1/s) to what they are.
        eased : whether what limited convection carries follows them by a share only: taken whole,
        it swings to and fro between turns where they fall off steeply.
        """
        k, w = self.array(state, "energy"), self.array(state, "rate")
        hold = realizable.hold if self.realizable else sst.hold
        hold(
            self.live,
            self.free,
            k,
            w,
            self.mix,
            self.crossing,
            self.made,
            self.grows,
            self.eddy,
            self.mu,
            self.rho,
            self.mesh.volume[0],
            rate,
            *self.spread,
            self.hold[0],
            self.source[0],
            self.hold[1],
            self.source[1],
            self.ny,
            self.nx,
        )
        for q in (0, 1):
            self.hold[q] += self.hin
            self.source[q] += self.bin[q]
            self._sharpen(state, q, eased)
            self.mesh.grid.wrap(self.spread[q])
            lines = self.lines[q]
            largest = fill(
                self.free if q else self.all_free,
                self.flow_x,
                self.flow_y,
                self.link_x,
                self.link_y,
                self.spread[q],
                self.hx,
                self.hy,
                *lines.convective,
                *lines.symmetric,
                self.ny,
                self.nx,
            )
            if q == 0 and self.realizable:
                realizable.spread_apart(
                    self.live,
                    self.free,
                    k,
                    w,
                    self.eddy,
                    self.rho,
                    self.spread[0],
                    *lines.symmetric,
                    self.hold[1],
                    self.source[1],
                    self.ny,
                    self.nx,
                )
        fixed = np.flatnonzero(self.free == 0.0)
        if fixed.size:
            big = HUGE * (float(self.hold[1].max()) + largest)
            self.hold[1].ravel()[fixed] = big
            self.source[1].ravel()[fixed] = big * w.ravel()[fixed]

    def _sharpen(self, state: State, q: int, eased: bool) -> None:
        """What limited convection carries beyond first-order upwinding, as sources; what it takes is
        counted as what holds values, so that none falls below nought.
        """
        x = self.array(state, VALUES[q])
        more = self.sharp
        sharpen(
            x,
            q == 1,
            self.flow_x,
            self.flow_y,
            self.there,
            self.hx,
            self.hy,
            self.gap_x,
            self.gap_y,
            *self.lone,
            more,
            self.room,
            self.ny,
            self.nx,
        )
        free = self.free if q else self.all_free
        if eased:
            kept = self.array(state, SHARP[q])
            kept += EASED * (free * more - kept)
            more[:] = kept
        take_in(more, x, free, self.hold[q], self.source[q], self.ny, self.nx)

    def _left(self, q: int, x: Array) -> float:
        """What is out of balance, as a share, as lines are set up; into `left`."""
        lines = self.lines[q]
        return float(
            out_of_balance(
                self.fills,
                x,
                LOW,
                lines.diagonal,
                *lines.neighbours,
                self.source[q],
                self.left,
                self.ny,
                self.nx,
            )
        )

    def _systems(self, state: State, sweeps_only: bool) -> Iterator[tuple[int, Array, Lines]]:
        """Each equation, ready to be solved for what it is of; what is found is kept above the least
        there may be.
        """
        for q, name in enumerate(VALUES):
            x, lines = self.array(state, name), self.lines[q]
            lines.held[:] = self.hold[q]
            lines.set_up(sweeps_only)
            yield q, x, lines
            np.maximum(x, state.numbers[self.problem.state_name(f"least_{'kw'[q]}")], out=x)
            x *= self.fills
            self.mesh.grid.wrap(x)

    def _solve(self, state: State) -> None:
        """A few cycles of the multigrid each."""
        for q, x, lines in self._systems(state, sweeps_only=False):
            for _ in range(CYCLES):
                self._left(q, x)
                lines.cycle(self.left, self.change)
                np.maximum(x + self.change, SHRINKS * x, out=x)
                self.mesh.grid.wrap(x)
                lines.sweep(self.source[q], x)
                self.mesh.grid.wrap(x)

    def _solve_in_time(self, state: State) -> int:
        """Lines solved one after the other, as often as it takes; how often. Raises StepFailed."""
        count = 0
        for q, x, lines in self._systems(state, sweeps_only=True):
            first = self._left(q, x)
            lines.begin(self.source[q], x)
            for turn in range(MOST_SWEEPS):
                lines.sweep_on(up=turn % 2 == 0)
                count += 1
                if self._left(q, lines.found) <= max(SETTLED_IN_TIME * first, ROUND_OFF):
                    break
            else:
                raise StepFailed(
                    f"turbulent {VALUES[q]}",
                    "the whole vessel",
                    "its equation was not solved in a step",
                )
            x[:] = lines.found
        return count

    def relax(self, state: State, inputs: Inputs) -> Work:
        for name in ("waited", "waits"):
            state.numbers[self.problem.state_name(name)] = 0.0
        carrier = self._see(state, inputs)
        work = Work(whole=True)
        fastest = max(float(np.abs(self.u).max()), float(np.abs(self.v).max()), 1e-300)
        grid = self.mesh.grid
        passing = float(np.hypot(grid.x[-1] - grid.x[0], grid.y[-1] - grid.y[0])) / fastest
        self._look(state)
        for _ in range(TURNS):
            stream = STREAM * min(1.0, carrier.damped / SHY) / passing
            rate = TOGETHER * BETA_STAR * self.array(state, "rate") + stream
            self._assemble(state, rate, eased=True)
            self._solve(state)
            self._look(state)
        self._assemble(state, np.zeros(self.shape))
        for q, name in enumerate(("turbulent energy", "turbulent rate")):
            self.lines[q].held[:] = self.hold[q]
            self.lines[q].set_up(sweeps_only=True)
            work.residuals[name] = self._left(q, self.array(state, VALUES[q]))
        self._check(state)
        return work

    def limit(self, state: State, inputs: Inputs) -> tuple[float, str]:
        return np.inf, "eddies limit nothing"

    def advance(self, state: State, t0: float, t1: float, inputs: Inputs) -> Work:
        """One implicit step, sources linearised; over several of the stream's where eddies hardly
        change within one.
        """
        waited, waits = (self.problem.state_name(name) for name in ("waited", "waits"))
        state.numbers[waited] += t1 - t0
        over = state.numbers[waited]
        if over < (1.0 - EARLY) * state.numbers[waits]:
            return Work()
        before = self._felt(state)
        self._see(state, inputs)
        self._look(state)
        self._assemble(state, np.full(self.shape, 1.0 / over))
        count = self._solve_in_time(state)
        self._stir(state)
        self._check(state)
        state.numbers[waited] = 0.0
        state.numbers[waits] = min(self._may_wait(state, before, over), MOST_STEPS * (t1 - t0))
        return Work(count)

    def _felt(self, state: State) -> list[Array]:
        """What others feel of eddies: how viscous they are, and their speeds beside walls."""
        at = self.walls.cells
        beside = [self.array(state, name)[at] for name in ("friction", "scale")]
        return [self.array(state, "viscosity").copy(), *beside]

    def _may_wait(self, state: State, before: list[Array], over: float) -> float:
        """How long (s) eddies may be left as they are, until what others feel of them has changed by
        the share that may, if it goes on to change as it did `over` the last step (s).
        """
        share = 0.0
        for old, new in zip(before, self._felt(state), strict=True):
            change = float(np.linalg.norm(new - old))
            share = max(share, change / max(float(np.linalg.norm(new)), 1e-300))
        return over * min(self.may_change / max(share, 1e-300), LONGER)

    def _check(self, state: State) -> None:
        for name in VALUES:
            values = self.array(state, name)
            if not np.isfinite(values.sum()):
                j, i = np.argwhere(~np.isfinite(values))[0]
                raise StepFailed(
                    f"turbulent {name}", self.mesh.grid.spot(j, i), "not a finite number"
                )

    # ------------------------------------------------------------ answers

    def offer(self, what: Provides, state: State) -> Offer | None:
        def field(name: str) -> Array:
            return state.fields[self.names[name]]

        if not self.array(state, "energy").any():
            return None  # it has not begun
        pieces = self.mesh.pieces
        friction, scale = (
            np.where(self.acts, self.array(state, name)[pieces.j, pieces.i], 0.0)
            for name in ("friction", "scale")
        )
        return Turbulence(
            field("viscosity"),
            field("energy"),
            field("rate"),
            friction,
            scale,
            self.grain,
            self.acts,
            self.where,
        )

    def balance(self, state: State, t0: float, t1: float) -> dict[str, Budget]:
        return {}

    def terms(self, state: State, inputs: Inputs, member: str = "") -> dict[str, Array]:
        return {}

    def limits(self) -> dict[str, tuple[float, float]]:
        return {self.names["energy"]: (0.0, np.inf), self.names["rate"]: (0.0, np.inf)}
