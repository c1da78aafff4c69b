"""What burns as it mixes: tables against equilibria solved one by one, means against quadrature, NO and
radiation by hand.
"""

import unittest

import numpy as np
from scipy.integrate import quad
from scipy.stats import beta

from underkettle.matter.burnt import LEAN, UNMIXED, Burnt, Streams, beta_weights, thermal_nitric
from underkettle.matter.equilibrium import Forming, equilibrium, flame
from underkettle.matter.gases import read_gas
from underkettle.matter.radiation import absorption, given_off
from underkettle.matter.thermo import AIR, ThermoError

ATMOSPHERE = 101325.0


def streams(fuel="CH4", air="air", warm=298.15, **more):
    return Streams(read_gas(fuel), read_gas(air), warm, 298.15, ATMOSPHERE, **more)


class Mixing(unittest.TestCase):
    def test_air_that_a_fuel_needs(self):
        """By hand: 2 moles of O2 for methane, air of 20.95 % O2."""
        moles = 2 / 0.2095
        air = moles * (0.7809 * 28.0134 + 0.2095 * 31.9988 + 0.0096 * 39.948)
        self.assertAlmostEqual(streams().needs() / (air / 16.0425), 1.0, delta=1e-5)
        self.assertAlmostEqual(streams().even(), 1 / (1 + air / 16.0425), delta=1e-6)
        self.assertAlmostEqual(streams().share_at(1.0), streams().even())
        for fuel, air_ in (("N2", "air"), ("CH4", "N2"), ("O2", "air")):
            with self.assertRaises(ThermoError, msg=fuel):
                streams(fuel, air_).needs()

    def test_nodes_reach_from_air_to_fuel_and_hold_the_even_mixture(self):
        for fuel in ("CH4", "0.1 CO + 0.9 N2", "H2"):
            nodes = streams(fuel).nodes()
            self.assertEqual((nodes[0], nodes[LEAN]), (0.0, streams(fuel).even()))
            self.assertAlmostEqual(nodes[-1], 1.0, delta=1e-12)
            self.assertTrue((np.diff(nodes) > 0).all())


class Means(unittest.TestCase):
    def test_weights_keep_the_share_itself(self):
        nodes = streams().nodes()
        for unmixed in UNMIXED:
            weights = beta_weights(nodes, unmixed)
            np.testing.assert_allclose(weights.sum(axis=1), 1.0, atol=1e-9)
            np.testing.assert_allclose(weights @ nodes, nodes, atol=1e-9)

    def test_means_against_quadrature(self):
        nodes = np.linspace(0.0, 1.0, 401)
        values = np.exp(-30 * (nodes - 0.2) ** 2)
        weights = beta_weights(nodes, 0.1)
        for at in (40, 120, 300):
            a, b = nodes[at] * 9.0, (1 - nodes[at]) * 9.0
            exact = quad(
                lambda z, a=a, b=b: np.exp(-30 * (z - 0.2) ** 2) * beta.pdf(z, a, b), 0.0, 1.0
            )[0]
            self.assertAlmostEqual(weights[at] @ values / exact, 1.0, delta=2e-4)

    def test_nothing_mixed_is_either_of_both(self):
        values = np.arange(5.0)
        np.testing.assert_allclose(
            beta_weights(np.linspace(0, 1, 5), 1.0) @ values, [0.0, 1.0, 2.0, 3.0, 4.0]
        )


class Table(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.table = Burnt(streams())

    def look(self, name, share, unmixed=0.0, lost=0.0):
        return float(self.table.look([name], share, unmixed, lost)[0])

    def test_methane(self):
        """2226 K (Turns, from memory)."""
        even = self.table.streams.even()
        self.assertAlmostEqual(self.look("temperature", even), 2226.0, delta=1.0)
        feed = {"CH4": 1.0, **{s: n * 2 / AIR["O2"] for s, n in AIR.items()}}
        one = flame(feed, 298.15, ATMOSPHERE, graphite=False)
        self.assertAlmostEqual(self.look("temperature", even), one.temperature, delta=0.01)
        shares = self.table.look(list(self.table.names), even, 0.0, 0.0)
        share = dict(zip(self.table.names, shares / shares.sum(), strict=True))
        for name in ("CO2", "H2O", "CO", "OH", "NO"):
            self.assertAlmostEqual(share[name] / one.shares[name], 1.0, delta=1e-4, msg=name)

    def test_what_does_not_mix_stays_cold(self):
        self.assertAlmostEqual(self.look("temperature", 0.0), 298.15, delta=1e-3)
        self.assertAlmostEqual(self.look("temperature", 1.0), 298.15, delta=0.02)
        even = self.table.streams.even()
        self.assertAlmostEqual(self.look("temperature", even, 1.0), 298.15, delta=0.1)

    def test_heat_that_is_lost_cools(self):
        """1 MJ/kg of methane's flame, by an equilibrium at what is left of the enthalpy."""
        even = self.table.streams.even()
        forming = self.table.forming
        at = LEAN
        loss = float(self.table.losses[5])
        found = forming.holding(
            self.table.feeds[:, at : at + 1], self.table.enthalpy[at : at + 1] - loss
        )
        self.assertAlmostEqual(
            self.look("temperature", even, 0.0, loss), found.temperature[0], delta=0.01
        )

    def test_beyond_the_richest_nothing_reacts(self):
        rich = Burnt(streams(richest=0.5))
        edge = rich.streams.share_at(0.5)
        half = 0.5 * (1 + edge)
        left = rich.look(["CH4"], half, 0.0, 0.0)[0]
        self.assertAlmostEqual(left / (0.5 / 0.0160425), 1.0, delta=2e-2)
        # as warm as half of what has burnt and half of cold methane, between both
        warm = float(rich.look(["temperature"], half, 0.0, 0.0)[0])
        self.assertGreater(warm, 700.0)
        self.assertLess(warm, float(rich.look(["temperature"], edge, 0.0, 0.0)[0]))

    def test_a_lookup_is_a_line_between_nodes(self):
        low, high = (self.look("volume", self.table.nodes[k]) for k in (10, 11))
        between = 0.3 * self.table.nodes[10] + 0.7 * self.table.nodes[11]
        self.assertAlmostEqual(self.look("volume", between), 0.3 * low + 0.7 * high, places=12)
        self.assertEqual(self.look("volume", 2.0), self.look("volume", 1.0))


class Nitric(unittest.TestCase):
    def test_rate_by_hand(self):
        """k1 [O][N2] with k1 = 1.8e14 exp(-38370/T) cm3/(mol s), at three states of lean products."""
        for warm, share in ((1800.0, 1e-5), (2000.0, 1e-4), (2200.0, 4e-4)):
            moles = ATMOSPHERE / (8.314462618 * warm)  # mol/m3
            gas = {"N2": np.array([0.7]), "O": np.array([share]), "NO": np.array([1e-3])}
            made, _ = thermal_nitric(gas, np.array([1.0 / moles]), np.array([warm]))
            by_hand = 1.8e8 * np.exp(-38370.0 / warm) * (share * moles) * (0.7 * moles)
            self.assertAlmostEqual(float(made[0]) * moles / by_hand, 1.0, delta=1e-6)

    def test_no_nitrogen_makes_none(self):
        made, back = thermal_nitric({"O": np.ones(2)}, np.ones(2), np.full(2, 2000.0))
        self.assertFalse(made.any() or back.any())


class Radiation(unittest.TestCase):
    def test_by_hand(self):
        """4 sigma a (T^4 - T0^4), a of water and CO2 summed by what there is of them."""
        shares = {"H2O": np.array([0.2]), "CO2": np.array([0.1]), "N2": np.array([0.7])}
        warm = np.array([1500.0])
        each = [absorption({n: np.array([1.0])}, warm, ATMOSPHERE)[0] for n in ("H2O", "CO2")]
        a = 0.2 * each[0] + 0.1 * each[1]
        exact = 4 * 5.670374419e-8 * a * (1500.0**4 - 300.0**4)
        found = given_off(shares, warm, ATMOSPHERE, 300.0)
        self.assertAlmostEqual(found[0] / exact, 1.0, places=10)
        self.assertTrue(1.0 < each[0] < 10.0 and 5.0 < each[1] < 30.0, each)

    def test_nothing_flows_between_what_is_as_warm(self):
        shares = {"H2O": np.array([0.2])}
        self.assertEqual(given_off(shares, np.array([900.0]), ATMOSPHERE, 900.0)[0], 0.0)


class ManyFeeds(unittest.TestCase):
    def test_two_thousand_feeds(self):
        """None fails, elements stay, with graphite and without."""
        random = np.random.default_rng(7)
        forming = Forming(("C", "H", "O", "N"), 1e5)
        feeds = random.uniform(0.01, 1.0, (4, 2000))
        found = forming.at(feeds, random.uniform(300, 3000, 2000))
        after = forming.atoms @ found.gas
        after[0] += found.coke
        self.assertLess(float(np.abs(after / feeds - 1).max()), 1e-10)

    def test_one_by_one_is_the_same(self):
        forming = Forming(("C", "H", "O", "N"), 1e5)
        feeds = np.array([[1.0, 2.0], [3.0, 1.0], [2.0, 1.5], [5.0, 4.0]])
        found = forming.at(feeds, np.array([900.0, 1700.0]))
        for k, warm in enumerate((900.0, 1700.0)):
            moles = {"C(s)": feeds[0, k], "H2": feeds[1, k] / 2}
            moles |= {"O2": feeds[2, k] / 2, "N2": feeds[3, k] / 2}
            one = equilibrium(moles, warm, 1e5).moles
            for name, n in zip(forming.names, found.gas[:, k], strict=True):
                self.assertAlmostEqual(n, one[name], delta=1e-8)

    def test_what_cannot_hold_an_element(self):
        with self.assertRaises(ThermoError):
            Forming(("C", "H"), 1e5, products=("H2",))


if __name__ == "__main__":
    unittest.main()
