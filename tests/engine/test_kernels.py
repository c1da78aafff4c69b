"""Kernels against numbers worked out by hand, and what must hold on any mesh that walls cut."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from underkettle.engine.linear import Helmholtz, Multigrid
from underkettle.engine.mesh import Grid, build_mesh, graded_nodes, outline_from_rings
from underkettle.engine.operators.convection import (
    carry_faces,
    carry_scalar,
    carry_u,
    courant_rate,
)
from underkettle.engine.operators.diffusion import (
    face_mean,
    links,
    neighbours,
    spread_right,
    spread_update,
    steady_matrix,
)
from underkettle.engine.operators.projection import (
    correct_x,
    correct_y,
    divergence,
    extrapolate,
    level,
    momentum_right,
    pressure_force_x,
    pressure_force_y,
    raise_pressure,
)
from underkettle.engine.operators.stencil import cell_weights, face_weights, roll

NEVER_SAME = np.random.default_rng(7)


def plain(nx=4, ny=3, width=1.0, height=1.0):
    """A grid of even cells."""
    return Grid(np.linspace(0, nx * width, nx + 1), np.linspace(0, ny * height, ny + 1), 1.0)


def padded(inner):
    """An array (ny, nx) within its ghosts."""
    ny, nx = inner.shape
    whole = np.zeros((ny + 3, nx + 3))
    whole[1 : ny + 1, 1 : nx + 1] = inner
    return whole


def scratch(grid):
    return [np.zeros(grid.nx + 3) for _ in range(3)]


# --------------------------------------------------------------------- by hand


class Convection(unittest.TestCase):
    def carried(self, row, flow):
        """Net outflow of each cell of one row, all inner faces passed by `flow`."""
        grid = plain(len(row), 1)
        c, fx, fy = (
            padded(np.array([row])),
            padded(np.zeros((1, len(row)))),
            np.zeros((4, len(row) + 3)),
        )
        fx[1, 2 : grid.nx + 1] = flow
        out = np.zeros_like(c)
        carry_scalar(
            c,
            fx,
            fy,
            out,
            cell_weights(grid, 0),
            cell_weights(grid, 1),
            *scratch(grid),
            False,
            False,
            1,
            grid.nx,
        )
        return out[1, 1 : grid.nx + 1]

    def test_a_ramp_is_carried_by_its_values_between_cells(self):
        """Values 0, 1, 2, 3, 4 with a flow of 2: faces carry 2 x 1.5, 2 x 2.5, ... where the
        limiter has both neighbours.
        """
        out = self.carried([0.0, 1.0, 2.0, 3.0, 4.0], 2.0)
        self.assertAlmostEqual(out[2], 2.0 * (2.5 - 1.5))
        self.assertAlmostEqual(out[4], -2.0 * 3.5)

    def test_the_limited_value_between_cells(self):
        """Koren: U + min(|s|, |2 a + s| / 6, |a|): 0 (beyond the rim), 1, 2: s = a = 1 gives 3/6;
        1, 2, 3.4: s = 1, a = 1.4 gives 3.8/6, and 1, 2, 5 no more than s.
        """
        out = self.carried([1.0, 2.0, 3.4, 3.4], 1.0)
        self.assertAlmostEqual(out[1], (2 + 3.8 / 6) - (1 + 3 / 6))
        self.assertAlmostEqual(out[2], 3.4 - (2 + 3.8 / 6))  # flat behind: nothing is added
        self.assertAlmostEqual(self.carried([1.0, 2.0, 5.0, 5.0], 1.0)[1], 3.0 - (1 + 3 / 6))

    def test_a_parabola_is_carried_to_third_order(self):
        """Means of x^2 over cells of 1: between two cells the exact value, where no limit acts."""
        means = np.array([(k**3 - (k - 1) ** 3) / 3 for k in range(3, 9)])
        out = self.carried(list(means), 1.0)
        np.testing.assert_allclose(out[2:4], [5**2 - 4**2, 6**2 - 5**2])

    def test_backwards_it_is_the_mirror_image(self):
        row = np.array([1.0, 2.0, 5.0, 4.5, 0.3])
        np.testing.assert_allclose(self.carried(row, -1.0), self.carried(row[::-1], 1.0)[::-1])

    def test_a_peak_is_not_raised(self):
        """At an extremum the upwind value itself passes."""
        out = self.carried([0.0, 0.0, 9.0, 0.0, 0.0], 1.0)
        np.testing.assert_allclose(out[1:4], [0.0, 9.0, -9.0])

    def test_along_y_as_along_x(self):
        row = [0.4, 1.0, 3.0, 3.5, 2.0]
        grid = plain(1, 5)
        c, fy = padded(np.array([row]).T), padded(np.zeros((5, 1)))
        fy[2:6, 1] = 1.5
        out = np.zeros_like(c)
        carry_scalar(
            c,
            np.zeros_like(c),
            fy,
            out,
            cell_weights(grid, 0),
            cell_weights(grid, 1),
            *scratch(grid),
            False,
            False,
            5,
            1,
        )
        np.testing.assert_allclose(out[1:6, 1], self.carried(row, 1.5))

    def test_a_uniform_velocity_in_a_closed_flow_feels_no_acceleration(self):
        grid = plain(5, 4)
        shape = (7, 8)
        u = padded(np.full((4, 5), 3.0))
        u[:, 6] = 3.0
        u[0], u[5] = 3.0, 3.0
        fx = np.full(shape, 2.0)
        out = np.zeros(shape)
        carry_u(
            u,
            fx,
            np.zeros(shape),
            out,
            np.ones(shape),
            face_weights(grid, 0),
            cell_weights(grid, 1),
            *scratch(grid),
            False,
            False,
            4,
            5,
        )
        np.testing.assert_allclose(out[1:5, 2:6], 0.0, atol=1e-12)

    def test_what_leaves_a_cell_over_its_volume(self):
        """A cell of 2 m3 that loses 3 to the east and 1 to the north: 2 per s."""
        fx, fy, volume = (
            padded(np.zeros((2, 2))),
            padded(np.zeros((2, 2))),
            padded(np.full((2, 2), 2.0)),
        )
        fx[1, 2], fy[2, 1] = 3.0, 1.0
        self.assertAlmostEqual(courant_rate(fx, fy, volume), 2.0)


class Diffusion(unittest.TestCase):
    def test_neighbours_by_hand(self):
        c = padded(np.array([[1.0, 2.0], [5.0, 4.0]]))
        link = np.zeros_like(c)
        x, y = link.copy(), link.copy()
        x[1, 2], x[2, 2], y[2, 1], y[2, 2] = 2.0, 3.0, 0.5, 1.0
        found = neighbours(c, x, y)
        self.assertAlmostEqual(found[1, 1], 2.0 * (2 - 1) + 0.5 * (5 - 1))
        self.assertAlmostEqual(found[2, 2], 3.0 * (5 - 4) + 1.0 * (2 - 4))

    def test_two_half_cells_conduct_in_a_row(self):
        """Cells of 1 and 3 m, conducting 2 and 6: 4 / (1/2 + 3/6) = 4."""
        grid = Grid(np.array([0.0, 1.0, 4.0]), np.array([0.0, 1.0]), 1.0)
        values = padded(np.array([[2.0, 6.0]]))
        self.assertAlmostEqual(face_mean(values, grid, 0)[1, 2], 4.0)

    def test_an_implicit_step_by_hand(self):
        """One cell of 2 m3 at 3, given 4 per s, held by 1 m3/s: (2 x 3 + .5 x 4) / (2 + .5)."""
        c, none = padded(np.array([[3.0]])), np.zeros((4, 4))
        held, made, volume, right = (padded(np.array([[v]])) for v in (1.0, 4.0, 2.0, 0.0))
        spread_right(c, none, none, held, made, volume, 2.0, 1.0, right, 1, 1)
        mixed = padded(np.array([[right[1, 1] / (2.0 * 2.0 + 1.0)]]))
        self.assertAlmostEqual(mixed[1, 1], (2 * 3 + 0.5 * 4) / 2.5)
        out = np.zeros((4, 4))
        spread_update(mixed, c, none, none, held, made, padded(np.array([[0.25]])), out, 1, 1)
        self.assertAlmostEqual(out[1, 1], mixed[1, 1])

    def test_a_steady_row_by_hand(self):
        """Three cells, links of 2, a flow of 1 to the right: the middle row is -3, 5, -2."""
        grid = plain(3, 1)
        outline = outline_from_rings([(np.array([[0, 0], [3, 0], [3, 1], [0, 1.0]]), list("abcd"))])
        mesh = build_mesh(grid, outline, {"space": None})
        link, flow = padded(np.zeros((1, 3))), padded(np.zeros((1, 3)))
        link[1, 2:4], flow[1, 2:4] = 2.0, 1.0
        matrix = steady_matrix(
            mesh, link, np.zeros_like(link), np.zeros_like(link), flow, np.zeros_like(link)
        ).toarray()
        np.testing.assert_allclose(matrix[1], [-3.0, 5.0, -2.0])


class Projection(unittest.TestCase):
    def test_divergence_by_hand(self):
        u, v = padded(np.zeros((2, 2))), padded(np.zeros((2, 2)))
        u[1, 2], v[2, 1] = 3.0, -1.0
        out, one = np.zeros_like(u), np.ones_like(u)
        most = divergence(u, v, 2 * one, 5 * one, out, -1.0, 2, 2)
        self.assertAlmostEqual(out[1, 1], -(3 * 2 - 1 * 5))
        self.assertAlmostEqual(out[1, 2], 3 * 2)
        self.assertAlmostEqual(most, 6.0)

    def test_forces_of_pressure_and_corrections(self):
        p = padded(np.array([[1.0, 4.0], [2.0, 9.0]]))
        out, one = np.zeros_like(p), np.ones_like(p)
        pressure_force_x(p, 2 * one, out, 2, 2)
        self.assertAlmostEqual(out[1, 2], 2 * (4 - 1))
        pressure_force_y(p, 3 * one, out, 2, 2)
        self.assertAlmostEqual(out[2, 2], 3 * (9 - 4))
        u, v = np.zeros_like(p), np.zeros_like(p)
        correct_x(u, p, 0.5 * one, 2.0, 2, 2, 2)
        correct_y(v, p, 0.5 * one, 2.0, 2, 2, 2)
        self.assertAlmostEqual(u[2, 2], -(9 - 2))
        self.assertAlmostEqual(v[2, 1], -(2 - 1))

    def test_momentum_of_a_step_by_hand(self):
        """m (b0 now - b1 before - e0 n + e1 n') - g + f with every number another."""
        arrays = [padded(np.array([[v]])) for v in (2.0, 3.0, 5.0, 7.0, 11.0, 13.0, 17.0)]
        now, before, carried, earlier, mass, gradient, extra = arrays
        out = np.zeros((4, 4))
        momentum_right(
            now, before, carried, earlier, mass, gradient, extra, out, 1.5, 0.5, 2.0, 1.0, 1, 1
        )
        self.assertAlmostEqual(out[1, 1], 11 * (1.5 * 2 - 0.5 * 3 - 2 * 5 + 7) - 13 + 17)
        self.assertAlmostEqual(earlier[1, 1], 5.0)

    def test_levels_and_guesses(self):
        values, inside = padded(np.array([[1.0, 5.0, 9.0]])), padded(np.array([[1.0, 1.0, 0.0]]))
        level(values, inside, 2)
        np.testing.assert_allclose(values[1, 1:4], [-2.0, 2.0, 9.0])
        now, before = np.array([[3.0]]), np.array([[1.0]])
        extrapolate(now, before)
        self.assertEqual((now[0, 0], before[0, 0]), (5.0, 3.0))
        p, q, right = (padded(np.array([[v]])) for v in (1.0, 2.0, 3.0))
        raise_pressure(p, q, right, np.full((4, 4), 4.0), 0.5, 1, 1)
        self.assertAlmostEqual(p[1, 1], 1 + 2 + 0.5 * 4 * 3)


class Levels(unittest.TestCase):
    def test_a_coarse_face_is_two_halves_in_a_row(self):
        """A chain of unit faces: merged pairwise, the face between pairs becomes 1 / (1 + 1)."""
        ax = padded(np.zeros((1, 130)))
        ax[1, 2:131] = 1.0
        d = padded(np.full((1, 130), 1e-3))
        grid = Multigrid(ax, np.zeros_like(ax), d, single=False)
        first, _, nx, _, columns = (int(v) for v in grid.info[1])
        coarse = grid.work[:, first : first + 4 * columns].reshape(-1, 4, columns)
        faces = [
            row[1, 2 : nx + 1]
            for row in coarse
            if np.allclose(row[1, 2 : nx + 1], row[1, 2]) and 0.3 < row[1, 2] < 1.1
        ]
        self.assertTrue(any(np.allclose(f, 0.5) for f in faces), [float(f[0]) for f in faces])

    def test_the_limit_of_iterations_is_kept_and_told(self):
        ax = padded(NEVER_SAME.uniform(0.1, 1, (40, 40)))
        ax[:, 1] = 0
        b = padded(NEVER_SAME.normal(size=(40, 40)))
        d, x = padded(np.full((40, 40), 1e-6)), np.zeros_like(b)
        count, norm = Multigrid(ax, ax.T.copy(), d).solve(b, x, relative=1e-12, most=1)
        self.assertEqual(count, 1)
        self.assertGreater(norm, 1e-12 * np.linalg.norm(b))

    def test_helmholtz_solves_what_it_is_given(self):
        links_x = padded(NEVER_SAME.uniform(0.5, 2, (12, 17)))
        links_x[:, 1] = 0
        links_y = padded(NEVER_SAME.uniform(0.5, 2, (12, 17)))
        links_y[1] = 0
        for rate in (50.0, 0.01):  # a few sweeps, and the multigrid
            operator = Helmholtz(links_x, links_y)
            operator.d[1:13, 1:18] = rate
            operator.changed()
            wanted = padded(NEVER_SAME.normal(size=(12, 17)))
            right = operator.d * wanted - neighbours(wanted, links_x, links_y)
            right[0] = right[13:] = 0
            right[:, 0], right[:, 18:] = 0, 0
            found = np.zeros_like(wanted)
            operator.solve(right, found, 1e-10)
            np.testing.assert_allclose(found[1:13, 1:18], wanted[1:13, 1:18], atol=1e-7)


# --------------------------------------------------------------------- on any mesh


@st.composite
def meshes(draw):
    """A graded grid over a box with a turned rectangle, a triangle or a circle cut out of it."""
    nx, ny = draw(st.integers(7, 16)), draw(st.integers(6, 14))
    x = np.cumsum(
        np.concatenate([[0.0], draw(st.lists(st.floats(0.5, 1.5), min_size=nx, max_size=nx))])
    )
    y = np.cumsum(
        np.concatenate([[0.0], draw(st.lists(st.floats(0.5, 1.5), min_size=ny, max_size=ny))])
    )
    wide, high = x[-1], y[-1]
    corners = draw(st.sampled_from((3, 4, 40)))
    turn = draw(st.floats(0, 2 * np.pi))
    radius = draw(st.floats(0.12, 0.3)) * min(wide, high)
    cx, cy = draw(st.floats(0.4, 0.6)) * wide, draw(st.floats(0.4, 0.6)) * high
    a = turn - np.linspace(0, 2 * np.pi, corners, endpoint=False)
    hole = np.column_stack([cx + radius * np.cos(a), cy + radius * np.sin(a)])
    box = np.array([[0, 0], [wide, 0], [wide, high], [0, high]])
    outline = outline_from_rings(
        [(box, ["south", "east", "north", "west"]), (hole, ["hole"] * corners)]
    )
    return build_mesh(Grid(x, y, 1.0), outline, {"space": None}), outline


def stream(mesh, seed):
    """A flow through the inner faces that closes in every cell: differences of a stream function
    that is nought along every wall.
    """
    psi = np.random.default_rng(seed).normal(size=mesh.shape[1:])
    grid = mesh.grid
    open_x, open_y = mesh.open_x[0] > 0, mesh.open_y[0] > 0
    shut = ~open_x | ~roll(open_x, 1, 0) | ~open_y | ~roll(open_y, 1, 1)
    psi[shut] = 0.0
    psi[:2] = psi[grid.ny + 1 :] = 0.0
    psi[:, :2] = psi[:, grid.nx + 1 :] = 0.0
    return np.where(open_x, roll(psi, -1, 0) - psi, 0.0), np.where(
        open_y, psi - roll(psi, -1, 1), 0.0
    )


class AnyMesh(unittest.TestCase):
    @settings(deadline=None, max_examples=25)
    @given(meshes())
    def test_cut_cells_close(self, drawn):
        """Areas close around every cell, volumes and walls add up to what was drawn."""
        mesh, outline = drawn
        a, b = outline.start, outline.end
        area = 0.5 * float((a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]).sum())
        self.assertAlmostEqual(float(mesh.volume.sum()) / area, 1.0, places=9)
        length = np.hypot(*(b - a).T)
        self.assertAlmostEqual(float(mesh.pieces.area.sum()), float(length.sum()), places=9)
        for axis, opening in ((1, mesh.open_x[0]), (0, mesh.open_y[0])):
            rim = np.zeros_like(opening)
            normal = mesh.pieces.nx if axis == 1 else mesh.pieces.ny
            np.add.at(rim, (mesh.pieces.j, mesh.pieces.i), normal * mesh.pieces.area)
            net = roll(opening, -1, axis) - opening + rim
            self.assertLess(np.abs(net[mesh.live[0]]).max(), 1e-9)

    @settings(deadline=None, max_examples=25)
    @given(meshes(), st.integers(0, 10**6))
    def test_what_is_carried_is_neither_made_nor_lost_nor_raised(self, drawn, seed):
        mesh, grid = drawn[0], drawn[0].grid
        fx, fy = stream(mesh, seed)
        net = roll(fx, -1, 1) - fx + roll(fy, -1, 0) - fy
        live = mesh.live[0]
        self.assertLess(np.abs(net[live]).max(initial=0.0), 1e-12)
        c = np.where(live, np.random.default_rng(seed + 1).uniform(2, 3, live.shape), 0.0)
        weights = cell_weights(grid, 0), cell_weights(grid, 1)
        out = np.zeros_like(c)
        carry_scalar(c, fx, fy, out, *weights, *scratch(grid), False, False, grid.ny, grid.nx)
        self.assertLess(abs(out.sum()), 1e-10)
        x, y = np.zeros_like(c), np.zeros_like(c)
        carry_faces(c, fx, fy, x, y, *weights, False, False, grid.ny, grid.nx)
        whole = roll(x, -1, 1) - x + roll(y, -1, 0) - y
        inner = (slice(1, grid.ny + 1), slice(1, grid.nx + 1))
        np.testing.assert_allclose(whole[inner], out[inner], atol=1e-12)
        even = np.where(live, 2.5, 0.0)
        carry_scalar(even, fx, fy, out, *weights, *scratch(grid), False, False, grid.ny, grid.nx)
        self.assertLess(np.abs(out[live]).max(initial=0.0), 1e-11)
        volume = mesh.volume[0]
        rate = courant_rate(fx, fy, np.where(live, volume, 0.0))
        if rate > 0:  # a step that no cell overflows in keeps first-order values between the others
            flat = [np.zeros_like(w) for w in weights]
            carry_scalar(c, fx, fy, out, *flat, *scratch(grid), False, False, grid.ny, grid.nx)
            new = c[live] - 0.9 / rate * out[live] / volume[live]
            self.assertGreaterEqual(new.min(), 2.0 - 1e-9)
            self.assertLessEqual(new.max(), 3.0 + 1e-9)

    @settings(deadline=None, max_examples=25)
    @given(meshes(), st.integers(0, 10**6))
    def test_diffusion_is_symmetric_and_keeps_what_there_is(self, drawn, seed):
        mesh = drawn[0]
        x, y, _ = links(mesh, 1.3, 0.7)
        live, chance = mesh.live[0], np.random.default_rng(seed)
        a, b = (np.where(live, chance.normal(size=live.shape), 0.0) for _ in range(2))
        of_a, of_b = neighbours(a, x, y), neighbours(b, x, y)
        self.assertAlmostEqual(
            float((b * of_a)[live].sum()),
            float((a * of_b)[live].sum()),
            delta=1e-9 * float(np.abs(of_a).sum()) + 1e-12,
        )
        self.assertLess(abs(float(of_a[live].sum())), 1e-9 * float(np.abs(of_a).sum()) + 1e-12)
        self.assertLessEqual(float((a * of_a)[live].sum()), 1e-12)

    @settings(deadline=None, max_examples=25)
    @given(meshes(), st.floats(-2, 2), st.floats(-2, 2))
    def test_a_linear_field_passes_whole_cells_exactly(self, drawn, gx, gy):
        """In cells with all their neighbours nothing stays of a linear field; limited convection
        carries it by its true value between them.
        """
        mesh, grid = drawn[0], drawn[0].grid
        x, y, _ = links(mesh, 1.0, 1.0)
        cx, cy = mesh.cell_centres()
        c = (gx * cx + gy * cy + 0.0 * mesh.volume)[0]
        full = mesh.live[0] & (mesh.volume[0] > (1 - 1e-12) * mesh.full_volume[0])
        deep = full.copy()
        for step in (1, -1):
            for axis in (0, 1):
                deep &= roll(full, step, axis)
                deep &= roll(roll(full, step, axis), step, axis)
        if not deep.any():
            return
        gain = neighbours(c, x, y)
        scale = float(np.abs(c).max() * np.abs(x).max()) + 1e-12
        self.assertLess(np.abs(gain[deep]).max(), 1e-9 * scale)
        fx = np.where(mesh.open_x[0] > 0, 1.0, 0.0)
        out_x, out_y = np.zeros_like(c), np.zeros_like(c)
        carry_faces(
            c,
            fx,
            np.zeros_like(c),
            out_x,
            out_y,
            cell_weights(grid, 0),
            cell_weights(grid, 1),
            False,
            False,
            grid.ny,
            grid.nx,
        )
        upwind = roll(c, 1, 1)
        low, high = np.minimum(c, upwind), np.maximum(c, upwind)
        self.assertTrue((out_x[deep] >= low[deep] - 1e-9).all())
        self.assertTrue((out_x[deep] <= high[deep] + 1e-9).all())

    def test_a_linear_field_between_even_cells_is_exact(self):
        grid = plain(9, 9, 0.3, 0.2)
        c = 2.0 * grid.centres(0)[None, :] - 3.0 * grid.centres(1)[:, None]
        one = np.ones_like(c)
        x, y = np.zeros_like(c), np.zeros_like(c)
        carry_faces(
            c, one, one, x, y, cell_weights(grid, 0), cell_weights(grid, 1), False, False, 9, 9
        )
        at = 2.0 * grid.faces(0)[None, :-1] - 3.0 * grid.centres(1)[:, None]
        np.testing.assert_allclose(x[2:9, 3:9], at[2:9, 3:9], atol=1e-12)

    @settings(deadline=None, max_examples=15)
    @given(meshes(), st.integers(0, 10**6))
    def test_a_projected_stream_closes(self, drawn, seed):
        """Pressure that undoes the divergence leaves none, whatever the walls cut."""
        mesh, grid = drawn[0], drawn[0].grid
        live, ny, nx = mesh.live[0], grid.ny, grid.nx
        chance = np.random.default_rng(seed)
        ax = np.where(live & roll(live, 1, 1), mesh.open_x[0], 0.0)
        ay = np.where(live & roll(live, 1, 0), mesh.open_y[0], 0.0)
        u = np.where(ax > 0, chance.normal(size=live.shape), 0.0)
        v = np.where(ay > 0, chance.normal(size=live.shape), 0.0)
        right, q = np.zeros_like(u), np.zeros_like(u)
        divergence(u, v, ax, ay, right, -1.0, ny, nx)
        start = float(np.abs(right).max())
        Multigrid(ax, ay, np.zeros_like(ax), single=False).solve(right, q, relative=1e-12)
        correct_x(u, q, np.where(ax > 0, 1.0, 0.0), 1.0, 2, ny, nx)
        correct_y(v, q, np.where(ay > 0, 1.0, 0.0), 1.0, 2, ny, nx)
        divergence(u, v, ax, ay, right, -1.0, ny, nx)
        self.assertLess(float(np.abs(right[live]).max()), 1e-8 * start)

    @settings(deadline=None, max_examples=10)
    @given(st.integers(2, 60), st.floats(1.0, 1.4))
    def test_lines_of_a_grid_rise_and_grow_evenly(self, count, growth):
        nodes = graded_nodes(0.0, float(count), [], 1.0)
        self.assertTrue((np.diff(nodes) > 0).all())
        self.assertEqual((nodes[0], nodes[-1]), (0.0, float(count)))
        self.assertGreaterEqual(growth, 1.0)


if __name__ == "__main__":
    unittest.main()
