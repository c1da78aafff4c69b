"""What lives in either of two fluids: kernels by hand, and what holds whatever they do."""

import unittest
from math import sqrt

import numpy as np

from tests.engine.test_interface import box, circle, swirl
from underkettle.engine.interface import sharing
from underkettle.engine.interface.filling import shares
from underkettle.engine.interface.fractions import Fractions
from underkettle.engine.interface.sides import Living, Nature, Sides
from underkettle.paper.transfer import shared_out


def around(cell):
    """One cell with nothing but what stands for others around it, (4, 4)."""
    found = np.zeros((4, 4))
    found[1, 1] = cell
    return found


def facts_of(share, a, b, c, wide=1.0, tall=1.0):
    found = np.zeros((sharing.FACTS, 4, 4))
    live = around(1.0) > 0.0
    planes = (around(v) for v in (a, b, c))
    sharing.survey(around(share), live, *planes, np.full(4, wide), np.full(4, tall), found)
    return found[:, 1, 1]


class Cells(unittest.TestCase):
    def test_an_upright_piece(self):
        found = facts_of(0.25, 1.0, 0.0, 0.25, wide=2.0)
        np.testing.assert_allclose(found[:4], [0.125, 0.625, 0.5, 0.5], atol=1e-12)
        np.testing.assert_allclose(found[sharing.FACES :][:4], [1.0, 0.0, 0.25, 0.25])
        np.testing.assert_allclose(found[sharing.ACROSS :][:3], [1.0, 0.25, 0.75])
        np.testing.assert_allclose(found[sharing.NORMAL :], [1.0, 0.0])

    def test_a_corner(self):
        found = facts_of(0.125, 1.0, 1.0, 0.5)
        rest = (0.5 - 0.125 / 6.0) / 0.875
        np.testing.assert_allclose(found[:4], [1 / 6, rest, 1 / 6, rest], rtol=1e-12)
        np.testing.assert_allclose(found[sharing.FACES :][:4], [0.5, 0.0, 0.5, 0.0])
        deep = (0.5 - 1 / 3) / sqrt(2.0), (2.0 * rest - 0.5) / sqrt(2.0)
        np.testing.assert_allclose(found[sharing.ACROSS :][:3], [sqrt(0.5), *deep], rtol=1e-12)

    def test_a_cell_of_one_fluid(self):
        found = facts_of(1.0, 0.3, 0.4, 9.0)
        np.testing.assert_allclose(found[: sharing.ACROSS + 1], [0.5] * 4 + [1.0] * 4 + [0.0])

    def test_where_they_meet_as_much_comes_as_leaves(self):
        values, deep, ends = np.zeros((3, 2, 4, 4))
        values[:, 1, 1], deep[:, 1, 1] = (6.0, 1.0), (0.1, 0.2)
        sharing.where_they_meet(values, deep, 3.0, np.array([1.0, 2.0]), 0.0, ends)
        np.testing.assert_allclose(
            ends[:, 1, 1], [4.5, 1.5]
        )  # 1.5 of the second is 4.5 of the first
        sharing.where_they_meet(values, deep, 3.0, np.array([1.0, 2.0]), np.inf, ends)
        np.testing.assert_allclose(ends[:, 1, 1], [6.0, 1.0])

    def test_links_of_faces(self):
        share, live = np.zeros((4, 5)), np.zeros((4, 5), bool)
        live[1, 1:3], share[1, 1], share[1, 2] = True, 1.0, 0.25
        facts, links = np.zeros((sharing.FACTS, 4, 5)), np.zeros((4, 4, 5))
        planes = np.zeros((3, 4, 5))
        planes[:, 1, 2] = 1.0, 0.0, 0.25
        sharing.survey(share, live, *planes, np.full(5, 2.0), np.full(4, 1.0), facts)
        sharing.link(
            live, facts, np.full((4, 5), 3.0), np.full(5, 2.0), np.array([0.5, 0.1]), 0.0,
            False, links,
        )  # fmt: skip
        # from the middle of the whole cell, 1 m, to that of a quarter, .25 m off its side
        np.testing.assert_allclose(links[:, 1, 2], [3.0 * 0.5 / 1.25, 0.0, 0.0, 0.0])
        share[1, 2] = 0.0
        sharing.survey(share, live, *planes, np.full(5, 2.0), np.full(4, 1.0), facts)
        sharing.link(
            live, facts, np.full((4, 5), 3.0), np.full(5, 2.0), np.array([0.5, 0.1]), 4.0,
            False, links,
        )  # fmt: skip
        # the interface on the face itself: 1 m of either, and what it hinders
        np.testing.assert_allclose(links[:, 1, 2], [0.0, 0.0, 3.0 / (2.0 + 10.0 + 4.0), 0.0])


class Vessels(unittest.TestCase):
    def setUp(self):
        self.mesh = box(12, 12)
        self.none = np.zeros(self.mesh.pieces.j.size)

    def living(self, nature, values):
        thing = Living(self.mesh, nature)
        thing.values = values
        return thing

    def spread(self, nature, dt, values):
        own, sides = Fractions(self.mesh), Sides(self.mesh)
        own.take(shares(self.mesh.grid, circle(0.5, 0.5, 0.31)))
        sides.survey(own.apart())
        return sides, sides.spread(self.living(nature, values), dt)

    def test_long_after_they_have_shared_it_out(self):
        values = np.zeros((2, *self.mesh.shape[1:]))
        values[0] = 2.0
        sides, (crossed, _, _) = self.spread(Nature(3.0, (1.0, 1.0)), 1e6, values)
        parts = sides.volumes()
        first, second = (float(part.sum()) for part in parts)
        low, high = shared_out(2.0 * first, 3.0, first, second)
        for side, rest in enumerate((low, high)):
            np.testing.assert_allclose(values[side][parts[side] > 0.0], rest, rtol=1e-5)
        self.assertAlmostEqual(float(crossed.sum()) / (high * second), 1.0, places=5)

    def test_what_cannot_cross_stays(self):
        values = np.zeros((2, *self.mesh.shape[1:]))
        values[0] = 2.0
        sides, (crossed, _, _) = self.spread(Nature(1.0, (1.0, 1.0), hinders=np.inf), 1e3, values)
        self.assertEqual(float(np.abs(crossed).sum()), 0.0)
        np.testing.assert_allclose(values[0][sides.volumes()[0] > 0.0], 2.0, rtol=1e-9)
        self.assertEqual(float(np.abs(values[1]).max()), 0.0)

    def turned(self, values):
        """Values carried by a swirl that tears a drop; how much of either there was before."""
        mesh, thing = self.mesh, self.living(Nature(3.0, (1e-3, 1e-3)), values)
        own, sides = Fractions(mesh), Sides(mesh)
        own.take(shares(mesh.grid, circle(0.5, 0.7, 0.2)))
        sides.survey(own.apart())
        before = [values[k] * part for k, part in enumerate(sides.volumes())]
        for side, part in enumerate(before):
            values[side][part == 0.0] = 0.0
        own.set_flows(*swirl(mesh), self.none, self.none)
        for step in range(40):
            own.advance(0.01, step % 2 == 0)
            sides.carry([thing], own.apart())
        sides.survey(own.apart())
        return sides, before

    def test_what_is_even_stays_even_while_both_turn(self):
        values = np.ones((2, *self.mesh.shape[1:]))
        values[1] = 5.0
        sides, before = self.turned(values)
        parts = sides.volumes()
        self.assertGreater(float(np.abs(parts[0] - before[0]).sum()), 0.05)  # of .126
        for side, part in enumerate(parts):
            held = values[side][part > 1e-11]
            np.testing.assert_allclose(held, (1.0, 5.0)[side], rtol=1e-9)

    def test_amounts_are_kept_when_they_are_not_even(self):
        values = np.random.default_rng(5).random((2, *self.mesh.shape[1:]))
        sides, before = self.turned(values)
        for side, part in enumerate(sides.volumes()):
            now = float((values[side] * part).sum())
            self.assertAlmostEqual(now / float(before[side].sum()), 1.0, places=10)


if __name__ == "__main__":
    unittest.main()
