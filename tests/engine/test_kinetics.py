"""Rates of reactions and cells carried by them, against solutions on paper and a tight reference."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.integrate import solve_ivp

from underkettle.engine.operators.kinetics import (
    FALLS_OFF,
    HELPED,
    UNSTIRRED,
    by_itself,
    carry_through,
    rates_in,
    used_up,
)
from underkettle.quantities.constants import GAS


class Mechanism:
    """Reactions as arrays: (made, orders, A, n, E) each."""

    def __init__(self, *reactions, back=None, logs=None, substances=2):
        rows = len(reactions)
        self.made = np.array([r[0] for r in reactions], float)
        self.forward = np.array([r[1] for r in reactions], float)
        self.back = np.zeros((rows, substances)) if back is None else np.array(back, float)
        self.laws = np.array(
            [[np.log(a), n, e / GAS, float(back is not None)] for *_, a, n, e in reactions]
        )
        self.logs = np.zeros((rows, 2))
        if logs is not None:  # of K at 300 K and every 100 K from there
            self.logs = np.array(logs, float) * (300.0 + 100.0 * np.arange(len(logs[0])))
        self.limits, self.eddies = np.zeros(rows), np.array([UNSTIRRED])
        self.bodies, self.falls = np.zeros(self.made.shape), np.zeros((rows, 8))
        self.more = np.zeros(1)
        self.faint = np.full(substances, 1e-6)

    @property
    def arrays(self):
        laws = (self.made, self.forward, self.back, self.laws, self.logs, 300.0, 100.0)
        return *laws, self.limits, self.bodies, self.falls, self.eddies, self.more

    def stirred(self, limit, eddies):
        """All of it waits for eddies that mix so fast (1/s)."""
        self.limits, self.eddies = np.full(len(self.made), limit), np.array([eddies])
        return self

    def helped(self, counts, *few, more=0.0):
        """The first reaction by whoever counts so often, `more` besides; few : its law where they are
        few, ln A, n, E / R, and what broadens the fall.
        """
        self.bodies[0], self.more = counts, np.array([more])
        self.falls[0, 0] = FALLS_OFF if few else HELPED
        self.falls[0, 1 : 1 + len(few)] = few
        return self

    def running(self, c, temperature, more=0):
        """Rates and slopes, over temperature too with one more."""
        c, shape = np.array(c, float)[:, None], self.made.shape
        out, slopes = np.zeros((shape[0], 1)), np.zeros((shape[0], shape[1] + more, 1))
        share = np.ones(out.shape)
        rates_in(c, np.array([temperature]), share, *self.arrays, self.faint, out, slopes)
        return out[:, 0], slopes

    def rates(self, c, temperature=300.0):
        rates, slopes = self.running(c, temperature)
        return rates, used_up(self.made, slopes)[:, 0]

    def slopes(self, c, temperature):
        return self.running(c, temperature, more=1)[1][:, :, 0]

    def sloping(self, c, temperature):
        """Slopes of the first reaction as they are told, and as its rate differs by."""
        c, found = np.array(c), []
        for i in range(c.size + 1):
            nudge, warmer = (1e-6 * np.eye(c.size + 1)[i][:-1], 1e-3 * (i == c.size))
            high, low = (self.rates(c + k * nudge, temperature + k * warmer)[0][0] for k in (1, -1))
            found.append((high - low) / (2e-6 if i < c.size else 2e-3))
        return self.slopes(c, temperature)[0], found

    def carried(self, c, span, temperature=300.0, steps=1, begin=0.0):
        c = np.array(c, float)[:, None]
        run, parts = np.zeros((len(self.made), 1)), np.zeros(1, np.int64)
        own, share = np.full(1, begin), np.ones(run.shape)
        for _ in range(steps):
            args = (*self.arrays, self.faint, own, run, parts, *by_itself(*self.made.shape))
            carry_through(c, np.array([temperature]), share, span / steps, *args)
        return c[:, 0], run[:, 0], int(parts[0])


class Rates(unittest.TestCase):
    def test_arrhenius_and_orders(self):
        m = Mechanism(([-1, 2], [1.5, 0], 3.0, 0.5, 2e4))
        rate, falls = m.rates([4.0, 0.0], 500.0)
        k = 3.0 * 500**0.5 * np.exp(-2e4 / (GAS * 500.0))
        self.assertAlmostEqual(rate[0], k * 8.0)
        self.assertAlmostEqual(falls[0], k * 1.5 * 4.0**0.5)
        self.assertEqual(falls[1], 0.0)  # it is made, not used up

    def test_an_order_of_nought_ends_with_what_there_is(self):
        m = Mechanism(([-1, 1], [0, 0], 5.0, 0, 0))
        self.assertAlmostEqual(m.rates([1.0, 0.0])[0][0], 5.0)
        self.assertAlmostEqual(m.rates([0.5e-6, 0.0])[0][0], 2.5)
        self.assertEqual(m.rates([0.0, 0.0])[0][0], 0.0)

    def test_it_stands_still_at_equilibrium(self):
        """K = 4 at 300 K and 400 K: as much runs back once there is four times as much product."""
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0, 0), back=[[0, 1]], logs=[[np.log(4.0)] * 2])
        self.assertAlmostEqual(m.rates([1.0, 4.0], 350.0)[0][0], 0.0, delta=1e-14)
        self.assertAlmostEqual(m.rates([1.0, 0.0], 350.0)[0][0], 2.0)
        self.assertAlmostEqual(m.rates([0.0, 4.0], 350.0)[0][0], -2.0)


class Mixed(unittest.TestCase):
    """What eddies must mix first runs no faster than that."""

    def test_no_more_than_they_mix_of_what_there_is_least_of(self):
        """4 times 2.5 1/s times the smaller of 3 and 5/2 mol/m3: 25, where the law says 1e6."""
        m = Mechanism(([-1, -2], [1, 0], 1e6 / 3.0, 0, 0)).stirred(4.0, 2.5)
        self.assertAlmostEqual(m.rates([3.0, 5.0])[0][0], 25.0)
        self.assertAlmostEqual(m.slopes([3.0, 5.0], 300.0)[0][1], 5.0)
        self.assertEqual(list(m.slopes([3.0, 5.0], 300.0)[0][[0, 2]]), [0.0, 0.0])

    def test_its_law_where_that_is_slower_or_nobody_asks(self):
        law = ([-1, -2], [1, 0], 0.5, 0, 0)
        for limit, eddies in ((4.0, 2.5), (4.0, UNSTIRRED), (0.0, 1e-9)):
            m = Mechanism(law).stirred(limit, eddies)
            self.assertAlmostEqual(m.rates([3.0, 5.0])[0][0], 1.5)

    def test_it_still_stands_at_equilibrium(self):
        m = Mechanism(([-1, 1], [1, 0], 1e6, 0, 0), back=[[0, 1]], logs=[[np.log(4.0)] * 2])
        m.stirred(4.0, 0.5)
        self.assertAlmostEqual(m.rates([1.0, 4.0], 350.0)[0][0], 0.0, delta=1e-9)
        self.assertAlmostEqual(m.rates([1.0, 2.0], 350.0)[0][0], 1.0)  # 4 x .5 x 1 x (1 - 2/4)

    def test_a_cell_goes_as_eddies_mix_it(self):
        """At 10 1/s of the fuel: a tenth of a second leaves 1/e."""
        m = Mechanism(([-1, -1], [1, 1], 1e9, 0, 0)).stirred(4.0, 2.5)
        c, _, _ = m.carried([1.0, 9.0], 0.1)
        self.assertAlmostEqual(c[0], np.exp(-1.0), delta=2e-4)


class Slopes(unittest.TestCase):
    def test_they_are_what_rates_differ_by(self):
        """Forward 1.5 and .3, back over an equilibrium constant that changes with temperature."""
        m = Mechanism(
            ([-1, -0.5, 1], [1.5, 0.3, 0], 3e3, 0.5, 4e4),
            back=[[0, 0, 1.0]],
            logs=[[2.0, 1.4, 1.0, 0.7]],
            substances=3,
        )
        np.testing.assert_allclose(*m.sloping([2.0, 3.0, 4.0], 440.0), rtol=1e-6)

    def test_what_does_not_run_rises_with_nothing(self):
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0, 0))
        rate, out = np.ones((1, 1)), np.ones((1, 3, 1))
        args = (np.ones((2, 1)), np.array([300.0]), np.zeros((1, 1)), *m.arrays, m.faint)
        rates_in(*args, rate, out)
        self.assertEqual(float(np.abs(out).max()), 0.0)
        self.assertEqual(rate[0, 0], 0.0)


class Helped(unittest.TestCase):
    """Reactions that any other molecule must help."""

    def three(self, *few, more=0.0):
        """A + M -> B + M both ways; B counts twelve times, who is left out once."""
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0.5, 3e3), back=[[0, 1]], logs=[[1.0, 1.0]])
        return m.helped([1.0, 12.0], *few, more=more)

    def test_as_often_as_there_are_others(self):
        rate = self.three(more=2.0).rates([3.0, 0.5], 400.0)[0][0]
        k = 2.0 * 400**0.5 * np.exp(-3e3 / (GAS * 400.0))
        self.assertAlmostEqual(rate / (k * (3.0 + 6.0 + 2.0) * (3.0 - 0.5 / np.e)), 1.0)

    def test_it_falls_off_where_they_are_few(self):
        """Lindemann: k0 M / (1 + k0 M / k); ten decades of M, and the ends of it."""
        few, k = np.log(0.3), 2.0 * 400**0.5 * np.exp(-3e3 / (GAS * 400.0))
        law = (few, 0.0, 0.0, 1.0, 1e-30, 1e30, 1e30)
        for more in np.logspace(-5, 5, 11):
            rate = self.three(*law, more=more).rates([1.0, 0.0], 400.0)[0][0]
            ratio = 0.3 * (1.0 + more) / k
            self.assertAlmostEqual(rate / (k * ratio / (1.0 + ratio)), 1.0, delta=1e-9)

    def test_broadened_by_hand(self):
        """F_cent .5 and k0 M = k: log F = log .5 / (1 + (c / (n - .14 c))^2), c = -.4 + .67 log 2, n =
        .75 + 1.27 log 2: c = -.1983, n = 1.1323, F = .5099.
        """
        law = (np.log(2.0), 0.0, 0.0, 0.5, 1e-30, 1e30, 1e30)
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0, 0)).helped([1.0, 1.0], *law)
        rate = m.rates([0.5, 0.5], 400.0)[0][0]
        c, n = -0.4 + 0.67 * np.log10(2.0), 0.75 + 1.27 * np.log10(2.0)
        wide = 0.5 ** (1.0 / (1.0 + (c / (n - 0.14 * c)) ** 2))
        self.assertAlmostEqual(wide, 0.5099, delta=1e-4)
        self.assertAlmostEqual(rate, 2.0 * 0.5 * wide * 0.5)

    def test_slopes_are_what_rates_differ_by(self):
        broad = (np.log(0.3), -1.0, 700.0, 0.7, 1e-30, 1e30, 1e30)
        for few in ((), broad):
            m = self.three(*few, more=2.0)
            np.testing.assert_allclose(*m.sloping([3.0, 0.5], 800.0), rtol=1e-6)

    def test_without_others_it_stands_still(self):
        rate, falls = self.three().rates([0.0, 0.0], 400.0)
        self.assertEqual(rate[0], 0.0)
        self.assertTrue(np.isfinite(falls).all())


class Cells(unittest.TestCase):
    def test_first_and_second_order_in_time(self):
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0, 0))
        c, run, _ = m.carried([3.0, 0.0], 1.0)
        self.assertAlmostEqual(c[0] / (3 * np.exp(-2.0)), 1.0, delta=2e-4)
        self.assertAlmostEqual(run[0], c[1], delta=1e-15)
        m = Mechanism(([-2, 1], [2, 0], 0.5, 0, 0))
        c, _, _ = m.carried([3.0, 0.0], 4.0)
        self.assertAlmostEqual(c[0] * (1 + 2 * 0.5 * 3.0 * 4.0) / 3.0, 1.0, delta=5e-4)

    def test_nothing_is_lost_to_the_last_bit(self):
        rng = np.random.default_rng(2)
        m = Mechanism(
            ([-1, 1, 0], [1, 0, 0], 1e4, 0, 0),
            ([0, -1, 1], [0, 1, 0], 1.0, 0, 0),
            ([0, 1, -1], [0, 0, 2], 30.0, 0, 0),
            substances=3,
        )
        for c in rng.uniform(0, 5, (20, 3)):
            after, _, _ = m.carried(c, 0.1)
            self.assertAlmostEqual(after.sum() / c.sum(), 1.0, delta=1e-13)

    def test_stiff_kinetics_of_robertson(self):
        """Robertson 1966, rates nine decades apart; the reference is solved to 1e-10."""
        m = Mechanism(
            ([-1, 1, 0], [1, 0, 0], 0.04, 0, 0),
            ([0, -1, 1], [0, 2, 0], 3e7, 0, 0),
            ([1, -1, 0], [0, 1, 1], 1e4, 0, 0),
            substances=3,
        )
        m.faint[:] = 1e-30

        def slope(t, y):
            r = 0.04 * y[0], 3e7 * y[1] ** 2, 1e4 * y[1] * y[2]
            return [-r[0] + r[2], r[0] - r[1] - r[2], r[1]]

        exact = solve_ivp(slope, (0, 40), [1, 0, 0], method="BDF", rtol=1e-10, atol=1e-14).y[:, -1]
        c, _, parts = m.carried([1.0, 0.0, 0.0], 40.0)
        self.assertLess(parts, 120)
        np.testing.assert_allclose(c[[0, 2]], exact[[0, 2]], rtol=2e-3)

    def test_of_third_order(self):
        m = Mechanism(([-1, 1], [1, 0], 1.0, 0, 0), ([1, -1], [0, 2], 1.0, 0, 0))
        fine = m.carried([1.0, 0.5], 1.0, steps=4096)[0]
        errors = [abs(m.carried([1.0, 0.5], 1.0, steps=n)[0][0] - fine[0]) for n in (64, 128)]
        self.assertGreater(np.log2(errors[0] / errors[1]), 2.7)

    def test_it_remembers_its_own_step(self):
        m = Mechanism(([-2, 1], [2, 0], 10.0, 0, 0))
        parts = m.carried([1.0, 0.0], 1.0)[2]
        begun = m.carried([1.0, 0.0], 1.0, begin=1e-6)[2]
        self.assertGreater(begun, parts + 5)  # it grows from there, fivefold at most
        c, _, cold = m.carried([0.0, 1.0], 1.0)
        self.assertEqual((cold, c[1]), (0, 1.0))

    def test_a_slow_cell_is_left_alone(self):
        m = Mechanism(([-1, 1], [1, 0], 1e-12, 0, 0))
        c, run, parts = m.carried([1.0, 0.0], 1.0)
        self.assertEqual(parts, 0)
        self.assertAlmostEqual(run[0], 1e-12)
        self.assertAlmostEqual(c[1], 1e-12)


class Warmed(unittest.TestCase):
    """Cells that what reacts in them warms."""

    def warmed(self, m, c, span, temperature, heats, holds, steps=1):
        c, warm = np.array(c, float)[:, None], np.array([temperature])
        run, parts = np.zeros((len(m.made), 1)), np.zeros(1, np.int64)
        heats, holds = np.array(heats, float)[:, None], np.array(holds, float)[:, None]
        own, share = np.zeros(1), np.ones(run.shape)
        for _ in range(steps):
            args = (*m.arrays, m.faint, own, run, parts, heats, holds, np.zeros((3, 0)))
            carry_through(c, warm, share, span / steps, *args)
        return c[:, 0], warm[0]

    def test_by_all_the_heat_that_it_gave_off(self):
        """2 mol/m3 at 30 kJ/mol in 40 J/(m3 K): 1500 K; with .02 more per kelvin the root of
        40 x + .01 x^2 = 60,000, 1162.28.
        """
        m = Mechanism(([-1, 1], [1, 0], 50.0, 0, 0))
        c, warm = self.warmed(m, [2.0, 0.0], 1.0, 400.0, [30e3], [40.0, 0.0])
        self.assertAlmostEqual(warm - 400.0, 1500.0, delta=1e-3)
        self.assertAlmostEqual(c[1], 2.0, delta=1e-6)
        _, warm = self.warmed(m, [2.0, 0.0], 1.0, 400.0, [30e3], [40.0, 0.02])
        self.assertAlmostEqual(warm - 400.0, -2000.0 + np.sqrt(4e6 + 6e6), delta=1e-3)

    def test_it_cools_by_what_it_takes(self):
        m = Mechanism(([-1, 1], [1, 0], 50.0, 0, 0))
        _, warm = self.warmed(m, [1.0, 0.0], 1.0, 400.0, [-2e3], [40.0, 0.0])
        self.assertAlmostEqual(warm, 350.0, delta=1e-3)

    def test_it_kindles_when_a_tight_reference_does(self):
        """A -> B, 120 kJ/mol to overcome, 50 kJ/mol given off: half of it is gone at the same time."""
        a, energy, heat, hold = 1e7, 120e3, 50e3, 50.0
        m = Mechanism(([-1, 1], [1, 0], a, 0, energy))

        def slope(t, y):
            r = a * np.exp(-energy / (GAS * y[1])) * y[0]
            return [-r, heat * r / hold]

        def half(t, y):
            return y[0] - 0.5

        half.terminal = True
        exact = solve_ivp(
            slope, (0, 10), [1.0, 900.0], events=half, method="BDF", rtol=1e-10, atol=1e-12
        )
        kindles = float(exact.t[-1])
        c, warm = self.warmed(m, [1.0, 0.0], kindles, 900.0, [heat], [hold, 0.0])
        r = -slope(0.0, [c[0], warm])[0]
        self.assertLess(abs(c[0] - 0.5) / r, 1e-3 * kindles)  # a thousandth of the delay
        self.assertAlmostEqual(warm, 900.0 + heat / hold * (1.0 - c[0]), delta=1e-6)

    def test_what_only_helps_may_rise_without_bounds(self):
        """A helper of order one half at nought: its slope has no bound, and is used up at 0 / s."""
        made, slopes = np.array([[-2.0, 0.0]]), np.array([[[3.0], [np.inf]]])
        np.testing.assert_array_equal(used_up(made, slopes), [[6.0], [0.0]])

    def test_what_comes_meanwhile_is_used_up_as_it_comes(self):
        """A -> B at 2 1/s, 1 mol/m3 of A, which comes at 2 mol/(m3 s) and warms by 10 K/s less what
        comes out: it stays, and 2 mol/(m3 s) react.
        """
        m = Mechanism(([-1, 1], [1, 0], 2.0, 0, 0))
        c, warm = np.array([[1.0], [0.0]]), np.array([500.0])
        run, parts, own = np.zeros((1, 1)), np.zeros(1, np.int64), np.zeros(1)
        heats, holds = np.array([[100.0]]), np.array([[20.0], [0.0]])
        feed = np.array([[2.0], [0.0], [-10.0]])
        args = (*m.arrays, m.faint, own, run, parts, heats, holds, feed)
        carry_through(c, warm, np.ones((1, 1)), 0.25, *args)
        self.assertAlmostEqual(run[0, 0], 0.5, delta=1e-6)
        self.assertAlmostEqual(c[0, 0], 0.5, delta=1e-6)  # by what has reacted alone
        self.assertAlmostEqual(warm[0], 500.0, delta=1e-6)

    def test_back_and_forth_to_where_it_balances(self):
        """K falls as it warms: ln K is 2 at 300 K, 1 at 400 K, T ln K a line between."""
        m = Mechanism(([-1, 1], [1, 0], 5.0, 0, 0), back=[[0, 1]], logs=[[2.0, 1.0, 0.0, -1.0]])
        c, warm = self.warmed(m, [1.0, 0.0], 100.0, 300.0, [3e3], [20.0, 0.0])
        drives = np.interp(warm, [300.0, 400.0, 500.0, 600.0], [600.0, 400.0, 0.0, -600.0])
        self.assertAlmostEqual(np.log(c[1] / c[0]), drives / warm, delta=1e-3)
        self.assertAlmostEqual(warm, 300.0 + 150.0 * c[1], delta=1e-6)


if __name__ == "__main__":
    unittest.main()
