"""What an interface draws with where its tension differs: flat ones exactly, round ones by sums."""

import unittest

import numpy as np

from underkettle.engine.interface.drawing import draw, plane, weigh


def disc(n: int, radius: float, x: float, y: float) -> np.ndarray:
    """Shares of a disc in a unit square of n cells a side, by 50 columns a cell."""
    many, low = 50, np.arange(n) / n
    at = (np.arange(n * many) + 0.5) / (n * many)
    half = np.sqrt(np.maximum(radius**2 - (at - x) ** 2, 0.0))
    top = np.minimum(low[:, None] + 1.0 / n, y + half)
    within = np.maximum(top - np.maximum(low[:, None], y - half), 0.0) * n
    return within.reshape(n, n, many).mean(axis=2)


class Drawn:
    """Shares (n, n) in a unit square, and the forces of a tension in its cells."""

    def __init__(self, shares: np.ndarray, tension, live=True, bend: float = 0.0) -> None:
        n = len(shares)
        self.cell = 1.0 / n
        f, there = np.zeros((n + 3, n + 3)), np.zeros((n + 3, n + 3), bool)
        f[1:-2, 1:-2], there[1:-2, 1:-2] = shares, live
        at = (np.arange(n + 3) - 0.5) * self.cell
        given = np.broadcast_to(tension(at[None, :], at[:, None]), f.shape).copy()
        wide = np.full(n + 3, self.cell)
        self.weight, self.tension = np.zeros((2, *f.shape))
        self.normal, self.slope, out, pull = np.zeros((4, 2, *f.shape))
        pull[0, :, 1:], pull[1, 1:] = bend * np.diff(f, axis=1) * n, bend * np.diff(f, axis=0) * n
        weigh(f, there, given, wide, wide, self.weight, self.normal)
        plane(there, given, self.weight, at, at, self.normal, self.tension, self.slope)
        draw(f, there, self.normal, self.tension, self.slope, pull, at, at, out)
        self.x, self.y = out

    @property
    def pull(self) -> tuple[float, float]:
        """N per depth."""
        return float(self.x.sum()) * self.cell**2, float(self.y.sum()) * self.cell**2


class Flat(unittest.TestCase):
    SHARES = np.zeros((12, 12))
    SHARES[:3], SHARES[3] = 1.0, 0.3

    def test_a_flat_one_is_drawn_by_what_tension_rises_by(self):
        """Tension of 1 + 2 x: every column of faces is drawn by 2 N/m a metre, none up or down."""
        drawn = Drawn(self.SHARES, lambda x, y: 1.0 + 2.0 * x + 0.0 * y)
        np.testing.assert_allclose(drawn.x.sum(axis=0)[2:13] * drawn.cell, 2.0, rtol=1e-5)
        np.testing.assert_allclose(drawn.y, 0.0, atol=1e-9)

    def test_an_even_tension_draws_nothing(self):
        drawn = Drawn(self.SHARES, lambda x, y: 0.03 + 0.0 * x * y)
        np.testing.assert_allclose(drawn.x, 0.0, atol=1e-12)
        self.assertAlmostEqual(drawn.tension[4, 4], 0.03)

    def test_what_differs_across_draws_nothing(self):
        drawn = Drawn(self.SHARES, lambda x, y: 1.0 + 5.0 * y + 0.0 * x)
        self.assertLess(abs(drawn.x).max(), 1e-9)
        self.assertLess(abs(drawn.y).max(), 1e-9)

    def test_it_may_be_known_on_one_side_only(self):
        """Cells of the second fluid alone know none; what draws is the same."""

        def tension(x, y):
            return np.where(y < 0.5, 1.0 + 2.0 * x, np.nan)

        drawn = Drawn(self.SHARES, tension)
        np.testing.assert_allclose(drawn.x.sum(axis=0)[2:13] * drawn.cell, 2.0, rtol=1e-5)
        self.assertTrue(np.isfinite(drawn.y).all())

    def test_none_is_told_far_away(self):
        drawn = Drawn(self.SHARES, lambda x, y: 1.0 + x + 0.0 * y)
        self.assertTrue(np.isnan(drawn.tension[10]).all())

    def test_it_ends_at_walls(self):
        """The right half is closed: faces there are not drawn, those before it as much as any."""
        live = np.ones((12, 12), bool)
        live[:, 4:] = False
        drawn = Drawn(self.SHARES * live, lambda x, y: 1.0 + 2.0 * x + 0.0 * y, live)
        along = drawn.x.sum(axis=0) * drawn.cell
        np.testing.assert_allclose(along[2:5], 2.0, rtol=1e-5)
        np.testing.assert_allclose(along[5:], 0.0, atol=1e-12)


class Round(unittest.TestCase):
    def test_a_disc_is_drawn_by_its_skin(self):
        """Tension of x along a disc of R: the skin draws it by pi R, across by nothing."""
        for n, limit in ((32, 0.015), (64, 0.003)):
            for x, y in ((0.5, 0.5), (0.487, 0.521), (0.463, 0.508)):
                drawn = Drawn(disc(n, 0.25, x, y), lambda x, y: x + 0.0 * y)
                along, across = drawn.pull
                self.assertAlmostEqual(along / (np.pi * 0.25), 1.0, delta=limit)
                self.assertAlmostEqual(across, 0.0, delta=2e-3)

    def test_a_closed_one_pulls_at_itself_alone(self):
        """With its own bend, 1/R, skin and bend add up to nought."""
        for x, y in ((0.5, 0.5), (0.487, 0.521)):
            drawn = Drawn(disc(64, 0.25, x, y), lambda x, y: x + 0.0 * y, bend=4.0)
            self.assertLess(np.hypot(*drawn.pull), 3e-3 * np.pi * 0.25)


if __name__ == "__main__":
    unittest.main()
