"""The realizable model and developed ducts: kernels against numbers by hand, streams through the public
path.
"""

import unittest

import numpy as np

from tests.phenomena.stirred import DUCT
from underkettle.api import run
from underkettle.case.model import merge_patch
from underkettle.engine.operators.ducts import developed_duct
from underkettle.paper.ducts import friction_factor
from underkettle.phenomena.turbulence import realizable


def one(value: float) -> np.ndarray:
    return np.full((3, 3), value)


class Realizable(unittest.TestCase):
    def looked(self, k: float, w: float, strain: float, spin: float, third: float = 0.0):
        eddy, mix, made, grows = (np.zeros((3, 3)) for _ in range(4))
        inner = np.zeros((3, 3), bool)
        inner[1, 1] = True
        square = one(strain**2)
        realizable.look(
            inner,
            np.zeros((3, 3), bool),
            one(1.0),
            one(k),
            one(w),
            square,
            one(spin**2),
            one(third),
            one(1e-9),
            one(0.0),
            one(0.0),
            one(1.0),
            eddy,
            mix,
            made,
            grows,
            1,
            1,
        )
        return eddy[1, 1], mix[1, 1], made[1, 1], grows[1, 1]

    def test_a_logarithmic_layer_has_the_usual_constant(self) -> None:
        # S k / epsilon = 3.333 solves .09^-1 = 4.04 + sqrt(6) cos(pi/6) eta and eta^2 = 1 / C_mu
        root = np.sqrt(6) * np.cos(np.pi / 6)
        eta = 0.5 * (root + np.sqrt(root**2 + 4 * 4.04))
        share = 1.0 / (0.09 * (4.04 + root * eta))
        k, w = 2.0, 50.0
        strain = eta * 0.09 * w
        eddy, mix, made, grows = self.looked(k, w, strain, strain)
        self.assertAlmostEqual(eddy, share * k / w, 12)
        self.assertAlmostEqual(made, 0.09 * k * w, 9)  # made as fast as it wears
        self.assertAlmostEqual(share, 1.0, 2)
        self.assertAlmostEqual(grows, w * (0.43 * strain - made / k), 8)
        self.assertGreater(mix, 0.99)

    def test_quick_strain_bounds_what_is_made(self) -> None:
        # eta = 100: C1 = 100 / 105; C_mu = 1 / (4.04 + 2.1213 x 100)
        eddy, _, made, grows = self.looked(1.0, 1.0 / 0.09, 100.0, 100.0)
        constant = 1.0 / (4.04 + np.sqrt(6) * np.cos(np.pi / 6) * 100.0)
        self.assertAlmostEqual(eddy, constant, 12)
        self.assertAlmostEqual(grows, (100.0 / 105.0 * 100.0 - made) / 0.09, 8)

    def test_pressed_round_streams_are_stirred_less_than_drawn_ones(self) -> None:
        # strain (1, -1/2, -1/2): trace of its cube 3/4; of what is pressed -3/4. S : S = 3/2
        square = np.sqrt(3.0)
        drawn, pressed = (self.looked(1.0, 1.0, square, 0.0, third)[0] for third in (0.75, -0.75))
        quick = np.sqrt(1.5)
        self.assertAlmostEqual(drawn, 1.0 / (0.09 * 4.04 + np.sqrt(6) * quick), 12)
        self.assertAlmostEqual(pressed, 1.0 / (0.09 * 4.04 + 0.5 * np.sqrt(6) * quick), 12)

    def test_how_a_stream_is_turned_and_strained(self) -> None:
        # u = 2 x + 3 y, v = 5 x - 2 y on unit cells: (vx - uy)^2 = 4, S12 = 4, trace of S^3 = 0
        n = 6
        x, y = np.arange(n), np.arange(n)
        u = 2.0 * x[None, :] + 3.0 * (y[:, None] + 0.5)
        v = 5.0 * (x[None, :] + 0.5) - 2.0 * y[:, None]
        ones, spin, third = np.ones((n, n)), np.zeros((n, n)), np.zeros((n, n))
        widths, radius = np.ones(n), np.full(n, 4.0)
        plane = (u, v, ones, ones, 0.25 * ones, 0.25 * ones, widths, widths, ones, radius)
        realizable.turning(*plane, False, spin, third, 2, 2)
        self.assertAlmostEqual(spin[2, 2], 4.0, 12)
        self.assertAlmostEqual(third[2, 2], 0.0, 12)
        realizable.turning(*plane, True, spin, third, 2, 2)
        around = 0.5 * (v[2, 2] + v[3, 2]) / 4.0  # another strain, which the trace has cubed
        self.assertAlmostEqual(third[2, 2], around**3, 12)

    def test_a_step_in_time_keeps_eddies_above_nought(self) -> None:
        case = merge_patch(DUCT, {"phenomena": {"turbulence": {"model": "realizable k-epsilon"}}})
        found = run(case)
        self.assertEqual(found.status, "finished")
        self.assertGreater(float(np.nanmin(found.field("turbulent_energy"))), 0.0)
        self.assertGreater(float(np.nanmin(found.field("eddy_viscosity"))), 0.0)


class LongDucts(unittest.TestCase):
    def test_friction_is_that_of_pipes(self) -> None:
        for number in (1e4, 1e5, 1e6, 1e7):
            friction = 8 * developed_duct(number, True).friction ** 2
            self.assertLess(
                abs(friction / friction_factor(number) - 1), 0.06 if number < 1e5 else 0.012
            )

    def test_speeds_and_eddies(self) -> None:
        pipe = developed_duct(1e5, True)
        # mean over the section of what rises from the wall to the middle
        weight = 2 * (1 - pipe.away)
        self.assertAlmostEqual(float(np.trapezoid(pipe.speed * weight, pipe.away)), 1.0, 2)
        self.assertTrue((np.diff(pipe.speed) >= 0).all())
        self.assertLess(abs(pipe.speed[-1] - 1.19), 0.02)
        # in the logarithmic layer energy is u^2 / .3 and omega u / (.3 .41 y), less what stress has
        # lost on the way: 1 - y / R
        at = int(np.searchsorted(pipe.away, 0.05))
        energy = pipe.energy[at] / pipe.friction**2
        self.assertLess(abs(energy / (0.95 / 0.3) - 1), 0.1)
        rate = pipe.rate[at] / pipe.friction * pipe.away[at]
        self.assertLess(abs(rate / (1 / (0.3 * 0.41)) - 1), 0.1)
        self.assertTrue(np.isfinite(pipe.rate).all())
        self.assertTrue((pipe.rate > 0).all())

    def test_a_stream_comes_in_so(self) -> None:
        given = {
            "phenomena": {"heat": None},
            "conditions": {
                "inlet": {"flow": {"profile": "developed, turbulent"}, "heat": None},
                "box_top": {"heat": None},
                "spoke": {"heat": None},
            },
            "stages": {"go": {"solve": ["flow", "turbulence"]}},
        }
        found = run(merge_patch(DUCT, given))
        self.assertEqual(found.status, "finished")
        cell = found.case.cell("edge", "inlet", "turbulence")
        self.assertEqual((cell.kind, cell.state), ("developed", "assumed"))
        u = found.field("velocity_x")[:, 0]
        open_ = np.flatnonzero(u > 0)
        self.assertGreater(u[open_[open_.size // 2]], 1.15 * u[open_[0]])


if __name__ == "__main__":
    unittest.main()
