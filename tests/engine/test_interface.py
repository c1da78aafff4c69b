"""A sharp interface: areas and offsets by hand, volume kept, curvature of circles, walls that wet."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from underkettle.engine.interface.filling import means, shares
from underkettle.engine.interface.fractions import RIM, Fractions
from underkettle.engine.interface.lumps import Lumps, label
from underkettle.engine.interface.planes import ends, offset, share_below
from underkettle.engine.mesh import Grid, build_mesh, outline_from_rings

NAMES = ["south", "east", "north", "west"]


def box(nx, ny, wide=1.0, high=1.0, x=None, y=None, axis=False):
    nodes = (
        np.linspace(0.0, wide, nx + 1) if x is None else x,
        np.linspace(0.0, high, ny + 1) if y is None else y,
    )
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]])
    grid = Grid(*nodes, 1.0, round=axis)
    return build_mesh(grid, outline_from_rings([(corners, NAMES)]), {"space": None})


def circle(x, y, radius):
    return lambda at_x, at_y: radius - np.hypot(at_x - x, at_y - y)


def swirl(mesh):
    """Flows through faces that close in every cell, from a stream function nought on all walls."""
    x, y = np.meshgrid(mesh.grid.faces(0), mesh.grid.faces(1))
    psi = np.sin(np.pi * x) ** 2 * np.sin(np.pi * y) ** 2 / np.pi
    along, up = np.zeros(mesh.shape[1:]), np.zeros(mesh.shape[1:])
    along[:-1], up[:, :-1] = psi[1:] - psi[:-1], psi[:, :-1] - psi[:, 1:]
    return along, up


class Planes(unittest.TestCase):
    def test_areas_by_hand(self):
        self.assertAlmostEqual(share_below(1.0, 0.0, 0.3), 0.3)
        self.assertAlmostEqual(share_below(0.5, 0.5, 0.25), 0.125)  # a corner of half by half
        self.assertAlmostEqual(share_below(0.5, 0.5, 0.5), 0.5)
        self.assertAlmostEqual(share_below(-1.0, 0.0, -0.3), 0.7)  # beyond x = .3
        self.assertAlmostEqual(share_below(0.75, 0.25, 0.5), 0.5)
        self.assertEqual(share_below(0.5, 0.5, 1.5), 1.0)
        self.assertEqual(share_below(0.5, 0.5, -0.1), 0.0)

    @settings(deadline=None, max_examples=200)
    @given(st.floats(1e-9, 1.0 - 1e-9), st.floats(-1.0, 1.0), st.booleans())
    def test_an_offset_gives_back_its_share(self, share, a, up):
        b = (1.0 - abs(a)) * (1.0 if up else -1.0)
        self.assertAlmostEqual(share_below(a, b, offset(share, a, b)), share, places=12)

    def test_ends_of_a_piece(self):
        x0, y0, x1, y1 = ends(0.5, 0.5, 0.25)  # x + y = 1/2
        self.assertEqual(sorted([(x0, y0), (x1, y1)]), [(0.0, 0.5), (0.5, 0.0)])


class Filling(unittest.TestCase):
    def test_a_circle_is_as_large_as_it_is(self):
        mesh = box(32, 32)
        found = shares(mesh.grid, circle(0.47, 0.52, 0.3))[1:33, 1:33].mean()
        self.assertAlmostEqual(found / (np.pi * 0.09), 1.0, delta=2e-5)

    def test_a_level_between_lines_is_exact(self):
        mesh = box(4, 4)
        found = shares(mesh.grid, lambda x, y: 0.4 - y)[1:5, 1:5]
        np.testing.assert_allclose(found[:, 0], [1.0, 0.6, 0.0, 0.0], atol=1e-12)

    def test_the_mean_of_a_formula_meets_a_level_to_half_a_part(self):
        mesh = box(4, 4)
        found = means(mesh.grid, lambda x, y: np.where(y < 0.4, 1.0, 0.25))[1:5, 1:5]
        np.testing.assert_allclose(found[:, 2], [1.0, 0.25 + 0.75 * 0.6, 0.25, 0.25], atol=0.5 / 64)
        even = means(mesh.grid, lambda x, y: 0.3)[1:5, 1:5]
        np.testing.assert_array_equal(even, 0.3)


class Carried(unittest.TestCase):
    def go(self, mesh, steps, there_and_back=True, made=None):
        own = Fractions(mesh)
        own.take(shares(mesh.grid, circle(0.5, 0.75, 0.15)))
        first, before = own.share.copy(), own.volume()
        x, y = swirl(mesh)
        none, worst = np.zeros(mesh.pieces.j.size), 0.0
        dt = 2.0 / steps
        for k in range(made or steps):
            way = np.cos(np.pi * (k + 0.5) / steps) if there_and_back else 1.0
            own.set_flows(way * x, way * y, none, none)
            own.advance(dt, bool(k % 2))
            worst = max(worst, own.over)
        return own, first, before, worst

    def test_there_and_back_it_is_where_it_was_and_as_much(self):
        off = []
        for n in (24, 48, 96):
            own, first, before, worst = self.go(box(n, n), 6 * n)
            off.append(np.abs(own.share - first)[own.core].sum() / first[own.core].sum())
            self.assertAlmostEqual(own.volume() / before, 1.0, places=12)
            self.assertLess(worst, 1e-12)
        self.assertLess(off[2], 0.006)
        self.assertGreater(np.log2(off[0] / off[2]) / 2.0, 1.5)

    def test_nothing_is_thicker_than_one_cell(self):
        """Of the cells that both share, none has another one between itself and either fluid."""
        own, *_ = self.go(box(64, 64), 400, there_and_back=False, made=100)
        share = own.share[own.core]
        mixed = np.argwhere((share > 1e-9) & (share < 1.0 - 1e-9))
        self.assertGreater(len(mixed), 60)
        for j, i in mixed:
            near = share[max(j - 1, 0) : j + 2, max(i - 1, 0) : i + 2]
            self.assertTrue(near.min() <= 1e-9 or near.max() >= 1.0 - 1e-9, (j, i))

    def test_cells_may_differ_in_size(self):
        nodes = np.cumsum(np.concatenate([[0.0], 1.05 ** np.arange(40)]))
        nodes = nodes / nodes[-1]
        own, _, before, worst = self.go(box(40, 40, x=nodes, y=nodes), 400)
        self.assertAlmostEqual(own.volume() / before, 1.0, places=12)
        self.assertLess(worst, 1e-12)

    def test_what_comes_in_and_goes_out_is_booked(self):
        """A plug pushed along: a quarter of a cell's length in, as much out of the other end."""
        mesh = box(8, 2, 8.0, 2.0)
        own = Fractions(mesh)
        own.take(shares(mesh.grid, lambda x, y: 2.5 - x))
        pieces, flow = mesh.pieces, np.zeros(mesh.shape[1:])
        flow[1:3, 2:9] = 1.0
        west, east = (pieces.edge == mesh.edge_index(n) for n in ("west", "east"))
        through = np.where(west, -1.0, np.where(east, 1.0, 0.0))
        own.set_flows(flow, np.zeros_like(flow), through, np.where(west, 1.0, 0.0))
        before = own.volume()
        own.advance(0.25, False)
        self.assertAlmostEqual(own.volume() - before, 0.5)
        out = own.through(own.passed_x, own.passed_y)
        self.assertAlmostEqual(out[west].sum(), -0.5)
        self.assertAlmostEqual(out[east].sum(), 0.0)
        self.assertAlmostEqual(own.share[RIM, RIM + 2], 0.75)


class Bending(unittest.TestCase):
    def off(self, n, **how):
        mesh = box(n, n, **how)
        own, worst = Fractions(mesh), 0.0
        for k in range(4):
            x = 0.0 if how.get("axis") else 0.5 + 0.37 * k / n
            own.take(shares(mesh.grid, circle(0.5 + 0.13 * k / n, x, 0.3)))
            own.bends()
            wanted = 2.0 / 0.3 if how.get("axis") else 1.0 / 0.3
            worst = max(worst, float(np.abs(own.bend[own.known] / wanted - 1.0).max()))
        return worst

    def test_a_circle_bends_by_one_over_its_radius(self):
        off = [self.off(n) for n in (24, 48, 96)]
        self.assertLess(off[2], 2e-3)
        self.assertGreater(np.log2(off[0] / off[2]) / 2.0, 1.7)

    def test_a_ball_bends_twice(self):
        self.assertLess(self.off(64, axis=True), 2e-2)

    def test_a_bubble_bends_the_other_way(self):
        mesh = box(32, 32)
        own = Fractions(mesh)
        own.take(1.0 - shares(mesh.grid, circle(0.5, 0.5, 0.3)))
        own.bends()
        self.assertLess(own.bend[own.known].max(), 0.0)

    def test_a_line_that_meets_a_wall_at_its_angle_is_straight(self):
        for degrees in (60, 90, 120):
            angle = np.radians(degrees)
            mesh = box(32, 32)
            own = Fractions(mesh)
            own.set_angles(np.where(mesh.pieces.edge == mesh.edge_index("south"), angle, np.nan))
            # the first fluid lies to the left, and its angle is measured in it
            slope = np.cos(angle) / np.sin(angle)
            own.take(shares(mesh.grid, lambda x, y, s=slope: 0.5 - s * y - x))
            own.bends()
            near = own.bend[RIM : RIM + 3][own.known[RIM : RIM + 3]]
            self.assertGreater(near.size, 2)
            self.assertLess(np.abs(near).max(), 0.05, degrees)

    def test_an_angle_that_is_not_met_bends_it(self):
        mesh = box(32, 32)
        own = Fractions(mesh)
        angles = np.where(mesh.pieces.edge == mesh.edge_index("south"), np.radians(60.0), np.nan)
        own.set_angles(angles)
        own.take(shares(mesh.grid, lambda x, y: 0.5 - x))  # upright
        own.bends()
        beside = own.bend[RIM][own.known[RIM]]
        self.assertLess(beside.min(), -1.0)  # it wants to creep along the wall


class Edges(unittest.TestCase):
    def test_a_flat_interface_that_leaves_an_edge_is_flat(self):
        """A bore ends in a wider room: what comes out of it, as wide as the bore, bends nowhere."""
        corners = [[0, 0], [12, 0], [12, 12], [6, 12], [6, 6], [0, 6]]
        names = ["south", "east", "north", "ceiling", "bore", "west"]
        nodes = np.arange(13.0)
        outline = outline_from_rings([(np.array(corners, float), names)])
        mesh = build_mesh(Grid(nodes, nodes, 1.0), outline, {"space": None})
        for inside in (lambda x, y: 6.0 - y, lambda x, y: 6.0 - x):  # along the bore, and across it
            own = Fractions(mesh)
            own.set_angles(np.full(mesh.pieces.j.size, 2.4))
            own.take(shares(mesh.grid, inside))
            own.bends()
            j, i = np.nonzero(own.known & own.own)
            beside = np.hypot(j - RIM - 5.5, i - RIM - 5.5) < 3.0
            self.assertGreater(int(beside.sum()), 1)
            bent = own.bend[own.known & own.own][beside]
            np.testing.assert_allclose(bent, 0.0, atol=1e-12)


class Found(unittest.TestCase):
    def test_two_drops_and_what_is_around_them(self):
        mesh = box(64, 64)
        own = Fractions(mesh)
        inside = lambda x, y: np.maximum(  # noqa: E731
            circle(0.3, 0.3, 0.15)(x, y), circle(0.7, 0.72, 0.1)(x, y)
        )
        first = shares(mesh.grid, inside)
        own.take(first)
        still = np.zeros(mesh.shape[1:])
        lumps = Lumps(mesh, still)
        rows = lumps.of(first, still + 2.0, still, own.pieces())
        self.assertEqual(len(rows), 2)
        np.testing.assert_array_equal(rows[:, 0], [1.0, 2.0])
        np.testing.assert_allclose(rows[:, 2], [0.3, 0.2], rtol=2e-4)
        np.testing.assert_allclose(rows[:, 3:5], [[0.3, 0.3], [0.7, 0.72]], atol=2e-4)
        np.testing.assert_allclose(rows[:, 5], 2.0)
        np.testing.assert_allclose(rows[:, 7], 1.0, atol=5e-3)
        around = lumps.of(np.where(mesh.live[0], 1.0 - first, 0.0), still, still, own.pieces())
        self.assertEqual(len(around), 1)
        self.assertTrue(np.isnan(around[0, 7]))

    def test_numbers_go_on_through_breaking_up_and_merging(self):
        mesh = box(8, 8)
        lumps = Lumps(mesh, np.zeros(mesh.shape[1:]))
        numbers, fresh = np.zeros(mesh.shape[1:]), 1.0

        def then(*bars):
            """What happens as the fluid comes to fill these rows: row, from column, to column."""
            nonlocal fresh
            share = np.zeros(mesh.shape[1:])
            for row, first, last in bars:
                share[row, first : last + 1] = 1.0
            _, events, fresh = lumps.follow(share, numbers, fresh)
            return [(e.what, e.number, e.other) for e in events]

        self.assertEqual(then((4, 2, 6)), [("comes in", 1.0, 0.0)])
        self.assertEqual(then((4, 3, 7)), [])  # it moves on
        self.assertEqual(numbers[4, 7], 1.0)
        # the larger part keeps the number
        self.assertEqual(then((4, 2, 3), (4, 5, 7)), [("breaks off", 2.0, 1.0)])
        self.assertEqual((numbers[4, 2], numbers[4, 6]), (2.0, 1.0))
        self.assertEqual(then((4, 2, 3), (4, 5, 7), (7, 1, 4)), [("comes in", 3.0, 0.0)])
        self.assertEqual(then((4, 2, 7), (7, 1, 4)), [("merges", 2.0, 1.0)])
        self.assertEqual(then((4, 2, 7)), [("leaves", 3.0, 0.0)])
        self.assertEqual(set(numbers[4, 2:8]), {1.0})
        self.assertEqual(fresh, 4.0)

    def test_what_hangs_at_a_mouth_keeps_its_number(self):
        mesh = box(8, 3, 8.0, 3.0)
        opens, numbers = np.zeros((2, *mesh.shape[1:]))
        opens[2, 1] = 1.0
        lumps, fresh, told = Lumps(mesh, opens), 1.0, []
        whole, parted = np.zeros((2, *mesh.shape[1:]))
        whole[2, 1:7], parted[2, 1], parted[2, 3:7] = (
            1.0,
            1.0,
            1.0,
        )  # the drop is four times as large
        for share in (whole, parted, whole, parted):
            kept, events, fresh = lumps.follow(share, numbers, fresh)
            told += [(e.what, e.number, e.other) for e in events]
            self.assertEqual(numbers[2, 1], 1.0)
        self.assertEqual(
            told,
            [("comes in", 1.0, 0.0), ("breaks off", 2.0, 1.0), ("merges", 2.0, 1.0),
             ("breaks off", 3.0, 1.0)],
        )  # fmt: skip
        self.assertEqual(sorted(kept), [1.0, 3.0])

    def test_one_that_leaves_comes_back_where_the_vessel_repeats(self):
        share, live = np.zeros((11, 11)), np.zeros((11, 11), bool)
        live[1:9, 1:9] = True
        share[4, 1:3] = share[4, 7:9] = 1.0
        share[5, 8] = 0.3
        for again, count in ((True, 1), (False, 2)):
            found = np.zeros((11, 11), np.int64)
            self.assertEqual(label(share, live, again, False, 8, 8, found), count)
            self.assertEqual(found[4, 1] == found[4, 8], again)
            self.assertEqual(found[5, 8], found[4, 8])  # what is hardly full goes with it


if __name__ == "__main__":
    unittest.main()
