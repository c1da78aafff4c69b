"""The law of the wall, distances to walls, streams that slip: against numbers worked out by hand."""

import unittest

import numpy as np

from underkettle.engine.mesh import Grid, build_mesh, outline_from_rings
from underkettle.engine.mesh.wall_distance import from_walls
from underkettle.engine.operators.velocity import EdgeRole, sliver_share, velocity_nodes
from underkettle.engine.operators.wall_law import (
    friction_speeds,
    speed,
    stirring,
    turnover,
    wall_viscosities,
    warmth,
)


def one(*values):
    return np.array(values, float)


class Law(unittest.TestCase):
    def test_near_the_wall_speed_is_distance(self):
        for yp in (0.1, 0.5, 1.0):
            self.assertAlmostEqual(speed(yp, 0.0)[0] / yp, 1.0, delta=5e-3)
        self.assertAlmostEqual(stirring(0.1, 0.0)[0], 0.0, delta=1e-3)

    def test_far_off_it_is_the_logarithm(self):
        # ln(300) / .41 + 5.2 = 19.11
        self.assertAlmostEqual(speed(300.0, 0.0)[0], 19.11, delta=0.05)
        # slope 1 / (.41 y+), so that nu_t / nu = .41 y+ - 1
        self.assertAlmostEqual(stirring(1000.0, 0.0)[0], 409.0, delta=8.0)

    def test_slope_is_the_derivative(self):
        for yp in (0.3, 3.0, 11.0, 40.0, 500.0):
            up, slope = speed(yp, 0.0)
            by = 1e-5 * yp
            self.assertAlmostEqual((speed(yp + by, 0.0)[0] - up) / by, slope, delta=1e-4 * slope)

    def test_grains_take_the_place_of_the_viscous_layer(self):
        # Nikuradse: ln(y / ks) / .41 + 8.5; 100 grains off, ks+ 500: 19.73
        self.assertAlmostEqual(speed(50_000.0, 500.0)[0], 19.73, delta=0.1)

    def test_friction_is_what_the_law_makes_the_speed_of(self):
        u, nu = 0.4, 1.5e-5
        y = np.array([[1e-4, 2e-3], [0.01, 0.02]])
        share = np.array([[0.5, 0.5], [0.25, 0.75]])
        seen = one(
            *(
                sum(s * u * speed(d * u / nu, 0.0)[0] for d, s in zip(dd, ss, strict=True))
                for dd, ss in zip(y, share, strict=True)
            )
        )
        found = np.zeros(2)
        friction_speeds(seen, y, share, one(nu, nu), one(0, 0), found)
        np.testing.assert_allclose(found, u, rtol=1e-10)
        friction_speeds(np.zeros(2), y, share, one(nu, nu), one(0, 0), found)
        np.testing.assert_array_equal(found, 0.0)

    def test_what_conducts_gives_the_stress(self):
        u, y, nu = 0.4, 2e-3, 1.5e-5
        at = u * speed(y * u / nu, 0.0)[0]
        out = np.zeros(3)
        quick, half = one(at, 1.5 * at, 100 * at), one(0.5, 0.5, 0.5)
        wall_viscosities(
            quick, one(y, y, y), one(u, u, u), one(nu, nu, nu), one(0, 0, 0), half, 2.0, out
        )
        stress = out * quick / y
        np.testing.assert_allclose(stress[:2], u * u, rtol=1e-12)
        self.assertAlmostEqual(out[2], 0.5 * u * u * y / at, delta=1e-12)  # held within the law
        wall_viscosities(
            quick, one(y, y, y), np.zeros(3), one(nu, nu, nu), one(0, 0, 0), half, 2.0, out
        )
        np.testing.assert_allclose(out, nu)

    def test_omega_by_hand(self):
        # far off: u / (.3 x .41 y)
        self.assertAlmostEqual(turnover(0.1, 1.0, 1.0, 1e-5) * 0.1 * 0.3 * 0.41, 1.0, delta=1e-3)
        # at the wall: 6 nu / (.075 y2)
        self.assertAlmostEqual(
            turnover(1e-6, 1.0, 1.0, 1e-5) * 1e-12 / (80 * 1e-5), 1.0, delta=1e-2
        )

    def test_warmth_is_conduction_at_the_wall_and_the_logarithm_far_off(self):
        self.assertAlmostEqual(warmth(0.5, 7.0), 3.5, delta=0.02)
        # Kader 1981: 2.12 ln(y+) + (3.85 Pr^(1/3) - 1.3)^2 + 2.12 ln Pr, y+ 300, Pr .7: 15.9
        self.assertAlmostEqual(warmth(300.0, 0.7), 15.9, delta=0.8)


def duct(angle, cells=10):
    """A slanted duct one high, and its mesh."""
    rise = np.tan(angle)
    points = np.array([(0, 0.013), (3, 0.013 + 3 * rise), (3, 1.013 + 3 * rise), (0, 1.013)])
    outline = outline_from_rings([(points, ["low", "out", "high", "in"])])
    high = points[:, 1].max()
    grid = Grid(
        np.linspace(0, 3, 3 * cells + 1), np.linspace(0.013, high, round(high * cells) + 1), 1.0
    )
    return build_mesh(grid, outline, {"space": None})


class Slipping(unittest.TestCase):
    ROLES = {
        e: EdgeRole(r) for e, r in (("low", "slip"), ("high", "slip"), ("in", "in"), ("out", "out"))
    }

    def test_a_stream_that_slips_along_a_slanted_wall_closes(self):
        for angle in (0.1, 0.3, 0.7):
            mesh = duct(angle)
            nodes = [velocity_nodes(mesh, axis, self.ROLES, slips=True) for axis in (0, 1)]
            u, v = np.cos(angle) * nodes[0].inner, np.sin(angle) * nodes[1].inner
            net = u[:, 1:] - u[:, :-1]
            net[:-1] += v[1:, :-1] - v[:-1, :-1]
            inside = mesh.live[0][:, :-1].copy()
            inside[:, :3] = inside[:, -5:] = False
            self.assertGreater(inside.sum(), 100)
            self.assertLess(np.abs(net[inside]).max(), 1e-8)

    def test_velocities_stand_for_all_that_is_open(self):
        mesh = duct(0.3)
        nodes = velocity_nodes(mesh, 0, self.ROLES, slips=True)
        inner = nodes.volume[:, 4:-5].sum()
        low, high = mesh.grid.centres(0)[3], mesh.grid.centres(0)[-6]
        self.assertAlmostEqual(inner, 1.0 * (high - low), delta=1e-6)
        self.assertTrue(nodes.off.any())
        share = sliver_share(mesh, nodes)
        self.assertLess(share[nodes.off].min(), 0.5)
        self.assertLessEqual(share.max(), 1.0)

    def test_where_a_stream_sticks_nothing_has_changed(self):
        mesh = duct(0.3)
        nodes = velocity_nodes(mesh, 0, self.ROLES)
        self.assertFalse(nodes.off.any())


class Distances(unittest.TestCase):
    def test_to_straight_and_slanted_walls(self):
        for angle in (0.0, 0.4):
            mesh = duct(angle)
            walls = np.flatnonzero(np.isin(mesh.pieces.edge, [mesh.edge_index("low")]))
            y = 0.013 + np.tan(angle) * 1.5 + np.array([0.1, 0.45, 0.8])
            away, piece = from_walls(mesh, walls, np.full(3, 1.5), y)
            np.testing.assert_allclose(away, np.array([0.1, 0.45, 0.8]) * np.cos(angle), rtol=1e-9)
            self.assertTrue(np.isin(piece, walls).all())

    def test_without_walls_they_are_infinite(self):
        away, piece = from_walls(duct(0.0), np.zeros(0, np.int64), np.ones(2), np.ones(2))
        self.assertTrue(np.isinf(away).all() and (piece == -1).all())


if __name__ == "__main__":
    unittest.main()
