"""Richards' equation on a cut grid: what pores take up and let on, one implicit step at a time.

The pore liquid of a cell follows its pressure; liquid moves where pressure and weight together fall,
as easily as the pores are full: as full as where it comes from at a sharp front, as both cells
together where a law is smooth and cells are small against what it varies over. Each step is solved
by Newton's method; its systems by GMRES, preconditioned by the multigrid of their even part.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from underkettle.engine.contract import Resistance, StepFailed
from underkettle.engine.linear import Multigrid
from underkettle.engine.linear.krylov import Gmres
from underkettle.engine.mesh import Mesh
from underkettle.engine.operators.drag import control_volumes
from underkettle.engine.operators.stencil import roll
from underkettle.engine.operators.velocity import EdgeRole, velocity_nodes
from underkettle.phenomena.wicking.laws import Law

Array = np.ndarray

CLOSE = 1e-9  # of a cell's pores, that a step may leave unexplained
TURNS = 0.5  # of a spot's last change of pressure, that the next one takes back
MOST, MOST_DIRECTIONS = 30, 60  # steps of Newton's method; directions of one system
NEAR, LEAST = 0.3, 0.1  # of a cell, that its middle should, and must, lie inside from the outline
ROUGH = 1e-3  # of a system's right side, that a solve may leave
EVEN = 2.0  # cell size over what a law varies over, above which what comes counts more


@dataclass
class Faces:
    """One component's inner faces: what passes each per pressure where pores are full (m3/(s Pa)),
    how much of how easily it does is that of the cell liquid comes from, and the weight of liquid
    from one cell to the next (Pa).
    """

    passes: Array
    upstream: Array
    lifts: Array


@dataclass
class Mouths:
    """Pieces of the outline where liquid may pass at a pressure that is held. lifts : Pa, by which
    the weight of liquid between cell and edge counts. lets_in : whether it gives liquid, too.
    """

    piece: Array
    j: Array
    i: Array
    passes: Array
    lifts: Array
    lets_in: Array


@dataclass
class Passing:
    """What passes now: through x and y faces, and outward at mouths (m3/s); with slopes to the
    pressures behind and ahead, of mouths to that of their cell.
    """

    x: Array
    y: Array
    out: Array
    behind: tuple[Array, Array]
    ahead: tuple[Array, Array]
    leaving: Array

    def after(self, other: Passing, share: float) -> Passing:
        """What passes on average where the other passes for a share of the time."""
        pairs = ((self.x, other.x), (self.y, other.y), (self.out, other.out))
        x, y, out = (mine + share * (theirs - mine) for mine, theirs in pairs)
        return replace(self, x=x, y=y, out=out)


class Soaking:
    """Pressures (Pa) of one mesh. giving : edges at a pressure that let liquid in, too; taking :
    those that only let it out.
    """

    def __init__(self, mesh: Mesh, giving: Sequence[str], taking: Sequence[str]) -> None:
        self.mesh, self.shape = mesh, mesh.shape[1:]
        self.live = mesh.live[0]
        walls = {name: EdgeRole("slip") for name in mesh.edges}
        self.nodes = [velocity_nodes(mesh, axis, walls) for axis in (0, 1)]
        self.around = [control_volumes(mesh, n) for n in self.nodes]
        self.gives = np.array([name in giving for name in mesh.edges])
        self.holds = self.gives | np.array([name in taking for name in mesh.edges])
        self.ax, self.ay, self.d = (np.zeros(self.shape) for _ in range(3))
        self.multigrid: Multigrid | None = None
        self.room = Gmres(int(np.prod(self.shape)), MOST_DIRECTIONS)
        self.laws: list[tuple[tuple[Array, ...], Law]] = []
        self.at_mouths: list[tuple[Array, Law]] = []
        self.count = 0

    # ------------------------------------------------------------ set-up

    def fill(
        self,
        offered: Resistance,
        laws: Sequence[tuple[Array, Law]],
        viscosity: Array,
        density: float,
        gravity: tuple[float, float],
    ) -> None:
        """Take over matter, liquid and what pores do; laws : cells (bool) with the law there."""
        if offered.darcy[1].any():
            raise StepFailed(
                "wicking",
                "turned matter",
                "its directions must lie along x and y: turn the sheet instead",
            )
        bare = self.live & ~(offered.darcy[0] + offered.darcy[2] > 0)
        if bare.any():
            j, i = np.argwhere(bare)[0]
            raise StepFailed("wicking", self.mesh.grid.spot(j, i), "no porous matter stands there")
        grid = self.mesh.grid
        self.pores = np.where(self.live, offered.porosity, 0.0)[0] * self.mesh.volume[0]
        reach, number = np.full(self.shape, np.inf), np.full(self.shape, 0)
        self.laws = []
        for cells, law in laws:
            at = np.nonzero(cells & self.live)
            self.laws.append((at, law.of(at)))
            reach[at] = self.laws[-1][1].reach
            number[at] = np.arange(at[0].size)
        grid.wrap(reach)
        self.faces = []
        for n, around in zip(self.nodes, self.around, strict=True):
            holds = np.where(self.live, viscosity * offered.darcy[2 * n.axis], 0.0)
            own = grid.wrapped(around.volume * around.mean(holds))
            passes = np.divide(
                n.inner * n.side, own, out=np.zeros(self.shape), where=(own > 0) & (n.inner > 0)
            )
            least = np.minimum(reach, roll(reach, 1, 1 - n.axis))
            lifts = density * gravity[n.axis] * n.distance
            with np.errstate(all="ignore"):
                size = np.where(least > 0, np.abs(lifts) / least, np.inf)
                upstream = np.where(size > EVEN, 1.0 - 1.0 / size, 0.5)
            self.faces.append(Faces(passes, upstream, lifts))
        self.mouths = self._mouths(viscosity, offered, density, gravity)
        j, i = self.mouths.j, self.mouths.i
        self.at_mouths = []
        for at, law in self.laws:
            mine = np.zeros(self.shape, bool)
            mine[at] = True
            rows = np.flatnonzero(mine[j, i])
            self.at_mouths.append((rows, law.of(number[j[rows], i[rows]])))

    def _mouths(
        self,
        viscosity: Array,
        offered: Resistance,
        density: float,
        gravity: tuple[float, float],
    ) -> Mouths:
        """Liquid comes straight from a piece to the middle of its cell, or of the next one inward
        where that lies too near, or outside.
        """
        pieces, grid = self.mesh.pieces, self.mesh.grid
        own = np.flatnonzero(self.holds[pieces.edge])
        nx, ny = pieces.nx[own], pieces.ny[own]

        def reach(j: Array, i: Array) -> tuple[Array, Array, Array, Array]:
            x, y = grid.centres(0)[i], grid.centres(1)[j]
            to_x, to_y = pieces.x[own] - x, pieces.y[own] - y
            size = np.abs(nx) * grid.widths(0)[i] + np.abs(ny) * grid.widths(1)[j]
            return to_x, to_y, to_x * nx + to_y * ny, size

        j, i = pieces.j[own], pieces.i[own]
        steep = np.abs(ny) > np.abs(nx)
        further = j - steep * np.sign(ny).astype(int), i - ~steep * np.sign(nx).astype(int)
        _, _, far, size = reach(j, i)
        inward = (far < NEAR * size) & self.live[further]
        j, i = np.where(inward, further[0], j), np.where(inward, further[1], i)
        to_x, to_y, far, size = reach(j, i)
        far = np.maximum(far, LEAST * size)
        eases = [
            np.divide(1.0, d, out=np.zeros(d.shape), where=d > 0)
            for d in (viscosity * offered.darcy[k] for k in (0, 2))
        ]
        through = nx**2 * eases[0][j, i] + ny**2 * eases[1][j, i]
        lifts = density * (gravity[0] * to_x + gravity[1] * to_y)
        return Mouths(
            own, j, i, pieces.area[own] * through / far, lifts, self.gives[pieces.edge[own]]
        )

    # ------------------------------------------------------------ what pores hold

    def look(self, p: Array) -> tuple[Array, Array, Array, Array]:
        """In cells: liquid over pore volume and its slope, ease and its slope; see `Law.look`."""
        found = tuple(np.zeros(self.shape) for _ in range(4))
        for at, law in self.laws:
            for field, values in zip(found, law.look(p[at]), strict=True):
                field[at] = values
        for field in found:
            self.mesh.grid.wrap(field)
        return found[0], found[1], found[2], found[3]

    def outside_eases(self, outside: Array) -> Array:
        """How easily liquid moves at pressures (Pa) that mouths hold."""
        found = np.ones(outside.size)
        for rows, law in self.at_mouths:
            found[rows] = law.eases(law.moved(outside[rows]))
        return found

    # ------------------------------------------------------------ what passes

    def pass_(self, p: Array, ease: Array, slope: Array, outside: Array, there: Array) -> Passing:
        """outside : pressures (Pa) that mouths hold; there : eases at them."""
        flows, behind, ahead = [], [], []
        for axis, faces in enumerate(self.faces):
            back = 1 - axis
            fall = roll(p, 1, back) - p + faces.lifts
            ease_b, slope_b = roll(ease, 1, back), roll(slope, 1, back)
            comes = fall >= 0
            share = np.where(comes, faces.upstream, 1.0 - faces.upstream)
            mean = share * ease_b + (1.0 - share) * ease
            flows.append(faces.passes * mean * fall)
            behind.append(faces.passes * (mean + fall * share * slope_b))
            ahead.append(faces.passes * (-mean + fall * (1.0 - share) * slope))
        m = self.mouths
        here = p[m.j, m.i]
        fall = here + m.lifts - outside
        drains = fall > 0
        mean = np.where(drains, ease[m.j, m.i], np.where(m.lets_in, there, 0.0))
        own = np.where(drains, slope[m.j, m.i], 0.0)
        return Passing(
            flows[0],
            flows[1],
            m.passes * mean * fall,
            (behind[0], behind[1]),
            (ahead[0], ahead[1]),
            m.passes * (mean + own * fall),
        )

    def outflow(self, x: Array, y: Array, out: Array) -> Array:
        """Net outflow (m3/s) of every cell."""
        net = np.zeros(self.shape)
        net[:-1, :-1] = x[:-1, 1:] - x[:-1, :-1] + y[1:, :-1] - y[:-1, :-1]
        np.add.at(net, (self.mouths.j, self.mouths.i), out)
        net[~self.live] = 0.0
        return net

    def per_pores(self, gain: Array) -> Array:
        """Of what cells gain (m3/s), 1/s of their pores."""
        return np.divide(gain, self.pores, out=np.zeros(self.shape), where=self.pores > 0)

    # ------------------------------------------------------------ a step

    def soak(
        self, p: Array, held: Array, span: float, outside: Array, fed: Array
    ) -> tuple[Passing, Array]:
        """Change pressures in place to those at the end of a step of `span` (s) that begins with
        liquid `held` over pore volume. fed : m3/s that cells get besides. Gives what passes and the
        net gain of cells (m3/s). Raises StepFailed.
        """
        there, self.count = self.outside_eases(outside), 0
        last = np.zeros(self.shape)
        for _ in range(MOST):
            with np.errstate(over="ignore", invalid="ignore"):  # of pressures that run away
                liquid, slope, ease, ease_slope = self.look(p)
            passing = self.pass_(p, ease, ease_slope, outside, there)
            gain = fed - self.outflow(passing.x, passing.y, passing.out)
            left = np.where(self.live, self.pores * (held - liquid) / span + gain, 0.0)
            worst = float(np.abs(self.per_pores(left)).max()) * span
            if not np.isfinite(worst):
                break
            if worst <= CLOSE:
                return passing, gain
            change = self._solve(left, self.pores * slope / span, passing)
            # where a spot is about to go back and forth between dry and full, half of the way
            change *= np.where(change * last < -TURNS * last**2, 0.5, 1.0)
            p += change
            last = change
            self.mesh.grid.wrap(p)
        raise StepFailed(
            "wicking", "the whole vessel", f"pressures do not settle: {worst:.1g} of pores is left"
        )

    def _solve(self, left: Array, stores: Array, passing: Passing) -> Array:
        """The change of pressures that takes away what is left over (m3/s)."""
        m, live = self.mouths, self.live
        stores = stores.copy()
        np.add.at(stores, (m.j, m.i), np.maximum(passing.leaving, 0.0))
        for axis, a in enumerate((self.ax, self.ay)):
            a[:] = 0.5 * np.maximum(passing.behind[axis] - passing.ahead[axis], 0.0)
        unit = float(max(self.ax.max(), self.ay.max(), stores.max()))
        if unit <= 0:
            return np.zeros(self.shape)
        ways = self.ax + roll(self.ax, -1, 1) + self.ay + roll(self.ay, -1, 0)
        # a dry spot that nothing reaches keeps its pressure
        still = live & (ways + stores <= 1e-30 * unit)
        np.divide(stores, unit, out=self.d)
        self.d[still] = 1.0
        self.ax /= unit
        self.ay /= unit
        if self.multigrid is None:
            self.multigrid = Multigrid(
                self.ax, self.ay, self.d, single=False, repeats=self.mesh.grid.repeats
            )
        else:
            self.multigrid.set_up()
        grid = self.mesh.grid

        def applied(vector: Array) -> Array:
            dp = grid.wrap(vector.reshape(self.shape).copy())
            flows = [
                b * roll(dp, 1, 1 - axis) + a * dp
                for axis, (b, a) in enumerate(zip(passing.behind, passing.ahead, strict=True))
            ]
            out = self.outflow(flows[0], flows[1], passing.leaving * dp[m.j, m.i])
            out += np.where(live, own * dp, 0.0)
            return np.asarray(out / unit).ravel()

        own = stores.copy()
        np.add.at(own, (m.j, m.i), -np.maximum(passing.leaving, 0.0))
        own[still] = unit

        def preconditioned(vector: Array) -> Array:
            x = np.zeros(self.shape)
            b = np.where(live, vector.reshape(self.shape), 0.0)
            self.multigrid.solve(b, x, 0.1, 0.0, 4)  # type: ignore[union-attr]
            return np.where(live, x, 0.0).ravel()

        right = np.where(live, left / unit, 0.0).ravel()
        found = self.room.solve(applied, preconditioned, right, ROUGH)
        self.count += found.iterations
        return found.solution.reshape(self.shape)
