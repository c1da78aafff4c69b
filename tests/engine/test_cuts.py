"""An interface beside walls that cut cells: polygons by hand, openings, arcs, and what is carried."""

import unittest

import numpy as np

from underkettle.engine.interface.advance import deal_out
from underkettle.engine.interface.contact import ANGLE, BEND, HELD, X, Y
from underkettle.engine.interface.cuts import ROOM, opening, split_cells
from underkettle.engine.interface.filling import means, shares
from underkettle.engine.interface.fractions import RIM, Fractions
from underkettle.engine.interface.polygons import (
    area,
    below,
    crossing,
    offset_of,
    shares_of_parts,
    swept,
    within_circle,
)
from underkettle.engine.mesh import Grid, build_mesh, outline_from_rings

SQUARE = np.array([0.0, 1.0, 1.0, 0.0]), np.array([0.0, 0.0, 1.0, 1.0])
HALF = np.array([0.0, 1.0, 0.0]), np.array([0.0, 0.0, 1.0])  # below x + y = 1


def room():
    return np.zeros((2, ROOM))


def over_slope(turned, n, through):
    """A square of side n above a wall turned by an angle (rad) that passes a place."""
    slope = np.tan(turned)
    low = through[1] - slope * through[0]
    ring, names = (
        [[0, low], [n, low + slope * n], [n, n], [0, n]],
        ["wall", "east", "north", "west"],
    )
    if low < 0:
        ring, names = [[0, 0], [-low / slope, 0], *ring[1:]], ["south", *names]
    nodes = np.arange(n + 1.0)
    outline = outline_from_rings([(np.array(ring, float), names)])
    return build_mesh(Grid(nodes, nodes, 1.0), outline, {"space": None})


def over_post(n, at, radius):
    """A square of side n with a disc cut from it."""
    turn = np.linspace(0, 2 * np.pi, 181)[:-1]
    disc = np.stack([at[0] + radius * np.cos(-turn), at[1] + radius * np.sin(-turn)], axis=1)
    square = np.array([[0, 0], [n, 0], [n, n], [0, n]], float)
    rings = [(square, ["south", "east", "north", "west"]), (disc, ["wall"] * 180)]
    nodes = np.arange(n + 1.0)
    return build_mesh(Grid(nodes, nodes, 1.0), outline_from_rings(rings), {"space": None})


def placed(mesh, theta, inside):
    """Shares where a function is positive, with a wall that is met at an angle (rad)."""
    own = Fractions(mesh)
    angles = np.full(mesh.pieces.j.size, np.nan)
    angles[mesh.pieces.of(mesh.edge_index("wall"))] = theta
    own.set_angles(angles)
    own.take(shares(mesh.grid, inside, own.cuts))
    return own


def own_angle(own, k):
    """The angles (rad) that pieces of the wall were given: receding (0) or advancing (1)."""
    angles = np.full(own.mesh.pieces.j.size, np.nan)
    angles[own.cuts.chief] = own.cuts.angle[:, k]
    return angles


def cap(turned, theta, radius, shift=0.137):
    """A part of a circle at rest on a slope: what is followed, and its middle."""
    n = int(2.6 * radius) + 16
    at = np.array([n / 2 + shift, n / 2 - 0.291])
    normal = np.array([-np.sin(turned), np.cos(turned)])
    wall = at + radius * np.cos(theta) * normal
    mesh = over_slope(turned, n, wall)
    return placed(mesh, theta, lambda x, y: radius - np.hypot(x - at[0], y - at[1])), at


class Polygons(unittest.TestCase):
    def test_areas_by_hand(self):
        self.assertAlmostEqual(area(*SQUARE, 4), 1.0)
        self.assertAlmostEqual(area(*HALF, 3), 0.5)
        self.assertAlmostEqual(below(*HALF, 3, 1.0, 0.0, 0.5, room()), 0.375)  # x <= 1/2
        self.assertAlmostEqual(below(*HALF, 3, -1.0, 0.0, -0.5, room()), 0.125)
        self.assertEqual(below(*HALF, 3, 1.0, 0.0, -0.1, room()), 0.0)

    def test_an_offset_gives_back_its_area(self):
        for a, b in ((1.0, 0.0), (0.6, -0.4), (-0.2, 0.8)):
            for wanted in (1e-6, 0.1, 0.3, 0.4999):
                c = offset_of(*HALF, 3, wanted, a, b, room())
                self.assertAlmostEqual(below(*HALF, 3, a, b, c, room()), wanted, places=13)

    def test_of_a_circle_it_takes_a_quarter_a_lens_and_all(self):
        self.assertAlmostEqual(within_circle(*SQUARE, 4, 0.0, 0.0, 1.0), np.pi / 4)
        self.assertAlmostEqual(within_circle(*SQUARE, 4, 0.5, 0.5, 0.3), np.pi * 0.09)
        self.assertAlmostEqual(within_circle(*SQUARE, 4, 0.5, 0.5, 9.0), 1.0)
        self.assertAlmostEqual(within_circle(*SQUARE, 4, 5.0, 5.0, 1.0), 0.0)
        self.assertAlmostEqual(within_circle(*HALF, 3, 0.0, 0.0, 0.5), np.pi / 16)

    def test_what_leaves_is_cut_from_the_side_it_leaves_through(self):
        """Beyond x = 1 - s the triangle has s^2/2; the fluid below y = s/2 is 3/4 of that."""
        s = 0.4
        part = (0.5 * s * s) / 0.5
        found = swept(*HALF, 3, 0.5, part, False, 0.0, 1.0, 0.5 * s, room(), room())
        self.assertAlmostEqual(found, 0.75)
        found = swept(*HALF, 3, 0.5, -part, False, 0.0, 1.0, 2.0, room(), room())
        self.assertAlmostEqual(found, 1.0)

    def test_a_line_enters_and_leaves(self):
        there, x0, y0, x1, y1 = crossing(*HALF, 3, 0.0, 1.0, 0.25)
        self.assertTrue(there)
        self.assertEqual(sorted([(x0, y0), (x1, y1)]), [(0.0, 0.25), (0.75, 0.25)])
        self.assertFalse(crossing(*HALF, 3, 0.0, 1.0, 2.0)[0])

    def test_the_share_of_a_triangle_left_of_a_line(self):
        parts = (np.arange(8) + 0.5) / 8
        value = 0.3 - np.repeat(parts[None, :], 8, axis=0)
        rise = np.full((8, 8), -1.0 / 8)
        found = shares_of_parts(*HALF, 3, 8, value, rise, 0.0 * rise, room(), room())
        self.assertAlmostEqual(found, (0.5 - 0.5 * 0.7**2) / 0.5)


class Openings(unittest.TestCase):
    def shape(self, *walls):
        found = opening(np.array(walls, float))
        if found is None:
            return None
        x, y = np.array(found).T
        return area(x, y, len(found))

    def test_one_wall_leaves_what_is_to_its_left(self):
        self.assertAlmostEqual(self.shape((0, 0.5, 1, 0.25)), 0.625)  # above it
        self.assertAlmostEqual(self.shape((1, 0.25, 0, 0.5)), 0.375)  # below it

    def test_a_corner_within_a_cell(self):
        inner = ((0.5, 0.0, 0.5, 0.5), (0.5, 0.5, 1.0, 0.5))  # open above and to the left
        self.assertAlmostEqual(self.shape(*inner), 0.75)
        self.assertAlmostEqual(self.shape(*((c, d, a, b) for a, b, c, d in inner[::-1])), 0.25)

    def test_two_walls_with_a_gap_between_them(self):
        self.assertAlmostEqual(self.shape((0, 0.2, 1, 0.2), (1, 0.8, 0, 0.8)), 0.6)

    def test_two_openings_or_a_wall_that_ends_are_none(self):
        self.assertIsNone(self.shape((1, 0.2, 0, 0.2), (0, 0.8, 1, 0.8)))
        self.assertIsNone(self.shape((0, 0.5, 0.5, 0.5)))

    def test_a_thin_wall_splits_cells_a_thick_one_does_not(self):
        def within(height):
            square = np.array([[0, 0], [8, 0], [8, 8], [0, 8]], float)
            bar = np.array([[2, 2.3], [2, 2.3 + height], [6, 3.3 + height], [6, 3.3]])
            rings = [(square, ["rim"] * 4), (bar, ["bar"] * 4)]
            nodes = np.arange(9.0)
            outline = outline_from_rings(rings)
            return split_cells(build_mesh(Grid(nodes, nodes, 1.0), outline, {"space": None}))

        self.assertTrue(within(0.2))
        self.assertFalse(within(1.5))

    def test_partners_lie_where_the_wall_looks(self):
        mesh = over_slope(0.3, 16, (8.0, 5.2))
        cuts = Fractions(mesh).cuts
        small = cuts.partner[:, 0] >= 0
        self.assertTrue((cuts.area[small] < 0.5).all() and small.any())
        self.assertTrue((cuts.partner[small, 0] == cuts.row[small] + 1).all())


class AtRest(unittest.TestCase):
    def errors(self, own, radius, contacts):
        mixed = own.live & (own.share > 1e-6) & (own.share < 1 - 1e-6)
        own.bends()
        off = np.where(own.known, np.abs(own.bend * radius - 1.0), 1.0)
        j, i = np.nonzero(mixed)
        away = np.min(
            [np.hypot(own.low_x[i] + 0.5 - p[0], own.low_y[j] + 0.5 - p[1]) for p in contacts],
            axis=0,
        )
        return off[mixed].max(), off[mixed][away < 1.5].mean()

    def test_beside_contacts_it_bends_as_everywhere(self):
        """Errors of the shared notes: .011, .003, .001 at 8, 16 and 32 cells."""
        for turned in (np.radians(17.0), np.radians(30.0)):
            for angle in (40, 60, 90, 120):
                theta, off = np.radians(angle), []
                for radius in (8.0, 16.0, 32.0):
                    own, at = cap(turned, theta, radius)
                    self.assertEqual(own.met, 2)
                    normal = np.array([-np.sin(turned), np.cos(turned)])
                    along = np.array([np.cos(turned), np.sin(turned)])
                    foot = at + radius * np.cos(theta) * normal
                    contacts = [foot + s * radius * np.sin(theta) * along for s in (-1, 1)]
                    off.append(self.errors(own, radius, contacts)[1])
                    places = own.contacts[: own.met, [X, Y]]
                    for contact in contacts:
                        self.assertLess(np.hypot(*(places - contact).T).min(), 2e-2)
                self.assertLess(off[1], 5e-3, (turned, angle))
                self.assertGreater(np.log2(off[0] / off[2]) / 2, 1.4, (turned, angle, off))

    def test_on_a_post(self):
        radius, post, theta = 16.0, 32.0, np.radians(60.0)
        away = np.sqrt(radius**2 + post**2 - 2 * radius * post * np.cos(theta))
        middle = np.array([40.3, 0.2])
        disc = middle + np.array([0.0, 33.0])
        mesh = over_post(80, disc, post)
        at = disc + np.array([0.0, away])
        own = placed(mesh, theta, lambda x, y: radius - np.hypot(x - at[0], y - at[1]))
        self.assertEqual(own.met, 2)
        cosine = (away**2 + post**2 - radius**2) / (2 * away * post)
        sine = np.sqrt(1.0 - cosine**2)
        feet = [disc + post * np.array([s * sine, cosine]) for s in (-1, 1)]
        worst, beside = self.errors(own, radius, feet)
        self.assertLess(worst, 8e-3)
        self.assertLess(beside, 5e-3)

    def test_arcs_bend_as_the_circle_does(self):
        own, _ = cap(np.radians(30.0), np.radians(60.0), 16.0)
        np.testing.assert_allclose(own.contacts[: own.met, BEND] * 16.0, 1.0, atol=0.02)

    def test_the_fill_of_cut_cells_is_exact_for_a_level(self):
        mesh = over_slope(np.radians(20.0), 12, (6.0, 4.0))
        own = Fractions(mesh)
        own.take(shares(mesh.grid, lambda x, y: 5.3 - y, own.cuts))
        # a triangle between the wall and the level, and a strip where the wall lies lower
        slope, low = np.tan(np.radians(20.0)), 4.0 - 6.0 * np.tan(np.radians(20.0))
        end = (5.3 - low) / slope
        self.assertAlmostEqual(own.volume(), 0.5 * end * (5.3 - low), places=9)
        found = means(mesh.grid, lambda x, y: np.where(y < 5.3, 1.0, 0.0), own.cuts)
        other = Fractions(mesh)
        other.take(found)
        self.assertAlmostEqual(other.volume() / own.volume(), 1.0, delta=2e-3)


class Held(unittest.TestCase):
    """Walls that hold the interface between two angles see it as it is."""

    def between(self, own, low, high):
        mesh = own.mesh
        bounds = np.full((2, mesh.pieces.j.size), np.nan)
        mine = mesh.pieces.of(mesh.edge_index("wall"))
        bounds[:, mine] = np.radians([[low], [high]])
        own.set_angles(*bounds)
        own.look()
        return np.degrees(own.contacts[: own.met, ANGLE]), own.contacts[: own.met, HELD]

    def test_an_angle_between_both_is_taken_as_it_is(self):
        for angle in (60, 90, 120):
            own, _ = cap(np.radians(17.0), np.radians(angle), 20.0)
            angles, held = self.between(own, 30.0, 150.0)
            self.assertEqual(angles.size, 2)
            self.assertLess(np.abs(angles - angle).max(), 3.5, angle)
            self.assertTrue((held == 1.0).all())
            self.assertGreaterEqual(own.held.sum(), 2.0)

    def test_an_angle_beyond_is_the_nearer_one_and_nothing_is_held(self):
        own, _ = cap(np.radians(17.0), np.radians(90.0), 20.0)
        for low, high, wanted in ((100.0, 140.0, 100.0), (40.0, 80.0, 80.0)):
            angles, held = self.between(own, low, high)
            np.testing.assert_allclose(angles, wanted)
            self.assertTrue((held == 0.0).all())
            self.assertEqual(own.held.sum(), 0.0)

    def test_beside_a_wall_along_the_grid(self):
        """A straight interface at 70 degrees, on three rows."""
        nodes = np.arange(25.0)
        ring = np.array([[0, 0], [24, 0], [24, 24], [0, 24]], float)
        outline = outline_from_rings([(ring, ["wall", "east", "north", "west"])])
        mesh = build_mesh(Grid(nodes, nodes, 1.0), outline, {"space": None})
        own = Fractions(mesh)
        lean = np.tan(np.radians(20.0))
        own.take(shares(mesh.grid, lambda x, y: 12.3 - x - lean * y))
        for low, high, held in ((30.0, 150.0, 2.0), (80.0, 150.0, 0.0)):
            bounds = np.full((2, mesh.pieces.j.size), np.nan)
            bounds[:, mesh.pieces.of(0)] = np.radians([[low], [high]])
            own.set_angles(*bounds)
            own.look()
            self.assertEqual(own.held.sum(), held)
        x, y = np.zeros(mesh.shape[1:]), np.zeros(mesh.shape[1:])
        own.held[RIM, RIM + 12] = 1.0
        own.holding(x, y)
        self.assertEqual((x.sum(), y.sum()), (2.0, 2.0))  # both its faces along either axis


class Carried(unittest.TestCase):
    def slid(self, theta, radius, length=2.0):
        turned = np.radians(30.0)
        n = int((2.6 + length) * radius) + 16
        normal = np.array([-np.sin(turned), np.cos(turned)])
        along = np.array([np.cos(turned), np.sin(turned)])
        at = np.array([5 + 1.3 * radius + 0.137, 7 + 1.3 * radius + 0.291])
        mesh = over_slope(turned, n, at + radius * np.cos(theta) * normal)
        own = placed(mesh, theta, lambda x, y: radius - np.hypot(x - at[0], y - at[1]))
        wall = float((at + radius * np.cos(theta) * normal) @ normal)
        x, y = np.meshgrid(mesh.grid.faces(0), mesh.grid.faces(1))
        psi = np.maximum(x * normal[0] + y * normal[1] - wall, 0.0)
        u, v = np.zeros(mesh.shape[1:]), np.zeros(mesh.shape[1:])
        u[:-1], v[:, :-1] = psi[1:] - psi[:-1], psi[:, :-1] - psi[:, 1:]
        u[[0, -2, -1]], v[:, [0, -2, -1]], u[:, -1], v[-1] = 0.0, 0.0, 0.0, 0.0
        p, through = mesh.pieces, np.zeros(mesh.pieces.j.size)
        for axis, flow, side in ((0, u, p.nx), (1, v, p.ny)):
            mine = p.axis == axis
            through[mine] = (np.sign(side) * flow[p.face_j, p.face_i])[mine]
        own.set_flows(u, v, through, np.zeros(p.j.size))
        steps, before = int(np.ceil(length * radius / 0.45)), own.volume()
        for k in range(steps):
            own.advance(length * radius / steps, bool(k % 2))
            self.assertLess(own.over, 1e-12)
        at = at + length * radius * along
        exact = shares(mesh.grid, lambda x, y: radius - np.hypot(x - at[0], y - at[1]), own.cuts)
        off = np.zeros(own.share.shape)
        off[own.core] = exact[1:-2, 1:-2]
        off = (np.abs(own.share - off) * own.room)[own.own].sum() / before
        return off, own.volume() / before - 1.0, own

    def test_slid_along_a_slope_it_keeps_its_shape_and_its_volume(self):
        """Errors of the shared notes at 16 cells: .0014, .0009, .0007."""
        for angle, limit in ((60, 2e-3), (90, 1.5e-3), (120, 1.2e-3)):
            off, lost, own = self.slid(np.radians(angle), 16.0)
            self.assertLess(off, limit, angle)
            self.assertLess(abs(lost), 1e-13)
            share = own.share[own.own]
            self.assertTrue(share.min() >= 0.0 and share.max() <= 1.0)

    def test_what_follows_from_shares_follows_from_nothing_else(self):
        """One that begins with shares as they have become sees and pulls as the one that led there."""
        *_, own = self.slid(np.radians(100.0), 12.0, length=0.5)
        fresh = Fractions(own.mesh)
        fresh.set_angles(*(own_angle(own, k) for k in (0, 1)))
        fresh.share[:] = own.share
        fresh.look()
        for each in (own, fresh):
            each.bends()
        for name in ("seen", "pull_x", "pull_y"):
            np.testing.assert_array_equal(getattr(own, name), getattr(fresh, name))
        # pieces also where only the closed part of a cell holds both: curvature may look at those
        mixed = own.own & (own.seen > 1e-6) & (own.seen < 1 - 1e-6)
        self.assertTrue((mixed & ((own.share == 0.0) | (own.share == 1.0))).any())
        for name in "abc":
            np.testing.assert_array_equal(getattr(own, name)[mixed], getattr(fresh, name)[mixed])

    def test_nothing_is_left_behind(self):
        """Of the cells at the wall behind the drop none holds any of it."""
        *_, own = self.slid(np.radians(90.0), 12.0)
        x = own.low_x[own.cuts.column]
        behind = x < 12.0
        self.assertTrue(behind.any())
        self.assertLess(own.share[own.cuts.row, own.cuts.column][behind].max(), 1e-9)

    def test_what_is_too_much_goes_to_neighbours_with_room(self):
        f, live, size = np.zeros((5, 5)), np.ones((5, 5), bool), np.ones((5, 5))
        size[2, 2] = 0.1
        f[2, 2], f[2, 1] = 1.5, 1.0
        held = (f * size).sum()
        deal_out(f, live, size, np.array([2]), np.array([2]))
        self.assertAlmostEqual((f * size).sum(), held)
        self.assertAlmostEqual(f[2, 2], 1.0)
        self.assertAlmostEqual(f[2, 1], 1.0)
        self.assertGreater(f[2, 3], f[1, 1])


if __name__ == "__main__":
    unittest.main()
