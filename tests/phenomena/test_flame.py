"""Flames: hand sums beside them, what eddies make of differences, swirl that goes with density."""

import copy
import unittest

import numpy as np

from tests.phenomena.flames import BURNER
from underkettle import api
from underkettle.case.audit import audit
from underkettle.case.case import Case
from underkettle.case.model import merge_patch
from underkettle.case.paper import paper_check
from underkettle.case.solve import build_solvers
from underkettle.engine.contract import FLUID, Carrier, Flows, Provides, Shear, Turbulence
from underkettle.engine.marching.state import State
from underkettle.matter.burnt import Streams
from underkettle.matter.gases import read_gas
from underkettle.phenomena.flame.seen import unmixed_of, within

STEADY = {"stages": {"go": {"mode": "steady", "until": None}}}
ROUND = {
    "dimension": "axisymmetric",
    "phenomena": {"swirl": {"density": "burnt_density", "viscosity": "burnt_viscosity"}},
    "conditions": {"inlet": {"swirl": {"kind": "carried in", "value": "50 1/s"}}},
    "start": {"space": {"swirl": {"value": "20 1/s"}}},
    "stages": {"go": {"solve": ["flow", "flame", "swirl"]}},
}


def burner(*patches):
    data = copy.deepcopy(BURNER)
    for patch in patches:
        data = merge_patch(data, patch)
    return data


def started(solver):
    state = State()
    solver.start(state)
    return state


class Offered:
    """Inputs that offer what they are given."""

    def __init__(self, **offers):
        self.offers = offers

    def get(self, kind, of=""):
        return self.offers.get(kind.__name__)

    def each(self, kind, of=""):
        return {}


class Within(unittest.TestCase):
    def test_variance_over_the_largest(self):
        share = np.array([0.0, 0.5, 0.2, 1.0])
        found = unmixed_of(share, np.array([1.0, 0.05, 0.16, 1.0]))
        np.testing.assert_allclose(found, [0.0, 0.2, 1.0, 0.0])

    def test_shares_are_kept_between_none_and_all(self):
        share, unmixed, lost = within({"flame.fuel": np.array([-1e-9, 1.1])})
        self.assertEqual(share.tolist(), [0.0, 1.0])
        self.assertFalse(unmixed.any() or np.any(lost))


class Solved(unittest.TestCase):
    def setUp(self):
        self.case = Case(burner())
        self.solver = build_solvers(self.case)["flame"]
        self.mesh = self.solver.mesh

    def test_steepness_of_a_straight_slope(self):
        x, y = (c * np.ones(self.mesh.shape[1:]) for c in self.mesh.cell_centres())
        found = self.solver._steepness(3.0 * x[0] + 4.0 * y[0])
        inner = np.zeros(found.shape, bool)
        inner[3:-4, 3:-4] = True
        np.testing.assert_allclose(found[inner & self.mesh.live[0]], 25.0, rtol=1e-9)

    def test_eddies_make_and_wear_down_differences(self):
        """2 mu_t / Sc_t |grad Z|^2 made, C_d .09 omega rho of each variance worn."""
        state = started(self.solver)
        shape = self.mesh.shape
        state.fields["flame.fuel"][:] = 10.0 * self.mesh.cell_centres()[0]
        one = np.ones(shape)
        none = Flows(*(np.zeros(shape) for _ in range(3)))
        nothing = np.zeros(0)
        eddies = Turbulence(2e-3 * one, one, 40.0 * one, *(nothing,) * 5)
        stream = Carrier(none, one, one, one, density=0.5 * one, viscosity=0.0 * one)
        given = self.solver._eddies(state, Offered(Turbulence=eddies, Carrier=stream))["flame"]
        middle = 0, shape[1] // 2, shape[2] // 2
        volume = self.mesh.volume[middle]
        self.assertAlmostEqual(given.value[middle] / (2 * 2e-3 / 0.85 * 100.0 * volume), 1.0)
        self.assertAlmostEqual(given.linear[middle] / (2.0 * 0.09 * 40.0 * 0.5 * volume), 1.0)
        self.assertEqual(self.solver._eddies(state, Offered(Carrier=stream)), {})

    def test_nitric_oxide_stops_at_its_equilibrium(self):
        even = np.full(self.mesh.shape[1:], self.solver.table.streams.even())
        nothing = np.zeros(even.shape)
        most = self.solver.table.look(["NO"], even, 0.0, 0.0)[0] * 0.0300061
        first = self.solver._nitric(nothing, even, nothing, nothing)
        last = self.solver._nitric(most, even, nothing, nothing)
        middle = 0, even.shape[0] // 2, even.shape[1] // 2
        self.assertGreater(first.value[middle], 0.0)
        left = last.value[middle] - last.linear[middle] * most[middle[1:]]
        self.assertLess(abs(left), 1e-4 * first.value[middle])


class Run(unittest.TestCase):
    def test_hand_sums(self):
        readouts = {
            "fuel": {"kind": "mean", "field": "fuel", "place": "outlet", "weight": "flow"},
            "hot": {"kind": "max", "field": "gas_temperature", "place": "space"},
            "co": {"kind": "mean", "field": "CO", "place": "outlet", "weight": "flow"},
        }
        plain = {"phenomena": {"flame": {"radiates": False, "nitric_oxide": False}}}
        even = {"conditions": {"inlet": {"flame": {"value": "0.3", "unmixed": "0"}}}}
        start = {"start": {"space": {"flame": {"value": "0.3"}}}}
        data = burner(STEADY, plain, even, start, {"readouts": readouts})
        case = Case(data)
        told = {r.readout: r.value for r in paper_check(case).rows}
        self.assertAlmostEqual(told["fuel"], 0.3)
        gas = read_gas("0.3 CO + 0.1 H2 + 0.6 N2")
        streams = Streams(gas, read_gas("air"), 298.15, 298.15, 101325.0)
        self.assertGreater(streams.even(), 0.3)  # lean: no CO is left
        self.assertLess(told["co"], 5e-3)
        self.assertGreater(told["hot"], 1700.0)
        found = api.run(data)
        self.assertEqual(found.status, "finished")
        self.assertAlmostEqual(found.readouts["fuel"].value, 0.3, places=9)
        self.assertLess(found.readouts["hot"].value, told["hot"] + 1e-6)

    def test_fuel_that_burns_nothing_is_refused_with_a_reason(self):
        findings = audit(Case(burner({"phenomena": {"flame": {"fuel": "CO2"}}})))
        said = [f for f in findings if f.grade == "stops"]
        self.assertTrue(any("needs no air" in f.reason for f in said), said)


class Swirl(unittest.TestCase):
    def test_angular_momentum_closes_where_the_stream_swells(self):
        run = api.run(burner(ROUND))
        self.assertEqual(run.status, "finished")
        for name in ("angular_momentum", "fuel", "heat_lost", "NO", "mass"):
            self.assertLess(run.balance[name]["relative"], 1e-8, name)

    def test_shear_of_swirl(self):
        """r omega' squared: none where all turns alike, (a r)^2 where omega is a r."""
        case = Case(burner(ROUND))
        solver = build_solvers(case)["swirl"]
        state = started(solver)
        r = solver.mesh.cell_centres()[1] * np.ones(solver.mesh.shape)
        what = Provides(Shear, FLUID)
        turning = state.fields["swirl.turning"]
        turning[:] = np.where(solver.mesh.live, 30.0, 0.0)
        self.assertFalse(solver.offer(what, state).square.any())
        turning[:] = np.where(solver.mesh.live, 700.0 * r, 0.0)
        found = solver.offer(what, state).square
        live = solver.mesh.live
        np.testing.assert_allclose(found[live], (700.0 * r[live]) ** 2, rtol=1e-9)


if __name__ == "__main__":
    unittest.main()
